"""What the kernels take on this machine, as ratios measured in one run.

Each kernel is compared with copying the bytes it reads and writes, and with the plain SciPy or NumPy way.
"""

from __future__ import annotations

import io
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import get_args

import cv2
import numpy as np
import scipy.ndimage
import trimesh
from PIL import Image

from relief.compose.strokes import Stroke, Work, draw_strokes
from relief.cost import peak_memory
from relief.deliver.delivery import write_bundle
from relief.depth.light import Light
from relief.depth.series import measure_series
from relief.displace.displace import displace_mesh
from relief.displace.distances import find_distances
from relief.filters.gaussian import gaussian
from relief.filters.resample import enlarge, resample_by_area
from relief.generate.cellular_noise import CellularNoise
from relief.generate.generator import Grid
from relief.generate.gradient_noise import GradientNoise
from relief.generate.value_noise import ValueNoise
from relief.height import WRAPPED, Footprint, HeightField
from relief.inspect.find import measure_and_find
from relief.inspect.section import section
from relief.inspect.start import start_from_nothing, suggest_start
from relief.maps import COMPANION_MAPS
from relief.maps.normal import Normal, normal_map
from relief.maps.occlusion import occlusion
from relief.maps.packing import Pack, pack_channels
from relief.maps.slopes import steepness
from relief.maps.vectors import vectors_of
from relief.parameters import controls
from relief.progress import Progress
from relief.recipe import layer_edits, map_edits, treatment_edits
from relief.recipe.relief import TREATMENTS_PATH, Relief
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import PROXY, Pipeline
from relief.sources.decode import decode
from relief.sources.facts import facts
from relief.sources.mesh.read import read_mesh
from relief.still.camera import frame_all
from relief.still.canvas import Canvas
from relief.still.forecast import forecast_still, make_grid
from relief.still.light import Light as SunAndSky
from relief.still.scene import Maps, Scene
from relief.still.still import Wanted, draw_still
from relief.surface.bisect import as_triangles
from relief.surface.cover import cover
from relief.surface.mapping.box import BoxMapping
from relief.surface.mapping.mapping import Bounds
from relief.surface.mesh import Mesh
from relief.surface.shapes.own_mesh import OwnMesh
from relief.surface.shapes.plane import Plane
from relief.surface.shapes.shape import Shape
from relief.surface.subdivide import subdivide_smooth
from relief.surface.surface import Surface
from relief.surface.tessellation.face_budget import FaceBudget
from relief.treat import TREATMENTS
from relief.treat.median import median

WRAPS = WRAPPED.wraps


@dataclass(frozen=True)
class Extent:
    """How large what is measured is.

    Attributes:
        maps: sides of the maps in texels.
        proxy: side of the noise and of what is drawn by hand.
        resized: sides before and after, of what is shrunk by area.
        enlarged: side before and after, of what is enlarged.
        strokes: how many are drawn at once.
        photo: rows and columns of the picture that comes in.
        dragged: side of the picture whose controls are dragged.
        moves: of each control.
        segments: of the plane that is displaced, on each side.
        own_mesh: quads of the mesh that is read, across and down; each is two triangles.
        level: that 100 quads are subdivided to.
        budgets: triangles that are spent.
        looked_at: the level that a plane of 16 x 16 is brought to on the stage.
        builds: what is asked of final builds.
        lit: side of the photos of a lit series.
        still: width, height and samples of a still.
        still_side: quads on a side of its mesh.
        series: pictures of a series, and their side; none where no other process is to be begun.
    """

    maps: tuple[int, ...] = (1024, 4096)
    proxy: int = 1024
    resized: tuple[tuple[int, int], ...] = ((1500, 1024), (4096, 1024), (4096, 3000))
    enlarged: tuple[int, int] = (1024, 4096)
    strokes: int = 500
    photo: tuple[int, int] = (4000, 6000)
    dragged: int = 2048
    moves: int = 16
    segments: int = 1000
    own_mesh: tuple[int, int] = (500, 300)
    level: int = 7
    budgets: tuple[int, ...] = (500_000, 5_000_000)
    looked_at: int = 5
    builds: tuple[str, ...] = ("--level 6", "--tessellate faces:2000000")
    lit: int = 2048
    still: tuple[int, int, int] = (1280, 800, 16)
    still_side: int = 707
    series: tuple[int, int] | tuple[()] = (8, 2048)


