"""What arrives, lit from the upper left as programs show it."""

from __future__ import annotations

import numpy as np

from relief.receive.arrive import Look

WIDE = 440
"""Pixels of a picture."""

LIGHT = np.array([-0.55, 0.6, 0.58], np.float32) / np.float32(np.linalg.norm([-0.55, 0.6, 0.58]))
AMBIENT, DIRECT = 0.22, 0.74
PAPER, LINE, MEANT, CAME = 244, 200, 30, 140
"""Greys of the drawing of sections."""


def draw_look(look: Look, meant: bool, by_heights: bool) -> np.ndarray:
    """The relief as it was meant, or as it arrives: uint8 (rows, columns).

    Args:
        look: what was read.
        meant: which of both.
        by_heights: whether the slopes of the heights are lit; otherwise the normal map, where there is one.
    """
    import cv2

    normals = look.meant_normals if meant else look.normals
    heights = look.meant_heights if meant else look.heights
    lit = _light(_normals_of(heights, look.footprint) if by_heights or normals is None else normals)
    size = (WIDE, max(1, round(WIDE * lit.shape[0] / lit.shape[1])))
    levels: np.ndarray = np.rint(np.clip(cv2.resize(lit, size, interpolation=cv2.INTER_AREA), 0, 1) * 255)
    return levels.astype(np.uint8)


def draw_sections(look: Look, high: int = 90) -> np.ndarray:
    """The sections across the middle, dark as meant and lighter as they arrive: uint8 (high, WIDE), cut above."""
    import cv2

    picture = np.full((high, WIDE), PAPER, np.uint8)
    row = look.meant_heights.shape[0] // 2
    reach = 1.6 * max(float(np.abs(look.meant_heights).max()), 1e-9)
    cv2.line(picture, (0, high // 2), (WIDE, high // 2), LINE)
    for heights, grey in ((look.heights[row], CAME), (look.meant_heights[row], MEANT)):
        places = np.linspace(0, len(heights) - 1, WIDE).round().astype(int)
        out = high / 2 * (1 - np.clip(heights[places] / reach, -1, 1))
        points = np.stack([np.arange(WIDE), out.round()], axis=1).astype(np.int32)
        cv2.polylines(picture, [points], False, grey, 1, cv2.LINE_AA)
    return picture


def _normals_of(heights: np.ndarray, footprint: tuple[float, float]) -> np.ndarray:
    """Unit normals (rows, columns, 3), y up, of heights in mm over a footprint in mm."""
    rows, columns = heights.shape
    down, across = np.gradient(heights.astype(np.float32))
    vectors = np.dstack([-across * (columns / footprint[0]), down * (rows / footprint[1]), np.ones_like(across)])
    normals: np.ndarray = vectors / np.linalg.norm(vectors, axis=2, keepdims=True)
    return normals


def _light(normals: np.ndarray) -> np.ndarray:
    """How brightly normals (rows, columns, 3) are lit: float32 (rows, columns), about 0 to 1."""
    lit: np.ndarray = AMBIENT + DIRECT * np.clip(normals @ LIGHT, 0, 1)
    return lit.astype(np.float32)
