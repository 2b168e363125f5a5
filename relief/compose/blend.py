"""How a layer goes over what lies below it, and who is seen where."""

from __future__ import annotations

from typing import Literal

import numpy as np

Blend = Literal["add", "subtract", "multiply", "taller", "lower", "replace"]
BLEND_NAMES = {
    "add": "Add",
    "subtract": "Subtract",
    "multiply": "Multiply",
    "taller": "Taller wins",
    "lower": "Lower wins",
    "replace": "Replace",
}


def blend_layers(
    below: np.ndarray,
    layer: np.ndarray,
    blend: Blend,
    amount: float,
    *,
    rest: float = 0.0,
    offset: float = 0.0,
    passage: float = 0.0,
    mask: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """A layer over what lies below.

    Args:
        below, layer: float32 (rows, columns) heights.
        blend: add and subtract `amount` times the layer's distance from its rest; multiply by it; the taller or the
            lower of both, the layer times `amount` and lifted by `offset`; or the layer in place of what was there.
        amount: how much of it.
        rest: the layer's height that adds nothing.
        offset: for taller and lower wins, height that the layer is lifted by.
        passage: for taller and lower wins, height over which the layers blend.
        mask: float32 (rows, columns), 0 to 1; all of it when there is none.

    Returns:
        The heights, and how much of the layer is seen at each place (0 to 1): both float32.
    """
    amount_ = np.float32(amount)
    seen: np.ndarray | np.float32 = np.float32(min(abs(amount), 1))
    match blend:
        case "add":
            over = below + amount_ * (layer - np.float32(rest))
        case "subtract":
            over = below - amount_ * (layer - np.float32(rest))
        case "multiply":
            over = below * (1 + amount_ * (layer - 1))
        case "replace":
            over = below + amount_ * (layer - below)
        case _:
            sign = np.float32(1 if blend == "taller" else -1)
            lifted = amount_ * layer + np.float32(offset)
            seen = _winning(sign * (lifted - below), passage)
            bulge = np.float32(passage) * seen * (1 - seen)
            over = below + seen * (lifted - below) + sign * bulge
    if mask is not None:
        over = below + mask * (over - below)
        seen = mask * seen
    return over.astype(np.float32), np.broadcast_to(np.asarray(seen, np.float32), below.shape)


def _winning(lead: np.ndarray, passage: float) -> np.ndarray:
    """1 where the layer leads, 0 where what is below does, straight between over the passage."""
    if passage <= 0:
        return (lead > 0).astype(np.float32)
    return np.clip(0.5 + lead * np.float32(0.5 / passage), 0, 1)
