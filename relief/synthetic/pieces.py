"""The reliefs of the demo's pieces: driftwood panel, pressed tin ceiling, scallop tile and oyster-shell plaster."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter

from relief.synthetic.drawing import grid, ridge, smoothstep, soft_noise

WOOD = 480, 640
"""Rows and columns of the driftwood panel, and so on."""
PETALS, BOARDS = 9, 3

TIN = 1080, 1440
PANELS, TIN_PETALS = 4, 8

TILE = 1500
ACROSS, DOWN, RIBS = 5, 6, 13

PLASTER = 1024
SHELLS = 150


def driftwood() -> np.ndarray:
    """A carved panel of weathered boards: height in mm, (rows, columns)."""
    x, y = grid(WOOD[1], WOOD[0])
    y = y * WOOD[0] / WOOD[1]
    far, angle = np.hypot(x - 0.5, y - 0.375), np.arctan2(y - 0.375, x - 0.5)
    petal = 0.19 * (0.72 + 0.28 * np.cos(angle * PETALS))
    rosette = 5.5 * smoothstep(0.0, 0.035, petal - far) * (0.35 + 0.65 * far / 0.2) + 6 * ridge(far, 0.035)
    ring = 3.2 * ridge(far - 0.245, 0.014)
    wave = 0.02 * np.sin(x * 2 * np.pi * 6)
    waves = 3.4 * (ridge(y - 0.065 - wave, 0.016) + ridge(y - 0.685 - wave, 0.016))
    grain = (
        soft_noise(WOOD[0], WOOD[1], 18, 41) * 0.5 + np.sin(y * 300 + 2.5 * soft_noise(WOOD[0], WOOD[1], 40, 42)) * 0.3
    )
    gap = -2.4 * ridge((y * BOARDS / 0.75) % 1 - 0.5, 0.018)
    return gaussian_filter(rosette + ring + waves + gap + grain, 1.2)


def driftwood_paint() -> np.ndarray:
    """Its colours in linear light: bare grey wood, and blue paint that is left in broad patches."""
    left = smoothstep(-0.05, 0.15, soft_noise(WOOD[0], WOOD[1], 38, 43))[..., None]
    return np.array([0.42, 0.34, 0.25]) * (1 - left) + np.array([0.16, 0.30, 0.42]) * left


def tin() -> np.ndarray:
    """A pressed sheet of coffers with rosettes: 0 to 1, (rows, columns)."""
    x, y = grid(TIN[1], TIN[0])
    across = (x * PANELS) % 1 * 2 - 1
    down = (y * PANELS * TIN[0] / TIN[1]) % 1 * 2 - 1
    square = np.maximum(np.abs(across), np.abs(down))
    along = np.where(np.abs(across) > np.abs(down), down, across)
    far = np.hypot(across, down)
    angle = np.arctan2(down, across)
    coffer = 0.36 + 0.30 * smoothstep(0.70, 0.86, square) - 0.20 * smoothstep(0.94, 0.99, square)
    seam = 0.10 * ridge(square - 1, 0.03)
    frame = 0.16 * ridge(square - 0.66, 0.045)
    place = (along * 9) % 1 - 0.5
    beads = 0.20 * ridge(np.hypot(place / 9 * 2, square - 0.90), 0.05)
    petal_edge = 0.50 * (0.62 + 0.38 * np.abs(np.cos(angle * TIN_PETALS / 2)))
    petals = 0.26 * smoothstep(0.0, 0.10, petal_edge - far) * (0.55 + 0.45 * far / 0.5)
    veins = -0.07 * ridge(np.sin(angle * TIN_PETALS / 2) * far, 0.018) * (far > 0.16) * (far < 0.44)
    boss = 0.34 * ridge(far, 0.15) - 0.10 * ridge(far - 0.165, 0.03)
    corner = np.hypot(np.abs(across) - 0.53, np.abs(down) - 0.53)
    sprigs = 0.20 * ridge(corner, 0.085) + 0.08 * ridge(corner - 0.115, 0.02)
    pressed = coffer + seam + frame + beads + petals + veins + boss + sprigs
    dents = 0.012 * soft_noise(TIN[0], TIN[1], 22, 23)
    pressed = gaussian_filter(pressed, 1.2, mode="wrap") + dents
    return (pressed - pressed.min()) / np.ptp(pressed)


def scallops() -> np.ndarray:
    """Rows of fan shells that overlap like roof tiles: 0.02 to 0.98, (rows, columns)."""
    height = np.tile(_two_rows(), (DOWN // 2, ACROSS))
    # a tile is cut through the shells, not along the lips of a row, where its edge would show
    height = np.roll(height, TILE // DOWN // 2, axis=0)
    wear = soft_noise(TILE, TILE, 26, 11) * 0.010 + soft_noise(TILE, TILE, 3, 12) * 0.0035
    pits = smoothstep(2.4, 3.4, soft_noise(TILE, TILE, 5, 13)) * 0.05
    scanned = height + wear - pits + soft_noise(TILE, TILE, 0.7, 14) * 0.0006
    return 0.02 + 0.96 * (scanned - scanned.min()) / np.ptp(scanned)


def _two_rows() -> np.ndarray:
    """The part that repeats: one shell wide, two rows high."""
    x, y = grid(TILE // ACROSS, 2 * TILE // DOWN)
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


def oyster_plaster() -> tuple[np.ndarray, np.ndarray]:
    """Plaster with broken shells pressed in: its height, and how far mother-of-pearl shows, 0 to 1; it tiles."""
    height, cover = _lay_shells(_plaster(), np.zeros((PLASTER, PLASTER)))
    return (height - height.min()) / np.ptp(height), cover


def _plaster() -> np.ndarray:
    """Trowelled plaster."""
    broad = soft_noise(PLASTER, PLASTER, 60, 41) * 0.05
    drag = soft_noise(PLASTER, PLASTER, 9, 42) * 0.025
    return 0.4 + broad + drag + soft_noise(PLASTER, PLASTER, 1.6, 43) * 0.009


def _lay_shells(ground: np.ndarray, cover: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The ground with shells in it, each a tilted, ribbed valve with a broken rim; and where their inside shows."""
    rng = np.random.default_rng(44)
    height = ground.copy()
    for _ in range(SHELLS):
        row, column = rng.integers(0, PLASTER, 2)
        radius = int(rng.uniform(26, 62))
        turn, tilt, opened = rng.uniform(0, 2 * np.pi), rng.uniform(-0.16, 0.16), rng.random() < 0.4
        y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1] / radius
        u, v = x * np.cos(turn) + y * np.sin(turn), (y * np.cos(turn) - x * np.sin(turn)) * 1.25
        far, angle = np.hypot(u, v), np.arctan2(v, u)
        rim = 0.80 + 0.07 * np.sin(angle * 3 + turn) + 0.05 * np.sin(angle * 7 + 2 * turn)
        inside = smoothstep(0.0, 0.06, rim - far)
        bowl = -0.11 * (1 - (far / rim) ** 2) if opened else 0.13 * np.sqrt(np.clip(1 - (far / rim) ** 2, 0, 1))
        ribs = 0.012 * np.sin(far * 34 + 2 * np.sin(angle * 5)) * (0.25 if opened else 1)
        shell = 0.47 + bowl + ribs + tilt * u * 0.5
        rows, columns = np.ix_(
            (np.arange(-radius, radius + 1) + row) % PLASTER, (np.arange(-radius, radius + 1) + column) % PLASTER
        )
        here = height[rows, columns]
        stands = inside * smoothstep(-0.02, 0.02, shell - here + (0.12 if opened else 0))
        height[rows, columns] = here * (1 - stands) + shell * stands
        cover[rows, columns] = cover[rows, columns] * (1 - stands) + stands * (1.0 if opened else 0.55)
    return height, cover
