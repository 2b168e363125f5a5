"""Displacement and bump map: the height as data. No transfer function is applied and none is tagged."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.filters.gaussian import soften_field
from relief.height import HeightField
from relief.parameters import Parameters, number, switch


class Bump(Parameters):
    """How the bump map is made."""

    full_range: bool = switch(
        False, label="Full range",
        help="Spreads the heights from black to white, which keeps more of them apart in 8 bits. Midlevel is then "
            "where the notes say, not at mid grey.",
    )  # fmt: skip

    def range(self, samples: np.ndarray, midlevel: float) -> HeightRange:
        """Which heights its black and white stand for."""
        return full_range(samples) if self.full_range else bump_range(samples, midlevel)


class Displacement(Parameters):
    """How the displacement map is made."""

    soften: float = number(
        0, 0, 100_000_000, label="Soften", unit="mm", step=0.05, slider=(0, 20),
        help="Smooths the displacement and the mesh but not the normal map. About ten texels suit when the normal "
            "map keeps the detail.",
    )  # fmt: skip

    centred: bool = switch(
        False, label="Midlevel at mid grey",
        help="Makes mid grey the value that stays on the surface, for programs that assume it. Otherwise the notes "
            "say which value stays. For whole-number files.",
    )  # fmt: skip

    def range(self, samples: np.ndarray, midlevel: float) -> HeightRange:
        """Which heights its black and white stand for."""
        return bump_range(samples, midlevel) if self.centred else displacement_range(samples)

    def filter_field(self, field: HeightField) -> HeightField:
        """The field as it displaces."""
        return field.with_samples(soften_field(field, self.soften))


@dataclass(frozen=True)
class HeightRange:
    """Which heights the black and the white of a whole-number map stand for."""

    black: float
    white: float

    def amplitude(self, amplitude: float) -> float:
        """The real length from black to white, mm."""
        return amplitude * (self.white - self.black)

    def midlevel(self, midlevel: float) -> float:
        """The value of the map, 0 to 1, that stays on the surface."""
        return (midlevel - self.black) / (self.white - self.black)

    def place(self, samples: np.ndarray) -> np.ndarray:
        """Where heights lie from black to white, float32 0 to 1."""
        return (samples - np.float32(self.black)) / np.float32(self.white - self.black)

    def encode(self, samples: np.ndarray, bits: int) -> np.ndarray:
        """Heights as uint8 or uint16, rounded to the nearest level."""
        most = np.float32(2**bits - 1)
        scale = most / np.float32(self.white - self.black)
        levels = np.clip(np.rint((samples - np.float32(self.black)) * scale), 0, most)
        return levels.astype(np.uint8 if bits == 8 else np.uint16)


def displacement_range(samples: np.ndarray) -> HeightRange:
    """0 to 1, widened where heights go beyond so that nothing is cut off."""
    return HeightRange(min(0.0, float(samples.min())), max(1.0, float(samples.max())))


def bump_range(samples: np.ndarray, midlevel: float) -> HeightRange:
    """The narrowest range with midlevel in its middle that holds all heights and 0 to 1."""
    whole = displacement_range(samples)
    half = max(midlevel - whole.black, whole.white - midlevel)
    return HeightRange(midlevel - half, midlevel + half)


def full_range(samples: np.ndarray) -> HeightRange:
    """From the lowest to the highest height."""
    low, high = float(samples.min()), float(samples.max())
    return HeightRange(low, high if high > low else low + 1)


def displacement(samples: np.ndarray, amplitude: float, midlevel: float) -> np.ndarray:
    """Signed distance from the base surface in mm, float32: d = amplitude (h - midlevel)."""
    return (samples - np.float32(midlevel)) * np.float32(amplitude)
