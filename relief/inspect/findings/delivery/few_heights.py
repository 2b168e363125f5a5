"""Displacement in 8 bits: too few heights."""

from __future__ import annotations

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenDelivery


def find(seen: SeenDelivery) -> Finding | None:
    """A displacement map is written with 8 bits, which is too few for heights."""
    delivery = seen.recipe.delivery
    if "displacement" in delivery.left_out or delivery.displacement_bits != 8:
        return None
    reason = f"8 bits keep 256 heights, {say_length(seen.recipe.main.amplitude / 255)} apart: slopes show as steps."
    mend = Mend("Write 16 bits", {"delivery.displacement_bits": 16})
    return Finding("eight-bits", "Displacement in 8 bits", reason, mend)
