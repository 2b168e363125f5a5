"""How strongly each photo of a lit series is exposed beside the others: a camera that exposes by itself changes it.

Of texels that every light reaches, brightness over photos is e (l . g + c): the directions and a 1 span a space of four
dimensions, to which the photos divided by their strengths e belong. What lies beside that space is to vanish, which is
linear in 1 / e. Under near lamps every texel has a space of its own, and what lies beside each is to vanish. Only where
the photos then fit far better are they taken to be exposed differently.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from relief.depth.lamps import Lamps
from relief.depth.stereo import FEWEST_LIT, find_lit_by_all, measure_residual, thin_out, thinning

FEWEST = 6
"""Photos from which on strengths are told."""

FAR_BETTER = 0.45
"""Photos are taken to be exposed differently where what is left unexplained is less than this part of what it was."""

PLAIN = 0.1
"""The smallest singular value over the next has to be less than this, so that there is one answer."""

LEAST, MOST = 1.1, 4.0
"""How many times as strong as the weakest the strongest photo has to be: from less grain and shifts would be made
strengths, and more is no exposure."""


def find_strengths(greys: Sequence[np.ndarray], lamps: Lamps) -> np.ndarray:
    """The strengths of photos, 1 in the mean; all 1 where they cannot be told, or are alike.

    Args:
        greys: linear light, float32 (rows, columns) each, that lie on each other.
        lamps: of each photo.
    """
    alike = np.ones(len(greys))
    if len(greys) < FEWEST:
        return alike
    few, lamps = thin_out(greys), lamps.thin_out(thinning(greys))
    told = _strengths_beside(few, lamps) if lamps.nearness else _strengths_told(few, lamps.directions)
    if told is None or not LEAST < told.max() / told.min() < MOST:
        return alike
    evened = (few / told[:, None, None]).astype(np.float32)
    before, after = (measure_residual(photos, lamps) for photos in (few, evened))
    return told if after < FAR_BETTER * before else alike


def _strengths_told(photos: np.ndarray, directions: np.ndarray) -> np.ndarray | None:
    """What each photo is to be divided by, from the places that all lights reach; None where these are too few."""
    lit = find_lit_by_all(photos)
    if lit.sum() < FEWEST_LIT:
        return None
    left, values, _ = np.linalg.svd(photos[:, lit] / photos[:, lit].mean(axis=0), full_matrices=False)
    spanned, _ = np.linalg.qr(np.column_stack([directions, np.ones(len(photos))]))
    beside = np.eye(len(photos)) - spanned @ spanned.T
    rows = np.concatenate([beside * (left[:, axis] * values[axis] / values[0]) for axis in range(3)])
    return _of_smallest(np.linalg.svd(rows))


def _strengths_beside(photos: np.ndarray, lamps: Lamps) -> np.ndarray | None:
    """As `_strengths_told`, each texel with directions of its own."""
    lit = find_lit_by_all(photos)
    if lit.sum() < FEWEST_LIT:
        return None
    over = [lamps.over(number, *lit.shape) for number in range(len(photos))]
    one = np.ones(lit.sum())
    spans = np.stack([np.column_stack([(way / square[..., None])[lit], one]) for way, square in over], axis=1)
    spanned, _ = np.linalg.qr(spans)
    beside = np.eye(len(photos)) - spanned @ spanned.transpose(0, 2, 1)
    seen = (photos[:, lit] / photos[:, lit].mean(axis=0)).T
    together = np.einsum("ti,tij,tj->ij", seen, beside, seen)
    return _of_smallest(np.linalg.svd(together, hermitian=True), 2)


def _of_smallest(parted: Any, power: int = 1) -> np.ndarray | None:
    """The strengths whose inverses are the direction of the smallest singular value, where one is plainly smallest."""
    _, singular, ways = parted
    strengths = ways[-1].mean() / ways[-1]
    if singular[-1] > PLAIN**power * singular[-2] or strengths.min() <= 0:
        return None
    return np.asarray(strengths / strengths.mean())
