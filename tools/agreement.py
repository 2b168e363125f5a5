"""Compares the three pictures of a surface in a running demo: the stage at rest, a still, and the flat picture with
shadows where the surface is a plane. For each piece it prints how far mean luminance is off, and the correlation.

The still is compared with the geometry on the stage, which has as many faces. The flat picture shows every texel, and
rough ground is darker the more of it is shown: it is compared with all of the detail on the stage. All are softened, as
the stage still has fewer vertices than texels, so that light is compared and not detail.
"""

from __future__ import annotations

import base64
import io
import json
import sys
import time
import urllib.request

import cv2
import numpy as np
from PIL import Image
from selenium.webdriver import Chrome

from tools.screenshots import REFINING, open_demo

PATIENCE = 600
"""Seconds for a view or a still at most."""

ANSWERED = 5
"""Seconds within which an order of a still is answered."""

WIDTH = 1280
"""Pixels of the stills, which is more than the stage has."""

EDGE = 9
"""Pixels at the outline of the surface that are left out, as each picture smooths it in its own way."""

SOFT = 1.5
"""Pixels: the width of the Gaussian that softens all pictures."""

SECTION_LINE = 40
"""Levels that red and blue lie above green in the section line, which only the stage shows."""

AWAY = 6
"""Levels from what is behind the surface that a pixel of it is off."""

STAGE = """const solid = document.getElementById("solid"), tools = document.getElementById("stage-tools");
const covered = Math.min(tools.offsetTop + tools.offsetHeight, solid.clientHeight / 3);
return [solid.toDataURL("image/png"), covered, solid.clientHeight]"""
BARE = """const overlay = document.getElementById("overlay");
overlay.value = "";
overlay.dispatchEvent(new Event("change", { bubbles: true }))"""
"""Takes away what is drawn over the surface, as reversed faces are at first: a still does not show it."""
DETAIL = """document.querySelector(`[data-detail=${arguments[0]}]`).click()"""
"""Chooses how much of the detail the stage shows."""
FRAME = """const known = performance.getEntriesByType("resource").map((one) => one.name);
import(known.find((name) => /stage\\/stage[.\\w]*js$/.test(name))).then((stage) => arguments[0](stage.frame))"""
"""Where the relief lies on the flat picture."""

FLAT = """return document.getElementById("flat").toDataURL("image/png")"""


def main(address: str, only: list[str]) -> None:
    """Prints a line for each piece, or for some of them only."""
    with open_demo(address) as (driver, known):
        for title, link in known.items():
            if "/piece/" in link and (not only or title in only):
                print(json.dumps({"piece": title, **compare(driver, f"{link}surface/")}), flush=True)


def compare(driver: Chrome, address: str) -> dict[str, object]:
    """How far the still and the flat picture are off the stage at rest."""
    driver.get(address)
    wait(driver, "return document.getElementById('solid').dataset.drawn")
    driver.execute_script(BARE)
    plane = driver.execute_script("return Boolean(document.querySelector('[hx-vals*=\"plane\"][aria-pressed=true]'))")
    driver.execute_script(f"document.querySelector('[data-camera={'front' if plane else 'three-quarter'}]').click()")
    lit, inside, covered, height = read_stage(driver)
    still = draw_still(driver, address)
    scale = height / still.shape[0]
    middle = (lit.shape[1] - still.shape[1] * scale) / 2
    laid = np.array([[scale, 0, middle], [0, scale, covered / 2]])
    placed = cv2.warpAffine(still, laid, lit.shape[::-1], flags=cv2.INTER_LINEAR)
    told: dict[str, object] = {"still": agree(lit, luminance(placed), inside & find_inside(placed))}
    if plane:
        driver.execute_script(DETAIL, "all")
        lit, inside, *_ = read_stage(driver)
        told["flat"] = agree(lit, lay_flat(driver, inside), inside)
        driver.execute_script(DETAIL, "geometry")
    return told


def read_stage(driver: Chrome) -> tuple[np.ndarray, np.ndarray, float, int]:
    """The luminance of the stage at rest and where the surface is on it, then as `show_at_rest`."""
    url, covered, height = show_at_rest(driver)
    stage, line = paint_line_over(decode(url))
    return luminance(stage), find_inside(stage) & ~line, covered, height


def show_at_rest(driver: Chrome) -> tuple[str, float, int]:
    """The stage once it is refined: its picture as a data URL, the px at its top that buttons cover, and its height."""
    time.sleep(2)
    wait(driver, f"return !(() => {{ {REFINING} }})()")
    url, covered, height = driver.execute_script(STAGE)
    return url, covered, height


