"""Pictures and meshes as the bytes of files."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from relief.errors import ReliefError
from relief.formats.meshes import ALONE, MESHES, AroundMesh
from relief.formats.pictures import PICTURES
from relief.surface.mesh import Mesh


def mesh_file(mesh: Mesh, kind: str, around: AroundMesh = ALONE) -> bytes:
    """The mesh as the bytes of a file.

    Args:
        mesh: its lengths in the unit of `around`, or in mm where the format has a unit of its own.
        kind: the ending of the file.
        around: what else goes into it.

    Raises:
        ReliefError: `kind` is none of `MESHES`.
    """
    _refuse_unknown(kind, MESHES, "A mesh")
    return MESHES[kind].write(mesh, around)


def picture_file(pixels: np.ndarray, kind: str, is_colour: bool = False) -> bytes:
    """Pixels as the bytes of a file: (rows, columns) grey, or (rows, columns, 3 or 4) red, green, blue, alpha.

    Args:
        pixels: what it holds.
        kind: the ending of the file.
        is_colour: whether they are colours in sRGB; said in the file where its format has a place for that.

    Raises:
        ReliefError: `kind` is none of `PICTURES`, or does not hold samples of this type, or that many.
    """
    _refuse_unknown(kind, PICTURES, "A picture")
    written = PICTURES[kind]
    if pixels.dtype.name not in written.holds:
        raise ReliefError(f"A {written.name} holds {' and '.join(written.holds)}, not {pixels.dtype.name}.")
    longest = max(pixels.shape[:2])
    if longest > written.longest:
        raise ReliefError(
            f"A {written.name} has at most {written.longest} pixels on a side; this map has {longest}. "
            "Choose another format, or a smaller size."
        )
    return written.write(pixels, is_colour)


def _refuse_unknown(kind: str, known: Iterable[str], what: str) -> None:
    if kind not in known:
        raise ReliefError(f"{what} can be written as {', '.join(known)}, not as “{kind}”.")
