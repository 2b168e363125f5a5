"""How far from the truth each way of making height of photos is, on made-up surfaces whose relief is known.

They are photographed with sun and sky, cast shadows, two paints, grain and JPEG, by a renderer that shares no code with
what reads the photos; light comes from eight sides.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np

from relief.depth.learned import read_photo
from relief.depth.light import Light
from relief.depth.series import measure_series, photos_of
from relief.inspect.start import set_from_statistics, suggest_start
from relief.inspect.swatch import in_white
from relief.made.rendering import true_normals
from relief.made.surfaces import ELEVATION, SURFACES
from relief.maps.height_from_normals import height_from_slopes
from relief.recipe.recipe import Recipe
from relief.recipe.relief import CONTENT_PATH
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.decode import decode

SIDES = (135, 45, 100, 160, 20, 250, 190, 315)
"""Azimuths that single photos are lit from, in turn."""

SERIES = (4, 8, 16)
"""Photos of a lit series."""

WAYS = (
    "flat", "brightness", "started off", "light given", "light estimated", "network",
    *(f"{many} photos" for many in SERIES),
)  # fmt: skip
"""The ways that are compared: a plain flat map; the brightness of one photo at its first start, and started off from
its statistics; its light, where that is known, or estimated; the network with the light that is known; and several
photos with known lights."""


@dataclass(frozen=True)
class Row:
    """What came of one surface.

    Attributes:
        name: of the surface.
        angles: degrees between made and true normals, the mean over all texels, by way.
        alike: correlation of made and true height, by way; none of a flat map.
        off: degrees between the estimated azimuth and the true one.
    """

    name: str
    angles: dict[str, float]
    alike: dict[str, float]
    off: float


def measure(keys: list[str], size: int, workers: int) -> Iterator[tuple[Row, np.ndarray]]:
    """The rows of the table and their strips, as they come.

    Args:
        keys: made-up surfaces.
        size: texels on their sides.
        workers: processes that work at once; none for this one.
    """
    numbered = list(enumerate(keys))
    if workers:
        with ProcessPoolExecutor(workers) as pool:
            yield from pool.map(partial(measure_one, size), numbered)
    else:
        yield from map(partial(measure_one, size), numbered)


def measure_one(size: int, numbered: tuple[int, str]) -> tuple[Row, np.ndarray]:
    """The row of one surface, and its strip; its number says which side its light comes from.

    The strip is the photo, and in matt white the truth, brightness, the light that is given, and four photos, side by
    side: uint8 (rows, 5 columns, 3).
    """
    number, key = numbered
    made = SURFACES[key].make(size)
    truth = true_normals(made.height, made.texel)
    azimuth = SIDES[number % len(SIDES)]
    photo = made.photo(azimuth, number)
    fields: dict[str, np.ndarray] = {"flat": np.zeros_like(made.height)}
    measured: dict[str, np.ndarray] = {}  # a series measures normals, of which height is made
    engine = Engine()
    first = suggest_start("0" * 64, "photo.jpg", "photo", lambda _: photo, engine)
    height = partial(_height_of, read=lambda _: photo, engine=engine, width=made.texel * made.height.shape[1])
    fields["brightness"] = height(first)
    fields["started off"] = height(first, anew=True)
    lit = suggest_start("0" * 64, "photo.jpg", "light", lambda _: photo, engine)
    content = lit.main.picture
    assert content is not None
    guessed = content.light.azimuth
    given = {f"{CONTENT_PATH}.light.azimuth": azimuth, f"{CONTENT_PATH}.light.elevation": ELEVATION}
    fields["light given"], fields["light estimated"] = height(lit.with_changes(given)), height(lit)
    told = read_photo(photos_of([decode(photo, "photo.jpg")])[0], Light(azimuth, ELEVATION))
    spacing = made.texel, made.texel
    fields["network"] = height_from_slopes(
        told.slopes[..., 0], told.slopes[..., 1], spacing, (False, False), told.certainty
    )
    measured["network"] = told.normals
    for many in SERIES:
        lights = [Light((360 * i / many + 11) % 360, ELEVATION if i % 2 else 55) for i in range(many)]
        files = [made.photo(light.azimuth, i, light.elevation) for i, light in enumerate(lights)]
        photos = photos_of([decode(file, "photo.jpg") for file in files])
        solved = measure_series(photos, lights, spacing)
        fields[f"{many} photos"] = solved.height
        measured[f"{many} photos"] = solved.solution.normals
    normals = {way: measured.get(way, true_normals(fields[way], made.texel)) for way in WAYS}
    shown = [truth, *(normals[way] for way in ("brightness", "light given", "4 photos"))]
    white = [np.dstack([in_white(each)] * 3) for each in shown]
    row = Row(
        SURFACES[key].name,
        {way: angle_to(truth, each) for way, each in normals.items()},
        {
            way: float(np.corrcoef(field.ravel(), made.height.ravel())[0, 1])
            for way, field in fields.items()
            if field.any()
        },
        abs((guessed - azimuth + 180) % 360 - 180),
    )
    return row, np.hstack([decode(photo, "photo.jpg").pixels, *white])


def angle_to(truth: np.ndarray, normals: np.ndarray) -> float:
    """Mean angle in degrees between two fields of unit vectors."""
    return float(np.degrees(np.arccos(np.clip((truth * normals).sum(axis=2), -1, 1))).mean())


def _height_of(
    recipe: Recipe, read: Callable[[str], bytes], engine: Engine, width: float, anew: bool = False
) -> np.ndarray:
    """The height in mm of a recipe's relief over its real width, whatever width it was started with."""
    pipeline = Pipeline.of(recipe, read)
    if anew:
        recipe = recipe.with_relief(set_from_statistics(pipeline, engine))
        pipeline = Pipeline.of(recipe, read)
    relief = recipe.main
    return engine.run(pipeline.height()).samples * (relief.amplitude * width / relief.footprint.width)
