"""The proof sheet: one page to show a relief by. The lit picture, its maps, a section with its scale, and figures."""

from __future__ import annotations

import io
import math
import time
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from relief.deliver.dates import LONG_AGO
from relief.deliver.maps import Maps
from relief.deliver.palette import ABOVE, BELOW, DATUM, HAIRLINE, INK, MUTE, PAPER, rgb
from relief.figures import say_length, say_number
from relief.filters.resample import shrink
from relief.inspect.readings import readings
from relief.inspect.section import length, section
from relief.inspect.swatch import in_clay
from relief.maps.displacement import displacement
from relief.maps.packing import at_depth
from relief.run.finished import finish_map, normal_vectors

DPI = 200
WIDTH, HEIGHT = 2339, 1654
"""A4 across, at that many pixels to an inch."""

MARGIN, GAP = 100, 40
FONTS = Path(__file__).parent / "fonts"
LIT = 960
"""Pixels of the lit picture's longer side."""

SAMPLES = 1200
ROW = 0.5
"""Down the relief: where the section lies."""


def sheet_file(page: Image.Image, title: str, ending: str) -> bytes:
    """A sheet that was drawn as a PNG or a PDF of one page, always the same bytes."""
    data = io.BytesIO()
    if ending == "pdf":
        made = time.struct_time((*LONG_AGO, 1, 1, 0))
        page.save(data, "PDF", resolution=DPI, title=title, creationDate=made, modDate=made)
    else:
        page.save(data, "PNG", dpi=(DPI, DPI))
    return data.getvalue()


def draw_sheet(title: str, maps: Maps, still: Path | None = None) -> Image.Image:
    """The page. Its large picture is a still where there is one, and the lit relief is small beside the maps.

    Raises:
        OSError: the still cannot be read.
    """
    page = Image.new("RGB", (WIDTH, HEIGHT), PAPER)
    pen = ImageDraw.Draw(page)
    height, relief = maps.height, maps.pipeline.relief
    pen.text((MARGIN, MARGIN - 18), title, INK, _font(64, 600), anchor="ls")
    sides = " × ".join(f"{say_number(side, 4)}" for side in height.footprint.sides)  # noqa: RUF001
    told = f"{sides} mm, amplitude {say_length(relief.amplitude)}"
    pen.text((WIDTH - MARGIN, MARGIN - 18), told, MUTE, _font(36, 400), anchor="rs")
    pen.line((MARGIN, MARGIN, WIDTH - MARGIN, MARGIN), HAIRLINE, 2)

    lit = in_clay(normal_vectors(maps.pipeline, maps.engine))
    large = _fit(lit if still is None else _read(still), LIT, 940)
    top = MARGIN + GAP
    page.paste(large, (MARGIN, top))
    left = MARGIN + large.width + GAP
    pictures = {} if still is None else {"Lit": lit}
    for name, called in (("normal", "Normal"), ("bump", "Bump"), ("displacement", "Displacement")):
        pictures[called] = at_depth(maps.engine.run(finish_map(maps.pipeline, name, 8)), 8)
    room = (WIDTH - MARGIN - left - (len(pictures) - 1) * GAP) // len(pictures)
    for number, (called, pixels) in enumerate(pictures.items()):
        small = _fit(pixels, room, 380)
        place = left + number * (room + GAP)
        page.paste(small, (place, top))
        pen.text((place, top + small.height + 36), called, MUTE, _font(30, 500), anchor="ls")
    _draw_figures(pen, maps, left, top + 500, WIDTH - MARGIN)
    _draw_section(pen, maps, (MARGIN, top + 1000, WIDTH - MARGIN, HEIGHT - MARGIN - 50))
    pen.text((WIDTH - MARGIN, HEIGHT - 50), "Zealous Gravel", MUTE, _font(26, 500), anchor="rs")
    return page


def _draw_figures(pen: ImageDraw.ImageDraw, maps: Maps, left: int, top: int, right: int) -> None:
    relief = maps.pipeline.relief
    measured = readings(maps.height, amplitude=relief.amplitude, midlevel=relief.midlevel)
    rows, columns = maps.height.samples.shape
    wraps = {(True, True): "in both directions", (True, False): "across", (False, True): "down"}
    figures = [
        ("Range", f"{say_number(measured.lowest)} to {say_number(measured.highest)} mm"),
        ("Steepest 5 %", f"{measured.steepest:.0f}°"),
        ("Finest detail", say_length(measured.finest) if measured.finest else "none"),
        ("Sa, Sq (ISO 25178-2)", f"{say_number(measured.sa)}, {say_number(measured.sq)} mm"),
        ("Texels", f"{columns} × {rows}"),  # noqa: RUF001
        ("Repeats", wraps.get(maps.height.edges.wraps, "not")),
    ]
    for number, (word, value) in enumerate(figures):
        line = top + 68 * number
        pen.text((left, line), word, MUTE, _font(34, 400), anchor="ls")
        pen.text((right, line), value.replace("-", "\N{MINUS SIGN}"), INK, _font(34, 600), anchor="rs")
        pen.line((left, line + 22, right, line + 22), HAIRLINE, 1)


