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


def mesh_file(mesh: Mesh, kind: str, unit: str = "mm") -> bytes:
    """The mesh as the bytes of a file.

    Args:
        mesh: its lengths in `unit`; for `glb` always in mm.
        kind: the ending of the file.
        unit: what a file says of its lengths, where it can.

    Raises:
        ReliefError: `kind` is none of `FORMATS`.
    """
    module = _module(meshes, kind, FORMATS, "A mesh")
    written: bytes = module.write(mesh, unit) if module.SAYS_UNIT else module.write(mesh)
    return written


def picture_file(pixels: np.ndarray, kind: str, is_colour: bool = False) -> bytes:
    """Pixels as the bytes of a file: (rows, columns) grey, or (rows, columns, 3 or 4) red, green, blue, alpha.

    Args:
        pixels: what it holds.
        kind: the ending of the file.
        is_colour: whether they are colours in sRGB; said in the file where its format has a place for that.

    Raises:
        ReliefError: `kind` is none of `PICTURES`, or does not hold samples of this type, or that many.
    """
    module = _module(pictures, kind, PICTURES, "A picture")
    if pixels.dtype.name not in module.HOLDS:
        raise ReliefError(f"A {kind.upper()} holds {' and '.join(module.HOLDS)}, not {pixels.dtype.name}.")
    longest = max(pixels.shape[:2])
    if longest > module.LONGEST:
        raise ReliefError(
            f"A {kind.upper()} has at most {module.LONGEST} pixels on a side; this map has {longest}. "
            "Choose another format, or a smaller size."
        )
    written: bytes = module.write(pixels, is_colour) if module.SAYS_COLOUR else module.write(pixels)
    return written


def picture_holds(kind: str, dtype: str) -> bool:
    """Whether a format of pictures holds samples of a type such as `float16`."""
    return dtype in importlib.import_module(f"{pictures.__name__}.{kind}").HOLDS


def _module(package: Any, kind: str, known: tuple[str, ...], what: str) -> Any:
    if kind not in known:
        raise ReliefError(f"{what} is written as {', '.join(known)}; “{kind}” is none of them.")
    return importlib.import_module(f"{package.__name__}.{kind}")
