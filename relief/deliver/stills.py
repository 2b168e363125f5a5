"""Stills of a piece: its final surface with its materials as a scene, and the picture as a file."""

from __future__ import annotations

import io
import json
import math
import time
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields, replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from relief.deliver.files import write_whole
from relief.deliver.sweeps import FRAMES, animation, draw_sweep
from relief.formats.writing import picture_file
from relief.progress import Part, Progress
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.finished import finish_map, maps_of_material, titles
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline, ReadSource
from relief.sources.colour import decode_srgb, eight_bits, full_scale, in_three_channels
from relief.still.camera import FRAME, Camera, frame_all
from relief.still.canvas import Canvas, Region
from relief.still.light import Light
from relief.still.scene import Maps, Scene
from relief.still.still import Still, Wanted, draw_still
from relief.still.tone import develop
from relief.surface.mesh import Mesh
from relief.surface.tessellation.levels import Levels

FINEST = 4096
"""Texels on the long side of what lies on the surface at most."""

ENDINGS = ("png", "exr")

VIEWS = {"front": (0.0, 0.15, 1.0), "three-quarter": (0.5, 0.55, 1.0), "along": (0.25, 0.16, 1.0)}
"""Where the camera stands, from the middle: to the right, up, and before what stands."""

SUNS = {2: (135.0, 40.0), 1: (225.0, 40.0)}
"""Where the sun stands by default, by the axis that points up: to the left, behind what lies, before what stands."""

DRAFT_EVERY = 1.0
"""Seconds between two drafts of a still that is being drawn; the first one is written at once."""

SMALL_TEXELS, SMALL_FACES, SMALL_SAMPLES = 512, 60_000, 4
"""What a picture on the shelf is drawn of at most, and the paths of its pixels."""

FIRST_SIDE = 320
"""Pixels on the long side of the first picture of a still, made of a small scene before the final mesh is there."""

FIRST = "first.json"
"""What the file ends in that names the rectangle to be done before the rest."""

ON_STAGE = "stage"
"""The view of a still that is seen as the stage stands."""

STAGE_FIELD = 32.0
"""Degrees that the camera of the stage sees from top to bottom."""

MADE, DRAWN = 0.3, 0.98
"""How far a still is when its mesh is there and when its picture is."""


@dataclass(frozen=True)
class Order:
    """A still as it is ordered for a piece.

    Attributes:
        width, height, samples: as `Wanted` has them.
        seen: one of `VIEWS`, or `ON_STAGE`.
        camera, look_at: where the camera of the stage stands and looks, mm from the surface's middle.
        towards: the direction of the light of the stage, unit length, as the surface has it: right, up, out of it.
        plain, flat: as `make_scene` takes them.
        ground: whether there is ground below what stands.
        open_air: as `Wanted` has it.
        opening: the f-number of the camera, 0 for sharp everywhere; what is sharp lies where it looks.
        sweep: one of `SWEEPS`, for an animation; empty for one picture.
        name: of the view, where it has one.
    """

    width: int = 1280
    height: int = 800
    samples: int = 16
    seen: str = "three-quarter"
    camera: tuple[float, float, float] | None = None
    look_at: tuple[float, float, float] = (0.0, 0.0, 0.0)
    towards: tuple[float, float, float] | None = None
    plain: bool = False
    flat: bool = False
    ground: bool = True
    open_air: bool = False
    opening: float = 0.0
    sweep: str = ""
    name: str = ""

    def want(self, scene: Scene) -> Wanted:
        """The still of a scene that is ordered.

        Raises:
            ReliefError: it cannot be drawn.
        """
        ratio = self.width / self.height
        if self.seen == ON_STAGE and self.camera:
            lens = FRAME / ratio / 2 / math.tan(math.radians(STAGE_FIELD / 2))
            camera = Camera(self.camera, self.look_at, lens, scene.up)
        else:
            camera = stand_camera(scene, self.seen if self.seen in VIEWS else "three-quarter", 50.0, ratio)
        sun = SUNS[scene.up]
        if self.towards:
            x, y, z = self.towards
            high, out = (z, y) if scene.up == 2 else (y, -z)
            sun = math.degrees(math.atan2(out, x)) % 360, math.degrees(math.asin(min(max(high, -1.0), 1.0)))
        camera = camera._replace(opening=self.opening)
        wanted = Wanted(camera, Light(*sun), self.width, self.height, self.samples, open_air=self.open_air)
        wanted.check()
        return wanted


