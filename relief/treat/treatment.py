"""What all treatments share."""

from __future__ import annotations

from typing import ClassVar

from relief.height import HeightField
from relief.parameters import Parameters, switch


class Treatment(Parameters):
    """Base of the treatments. A subclass has a `kind`, its parameters and `treat`."""

    title: ClassVar[str]
    kind: str
    on: bool = switch(True, label="On", help="Switch off to see the relief without this treatment.")

    def treat(self, field: HeightField) -> HeightField:
        """The field after this treatment; one that wraps keeps wrapping."""
        raise NotImplementedError
