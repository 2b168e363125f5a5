"""The modules of a package of formats."""

from __future__ import annotations

import importlib
import pkgutil
from types import ModuleType


def list_modules(package: str, first: str) -> dict[str, ModuleType]:
    """The modules of a package by their names, but for those that begin with an underscore; one is put first."""
    found = pkgutil.iter_modules(importlib.import_module(package).__path__)
    names = [each.name for each in found if not each.name.startswith("_")]
    names.sort(key=lambda name: (name != first, name))
    return {name: importlib.import_module(f"{package}.{name}") for name in names}
