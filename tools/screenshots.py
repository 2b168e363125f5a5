"""Takes the pictures in docs/screenshots from a running demo, at 1280 x 800."""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from selenium.webdriver import Chrome

from browser.driver import WITH_WEBGL, chromium

PLACE = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
PATIENCE = 6.0  # seconds for a view to settle
REFINING = """const solid = document.getElementById("solid");
return Boolean(solid && !solid.hidden && solid.dataset.drawn && solid.dataset.refined !== solid.dataset.drawn)"""
"""Whether a surface is still drawn finer."""
VIEWS = {
    "shelf": "/",
    "set": "set:Oyster plaster",
    "catalogue": "/catalogue/",
    "rig": "/rig/",
    "source": "Oyster-shell plaster/source",
    "relief": "Pressed tin ceiling/relief",
    "light": "Driftwood panel/source",
    "lit-series": "series:Driftwood series",
    "layers": "Raked sand court/relief",
    "gallery": "Knotted net/relief",
    "maps": "Scallop tile, north wall/maps",
    "proofs": "Pressed tin ceiling/maps",
    "surface": "Scallop tile, north wall/surface",
    "regions": "Fluted column/surface",
    "own-mesh": "Mooring bollard/surface",
    "ground": "Dune ground/surface",
    "four-ways": "Knotted net/surface",
    "deliver": "Scallop tile, north wall/deliver",
    "series": "/recipes/",
}
"""What each picture shows: an address, or a piece and its step, or a set."""

GUIDE = "#guide button"

CLICKS = {
    "set": ["[data-show=lit]"],
    "rig": ["set #rig-surface fish-basket", ".rig-form .button", "set #rig-surface driftwood-panel",
            ".rig-form .button"],
    "light": [GUIDE, "set #control-layers-0-content-light-azimuth 142", "[data-tool=sun]", "[data-view=lit]"],
    "gallery": ["#open-gallery"],
    "proofs": [GUIDE, "[data-view=shaded]", "#keep-proof", "set #control-maps-normal-strength 2.5",
               "#keep-proof", "set #control-maps-normal-strength -1", "[data-compare]", "[data-how=rectangle]"],
    "surface": [GUIDE, "[hx-vals*='\"kind\": \"faces\"']", "set #overlay edges", "#adviser button",
                "into #group-faces"],
    "regions": [GUIDE, "set #overlay grid", "[data-toggle=figure]", "into #group-regions"],
    "own-mesh": ["set #overlay reversed"],
    "ground": [GUIDE, "[data-raking]", "[data-camera=hill]"],
    "series": ["[value='Unevenly lit photo to a tile']", "#choose-all", "#begin-series", *["over main"] * 2],
    "four-ways": [GUIDE, "[data-view=ways]", "[data-camera=along]"],
}  # fmt: skip
"""What is done, one step after the other, before a picture is taken."""


def take(address: str, only: list[str]) -> None:
    """Writes one PNG of each view, or of some of them only."""
    PLACE.mkdir(parents=True, exist_ok=True)
    with open_demo(address) as (driver, known):
        for name, view in VIEWS.items():
            if only and name not in only:
                continue
            driver.get(_address(address, known, view))
            _shoot(driver, name)


@contextmanager
def open_demo(address: str) -> Iterator[tuple[Chrome, dict[str, str]]]:
    """A browser on the shelf of a running demo, and the address of all that stands there by its title."""
    with tempfile.TemporaryDirectory() as folder:
        driver = chromium(Path(folder), *WITH_WEBGL)
        try:
            driver.get(address)
            links = driver.find_elements("css selector", ".pieces a")
            yield driver, {link.find_element("css selector", "b").text: link.get_attribute("href") for link in links}
        finally:
            driver.quit()


def _address(address: str, known: dict[str, str], view: str) -> str:
    if view.startswith("/"):
        return address.rstrip("/") + view
    if view.startswith(("set:", "series:")):
        return known[view.partition(":")[2]]
    title, step = view.split("/")
    return f"{known[title]}{step}/"


def _script(step: str) -> str:
    """What a step does: `over SELECTOR` moves the pointer there, `set SELECTOR VALUE` types, `into`
    scrolls, others are clicked."""
    action, *rest = step.split(" ", 2)
    if action == "over":
        return (
            f"const part = document.querySelector({rest[0]!r}), {{ left, top, width, height }} = "
            "part.getBoundingClientRect(); part.dispatchEvent(new PointerEvent('pointermove', "
            "{ clientX: left + width * 0.6, clientY: top + height * 0.4, bubbles: true }))"
        )
    if action == "set":
        return (
            f"const box = document.querySelector({rest[0]!r}); box.value = {rest[1]!r}; "
            "box.dispatchEvent(new Event('change', { bubbles: true }))"
        )
    if action == "into":
        return f"document.querySelector({rest[0]!r}).scrollIntoView()"
    if step == GUIDE:  # one that was closed before is not there
        return f"document.querySelector({step!r})?.click()"
    return f"document.querySelector({step!r}).click()"


def _shoot(driver, name: str) -> None:
    time.sleep(PATIENCE)
    for step in CLICKS.get(name, []):
        driver.execute_script(_script(step))
        time.sleep(PATIENCE)
    while driver.execute_script(REFINING):
        time.sleep(1)
    driver.save_screenshot(str(PLACE / f"{name}.png"))
    print(PLACE / f"{name}.png")


if __name__ == "__main__":
    take(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000/", sys.argv[2:])
