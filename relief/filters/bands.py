"""Bands of detail: broad, middle and fine shapes made stronger or weaker on their own.

The bands are differences of Gaussians, the levels of a Laplacian pyramid at widths that are set in mm: they add up to
the input, so gains of 1 return it.

Reference:
    P. J. Burt & E. H. Adelson 1983, The Laplacian pyramid as a compact image code, IEEE Trans. Communications 31.
"""

from __future__ import annotations

from typing import Self

import numpy as np
from pydantic import model_validator

from relief.filters.gaussian import soften_slopes
from relief.height import HeightField
from relief.parameters import Parameters, number


def _gain(name: str, help: str) -> float:
    return number(1, -4, 8, label=name, step=0.05, slider=(0, 3), help=help)


class Bands(Parameters):
    """Three bands of detail and where they part."""

    broad: float = _gain("Broad", "Strength of shapes wider than the broad limit; 1 leaves them, 0 removes them.")
    middle: float = _gain("Middle", "Strength of shapes between both limits; 1 leaves them, 0 removes them.")
    fine: float = _gain("Fine", "Strength of detail narrower than the fine limit; 1 leaves it, 0 removes it.")
    fine_limit: float = number(
        2, 0.001, 100_000_000, label="Fine limit", unit="mm", step=0.1, slider=(0.1, 50), logarithmic=True,
        help="Detail narrower than this counts as fine.",
    )  # fmt: skip
    broad_limit: float = number(
        20, 0.001, 100_000_000, label="Broad limit", unit="mm", step=1, slider=(1, 500), logarithmic=True,
        help="Shapes wider than this count as broad.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _check_order(self) -> Self:
        if self.broad_limit < self.fine_limit:
            raise ValueError("The broad limit must not lie below the fine limit.")
        return self

    @property
    def heading(self) -> str:
        return "Normal map"

    @property
    def changes_nothing(self) -> bool:
        """Whether all bands are as they were."""
        return self.broad == self.middle == self.fine == 1

    def change_bands(self, field: HeightField) -> HeightField:
        """The field with its bands stronger or weaker; gains of 1 return it."""
        if self.changes_nothing:
            return field
        mean = np.float32(field.samples.mean(dtype=np.float64))
        without_fine = soften_slopes(field, self.fine_limit / 2)
        only_broad = soften_slopes(field, self.broad_limit / 2)
        treated = field.samples + np.float32(self.fine - 1) * (field.samples - without_fine)
        treated += np.float32(self.middle - 1) * (without_fine - only_broad)
        treated += np.float32(self.broad - 1) * (only_broad - mean)
        return field.with_samples(treated)
