"""The formats that files are written in. Each is a module of `pictures` or `meshes`, found by being there."""

from __future__ import annotations

import importlib
import pkgutil
from typing import Any

import numpy as np

from relief.deliver import meshes, pictures
from relief.errors import ReliefError
from relief.surface.mesh import Mesh


def _list_endings(package: Any) -> tuple[str, ...]:
    return tuple(module.name for module in pkgutil.iter_modules(package.__path__) if not module.name.startswith("_"))


FORMATS, PICTURES = _list_endings(meshes), _list_endings(pictures)
"""The endings of the files that a mesh, and that a picture, is written as."""

FORMAT_NAMES = {
    "obj": "Wavefront OBJ, y up, facing z",
    "ply": "Stanford PLY, y up, facing z",
    "stl": "STL, y up, facing z",
    "glb": "glTF 2.0 binary, lengths in metres, y up, facing z",
}
"""What the formats of meshes are called, and which way is up."""


def mesh_file(mesh: Mesh, kind: str) -> bytes:
    """The mesh as the bytes of a file.

    Raises:
        ReliefError: `kind` is none of `FORMATS`.
    """
    written: bytes = _module(meshes, kind, FORMATS, "A mesh").write(mesh)
    return written


def picture_file(pixels: np.ndarray, kind: str) -> bytes:
    """Pixels as the bytes of a file: (rows, columns) grey, or (rows, columns, 3 or 4) red, green, blue, alpha.

    Raises:
        ReliefError: `kind` is none of `PICTURES`, or does not hold samples of this type.
    """
    module = _module(pictures, kind, PICTURES, "A picture")
    if pixels.dtype.name not in module.HOLDS:
        raise ReliefError(f"A {kind.upper()} holds {' and '.join(module.HOLDS)}, not {pixels.dtype.name}.")
    written: bytes = module.write(pixels)
    return written


def picture_holds(kind: str, dtype: str) -> bool:
    """Whether a format of pictures holds samples of a type such as `float16`."""
    return dtype in importlib.import_module(f"{pictures.__name__}.{kind}").HOLDS


def _module(package: Any, kind: str, known: tuple[str, ...], what: str) -> Any:
    if kind not in known:
        raise ReliefError(f"{what} is written as {', '.join(known)}; “{kind}” is none of them.")
    return importlib.import_module(f"{package.__name__}.{kind}")