QUICK = Extent(
    (32,), 32, ((48, 32), (128, 32), (128, 96)), (32, 128), 2, (40, 60), 64, 2, 8, (6, 4), 2, (600,), 1, (), 32,
    (32, 20, 2), 32, (),
)  # fmt: skip
"""So small that the figures tell nothing, but that every row can be made that needs no other process."""


def table(extent: Extent = Extent()) -> str:
    """The whole table as text."""
    lines = [f"{'kernel':34}{'size':>6}{'ms':>9}{'copies':>9}{'times SciPy':>13}"]
    for size in extent.maps:
        lines += _kernels(size)
    lines += ["", f"{'other maps':34}{'size':>6}{'ms':>9}"]
    lines += [f"{name:34}{size:6}{spent:9.1f}" for size in extent.maps for name, spent in _maps(size)]
    lines += ["", f"{'occlusion, 16 directions':34}{'size':>6}{'ms':>9}"]
    lines += [f"{'reach 20 mm of 300 mm':34}{size:6}{_occlusion(size):9.1f}" for size in extent.maps]
    lines += ["", f"{'noise, 5 octaves at 1024':40}{'ms':>10}"]
    lines += [f"{name:40}{spent:10.1f}" for name, spent in _noises(extent.proxy)]
    lines += ["", f"{'another size':34}{'size':>6}{'ms':>9}{'times OpenCV, Pillow':>22}"]
    lines += [f"{name:34}{size:6}{spent:9.1f}{spent / other:22.2f}" for name, size, spent, other in _sizes(extent)]
    lines += ["", f"{'by hand, at 1024':40}{'ms':>10}"]
    lines += [f"{name:40}{spent:10.1f}" for name, spent in _by_hand(extent)]
    lines += ["", f"{'a picture comes in':40}{'ms':>10}"]
    lines += [f"{name:40}{spent:10.1f}" for name, spent in _coming_in(extent.photo)]
    lines += ["", f"{'a lit series of 12 photos':40}{'ms':>10}"]
    lines += [f"{f'{extent.lit} x {extent.lit}, laid on each other and solved':40}{_solve_series(extent.lit):10.1f}"]
    lines += ["", f"{'stills':40}{'ms':>10}"]
    lines += [f"{name:40}{spent:10.1f}" for name, spent in _stills(extent.still, extent.still_side)]
    lines += ["", f"{'round trip':40}{'median ms':>10}"]
    lines += [f"{name:40}{spent:10.1f}" for name, spent in _round_trips(extent)]
    lines += [
        "",
        f"{'mesh':40}{'ms':>10}",
        f"{'plane of 1 000 000 faces, displaced':40}{_displace_plane(extent.segments):10.1f}",
    ]
    lines += [f"{'OBJ of 300 000 faces, read and laid':40}{_read_and_lay(extent.own_mesh):10.1f}"]
    lines += ["", f"{'subdivided':40}{'ms':>10}{'faces':>10}{'ns a face':>11}"]
    lines += [f"{name:40}{spent:10.1f}{faces:10}{spent * 1e6 / faces:11.1f}" for name, spent, faces in _cut(extent)]
    lines += ["", f"{'a level changed, as in the view':40}{'ms':>10}{'faces':>10}"]
    lines += [f"{name:40}{spent:10.1f}{faces:10}" for name, spent, faces in _change_level(extent.looked_at)]
    lines += ["", f"{'built in a process of its own':40}{'s':>10}{'told':>8}{'peak MB':>10}{'told':>8}"]
    lines += [
        f"{name:40}{row[0]:10.1f}{row[1]:8.1f}{row[2] / 1e6:10.0f}{row[3] / 1e6:8.0f}"
        for name, row in _build_apart(extent)
    ]
    lines += ["", f"{'strength dragged at the proxy':40}{'median ms':>10}"]
    lines += [f"{name:40}{spent:10.1f}" for name, spent in _drag_beside_build(extent)]
    lines += ["", f"{'delivered':40}{'s':>10}{'MB':>8}{'peak MB':>10}"]
    lines += [f"{name:40}{spent:10.2f}{size:8.1f}{peak:10.0f}" for name, spent, size, peak in _deliver(extent)]
    if extent.series:
        lines += ["", f"{f'series of {extent.series[0]} pictures, {extent.series[1]} texels':40}{'s each':>10}"]
        lines += [f"{name:40}{spent:10.2f}" for name, spent in _run_series(*extent.series)]
    lines += ["", f"{'tessellated by a face budget':40}{'ms':>10}{'faces':>10}"]
    lines += [f"{name:40}{spent:10.1f}{faces:10}" for name, spent, faces in _spend(extent.budgets)]
    return "\n".join(lines)


