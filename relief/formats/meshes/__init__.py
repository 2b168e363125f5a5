"""Meshes as files: one format a module, found by being there."""

from relief.formats.meshes._format import ALONE, AroundMesh, MeshFormat
from relief.parameters import list_modules

MESHES: dict[str, MeshFormat] = {name: module.FORMAT for name, module in list_modules(__name__, first="obj").items()}
"""The formats of meshes by the endings of their files, the usual one first."""

__all__ = ["ALONE", "MESHES", "AroundMesh", "MeshFormat"]