def read_order(values: Mapping[str, Any]) -> Order:
    """An order from JSON data; what cannot be read of it is as it is unless somebody asks otherwise."""
    known = {item.name for item in fields(Order)} & set(values)
    read: dict[str, Any] = {
        name: tuple(values[name]) if isinstance(values[name], list) else values[name] for name in known
    }
    return Order(**read)


def stand_camera(scene: Scene, seen: str, lens: float, ratio: float) -> Camera:
    """A camera that sees all of a scene from one of `VIEWS`, for a picture of a ratio of width to height.

    Raises:
        ReliefError: its lens has no length.
    """
    x, y, z = VIEWS[seen]
    towards = (x, y, z) if scene.up == 1 else (x - 0.9, -z, y + 0.25)
    return frame_all(scene.mesh.positions, towards, lens, ratio, scene.up)


def say_wanted(wanted: Wanted) -> dict[str, Any]:
    """How a still was made, as JSON data."""
    told = {name: value for name, value in asdict(wanted).items() if name not in ("camera", "light")}
    light = wanted.light._asdict() | {"lamp": wanted.light.lamp._asdict() if wanted.light.lamp else None}
    return told | {"camera": wanted.camera._asdict(), "light": light}


def draw_order(
    place: Path, order: Order, recipe: Recipe, read_source: ReadSource, builds: Path, progress: Progress,
    beside: Path | None = None,
) -> dict[str, Any]:  # fmt: skip
    """Draws a still that was ordered, and writes it as a PNG, or as a WebP where it moves; while it is drawn a draft
    lies beside it, and a rectangle that is named beside it goes first.

    Args:
        place: where it is written.
        beside: the place that the draft and the rectangle lie beside, if it is another.
        order, recipe, read_source: what is drawn.
        builds: a folder of finished builds; a mesh that is among them is not built again.
        progress: told how far it is; may cancel several times a second.

    Returns:
        What came of it, as JSON data: `faces`, `seconds` and `noise`.

    Raises:
        Cancelled, ReliefError, OSError.
    """
    begun, written = time.perf_counter(), 0.0
    beside = beside or place
    look: dict[str, Any] = {"flat": order.flat, "plain": order.plain, "ground": None if order.ground else False}
    progress.step(0, "Drawing a first picture")
    share = min(1.0, FIRST_SIDE / max(order.width, order.height))
    sides = {side: max(1, round(getattr(order, side) * share)) for side in ("width", "height")}
    first = make_small_scene(recipe, read_source, Engine(), **look)
    small = draw_still(first, replace(order, samples=1, **sides).want(first))
    write_whole(draft_of(beside), still_file(small, "png", {}))
    scene = make_scene(recipe, read_source, Engine(), builds=builds, progress=Part(progress, 0, MADE), **look)
    wanted = order.want(scene)

    def keep_draft(canvas: Canvas) -> None:
        nonlocal written
        if time.perf_counter() - written > DRAFT_EVERY:
            write_whole(draft_of(beside), still_file(Still(canvas.picture(), 0, 0), "png", {}))
            written = time.perf_counter()

    drawing = Part(progress, MADE, DRAWN)
    if order.sweep:
        drawn = [still for _, still in draw_sweep(scene, wanted, order.sweep, FRAMES, drawing, keep_draft)]
        write_whole(place, animation([develop_still(still) for still in drawn]))
    else:
        drawn = [draw_still(scene, wanted, drawing, keep_draft, lambda: read_first(beside))]
        write_whole(place, still_file(drawn[0], "png", say_wanted(wanted)))
    for each in (draft_of(beside), first_of(beside)):
        each.unlink(missing_ok=True)
    seconds, noise = round(time.perf_counter() - begun, 2), float(np.mean([still.noise for still in drawn]))
    return {"faces": scene.mesh.faces, "noise": round(noise, 4), "seconds": seconds}


def draft_of(place: Path) -> Path:
    """Where the draft of a still lies while it is drawn."""
    return place.with_suffix(".draft.png")


def first_of(place: Path) -> Path:
    """Where the rectangle of a still is named that is to be done before the rest."""
    return place.with_suffix(f".{FIRST}")


def read_first(place: Path) -> Region | None:
    """That rectangle; none where nobody named one, or what is there cannot be read."""
    try:
        left, top, width, height = (int(number) for number in json.loads(first_of(place).read_text()))
    except (OSError, ValueError, TypeError):
        return None
    return left, top, width, height