def draw_still(driver: Chrome, address: str) -> np.ndarray:
    """A still of the view on the stage, in clay."""
    wait(driver, "return Boolean(document.querySelector('#still-form'))")
    for name, value in {"look": "clay", "width": WIDTH, "quality": "final", "seen": "stage"}.items():
        driver.execute_script(f"document.getElementById('still-{name}').value = '{value}'")
    driver.execute_script(
        "const ground = document.getElementById('still-ground');if (ground) ground.checked = false"
    )  # the stage has none
    newest = "document.querySelector('#still-list [data-state=done] img.still')?.src ?? ''"
    before = driver.execute_script(f"return {newest}")
    driver.execute_script("document.querySelector('#still-form .button').click()")
    time.sleep(ANSWERED)  # one that was drawn before, by an earlier run, is not drawn again
    drawing = "[...document.querySelectorAll('#still-list .delivery')].some((one) => one.innerText.includes('Cancel'))"
    wait(driver, f"return !{drawing} && ({newest}) !== ''")
    if driver.execute_script(f"return {newest}") == before:
        print("The still is one of an earlier run; begin with a fresh demo if pieces were changed.", file=sys.stderr)
    source = driver.execute_script(f"return {newest}")
    with urllib.request.urlopen(source, timeout=60) as answer:
        return np.asarray(Image.open(io.BytesIO(answer.read())).convert("RGB"))


def lay_flat(driver: Chrome, inside: np.ndarray) -> np.ndarray:
    """The luminance of the flat picture with shadows, where the plane lies on the stage."""
    driver.execute_script("document.querySelector('[data-view=lit]').click()")
    time.sleep(2)
    driver.execute_script("const button = document.querySelector('[data-toggle=shadowed]');"
                          "if (button.ariaPressed !== 'true') button.click()")  # fmt: skip
    time.sleep(10)
    flat = decode(driver.execute_script(FLAT))
    frame = driver.execute_async_script(FRAME)
    left, top, width, height = (round(frame[side]) for side in ("left", "top", "width", "height"))
    cut = flat[max(top, 0) : top + height, max(left, 0) : left + width]
    down, across = (np.flatnonzero(inside.any(axis=axis)) for axis in (1, 0))
    low, left = down[0] - EDGE, across[0] - EDGE
    size = across[-1] + EDGE - left + 1, down[-1] + EDGE - low + 1
    laid = np.zeros((*inside.shape, 3), np.uint8)
    small = cv2.resize(cut, size, interpolation=cv2.INTER_AREA)
    part = laid[max(low, 0) : low + size[1], max(left, 0) : left + size[0]]
    part[:] = small[: part.shape[0], : part.shape[1]]
    return luminance(laid)


def agree(one: np.ndarray, other: np.ndarray, where: np.ndarray) -> dict[str, float]:
    """How much brighter the other is in the mean, and the correlation, once it is laid on the first exactly."""
    laid = np.eye(2, 3, dtype=np.float32)
    stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 200, 1e-6)
    pictures = [cv2.GaussianBlur(each.astype(np.float32), (0, 0), SOFT) for each in (one, other)]
    _, laid = cv2.findTransformECC(*pictures, laid, cv2.MOTION_AFFINE, stop, where.astype(np.uint8), 5)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    other = cv2.warpAffine(pictures[1], laid, pictures[1].shape[::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE)
    first, second = pictures[0][where], other[where]
    return {
        "mean": round(float(second.mean() / first.mean() - 1), 4),
        "correlation": round(float(np.corrcoef(first, second)[0, 1]), 3),
    }


def paint_line_over(picture: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The stage without its section line, by what lies beside it, and where that was: bool (rows, columns)."""
    red, green, blue = np.moveaxis(picture.astype(int), 2, 0)
    line = cv2.dilate((np.minimum(red, blue) - green > SECTION_LINE).astype(np.uint8), np.ones((7, 7), np.uint8))
    return cv2.inpaint(picture, line, 3, cv2.INPAINT_TELEA), line.astype(bool)


def find_inside(picture: np.ndarray, edge: int = EDGE) -> np.ndarray:
    """Where the surface is: what differs from the colour in the lower left corner, without a rim."""
    off = np.abs(picture.astype(int) - picture[-1, 0].astype(int)).max(axis=2) > AWAY
    whole = cv2.morphologyEx(off.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((15, 15), np.uint8))
    return cv2.erode(whole, np.ones((2 * edge + 1, 2 * edge + 1), np.uint8), borderValue=0).astype(bool)


def luminance(picture: np.ndarray) -> np.ndarray:
    """Linear luminance of 8-bit sRGB (IEC 61966-2-1)."""
    value = picture.astype(np.float64) / 255
    linear = np.where(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055) ** 2.4)
    return linear @ np.array([0.2126, 0.7152, 0.0722])


def decode(url: str) -> np.ndarray:
    """The pixels of a picture in a data URL."""
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(url.partition(",")[2]))).convert("RGB"))


def wait(driver: Chrome, script: str) -> None:
    """Waits until a script returns something."""
    until = time.monotonic() + PATIENCE
    while not driver.execute_script(script):
        if time.monotonic() > until:
            raise SystemExit(f"Waited in vain for: {script}")
        time.sleep(0.5)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000/", sys.argv[2:])
