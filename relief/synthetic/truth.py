"""How far from the truth each way of making height of photos is, on made-up surfaces whose relief is known.

They are photographed with sun and sky, cast shadows, two paints, grain and JPEG, by a renderer that shares no code with
what reads the photos; light comes from eight sides.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np

from relief.depth.from_light import Way
from relief.depth.learned import Told
from relief.depth.light import Light
from relief.depth.series import measure_series, photos_of
from relief.inspect.start import set_from_statistics, suggest_start
from relief.inspect.swatch import in_clay
from relief.recipe.recipe import Recipe
from relief.recipe.relief import CONTENT_PATH
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.colour import decode_srgb
from relief.sources.decode import decode
from relief.synthetic.rendering import true_normals
from relief.synthetic.surfaces import ELEVATION, SURFACES

LIGHT_PATH = f"{CONTENT_PATH}.light"

SIDES = (135, 45, 100, 160, 20, 250, 190, 315)
"""Azimuths that single photos are lit from, in turn."""

SERIES = (4, 8, 16)
"""Photos of a lit series."""

ONE_PHOTO = ("linear, light given", "linear, light estimated", "network, light given", "network, light estimated")
"""Ways to read a photo by its light: by which method, and with the light that is known or estimated."""

WAYS = ("flat", "brightness", "started off", *ONE_PHOTO, *(f"{many} photos" for many in SERIES))
"""The ways that are compared: a plain flat map; the brightness of one photo at its first start, and started off from
its statistics; its light; and several photos with known lights."""

BINS = np.arange(0, 91, 0.5)
"""Degrees between which texels are counted by how far off they are said to be."""


@dataclass(frozen=True)
class Row:
    """What came of one surface.

    Attributes:
        name: of the surface.
        angles: degrees between made and true normals, the mean over all texels, by way.
        alike: correlation of made and true height, by way; none of a flat map.
        off: degrees between the estimated azimuth and the true one, by method.
        colour: error of the colours without light, over that of the photo, each as bright as the true ones.
        said: of the network with the light given, by `BINS`: texels, the sum of the degrees that they are said to be
            off, and of those that they are; float64 (3, bins - 1).
    """

    name: str
    angles: dict[str, float]
    alike: dict[str, float]
    off: dict[str, float]
    colour: float
    said: np.ndarray


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

    The strip is the photo, then in clay the truth, brightness, linear and network with the light given, and four
    photos, and then the photo's colours without light, side by side: uint8 (rows, 7 columns, 3).
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
    stood: dict[str, Light] = {}
    told: Told | None = None
    methods: tuple[Way, ...] = ("linear", "network")
    for method in methods:
        lit = suggest_start("0" * 64, "photo.jpg", "light", lambda _: photo, engine, way=method)
        content = lit.main.picture
        assert content is not None
        stood[method] = content.light.light
        true = {"way": method, "azimuth": azimuth, "elevation": ELEVATION}
        given = lit.with_changes({f"{LIGHT_PATH}.{name}": value for name, value in true.items()})
        fields[f"{method}, light given"] = height(given)
        fields[f"{method}, light estimated"] = height(lit)
        if method == "network":
            pipeline = Pipeline.of(given, lambda _: photo)
            told = engine.run(pipeline.photo().told())
            unlit = engine.run(pipeline.companions.colour())
    assert told is not None
    spacing = made.texel, made.texel
    for many in SERIES:
        lights = [Light((360 * i / many + 11) % 360, ELEVATION if i % 2 else 55) for i in range(many)]
        files = [made.photo(light.azimuth, i, light.elevation) for i, light in enumerate(lights)]
        photos = photos_of([decode(file, "photo.jpg") for file in files])
        solved = measure_series(photos, lights, spacing)
        fields[f"{many} photos"] = solved.height
        measured[f"{many} photos"] = solved.solution.normals
    normals = {way: measured.get(way, true_normals(fields[way], made.texel)) for way in WAYS}
    shown = [truth, *(normals[way] for way in ("brightness", *ONE_PHOTO[::2], "4 photos"))]
    white = [in_clay(each) for each in shown]
    pixels = decode(photo, "photo.jpg").pixels
    row = Row(
        SURFACES[key].name,
        {way: angle_to(truth, each) for way, each in normals.items()},
        {
            way: float(np.corrcoef(field.ravel(), made.height.ravel())[0, 1])
            for way, field in fields.items()
            if field.any()
        },
        {method: abs((light.azimuth - azimuth + 180) % 360 - 180) for method, light in stood.items()},
        _colour_error(unlit, made.paint) / _colour_error(pixels, made.paint),
        _count_said(told, truth),
    )
    return row, np.hstack([pixels, *white, unlit])


def _colour_error(pixels: np.ndarray, paint: np.ndarray) -> float:
    """How far colours are from the true ones, root mean square over that of the true ones, when made as bright."""
    colours = decode_srgb(pixels).astype(float)
    times = float((colours * paint).sum() / max((colours * colours).sum(), 1e-9))
    return float(np.sqrt(((times * colours - paint) ** 2).mean() / (paint**2).mean()))


def _count_said(told: Told, truth: np.ndarray) -> np.ndarray:
    """Texels, expected and actual degrees of error in each of `BINS`: float64 (3, bins)."""
    off = np.degrees(np.arccos(np.clip((told.normals * truth).sum(axis=2), -1, 1))).ravel()
    said = told.off.ravel().astype(float)
    return np.stack([np.histogram(said, BINS, weights=weights)[0] for weights in (None, said, off)]).astype(float)


def tenths(rows: Sequence[Row]) -> list[tuple[float, float]]:
    """The degrees that texels are said to be off and those that they are, in the mean over tenths of all, from the
    surest on.
    """
    counts = sum(row.said for row in rows)
    assert isinstance(counts, np.ndarray)
    place = np.clip(((np.cumsum(counts[0]) - counts[0] / 2) / counts[0].sum() * 10).astype(int), 0, 9)
    found = [counts[:, place == tenth].sum(axis=1) for tenth in range(10)]
    return [(said / number, off / number) for number, said, off in found if number]


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