def _best(work: Callable[[], object], times: int = 5) -> float:
    """The shortest of several runs in ms, the first of all left out: it compiles and warms up."""
    work()
    return min(_spent(work) for _ in range(times))


def _spent(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return (time.perf_counter() - begun) * 1000


def _kernels(size: int) -> list[str]:
    samples = np.random.default_rng(1).random((size, size), dtype=np.float32)
    field = HeightField(samples, Footprint(), WRAPPED)
    cases = [
        ("normal map, Scharr, 8 bit", lambda: normal_map(field, 5, Normal()), lambda: plain_normals(field, 5), 7),
        ("normal map, Scharr, 16 bit", lambda: normal_map(field, 5, Normal(), 16), lambda: plain_normals(field, 5), 10),
        ("steepness, central", lambda: steepness(field, 5), lambda: plain_steepness(field, 5), 8),
        (
            "soften, 4 texels",
            lambda: gaussian(samples, (4, 4), (True, True)),
            lambda: scipy.ndimage.gaussian_filter(samples, 4, mode="wrap"),
            8,
        ),
    ]
    lines = []
    for name, ours, plain, bytes_of_a_texel in cases:
        moved = np.empty(samples.size * bytes_of_a_texel // 2, np.uint8)  # as much read as written
        copying = _best(moved.copy)
        spent, plainly = _best(ours), _best(plain, times=1)
        lines.append(f"{name:34}{size:6}{spent:9.1f}{spent / copying:9.1f}{plainly / spent:13.1f}")
    return lines


def plain_normals(field: HeightField, rise: float) -> np.ndarray:
    """The 8-bit Scharr normal map as one would write it with SciPy and NumPy, for a field that wraps."""
    width, height = field.spacing
    smooth = np.array([3, 10, 3], np.float32) / 16
    difference = np.array([-0.5, 0, 0.5], np.float32)
    partial = [
        scipy.ndimage.correlate1d(
            scipy.ndimage.correlate1d(field.samples, difference, axis, mode="wrap"), smooth, 1 - axis, mode="wrap"
        )
        for axis in (1, 0)
    ]
    normals = np.dstack([-partial[0] * rise / width, partial[1] * rise / height, np.ones_like(field.samples)])
    normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    return np.floor((normals * 0.5 + 0.5) * 255 + 0.5).astype(np.uint8)


def plain_steepness(field: HeightField, rise: float) -> np.ndarray:
    """Steepness by central differences with NumPy, for a field that wraps."""
    width, height = field.spacing
    samples = field.samples
    across = (np.roll(samples, -1, 1) - np.roll(samples, 1, 1)) * (rise / (2 * width))
    down = (np.roll(samples, -1, 0) - np.roll(samples, 1, 0)) * (rise / (2 * height))
    return np.degrees(np.arctan(np.sqrt(across**2 + down**2)))


def _round_trips(extent: Extent) -> list[tuple[str, float]]:
    """Medians of what one move of a dragged control computes at the proxy, from the recipe to the bytes sent."""
    photo = (np.random.default_rng(2).random((extent.dragged, extent.dragged, 3)) * 255).astype(np.uint8)
    data = io.BytesIO(cv2.imencode(".png", photo)[1]).getvalue()
    engine = Engine()
    start = suggest_start("0" * 64, "photo.png", "photo", lambda _: data, engine)

    def answer(pipeline: Pipeline) -> None:
        relief, height = pipeline.relief, engine.run(pipeline.height())
        normal_map(height, relief.amplitude, relief.maps.normal).tobytes()
        section(height, (0, 0.5), (1, 0.5)).tobytes()

    def median(relief: Relief, path: str, first: float, step: float) -> float:
        pipeline = Pipeline(relief, start.sources, lambda _: data, PROXY)
        answer(pipeline)
        dragged = (relief.with_changes({path: first + number * step}) for number in range(1, extent.moves))
        return statistics.median(
            _spent(lambda moved=moved: answer(replace(pipeline, relief=moved))) for moved in dragged
        )

    rows = [("strength dragged, proxy 1024", median(start.main, "maps.normal.strength", 1, 0.05))]
    for kind, model in TREATMENTS.items():
        relief, _ = treatment_edits.add_treatment(start.main, kind)
        number = len(relief.layers[0].treatments) - 1
        dragged = next((known for known in controls(model) if known.kind == "number"), None)
        if dragged:
            step = dragged.step if dragged.default + extent.moves * dragged.step <= dragged.high else -dragged.step
            path = f"{TREATMENTS_PATH}.{number}.{dragged.name}"
            name = f"{model.title}: {dragged.label.lower()} dragged"
            rows.append((name, median(relief, path, dragged.default, step)))
    return [*rows, *_measure_pile(median)]


def _measure_pile(median: Callable[[Relief, str, float, float], float]) -> list[tuple[str, float]]:
    """Eight layers with four treatments each: the top one's amount, and the ground's."""
    relief = start_from_nothing("gradient_noise", lambda _: b"", Engine()).main
    for kind in ("net", "dots", "hexagons", "waves", "weave", "flutes", "rings"):
        relief, _ = layer_edits.add_layer(relief, kind)
    for layer in range(len(relief.layers)):
        for treatment in ("soften", "levels", "sharpen", "invert"):
            relief, _ = treatment_edits.add_treatment(relief, treatment, layer)
    return [
        ("eight layers: amount of the top one", median(relief, "layers.7.amount", 0.2, 0.01)),
        ("eight layers: amount of the ground", median(relief, "layers.0.amount", 0.8, 0.01)),
    ]


def _noises(size: int) -> list[tuple[str, float]]:
    """The noises, and where it is installed a general-purpose C++ noise library on one core."""
    grid = Grid(size, size, Footprint(width=300, height=300))
    rows = []
    for model in (GradientNoise, ValueNoise, CellularNoise):
        noise = model(size=40, octaves=5)
        rows.append((f"{model.title}, tiling", _best(lambda noise=noise: noise.draw(grid), times=3)))
    try:
        from pyfastnoiselite.pyfastnoiselite import FastNoiseLite, FractalType, NoiseType
    except ImportError:
        return rows
    other = FastNoiseLite(1)
    other.noise_type, other.fractal_type = NoiseType.NoiseType_Perlin, FractalType.FractalType_FBm
    other.fractal_octaves, other.frequency = 5, 0.007
    places = np.indices((size, size), np.float32).reshape(2, -1)
    return [*rows, ("gradient noise of a C++ library", _best(lambda: other.gen_from_coords(places), times=3))]


def _sizes(extent: Extent) -> list[tuple[str, int, float, float]]:
    """Shrinking by area beside OpenCV's, whose shares are rounded, and enlarging by bicubic beside Pillow's."""
    rng, rows = np.random.default_rng(1), []
    for size, new in extent.resized:
        samples = rng.random((size, size), dtype=np.float32)
        shrink = partial(cv2.resize, samples, (new, new), interpolation=cv2.INTER_AREA)
        rows.append(
            (f"by area to {new}", size, _best(partial(resample_by_area, samples, new, new), 3), _best(shrink, 3))
        )
    size, new = extent.enlarged
    samples = rng.random((size, size), dtype=np.float32)
    resize = partial(Image.fromarray(samples).resize, (new, new), Image.Resampling.BICUBIC)
    return [
        *rows,
        (f"bicubic to {new}", size, _best(partial(enlarge, samples, new, new, WRAPS), 3), _best(resize, 3)),
    ]


def _by_hand(extent: Extent) -> list[tuple[str, float]]:
    """One stroke of 151 points, radius 10 on 600 mm, of each kind; many of them; and the wide median."""
    size = extent.proxy
    field = HeightField(np.zeros((size, size), np.float32), Footprint(width=600, height=600), WRAPPED)
    along = np.linspace(0.1, 0.9, 151)
    points = [(float(x), 0.5 + 0.3 * float(np.sin(6 * x)), 1.0) for x in along]
    rows = []
    for work in get_args(Work):
        stroke = Stroke(work=work, points=points, radius=10)
        rows.append((f"a stroke of 151 points: {work}", _best(lambda stroke=stroke: draw_strokes(field, (stroke,)), 3)))
    many = (Stroke(work="raise", points=points, radius=10),) * extent.strokes
    rows.append((f"{extent.strokes} such strokes", _best(lambda: draw_strokes(field, many), 1)))
    rough = np.random.default_rng(1).random((size, size), dtype=np.float32)
    return rows + [
        (f"median, radius {radius}", _best(lambda radius=radius: median(rough, (radius, radius), (True, True)), 3))
        for radius in (2, 16, 64)
    ]


def _coming_in(size: tuple[int, int]) -> list[tuple[str, float]]:
    """A JPEG of 24 million pixels: read, measured at intake, started, lit at the proxy, and measured as a piece."""
    noise = cv2.GaussianBlur(np.random.default_rng(1).random((*size, 3), dtype=np.float32), (0, 0), 3)
    photo = np.clip((noise - 0.5) * 1500 + 128, 0, 255).astype(np.uint8)
    data, engine = cv2.imencode(".jpg", photo)[1].tobytes(), Engine()
    steps = {"read": lambda: decode(data), "facts": lambda: facts(decode(data), "photo.jpg")}
    rows = [(name, _spent(work)) for name, work in steps.items()]
    begun = time.perf_counter()
    recipe = suggest_start("0" * 64, "photo.jpg", "photo", lambda _: data, engine)
    height = engine.run(Pipeline.of(recipe, lambda _: data, PROXY).height())
    normal_map(height, recipe.main.amplitude, recipe.main.maps.normal)
    rows.append(("started and lit at the proxy", (time.perf_counter() - begun) * 1000))
    return [
        *rows,
        ("readings and findings", _spent(lambda: measure_and_find(Pipeline.of(recipe, lambda _: data), engine))),
    ]


def _solve_series(side: int) -> float:
    """Twelve photos of a rough surface, the light in a circle around it."""
    height = gaussian(np.random.default_rng(9).random((side, side), np.float32), (6, 6), (True, True)) * 60
    down, across = np.gradient(height)
    normals = np.dstack([-across, down, np.ones_like(height)])
    normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    lights = [Light(30 * number, 40 + 10 * (number % 2)) for number in range(12)]

    def photos() -> list[np.ndarray]:
        lit = (np.maximum(normals @ light.direction.astype(np.float32), 0) for light in lights)
        return [shade[..., None] * np.array([0.8, 0.6, 0.4], np.float32) for shade in lit]

    measure_series(photos(), lights, (1, 1))
    again = photos()
    return _spent(lambda: measure_series(again, lights, (1, 1)))


def _maps(size: int) -> list[tuple[str, float]]:
    """The normal map laid on one that came along, every grey map but occlusion as it begins, and packing."""
    field = HeightField(np.random.default_rng(1).random((size, size), dtype=np.float32), Footprint(), WRAPPED)
    normals = normal_map(field, 5, Normal())
    along, grey = vectors_of(normals), np.ascontiguousarray(normals[..., 0])
    pack = Pack(red="grey", green="grey", blue="grey", alpha="grey")
    rows = [
        ("normal map combined with that of a set", _best(lambda: normal_map(field, 5, Normal(of="both"), 8, along), 3))
    ]
    for kind, model in COMPANION_MAPS.items():
        if kind != "occlusion":
            rows.append((model.title.lower(), _best(lambda model=model: model().encode(field, 5), 3)))
    return [*rows, ("four channels packed", _best(lambda: pack_channels(pack, {"grey": grey}, grey.shape), 3))]


def _stills(still: tuple[int, int, int], side: int) -> Iterator[tuple[str, float]]:
    """Embree's tree of a mesh of `side` x `side` quads, rays on it, and a still of it with its forecast."""
    down, across = np.mgrid[: side + 1, : side + 1].astype(np.float32)
    height = np.random.default_rng(0).random((side + 1, side + 1), dtype=np.float32)
    scene = Scene(make_grid(np.stack([across, down, height], axis=-1)), (Maps(),), up=2)
    begun = time.perf_counter()
    scene.prepare()
    yield f"tree of {2 * side * side} triangles", 1000 * (time.perf_counter() - begun)
    rays = np.random.default_rng(1).random((still[0] * still[1], 3), dtype=np.float32) * np.float32(side)
    rays[:, 2] = 9
    towards = np.tile(np.array([0.1, 0.05, -1], np.float32), (len(rays), 1))
    begun = time.perf_counter()
    scene.meet(rays, towards)
    yield f"{len(rays)} rays on one thread, dressed", 1000 * (time.perf_counter() - begun)
    camera = frame_all(scene.mesh.positions, (-0.4, -1.0, 0.8), 50, still[0] / still[1], 2)
    wanted = Wanted(camera, SunAndSky(), *still)
    yield f"{still[0]} x {still[1]}, {still[2]} samples: forecast", 1000 * forecast_still(scene, wanted)
    begun, first = time.perf_counter(), []

    def note(canvas: Canvas) -> None:
        if not first:
            canvas.picture()
            first.append(1000 * (time.perf_counter() - begun))

    drawn = draw_still(scene, wanted, on_step=note)
    yield "its first picture", first[0]
    yield f"{still[0]} x {still[1]}, {still[2]} samples: drawn", 1000 * drawn.seconds


def _occlusion(size: int) -> float:
    samples = np.random.default_rng(1).random((size, size), dtype=np.float32)
    field = HeightField(samples, Footprint(width=300, height=300), WRAPPED)
    return _best(lambda: occlusion(field, 5, 20, 16), times=3)


def _displace_plane(segments: int) -> float:
    samples = np.random.default_rng(3).random((1024, 1024), dtype=np.float32)
    field = HeightField(samples, Footprint(), WRAPPED)
    return _best(lambda: displace_shape(Plane(segments=segments), field), times=3)


def displace_shape(shape: Shape, field: HeightField) -> Mesh:
    """A shape at its base segments, laid with a field and displaced by 5 mm."""
    own = shape.mesh(field.footprint, 0)
    covered = cover(own, Surface(shape=shape), np.zeros(own.faces, np.uint16), {"main": field.footprint})
    return displace_mesh(covered.mesh, find_distances(covered, {"main": field}, {"main": (5, 0.5)}))


def _cut(extent: Extent) -> list[tuple[str, float, int]]:
    """Smooth subdivision of 100 quads, with displacement too, and trimesh's Loop of triangles to the same order."""
    surface = Surface(shape=Plane(width=500, height=500, segments=10))
    samples = np.random.default_rng(3).random((1024, 1024), dtype=np.float32)
    field = HeightField(samples, Footprint(width=500, height=500), WRAPPED)
    base = surface.shape.mesh(field.footprint, 0)
    smooth = subdivide_smooth(base, extent.level)

    def displaced() -> Mesh:
        mesh = subdivide_smooth(base, extent.level)
        covered = cover(mesh, surface, np.zeros(mesh.faces, np.uint16), {"main": field.footprint})
        return displace_mesh(covered.mesh, find_distances(covered, {"main": field}, {"main": (5, 0.5)}))

    triangles = as_triangles(base)
    corners, level = triangles.corners.reshape(-1, 3), extent.level - 1
    other = _spent(lambda: trimesh.remesh.subdivide_loop(triangles.positions, corners, level))
    return [
        (
            f"Catmull-Clark to level {extent.level}",
            _best(lambda: subdivide_smooth(base, extent.level), 3),
            smooth.faces,
        ),
        ("the same, displaced", _best(displaced, 3), smooth.faces),
        (f"Loop of trimesh to level {level}", other, triangles.faces * 4**level),
    ]


def _spend(budgets: tuple[int, ...]) -> list[tuple[str, float, int]]:
    """Budgets on a plane of scallops, whose heights are there already."""
    engine, rows = Engine(), []
    recipe = start_from_nothing("scallops", lambda _: b"", engine)
    for budget in budgets:
        surface = Surface(tessellation=FaceBudget(faces=budget))
        pipeline = SurfacePipeline.of(recipe.model_copy(update={"surface": surface}), lambda _: b"").final()
        engine.run(pipeline.base())
        rows.append(("scallops on a plane", _spent(lambda made=pipeline: engine.run(made.subdivided())), budget))
    return rows


def _deliver(extent: Extent) -> list[tuple[str, float, float, float]]:
    """Bundles of noise: normal, bump and both displacements; and every map there is, three packed, card and mesh."""
    few = start_from_nothing("gradient_noise", lambda _: b"", Engine())
    relief = few.main
    for kind in COMPANION_MAPS:
        relief, _ = map_edits.add_map(relief, kind)
    for preset in ("height_in_alpha", "height_in_blue", "gltf"):
        relief, _ = map_edits.add_pack(relief, preset)
    rows = []
    for name, recipe in (
        ("normal, bump, displacements", few.with_changes({"delivery.mesh": "none"})),
        ("every map, three packed, card, mesh", few.with_relief(relief).with_changes({"delivery.test_card": True})),
    ):
        recipe = recipe.with_changes({"maps.resolution": extent.maps[-1], "surface.level": min(4, extent.looked_at)})
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder, "bundle.zip")
            what = (place, recipe, lambda _: b"", "x", None, {}, Progress())
            spent = _spent(lambda what=what: write_bundle(*what))
            peak = peak_memory() / 1e6
            rows.append((f"{name} {extent.maps[-1]}", spent / 1000, place.stat().st_size / 1e6, peak))
    return rows


WORKER = """
import json, sys
from pathlib import Path
from relief.deliver.series import deliver_item
from relief.progress import Progress
from relief.recipe.recipe import Recipe
folder = Path(sys.argv[1])
recipe = Recipe.read(json.loads(Path(folder, "recipe.json").read_text()))
for name in sys.argv[2:]:
    read = Path(folder, name).read_bytes
    deliver_item(folder / f"{name}.zip", folder / f"{name}.lit", recipe, lambda _: read(), name, Progress())
"""
"""What a worker of the studio does in a series, or a helper on another machine: one item after the other."""


def _run_series(many: int, side: int) -> list[tuple[str, float]]:
    """Seconds that a height image of a series takes by one worker, by two, and on the command line."""
    noise, engine = np.random.default_rng(5), Engine()
    with tempfile.TemporaryDirectory() as folder:
        names = [f"noise{number}_height.png" for number in range(many)]
        for name in names:
            rough = cv2.GaussianBlur(noise.random((side, side), dtype=np.float32), (0, 0), 3)
            grey = cv2.normalize(rough, None, 0, 65535, cv2.NORM_MINMAX).astype(np.uint16)
            cv2.imwrite(str(Path(folder, name)), grey)
        recipe = suggest_start("0" * 64, names[0], "height", lambda _: Path(folder, names[0]).read_bytes(), engine)
        place = Path(folder, "recipe.json")
        place.write_text(json.dumps(recipe.with_changes({"delivery.mesh": "none"}).as_data()))

        def each(*commands: list[str]) -> float:
            begun = time.perf_counter()
            running = [subprocess.Popen(command, stdout=subprocess.DEVNULL) for command in commands]
            if any(process.wait() for process in running):
                raise RuntimeError("The series failed.")
            return (time.perf_counter() - begun) / many

        worker = [sys.executable, "-c", WORKER, folder]
        pictures = [str(Path(folder, name)) for name in names]
        out = ["--out", str(Path(folder, "out"))]
        return [
            ("one worker", each([*worker, *names])),
            ("two workers", each([*worker, *names[::2]], [*worker, *names[1::2]])),
            ("relief series", each([sys.executable, "-m", "relief", "series", str(place), *pictures, *out])),
        ]


def _change_level(level: int) -> list[tuple[str, float, int]]:
    """From one level less to this one, until the arrays are there that the stage is sent."""
    engine, recipe = Engine(), start_from_nothing("scallops", lambda _: b"", Engine())

    def build(at: int) -> Mesh:
        surface = Surface(level=at)
        pipeline = SurfacePipeline.of(recipe.model_copy(update={"surface": surface}), lambda _: b"", 2 * PROXY)
        engine.run(pipeline.open_sky())
        return engine.run(pipeline.displaced()).cut_at_seams()

    build(level - 1)
    spent = _spent(lambda: build(level))
    return [(f"scallops on a plane, level {level - 1} to {level}", spent, build(level).faces)]


def _build_apart(extent: Extent) -> list[tuple[str, tuple[float, float, float, float]]]:
    """Seconds and peak memory of builds of noise of 1024 x 1024, each beside what was told before."""
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        for asked in extent.builds:
            told = json.loads(_command(folder, extent, "forecast", asked).communicate()[0])["asked"]
            made = json.loads(_command(folder, extent, "mesh", asked).communicate()[0])
            rows.append((asked, (made["seconds"], told["seconds"]["ply"], made["peak_memory"], told["peak_memory"])))
    return rows


def _drag_beside_build(extent: Extent) -> list[tuple[str, float]]:
    """The same drag alone, and while a final build runs that stands back behind it."""
    if not extent.builds:
        return []
    engine = Engine()
    relief = start_from_nothing("gradient_noise", lambda _: b"", engine).main

    def drag() -> float:
        pipeline = Pipeline(relief, {}, lambda _: b"", PROXY)
        height = engine.run(pipeline.height())
        moves = (Normal(strength=1 + number / 50) for number in range(extent.moves))
        return statistics.median(
            _spent(lambda moved=moved: normal_map(height, relief.amplitude, moved).tobytes()) for moved in moves
        )

    drag()
    alone = drag()
    with tempfile.TemporaryDirectory() as folder:
        build = _command(folder, extent, "mesh", extent.builds[-1])
        time.sleep(2)  # until it is under way
        beside = drag()
        build.kill()
        build.communicate()
    return [("alone", alone), ("while a final build runs", beside)]


def _command(folder: str, extent: Extent, name: str, asked: str) -> subprocess.Popen:
    """A command of ours on a picture of noise, in a process that stands back."""
    picture = Path(folder, "noise_height.png")
    if not picture.exists():
        noise = np.random.default_rng(4).random((extent.proxy, extent.proxy), dtype=np.float32)
        smooth = cv2.normalize(cv2.GaussianBlur(noise, (0, 0), 3), None, 0, 65535, cv2.NORM_MINMAX)
        cv2.imwrite(str(picture), smooth.astype(np.uint16))
    out = ["--out", str(Path(folder, "mesh.ply"))] if name == "mesh" else []
    command = [sys.executable, "-m", "relief", name, str(picture), *out, *asked.split()]
    return subprocess.Popen(command, stdout=subprocess.PIPE, preexec_fn=lambda: os.nice(10))


def _read_and_lay(quads: tuple[int, int]) -> float:
    """An OBJ of 300 000 triangles without UV, read, made smooth and laid with a relief by box."""
    across, down = quads
    rows, columns = np.mgrid[: down + 1, : across + 1]
    bumps = np.sin(rows / 9) * np.cos(columns / 7) * 20
    lines = [b"v %d %d %.3f" % place for place in zip(columns.flat, rows.flat, bumps.flat, strict=True)]
    number = np.arange(rows.size).reshape(rows.shape) + 1
    grid = number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]
    one, two, three, four = (part.ravel() for part in grid)
    triangles = np.concatenate([np.stack([one, two, three], axis=1), np.stack([one, three, four], axis=1)])
    data = b"\n".join([*lines, *(b"f %d %d %d" % tuple(face) for face in triangles.tolist())])

    def work() -> None:
        mesh = OwnMesh().base(read_mesh(data, "bumps.obj"))
        mapping = BoxMapping()
        mapping.lay(mesh, Footprint(), Bounds(*mesh.bounds()))

    return _best(work, times=2)
