"""Meshes as files, in the formats that `writers` holds."""

from __future__ import annotations

import importlib
import pkgutil
from typing import Any

from relief.deliver import writers
from relief.errors import ReliefError
from relief.surface.mesh import Mesh

FORMATS = tuple(module.name for module in pkgutil.iter_modules(writers.__path__) if not module.name.startswith("_"))
"""The endings of the files that a mesh is written as."""


def mesh_file(mesh: Mesh, kind: str) -> bytes:
    """The mesh as the bytes of a file.

    Raises:
        ReliefError: `kind` is none of `FORMATS`.
    """
    if kind not in FORMATS:
        raise ReliefError(f"A mesh is written as {', '.join(FORMATS)}; “{kind}” is none of them.")
    writer: Any = importlib.import_module(f"{writers.__name__}.{kind}")
    written: bytes = writer.write(mesh)
    return written
