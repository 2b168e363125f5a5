"""How strongly each photo of a lit series is exposed beside the others: a camera that exposes by itself changes it.

Of texels that every light reaches, brightness over photos is e (l . g + c): the directions and a 1 span a space of four
dimensions, to which the photos divided by their strengths e belong. What lies beside that space is to vanish, which is
linear in 1 / e. Only where the photos then fit far better are they taken to be exposed differently.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from relief.depth.stereo import FEWEST_LIT, left_unexplained, reached_by_all, thin_out

FEWEST = 6
"""Photos from which on strengths are told."""

FAR_BETTER = 0.45
"""Photos are taken to be exposed differently where what is left unexplained is less than this part of what it was."""

PLAIN = 0.1
"""The smallest singular value over the next has to be less than this, so that there is one answer."""

LEAST, MOST = 1.1, 4.0
"""How many times as strong as the weakest the strongest photo has to be: from less grain and shifts would be made
strengths, and more is no exposure."""


def find_strengths(greys: Sequence[np.ndarray], directions: np.ndarray) -> np.ndarray:
    """The strengths of photos, 1 in the mean; all 1 where they cannot be told, or are alike.

    Args:
        greys: linear light, float32 (rows, columns) each, that lie on each other.
        directions: unit vectors towards the lights, (photos, 3).
    """
    alike = np.ones(len(greys))
    if len(greys) < FEWEST:
        return alike
    few = thin_out(greys)
    told = _strengths_told(few, directions)
    if told is None:
        return alike
    evened = (few / told[:, None, None]).astype(np.float32)
    before, after = (left_unexplained(photos, directions) for photos in (few, evened))
    return told if after < FAR_BETTER * before else alike


def _strengths_told(photos: np.ndarray, directions: np.ndarray) -> np.ndarray | None:
    lit = reached_by_all(photos)
    if lit.sum() < FEWEST_LIT:
        return None
    left, values, _ = np.linalg.svd(photos[:, lit] / photos[:, lit].mean(axis=0), full_matrices=False)
    spanned, _ = np.linalg.qr(np.column_stack([directions, np.ones(len(photos))]))
    beside = np.eye(len(photos)) - spanned @ spanned.T
    rows = np.concatenate([beside * (left[:, axis] * values[axis] / values[0]) for axis in range(3)])
    _, singular, ways = np.linalg.svd(rows)
    strengths = ways[-1].mean() / ways[-1]
    if singular[-1] > PLAIN * singular[-2] or strengths.min() <= 0:
        return None
    if not LEAST < strengths.max() / strengths.min() < MOST:
        return None
    return np.asarray(strengths / strengths.mean())
