"""Normals of uneven length: they were blurred, blended or stored with a gamma."""

from __future__ import annotations

import numpy as np

from relief.filters.resample import resample_by_area
from relief.inspect.finding import Finding
from relief.inspect.mends import REBUILD_BLUE
from relief.inspect.seen import SeenNormalMap

UNIT_WITHIN, UNIT_WITHIN_LOSSY, UNIT_OVER = 0.06, 0.14, 8
"""How far the length of normals may be from 1 in the mean of 8 x 8 texels: the grain of a lossy file is gone there,
what softening or a curve took is not. A JPEG keeps colours at half the size, which takes up to 0.13 of steep ones."""

UNEVEN_SHARE = 0.05
"""Part of the places where they may be shorter or longer."""


def find(seen: SeenNormalMap) -> Finding | None:
    """In a part of a normal map its directions are not of unit length."""
    if not seen.has_blue:
        return None
    lengths = np.linalg.norm(seen.vectors, axis=2)
    even = resample_by_area(lengths, *(max(1, side // UNIT_OVER) for side in lengths.shape))
    within = UNIT_WITHIN_LOSSY if seen.picture.format in ("JPEG", "WebP") else UNIT_WITHIN
    uneven = float((np.abs(even - 1) > within).mean())
    if uneven <= UNEVEN_SHARE:
        return None
    reason = (
        f"{uneven:.0%} of its normals are not of unit length: it was blurred or blended as a picture, or stored "
        "with a gamma."
    )
    return Finding("length", "Normals of uneven length", reason, REBUILD_BLUE)
