"""Even light: the slow changes of brightness of a photo lit from one side are taken out, the mean is kept."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.filters.gaussian import soften_field
from relief.height import HeightField
from relief.parameters import choice, number
from relief.treat.treatment import Family, Treatment

DARKEST = 1e-3
"""Light below this is not divided by."""


class EvenLight(Treatment):
    """Removes the slow changes that uneven light left in a photo."""

    title: ClassVar[str] = "Even light"
    family: ClassVar[Family] = "edges"
    takes_out_light: ClassVar[bool] = True
    kind: Literal["even_light"] = "even_light"
    way: Literal["divide", "subtract"] = choice(
        "divide", {"divide": "Divide", "subtract": "Subtract"}, label="Method",
        help="Divide suits photos, where light multiplies. Subtract suits heights that lie on a slope or a bulge.",
    )  # fmt: skip
    window: float = number(
        100, 0.01, 100_000_000, label="Window", unit="mm", step=1, slider=(5, 1000), logarithmic=True,
        help="Changes wider than this count as light. Too small a window flattens shapes as well.",
    )  # fmt: skip
    amount: float = number(1, 0, 1, label="Amount", step=0.01, help="How much of the light is removed.")

    def light(self, field: HeightField) -> np.ndarray:
        """The light that is found: float32 (rows, columns)."""
        return soften_field(field, self.window / 2)

    def treat(self, field: HeightField) -> HeightField:
        light, mean = self.light(field), np.float32(field.samples.mean(dtype=np.float64))
        if self.way == "subtract":
            evened = field.samples - light + mean
        else:
            evened = field.samples * (mean / np.maximum(light, DARKEST))
        evened = field.samples + np.float32(self.amount) * (evened - field.samples)
        return field.with_samples(evened + (mean - np.float32(evened.mean(dtype=np.float64))))
