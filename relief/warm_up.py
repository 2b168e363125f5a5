"""Every kernel compiled before it is needed."""

from __future__ import annotations

import gc
import hashlib
from collections.abc import Sequence
from itertools import product
from typing import get_args

import numpy as np

from relief.benchmark import displace_shape
from relief.compose.imprints import Imprints, scatter_places, stamp
from relief.compose.pressing import Press, press_stamp
from relief.compose.strokes import Stroke, Work, draw_strokes
from relief.depth.lamps import Lamps
from relief.depth.light import Light
from relief.depth.stereo import colours_of_series, solve_series
from relief.filters.resample import enlarge, resample_by_area
from relief.filters.statistics import SORTED, deviations, level_counts, percentiles
from relief.filters.warp import warp
from relief.formats.writing import picture_file
from relief.generate.cellular_noise import CellularNoise
from relief.generate.generator import Grid
from relief.generate.gradient_noise import GradientNoise
from relief.generate.value_noise import ValueNoise
from relief.height import WRAPPED, Footprint, HeightField
from relief.inspect.find import find_in_mesh, find_in_surface, measure_and_find
from relief.inspect.start import content_of_picture, first_recipe, start_from_nothing
from relief.inspect.wavelengths import wavelengths
from relief.maps.curvature import mean_curvature
from relief.maps.normal import Normal, normal_map
from relief.maps.occlusion import occlusion
from relief.maps.slopes import slopes, steepness
from relief.progress import Progress
from relief.recipe import map_edits
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.finished import finish_map, list_delivered
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline, ReadSource
from relief.sources.facts import measure_clipped_light
from relief.surface.shapes.box import Box
from relief.surface.shapes.cylinder import Cylinder
from relief.surface.shapes.plane import Plane
from relief.surface.shapes.sphere import Sphere
from relief.surface.subdivide import subdivide_smooth
from relief.surface.surface import Surface
from relief.surface.tessellation.face_budget import FaceBudget
from relief.surface.tessellation.levels import Levels
from relief.treat.heal import Mark, paint
from relief.treat.median import median
from relief.treat.slope_limit import SlopeLimit


def warm_up(progress: Progress | None = None, halves: Sequence[int] = (0, 1)) -> None:
    """Compiles every kernel, or takes it from the disk cache, so that the first picture does not wait for it.

    Args:
        progress: told how far it is.
        halves: which halves of the work are done; two processes that do one each are ready sooner, as they have few
            kernels in common.
    """
    both = (
        (_walk_with_a_photo, _walk_from_nothing),
        (_work_by_hand, _measure_pixels, _cut_meshes, _measure_fields),
    )
    steps = [step for half in halves for step in both[half]]
    gc.disable()  # looking for rubbish takes a fifth of the time, and nearly all of what the compiler makes is kept
    try:
        for number, step in enumerate(steps):
            (progress or Progress()).step(number / len(steps), "Compiling (first start only)")
            step()
    finally:
        gc.enable()


def _walk_with_a_photo() -> None:
    recipe, data = _of_photo()
    _walk_the_route(recipe, lambda _: data)


def _walk_from_nothing() -> None:
    _walk_the_route(start_from_nothing("value_noise", _nothing, Engine()), _nothing)


def _of_photo() -> tuple[Recipe, bytes]:
    colours = np.random.default_rng(2).integers(0, 255, (24, 20, 3), np.uint8)
    data = picture_file(colours, "png")
    reference = SourceReference(digest=hashlib.sha256(data).hexdigest(), filename="photo.png")
    content = content_of_picture("photo.png", "photo", "up")
    return first_recipe({"picture": reference}, content, lambda _: data, Engine()), data


def _nothing(_: str) -> bytes:
    return b""


