"""Takes the pictures in docs/screenshots from a running demo, at 1280 x 800."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from browser.driver import WITH_WEBGL, chromium

PLACE = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
PATIENCE = 3.0  # seconds for a view to settle
VIEWS = {
    "shelf": "/",
    "set": "set:Oyster plaster",
    "catalogue": "/catalogue/",
    "surface-of-the-catalogue": "/catalogue/fish-basket/",
    "source": "Oyster-shell plaster/source",
    "relief": "Pressed tin ceiling/relief",
    "crop": "Pressed tin ceiling/relief",
    "layers": "Raked sand court/relief",
    "gallery": "Knotted net/relief",
    "maps": "Scallop tile, north wall/maps",
    "trial": "Scallop tile, north wall/maps",
    "surface": "Scallop tile, north wall/surface",
    "deliver": "Scallop tile, north wall/deliver",
}
"""What each picture shows: an address, or a piece and its step, or a set."""

CLICKS = {
    "set": ["[data-show=lit]"],
    "crop": ["[data-tool=crop]"],
    "gallery": ["#open-gallery"],
    "trial": ["#open-trial", ".trial-form .button"],
}
"""What is clicked, one after the other, before a picture is taken."""


def take(address: str) -> None:
    """Writes one PNG of each view."""
    PLACE.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        driver = chromium(Path(folder), *WITH_WEBGL)
        try:
            driver.get(address)
            links = driver.find_elements("css selector", ".pieces a")
            known = {link.find_element("css selector", "b").text: link.get_attribute("href") for link in links}
            for name, view in VIEWS.items():
                driver.get(_address(address, known, view))
                _shoot(driver, name)
        finally:
            driver.quit()


def _address(address: str, known: dict[str, str], view: str) -> str:
    if view.startswith("/"):
        return address.rstrip("/") + view
    if view.startswith("set:"):
        return known[view.removeprefix("set:")]
    title, step = view.split("/")
    return f"{known[title]}{step}/"


def _shoot(driver, name: str) -> None:
    time.sleep(PATIENCE)
    for selector in CLICKS.get(name, []):
        driver.execute_script("document.querySelector(arguments[0]).click()", selector)
        time.sleep(PATIENCE)
    driver.save_screenshot(str(PLACE / f"{name}.png"))
    print(PLACE / f"{name}.png")


if __name__ == "__main__":
    take(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000/")
