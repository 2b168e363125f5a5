"""Scallop wall tile: rows of fan shells that overlap like roof tiles, as a height scanner would deliver them."""

from __future__ import annotations

import numpy as np

from relief.deliver.images import png
from shelf.demo.drawing import grid, ridge, smoothstep, soft_noise

TITLE = "Scallop tile, north wall"
FILENAME = "scallop-tile-height.png"
GUIDE = "Drag the datum in the section below: what lies above it comes out in ochre, below it goes in, in blue."
REMARK = "height scan, 16 bit"
CHANGES = {"footprint.width": 600, "amplitude": 20}
SIZE = 1500
ACROSS, DOWN = 5, 6
RIBS = 13


def picture() -> bytes:
    """A 16-bit grey PNG that tiles."""
    return png(np.rint(scan() * 65535).astype(np.uint16))


def scan() -> np.ndarray:
    """Heights, 0.02 to 0.98."""
    height = np.tile(_two_rows(), (DOWN // 2, ACROSS))
    # a tile is cut through the shells, not along the lips of a row, where its edge would show
    height = np.roll(height, SIZE // DOWN // 2, axis=0)
    wear = soft_noise(SIZE, SIZE, 26, 11) * 0.010 + soft_noise(SIZE, SIZE, 3, 12) * 0.0035
    pits = smoothstep(2.4, 3.4, soft_noise(SIZE, SIZE, 5, 13)) * 0.05
    scanned = height + wear - pits + soft_noise(SIZE, SIZE, 0.7, 14) * 0.0006
    return 0.02 + 0.96 * (scanned - scanned.min()) / np.ptp(scanned)


def _two_rows() -> np.ndarray:
    """The part that repeats: one shell wide, two rows high."""
    x, y = grid(SIZE // ACROSS, 2 * SIZE // DOWN)
    height = np.zeros_like(x)
    # each row lies over the one below it, so the lowest is laid first; one from above hangs in
    for row in range(2, -2, -1):
        dx = ((x + 0.5 * (row % 2)) % 1 - 0.5) * 2  # in half shell widths, -1 to 1
        dy = (y * 2 - row) * 2 * ACROSS / DOWN
        height = np.where(_inside(dx, dy), _shell(dx, dy), height)
    return height


def _inside(dx: np.ndarray, dy: np.ndarray) -> np.ndarray:
    """The shell's outline: straight shoulders down to its middle, then half a circle."""
    return (dy >= 0) & ((dy < 1) | (dx**2 + (dy - 1) ** 2 < 1)) & (dy < 2.2)


def _shell(dx: np.ndarray, dy: np.ndarray) -> np.ndarray:
    """Height of one shell; it rises towards its lip and its ribs spread from the hinge at the top."""
    far = np.hypot(dx, dy)
    angle = np.arctan2(dx, dy)
    to_lip = np.where(dy < 1, 1 - np.abs(dx), 1 - np.hypot(dx, dy - 1))
    slab = 0.16 + 0.30 * smoothstep(0, 2, dy)
    rib = np.sqrt(0.5 + 0.5 * np.cos(angle * RIBS * 2))
    ribs = 0.20 * (rib - 0.5) * smoothstep(0.25, 1.1, far) * smoothstep(0.02, 0.22, to_lip)
    rings = 0.012 * np.cos(far * 21) * smoothstep(0.5, 1.4, far)
    belly = 0.24 * ridge(dx, 1.05) * smoothstep(0.1, 1.1, dy)
    lip = smoothstep(-0.02, 0.10, to_lip)
    knob = 0.30 * ridge(np.hypot(dx, (dy - 0.34) * 1.05), 0.25)
    return (slab + belly + ribs + rings) * (0.35 + 0.65 * lip) + knob