def _draw_section(pen: ImageDraw.ImageDraw, maps: Maps, box: tuple[int, int, int, int]) -> None:
    """The profile across the middle, true in mm across, with its hatched body, datum, scale and amplitude."""
    relief, height = maps.pipeline.relief, maps.height
    left, top, right, bottom = box[0] + 150, box[1], box[2] - 220, box[3]
    ends = (0.0, ROW), (1.0, ROW)
    along = displacement(section(height, *ends, SAMPLES), relief.amplitude, relief.midlevel).astype(float)
    long = length(height, *ends)
    whole = max(float(np.ptp(along)), relief.amplitude, 1e-9)
    lowest = min(float(along.min()), -relief.amplitude * relief.midlevel)
    scale = min((right - left) / long, (bottom - top) * 0.62 / whole)
    stretch = max(1.0, (bottom - top) * 0.5 / (whole * (right - left) / long))
    upright = (right - left) / long * stretch if stretch > 1 else scale
    body = 0.25 * (bottom - top)
    datum = bottom - 60 - body + lowest * upright
    across = np.linspace(left, right, SAMPLES)
    up = datum - along * upright

    outline = [*zip(across, up, strict=True)]
    for colour, side in ((ABOVE, np.minimum(up, datum)), (BELOW, np.maximum(up, datum))):
        pen.polygon([(left, datum), *zip(across, side, strict=True), (right, datum)], _pale(colour))
    foot = bottom - 60
    for start in range(int(left - (foot - top)), int(right), 28):  # hatching at 45 degrees, within the body
        xs = np.arange(max(start, left), min(start + foot - top, right), 4)
        ys = foot - (xs - start)
        within = ys > np.interp(xs, across, up) + 3
        inside = [*zip(xs[within], ys[within], strict=True)]
        if len(inside) > 1:
            pen.line(inside, HAIRLINE, 1)
    pen.line(outline, INK, 4, joint="curve")
    pen.line((left, datum, right, datum), DATUM, 2)
    pen.polygon([(left - 34, datum - 26), (left - 2, datum - 26), (left - 18, datum)], DATUM)
    pen.text((left - 44, datum), "0", DATUM, _font(30, 600), anchor="rm")
    step = _round_step(long / 6)
    for number in range(int(long / step + 1e-9) + 1):
        x = left + number * step / long * (right - left)
        pen.line((x, foot, x, foot + 12), MUTE, 2)
        pen.text((x, foot + 46), say_number(number * step, 6), MUTE, _font(28, 500), anchor="ms")
    pen.text((right + 30, foot + 46), "mm", MUTE, _font(28, 500), anchor="ls")
    x = right + 60
    low = datum + relief.amplitude * relief.midlevel * upright
    high = low - relief.amplitude * upright
    pen.line((x, high, x, low), DATUM, 3)
    for y, way in ((high, 1), (low, -1)):
        pen.polygon([(x, y), (x - 11, y + 26 * way), (x + 11, y + 26 * way)], DATUM)
    pen.text((x + 22, (high + low) / 2), say_length(relief.amplitude), INK, _font(32, 600), anchor="lm")
    words = "Section across the middle" + (
        f", heights exaggerated {say_number(stretch, 2)} times" if stretch > 1.01 else ""
    )
    pen.text((box[0], box[1] - 18), words, MUTE, _font(30, 500), anchor="ls")


def _read(place: Path) -> np.ndarray:
    """The pixels of a picture that this program wrote."""
    with Image.open(place) as picture:
        return np.asarray(picture.convert("RGB"))


def _fit(pixels: np.ndarray, wide: int, high: int) -> Image.Image:
    """A picture as large as fits into a box."""
    rows, columns = pixels.shape[:2]
    scale = min(wide / columns, high / rows)
    few = shrink(pixels, max(1, round(max(rows, columns) * scale))) if scale < 1 else pixels
    size = (max(1, round(columns * scale)), max(1, round(rows * scale)))
    return Image.fromarray(np.asarray(few, np.uint8)).convert("RGB").resize(size, Image.Resampling.LANCZOS)


def _round_step(length_: float) -> float:
    """1, 2 or 5 times a power of ten, near a length."""
    power = 10.0 ** math.floor(math.log10(length_))
    return next(step * power for step in (1, 2, 5, 10) if step * power >= length_)


def _pale(colour: str) -> tuple[int, ...]:
    return tuple(round(0.35 * part + 0.65 * paper) for part, paper in zip(rgb(colour), rgb(PAPER), strict=True))


def _font(size: int, weight: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(FONTS / f"barlow-latin-{weight}-normal.woff2"), size)