def make_scene(
    recipe: Recipe, read_source: ReadSource, engine: Engine, *, flat: bool = False, plain: bool = False,
    ground: bool | None = None, builds: Path | None = None, progress: Progress | None = None,
) -> Scene:  # fmt: skip
    """The final surface of a piece, with the materials of its regions.

    Args:
        recipe, read_source, engine: the piece, and where its stages are run.
        flat: undisplaced with its normal map, to compare with.
        plain: in matt clay, without its colours.
        ground: whether there is ground below it; below what stands upright, unless it is said.
        builds: a folder of finished builds; a mesh that is among them is not built again.
        progress: told how far it is.

    Raises:
        TooManyFacesError, PictureError, Cancelled.
    """
    surface = SurfacePipeline.of(recipe, read_source).final(builds=builds)
    residual = None
    if flat:
        mesh = engine.run(surface.undisplaced())
    else:
        surface.refuse_if_too_large(engine)
        mesh, residual = engine.run(surface.shown(), progress)
    if residual is None:
        return _dress(surface, engine, mesh, flat, plain, ground)
    maps = (Maps(normal=_vectors(residual)),) * len(mesh.part_list)  # its places are of this map alone
    return replace(_dress(surface, engine, mesh, flat, True, ground), maps=maps)


def make_small_scene(
    recipe: Recipe, read_source: ReadSource, engine: Engine, *, flat: bool = False, plain: bool = False,
    ground: bool | None = None,
) -> Scene:  # fmt: skip
    """As much of the scene as a small picture shows, which is made much sooner. Takes and raises as `make_scene`."""
    surface = SurfacePipeline.of(recipe, read_source, SMALL_TEXELS)
    even = replace(surface, surface=surface.surface.model_copy(update={"tessellation": Levels()}))
    even = even.with_at_most(engine, SMALL_FACES)
    return _dress(even, engine, engine.run(even.undisplaced() if flat else even.displaced()), flat, plain, ground)


def _dress(surface: SurfacePipeline, engine: Engine, mesh: Mesh, flat: bool, plain: bool, ground: bool | None) -> Scene:
    """A mesh with the materials of its regions."""
    known = {key: _maps_of(surface.pipelines[key], engine, flat, plain) for key in {*surface.carried} if key}
    upright = surface.surface.shape.upright
    maps = tuple(known.get(key, Maps()) for key in surface.carried)
    return Scene(mesh, maps, up=1 if upright else 2, ground=upright if ground is None else ground)


def draw_on_shape(recipe: Recipe, read_source: ReadSource, engine: Engine, side: int) -> np.ndarray:
    """A small picture of the surface of a piece, on its shape and in clay: uint8 (side, side, 3).

    Raises:
        ReliefError: it cannot be built, or Embree is missing.
    """
    scene = make_small_scene(recipe, read_source, engine, plain=True)
    camera = stand_camera(scene, "three-quarter", 50.0, 1.0)
    still = draw_still(scene, Wanted(camera, Light(*SUNS[scene.up]), side, side, SMALL_SAMPLES, bounces=1))
    return develop_still(still)


def _maps_of(pipeline: Pipeline, engine: Engine, flat: bool, plain: bool) -> Maps:
    """The maps that lie on a region which carries a relief."""
    pipeline = replace(pipeline, longest=min(pipeline.longest or FINEST, FINEST))
    named = titles(pipeline.relief)
    found: dict[str, np.ndarray] = {}
    for name, role in maps_of_material(pipeline.relief).items():
        if role in Maps._fields and not plain:
            pixels = full_scale(engine.run(finish_map(pipeline, name, 8)))
            found[role] = pixels if pixels.ndim == 2 else pixels[..., 0]
    if "colour" in named and not plain:
        pixels = engine.run(finish_map(pipeline, "colour", 8))
        found["colour"] = decode_srgb(in_three_channels(pixels))
    if flat:
        found["normal"] = _vectors(engine.run(finish_map(pipeline, "normal-up", 16)))
    return Maps(**found)


def _vectors(pixels: np.ndarray) -> np.ndarray:
    """A normal map in whole numbers, green up, as vectors."""
    return full_scale(pixels) * 2 - 1


def develop_still(still: Still) -> np.ndarray:
    """A still through the tone curve, as it is shown: uint8 (rows, columns, 3)."""
    return eight_bits(develop(still.radiance))


def still_file(still: Still, ending: str, about: Mapping[str, Any]) -> bytes:
    """A still as a PNG through the tone curve that says how it was made, or as an EXR in linear light.

    Raises:
        PictureError: it is written as neither.
    """
    if ending != "png":
        return picture_file(still.radiance, ending)
    text = PngInfo()
    text.add_text("Software", "Zealous Gravel")
    text.add_text("Comment", json.dumps(about))
    out = io.BytesIO()
    Image.fromarray(develop_still(still)).save(out, "PNG", pnginfo=text)
    return out.getvalue()
