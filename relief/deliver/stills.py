"""Stills of a piece: its final surface with its materials as a scene, and the picture as a file."""

from __future__ import annotations

import io
import json
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from relief.formats.writing import picture_file
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.finished import finish_map, titles
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline, ReadSource
from relief.sources.colour import decode_srgb, eight_bits, srgb_from_linear
from relief.still.scene import Maps, Scene
from relief.still.still import Still

FINEST = 4096
"""Texels on the long side of what lies on the surface at most."""

ENDINGS = ("png", "exr")


def make_scene(
    recipe: Recipe, read_source: ReadSource, engine: Engine, *, flat: bool = False, plain: bool = False,
    ground: bool | None = None,
) -> Scene:  # fmt: skip
    """The final surface of a piece, with the materials of its regions.

    Args:
        recipe, read_source, engine: the piece, and where its stages are run.
        flat: undisplaced with its normal map, to compare with.
        plain: in matt clay, without its colours.
        ground: whether there is ground below it; below what stands upright, unless it is said.

    Raises:
        TooManyFacesError, PictureError, Cancelled.
    """
    surface = SurfacePipeline.of(recipe, read_source).final()
    residual = None
    if flat:
        mesh = engine.run(surface.undisplaced())
    else:
        surface.refuse_if_too_large(engine)
        built = engine.run(surface.built())
        mesh, residual = built.mesh, built.residual
    if residual is not None:  # its places are of this map alone
        maps = [Maps(normal=_vectors(residual))] * len(mesh.part_list)
    else:
        known = {key: _maps_of(surface.pipelines[key], engine, flat, plain) for key in {*surface.carried} if key}
        maps = [known.get(key, Maps()) for key in surface.carried]
    upright = surface.surface.shape.upright
    return Scene(mesh, tuple(maps), up=1 if upright else 2, ground=upright if ground is None else ground)


def _maps_of(pipeline: Pipeline, engine: Engine, flat: bool, plain: bool) -> Maps:
    """The maps that lie on a region which carries a relief."""
    pipeline = replace(pipeline, longest=min(pipeline.longest or FINEST, FINEST))
    named = titles(pipeline.relief)
    roles = {"along-roughness": "roughness", "along-metalness": "metalness"}
    roles |= {
        f"more-{number}": "roughness"
        for number, grey in enumerate(pipeline.relief.maps.more)
        if grey.on and grey.kind == "roughness" and not grey.inverted
    }
    found: dict[str, np.ndarray] = {}
    for name, role in roles.items():
        if name in named and not plain:
            found[role] = _grey(engine.run(finish_map(pipeline, name, 8)))
    if "colour" in named and not plain:
        pixels = engine.run(finish_map(pipeline, "colour", 8))
        found["colour"] = decode_srgb(pixels if pixels.ndim == 3 else np.dstack([pixels] * 3))
    if flat:
        found["normal"] = _vectors(engine.run(finish_map(pipeline, "normal-up", 16)))
    return Maps(**found)


def _grey(pixels: np.ndarray) -> np.ndarray:
    grey = pixels if pixels.ndim == 2 else pixels[..., 0]
    return np.asarray(grey / np.float32(np.iinfo(grey.dtype).max if grey.dtype.kind == "u" else 1), np.float32)


def _vectors(pixels: np.ndarray) -> np.ndarray:
    """A normal map in whole numbers, green up, as vectors."""
    return np.asarray(pixels / np.float32(np.iinfo(pixels.dtype).max) * 2 - 1, np.float32)


def still_file(still: Still, ending: str, about: Mapping[str, Any]) -> bytes:
    """A still as a PNG in sRGB that says how it was made, or as an EXR in linear light.

    Raises:
        PictureError: it is written as neither.
    """
    if ending != "png":
        return picture_file(still.radiance, ending)
    pixels = eight_bits(srgb_from_linear(np.clip(still.radiance, 0, 1)))
    text = PngInfo()
    text.add_text("Software", "Zealous Gravel")
    text.add_text("Comment", json.dumps(about))
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", pnginfo=text)
    return out.getvalue()
