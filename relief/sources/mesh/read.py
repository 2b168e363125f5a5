"""Mesh files, by what their name ends with."""

from __future__ import annotations

import struct

from relief.errors import MeshError
from relief.sources.mesh import glb, obj, ply, stl
from relief.sources.mesh.polygons import Polygons, check_polygons

READERS = {"obj": obj.read, "ply": ply.read, "stl": stl.read, "glb": glb.read}
"""The reader of each format, by what the names of its files end with."""

ENDINGS = tuple(READERS)


UNREADABLE = (ArithmeticError, LookupError, TypeError, ValueError, AttributeError, struct.error, RecursionError)
"""What the readers may stumble over in a file that is not as its format has it."""


def is_mesh(filename: str) -> bool:
    """Whether a file is read as a mesh."""
    return filename.rpartition(".")[2].lower() in ENDINGS


def read_mesh(data: bytes, filename: str) -> Polygons:
    """The polygons of a file: OBJ, PLY, STL or GLB.

    Raises:
        MeshError: it cannot be read; the message is a sentence.
    """
    kind = filename.rpartition(".")[2].lower()
    if not data:
        raise MeshError(f"{filename} is empty.")
    if kind in READERS:
        try:
            return check_polygons(READERS[kind](data, filename), filename)
        except UNREADABLE as problem:
            if isinstance(problem, MeshError):
                raise
            raise MeshError(f"{filename} cannot be read as {kind.upper()}. It may be damaged.") from problem
    raise MeshError(f"{filename} is not a supported mesh file. OBJ, PLY, STL and GLB are supported.")
