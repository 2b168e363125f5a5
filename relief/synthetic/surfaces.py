"""Made-up surfaces whose relief and paints are known, to be photographed: the supplier's and those of the demo."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

import cv2
import numpy as np

from relief.errors import ReliefError
from relief.filters.resample import shrink
from relief.synthetic import pieces
from relief.synthetic.drawing import smoothstep, soft_noise
from relief.synthetic.motifs import Sheet
from relief.synthetic.rendering import how_open, photograph
from relief.synthetic.textures import TEXTURES, Texture

Colour = tuple[int, int, int]

ELEVATION = 40.0
"""Of the lights over the surface, degrees."""

SKY = 0.3
"""Share of the light that comes from everywhere."""

GRAIN, QUALITY = 0.006, 92
"""Deviation of the grain in linear light, white being 1; and of the JPEG."""


WOOD, TIN, TILE, PLASTER = 420.0, 1600.0, 600.0, 500.0
"""Widths of the demo's surfaces, mm."""


@dataclass(frozen=True)
class MadeSurface:
    """A made-up surface.

    Attributes:
        height: mm, float64 (rows, columns).
        texel: its size, mm.
        paint: its colours in linear light, (rows, columns, 3).
        openness: how much of the sky each place sees.
    """

    height: np.ndarray
    texel: float
    paint: np.ndarray
    openness: np.ndarray

    def photo(self, azimuth: float, seed: int, elevation: float = ELEVATION) -> bytes:
        """A JPEG of it, lit from one side."""
        light = photograph(
            self.height, self.texel, azimuth, elevation, self.paint, sky=SKY, openness=self.openness
        )  # fmt: skip
        light = light * (0.8 / np.percentile(self.paint.max(axis=2), 99))
        light = light + np.random.default_rng(seed).normal(0, GRAIN, light.shape)
        shown = np.rint(np.clip(light, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
        return cv2.imencode(".jpg", shown[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, QUALITY])[1].tobytes()


def _of_supplier(texture: Texture, size: int) -> MadeSurface:
    """A surface of the supplier with its two paints, so many texels on a side."""
    height, tone = texture.motif(Sheet(size, sum(map(ord, texture.key))))
    height, tone = (np.broadcast_to(each, (size, size)).astype(float) for each in (height, tone))
    return _make_surface(height, texture.depth, texture.width, _paint(texture.first, texture.second, tone))


def _driftwood(size: int) -> MadeSurface:
    height, paint = pieces.driftwood(), pieces.driftwood_paint()
    return _make_surface(_at(height, size), float(np.ptp(height)), WOOD, _at(paint, size))


def _tin(size: int) -> MadeSurface:
    grime = _at(np.clip(0.25 + 0.25 * soft_noise(*pieces.TIN, 16, 21), 0, 1), size)
    return _make_surface(_at(pieces.tin(), size), 38, TIN, _paint((238, 233, 220), (172, 155, 132), grime))


def _scallops(size: int) -> MadeSurface:
    crackle = _at(smoothstep(0, 1.5, soft_noise(pieces.TILE, pieces.TILE, 9, 15)), size)
    return _make_surface(_at(pieces.scallops(), size), 20, TILE, _paint((214, 226, 220), (196, 211, 206), crackle))


def _oyster(size: int) -> MadeSurface:
    height, pearl = pieces.oyster_plaster()
    return _make_surface(_at(height, size), 16, PLASTER, _paint((201, 187, 161), (196, 200, 200), _at(pearl, size)))


def _at(field: np.ndarray, size: int) -> np.ndarray:
    """A field at most so many texels long."""
    return shrink(np.ascontiguousarray(field, np.float32), size).astype(float)


def _paint(first: Colour, second: Colour, mix: np.ndarray) -> np.ndarray:
    """Two colours as a screen shows them, mixed in linear light."""
    one, other = ((np.array(colour) / 255) ** 2.2 for colour in (first, second))
    mix = np.clip(mix, 0, 1)[..., None]
    return one * (1 - mix) + other * mix


def _make_surface(height: np.ndarray, depth: float, width: float, paint: np.ndarray) -> MadeSurface:
    """A surface whose heights are stretched over a depth, and that is so wide; both in mm."""
    height = (height - height.min()) / np.ptp(height) * depth
    texel = width / height.shape[1]
    return MadeSurface(height, texel, paint, how_open(height, texel))


class Known(NamedTuple):
    """A surface to be made: what it is called, how wide it is in mm, and how it is made so many texels long."""

    name: str
    width: float
    make: Callable[[int], MadeSurface]


SURFACES = {key: Known(one.name, one.width, partial(_of_supplier, one)) for key, one in TEXTURES.items()} | {
    "driftwood-panel": Known("Driftwood panel", WOOD, _driftwood),
    "tin-ceiling": Known("Tin ceiling", TIN, _tin),
    "scallop-tile": Known("Scallop tile", TILE, _scallops),
    "oyster-plaster": Known("Oyster plaster", PLASTER, _oyster),
}
"""Every made-up surface by its key: the supplier's thirty, and those of the demo's pieces."""


def find_surface(key: str) -> Known:
    """A surface by its key.

    Raises:
        ReliefError: there is none.
    """
    if key not in SURFACES:
        raise ReliefError(f"There is no surface “{key}”. There are: {', '.join(SURFACES)}.")
    return SURFACES[key]
