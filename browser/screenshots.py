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
    "source": ("Pressed tin ceiling", "source"),
    "relief": ("Scallop tile, north wall", "relief"),
    "maps": ("Scallop tile, north wall", "maps"),
    "surface": ("Scallop tile, north wall", "surface"),
    "deliver": ("Scallop tile, north wall", "deliver"),
}
"""The piece and the step that each picture shows."""


def take(address: str) -> None:
    """Writes one PNG of the shelf and of each step."""
    PLACE.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        driver = chromium(Path(folder), *WITH_WEBGL)
        try:
            driver.get(address)
            links = driver.find_elements("css selector", ".pieces a")
            pieces = {link.find_element("css selector", "b").text: link.get_attribute("href") for link in links}
            _shoot(driver, "shelf")
            for name, (title, step) in VIEWS.items():
                driver.get(f"{pieces[title]}{step}/")
                _shoot(driver, name)
        finally:
            driver.quit()


def _shoot(driver, name: str) -> None:
    time.sleep(PATIENCE)
    driver.save_screenshot(str(PLACE / f"{name}.png"))
    print(PLACE / f"{name}.png")


if __name__ == "__main__":
    take(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000/")
