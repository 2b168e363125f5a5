"""Which computation this is: results that are kept on disk name it, so that none outlives the code that made it."""

from __future__ import annotations

import hashlib
from functools import cache
from importlib.metadata import version
from pathlib import Path

LIBRARIES = ("numpy", "numba", "scipy", "opencv-python-headless", "pillow", "trimesh")
"""Packages whose results end up in ours."""


@cache
def computation_version() -> str:
    """A hash of all code and networks that compute, 40 hexadecimal digits: it changes with any change to them."""
    here = Path(__file__).parent
    found = hashlib.blake2b(" ".join(f"{name} {version(name)}" for name in LIBRARIES).encode(), digest_size=20)
    for place in sorted([*here.rglob("*.py"), *here.rglob("*.onnx")]):
        name = place.relative_to(here).as_posix()
        if not name.startswith("tests/"):
            found.update(f"{name}\0".encode() + place.read_bytes())
    return found.hexdigest()
