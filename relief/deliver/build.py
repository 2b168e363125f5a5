"""A final build: the finished surface of a piece as files, kept so that a delivery need not make it again."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from relief.cost import peak_memory
from relief.deliver.files import Made, open_whole, write_all
from relief.displace.deviation import Deviation
from relief.figures import say_length, say_number
from relief.formats.writing import mesh_file, picture_file
from relief.progress import Part, Progress
from relief.recipe.recipe import Recipe
from relief.run.built import Built, built_place
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.run.stages import ReadSource

BUILT, WRITTEN = 0.7, 0.95
"""How far a build is, as it goes by time, when its mesh is there and when its files are."""


def built_files(built: Built, stem: str, kind: str) -> Iterator[Made]:
    """The files of a finished surface: the mesh, and the normal map that completes it where it is split.

    Args:
        built: the surface.
        stem: what the files are called.
        kind: the ending of the mesh's, as `mesh_file` takes it.
    """
    yield Made(f"{stem}.{kind}", mesh_file(built.mesh, kind))
    if built.residual is not None:
        yield Made(f"{stem}_residual.png", picture_file(built.residual, "png"))


def build_final(
    folder: Path,
    builds: Path,
    stem: str,
    kind: str,
    recipe: Recipe,
    read_source: ReadSource,
    progress: Progress,
) -> dict[str, Any]:
    """Makes the finished surface of a recipe, writes its files, and keeps it.

    Args:
        folder: where the files go.
        builds: where finished builds are kept, each under the key of its stage.
        stem, kind: as `built_files` takes them.
        recipe, read_source: what is made, and of what.
        progress: told what is being done; may cancel between two steps.

    Returns:
        What came of it, as JSON data: the `key` it is kept under, `faces`, `vertices`, `memory` and `peak` in bytes,
        `error` and `worst` in mm, `detail_kept`, `angles` of the split in degrees, `seconds`, and `files` with their
        sizes.

    Raises:
        Cancelled, TooManyFacesError, PictureError, MeshError, OSError.
    """
    begun, engine = time.perf_counter(), Engine()
    pipeline = SurfacePipeline.of(recipe, read_source).final(builds=builds)
    pipeline.refuse_if_too_large(engine)
    built: Built = engine.run(pipeline.built(), Part(progress, 0, BUILT))
    progress.step(BUILT, f"Writing {kind.upper()}")
    written = write_all(folder, built_files(built, stem, kind))
    progress.step(WRITTEN, "Saving the mesh")
    key = pipeline.build_key
    builds.mkdir(parents=True, exist_ok=True)
    with open_whole(built_place(builds, key)) as file:
        np.savez(file, **built.arrays())  # type: ignore[arg-type]
    off = built.off
    return {
        "key": key,
        "faces": built.mesh.faces,
        "vertices": len(built.mesh.positions),
        "memory": built.mesh.nbytes,
        "peak": peak_memory(),
        "error": off.error,
        "worst": off.worst,
        "detail_kept": off.detail_kept,
        "angles": built.angles,
        "seconds": time.perf_counter() - begun,
        "files": {place.name: place.stat().st_size for place in written},
    }


def say_deviation(off: Deviation, allowed: float | None = None) -> str:
    """In words, how near a mesh is to the surface that it stands for, and where it is not as near as was asked."""
    text = f"RMS error against the true surface {say_length(off.error)}, at most {say_length(off.worst)}."
    if allowed and off.worst > allowed:
        place = ", ".join(say_length(value, 3) for value in off.where)
        text += f" The largest error exceeds the {say_length(allowed)} allowed; it is at {place} from the middle."
    return text


def say_residual(built: Built) -> str:
    """In words, how the residual normal map is read, and what it brings."""
    text = "For the displaced mesh only, in its MikkTSpace tangents. Green points up. Read it as data."
    if built.angles:
        (before, _), (after, most) = built.angles
        off, left, under = (say_number(angle, 2) for angle in (before, after, most))
        text += f" Normals are {off} degrees off without it and {left} with it; 95 % are within {under}."
    return text
