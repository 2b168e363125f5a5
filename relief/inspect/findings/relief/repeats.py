"""Repeats make the layer steeper: a layer repeats over the same size with the amount it had as one."""

from __future__ import annotations

from relief.figures import say_number
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.recipe.layer_edits import LAID_AT_FIRST, divide_amount


def find(seen: SeenRelief) -> Finding | None:
    """A layer repeats over the same size with the amount it had as one."""
    relief = seen.relief
    for number, layer in enumerate(relief.layers):
        times = max(layer.layout.counts)
        untouched = layer.amount in (1, LAID_AT_FIRST["picture"][1])
        if not (number and layer.on and layer.content.kind == "picture" and times > 1 and untouched):
            continue
        changed, _ = divide_amount(relief, number, times)
        amount = changed.layers[number].amount
        reason = (
            f"“{layer.name}” repeats {times} times over the same size, so its slopes are {times} times as steep; "
            f"its amount is still {say_number(layer.amount, 6)}."
        )
        mend = Mend(f"Set its amount to {say_number(amount, 6)}", {f"layers.{number}.amount": amount})
        return Finding("repeats", "Repeats make the layer steeper", reason, mend)
    return None
