"""Midlevel is not mid grey: a program that assumes it moves the whole surface."""

from __future__ import annotations

from relief.figures import say_length, say_number
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenDelivery


def find(seen: SeenDelivery) -> Finding | None:
    """A displacement map in whole numbers whose midlevel is not the grey that programs assume."""
    delivery, relief = seen.recipe.delivery, seen.recipe.main
    whole = delivery.displacement_bits in (8, 16)
    if "displacement" in delivery.left_out or not whole or delivery.midlevel != "told":
        return None
    if relief.midlevel in (0, 0.5, 1):
        return None
    reason = (
        f"The value {say_number(relief.midlevel, 4)} means no displacement, and only the notes say so. A program that "
        f"assumes mid grey moves the whole surface by {say_length(abs(relief.midlevel - 0.5) * relief.amplitude)}."
    )
    mend = Mend("Set midlevel to mid grey", {"delivery.midlevel": "half"})
    return Finding("midlevel", "Midlevel is not mid grey", reason, mend)
