"""Oyster-shell plaster: a texture set of burnt-lime plaster with broken shells pressed in.

Its normal map comes with the green channel the wrong way round, on purpose: the set's findings say so and mend it.
"""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter

from relief.deliver.images import png
from relief.height import Edges, Footprint, HeightField
from relief.maps.normal import Normal, normal_map
from shelf.demo.drawing import smoothstep, soft_noise

TITLE = "Oyster-shell plaster"
GUIDE = (
    "The green of its normal map is the wrong way round: the findings on the right say so and mend it. Then lay it on "
    "the relief in step 3."
)
REMARK = "texture set"
CHANGES = {"footprint.width": 500, "amplitude": 16}
SIZE = 1024
SHELLS = 150
WIDTH, DEPTH = 500.0, 16.0


def files() -> dict[str, bytes]:
    """The maps of the set by their file names; all tile."""
    ground, shells = _ground(), np.zeros((SIZE, SIZE))
    height, mother_of_pearl = _with_shells(ground, shells)
    height = (height - height.min()) / np.ptp(height)
    field = HeightField(
        height.astype(np.float32), Footprint(width=WIDTH, height=WIDTH), Edges(across="wrap", down="wrap")
    )
    # what lies deeper than its surroundings is darker, close by and farther off; rims catch the light
    relief_ = sum(height - gaussian_filter(height, width, mode="wrap") for width in (3, 9, 30))
    light = np.clip(0.86 + 0.85 * relief_ + 0.02 * soft_noise(SIZE, SIZE, 30, 45), 0.25, 1.15)[..., None]
    lime, pearl, nacre = (np.array(colour) for colour in ((201, 187, 161), (226, 224, 214), (166, 176, 186)))
    streak = (0.5 + 0.5 * np.sin(height * 210 + soft_noise(SIZE, SIZE, 12, 46)))[..., None]
    cover = mother_of_pearl[..., None]
    colour = (lime * (1 - cover) + (pearl * streak + nacre * (1 - streak)) * cover) * light
    roughness = 0.92 - 0.55 * mother_of_pearl + 0.04 * soft_noise(SIZE, SIZE, 3, 47)
    return {
        "oyster-plaster_colour.png": png(_code(colour / 255, 8)),
        "oyster-plaster_height.png": png(_code(height, 16)),
        "oyster-plaster_normal.png": png(normal_map(field, DEPTH, Normal(green="down"))),
        "oyster-plaster_roughness.png": png(_code(roughness, 8)),
    }


def _ground() -> np.ndarray:
    """Trowelled plaster."""
    broad = soft_noise(SIZE, SIZE, 60, 41) * 0.05
    drag = soft_noise(SIZE, SIZE, 9, 42) * 0.025
    return 0.4 + broad + drag + soft_noise(SIZE, SIZE, 1.6, 43) * 0.009


def _with_shells(ground: np.ndarray, cover: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The ground with shells in it, each a tilted, ribbed valve with a broken rim; and where their inside shows."""
    rng = np.random.default_rng(44)
    height = ground.copy()
    for _ in range(SHELLS):
        row, column = rng.integers(0, SIZE, 2)
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
            (np.arange(-radius, radius + 1) + row) % SIZE, (np.arange(-radius, radius + 1) + column) % SIZE
        )
        here = height[rows, columns]
        stands = inside * smoothstep(-0.02, 0.02, shell - here + (0.12 if opened else 0))
        height[rows, columns] = here * (1 - stands) + shell * stands
        cover[rows, columns] = cover[rows, columns] * (1 - stands) + stands * (1.0 if opened else 0.55)
    return height, cover


def _code(values: np.ndarray, bits: int) -> np.ndarray:
    """0 to 1 as whole numbers."""
    return np.rint(np.clip(values, 0, 1) * (2**bits - 1)).astype(np.uint8 if bits == 8 else np.uint16)
