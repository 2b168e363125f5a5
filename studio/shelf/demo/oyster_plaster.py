"""Oyster-shell plaster: a texture set of burnt-lime plaster with broken shells pressed in.

Its normal map comes with the green channel the wrong way round, on purpose: the set's findings say so and mend it.
"""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter

from relief.deliver.images import png
from relief.height import Edges, Footprint, HeightField
from relief.maps.normal import Normal, normal_map
from relief.synthetic.drawing import soft_noise
from relief.synthetic.pieces import PLASTER, oyster_plaster

TITLE = "Oyster-shell plaster"
GUIDE = (
    "The green of its normal map is the wrong way round: the findings on the right say so and mend it. Then lay it on "
    "the relief in step 3."
)
REMARK = "texture set"
CHANGES = {"footprint.width": 500, "amplitude": 16}
WIDTH, DEPTH = 500.0, 16.0


def files() -> dict[str, bytes]:
    """The maps of the set by their file names; all tile."""
    height, mother_of_pearl = oyster_plaster()
    field = HeightField(
        height.astype(np.float32), Footprint(width=WIDTH, height=WIDTH), Edges(across="wrap", down="wrap")
    )
    # what lies deeper than its surroundings is darker, close by and farther off; rims catch the light
    relief_ = sum(height - gaussian_filter(height, width, mode="wrap") for width in (3, 9, 30))
    light = np.clip(0.86 + 0.85 * relief_ + 0.02 * soft_noise(PLASTER, PLASTER, 30, 45), 0.25, 1.15)[..., None]
    lime, pearl, nacre = (np.array(colour) for colour in ((201, 187, 161), (226, 224, 214), (166, 176, 186)))
    streak = (0.5 + 0.5 * np.sin(height * 210 + soft_noise(PLASTER, PLASTER, 12, 46)))[..., None]
    cover = mother_of_pearl[..., None]
    colour = (lime * (1 - cover) + (pearl * streak + nacre * (1 - streak)) * cover) * light
    roughness = 0.92 - 0.55 * mother_of_pearl + 0.04 * soft_noise(PLASTER, PLASTER, 3, 47)
    return {
        "oyster-plaster_colour.png": png(_code(colour / 255, 8)),
        "oyster-plaster_height.png": png(_code(height, 16)),
        "oyster-plaster_normal.png": png(normal_map(field, DEPTH, Normal(green="down"))),
        "oyster-plaster_roughness.png": png(_code(roughness, 8)),
    }


def _code(values: np.ndarray, bits: int) -> np.ndarray:
    """0 to 1 as whole numbers."""
    return np.rint(np.clip(values, 0, 1) * (2**bits - 1)).astype(np.uint8 if bits == 8 else np.uint16)