def _walk_the_route(recipe: Recipe, read_source: ReadSource) -> None:
    """What the pages of a piece ask for.

    Kernels are compiled once for each kind of array that they meet there.
    """
    recipe = recipe.with_changes({"maps.resolution": 32})
    engine = Engine()
    pipeline = Pipeline.of(recipe, read_source)
    taken, _ = measure_and_find(pipeline, engine)
    for name in list_delivered(recipe.main):
        for bits in (8, 16):
            engine.run(finish_map(pipeline, name, bits))
    for name in ("curvature", "occlusion"):
        more, _ = map_edits.add_map(recipe.main, name)
        engine.run(finish_map(Pipeline.of(recipe.with_relief(more), read_source), "more-0", 8))
    shapes = (Plane(segments=4), Cylinder(segments=8))
    for shape, way in product(shapes, (Levels(), FaceBudget(faces=64))):
        surface = Surface(shape=shape, tessellation=way)
        stages = SurfacePipeline.of(recipe.model_copy(update={"surface": surface}), read_source, 32)
        for stage in (stages.displaced(), stages.deviation(), stages.reach(), stages.folds(), stages.split(64)):
            engine.run(stage)
        find_in_surface(stages, engine)
        find_in_mesh(stages, engine, taken.finest)


FLAT = HeightField(np.zeros((4, 4), np.float32), Footprint(), WRAPPED)
ROUGH = HeightField(np.random.default_rng(1).random((8, 8), np.float32), Footprint(), WRAPPED)


def _measure_fields() -> None:
    steepness(FLAT, 1)
    slopes(FLAT, 1)
    normal_map(FLAT, 1, Normal())
    normal_map(FLAT, 1, Normal(), 16)
    level = np.broadcast_to(np.array([0, 0, 1], np.float32), (4, 4, 3)).copy()
    for bits in (8, 16):
        normal_map(FLAT, 1, Normal(of="both"), bits, level)
    for side in (4, 256):  # what lies far is looked at in another way
        occlusion(HeightField(np.zeros((side, side), np.float32), Footprint(), WRAPPED), 1, 50, 4)
    mean_curvature(FLAT, 1)
    wavelengths(ROUGH, 0.5)
    lights = Lamps.of_lights([Light(azimuth, 45) for azimuth in (0, 120, 240)])
    photos = np.random.default_rng(1).random((3, 8, 8), np.float32)
    colours_of_series([np.dstack([photo] * 3) for photo in photos], lights, solve_series(photos, lights))
    for model in (GradientNoise, ValueNoise, CellularNoise):
        model().draw(Grid(4, 4, FLAT.footprint))
        model(warp=1).draw(Grid(4, 4, FLAT.footprint))


def _cut_meshes() -> None:
    for shape in (Plane(segments=1), Box(segments=1)):
        displace_shape(shape, FLAT)
    for cage in (Box(segments=1), Sphere(segments=4)):
        subdivide_smooth(cage.mesh(FLAT.footprint, 0), 2)


def _measure_pixels() -> None:
    for dtype in (np.uint8, np.uint16, np.float32):
        for shape_of in ((4, 4), (4, 4, 3)):
            resample_by_area(np.zeros(shape_of, dtype), 2, 2)
    enlarge(FLAT.samples, 5, 5, (True, True))
    warp(FLAT.samples, np.eye(3), 2, 2)
    deviations(ROUGH.samples)
    percentiles(np.random.default_rng(1).random(SORTED + 1, np.float32), 50)
    for dtype in (np.uint8, np.uint16):
        level_counts(np.zeros(4, dtype))
        measure_clipped_light(np.zeros((4, 4), dtype))
        measure_clipped_light(np.zeros((4, 4, 3), dtype))


def _work_by_hand() -> None:
    median(ROUGH.samples, (2, 1), (True, True))
    SlopeLimit().treat(ROUGH)
    line = np.array([(0.1, 0.1, 1), (0.5, 0.5, 1)])
    draw_strokes(FLAT, tuple(Stroke(work=work, points=line.tolist(), radius=50) for work in get_args(Work)))
    paint(FLAT, (Mark(points=((0.5, 0.5),), radius=50),))
    press_stamp(stamp(Imprints(size=100), None), [Press(0.5, 0.5, 0, 1)], Grid(8, 8, FLAT.footprint), (True, True))
    scatter_places(2, 10, FLAT.footprint, (True, True), 1)
