"""Clipped: plateaus where a photo or a height image lost its shades."""

from __future__ import annotations

from functools import partial

from relief.height import HeightField
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.recipe.relief import Relief
from relief.run.engine import Stage
from relief.treat.levels import Levels

CLIPPED_ABOVE = 0.03
"""Part of a photo's relief at its very lowest and highest. Levels by percentiles cut off 0.01; more are plateaus."""


def find(seen: SeenRelief) -> Finding | None:
    """A photo holds places without shades, or its levels make some; or a height image is cut off at both ends.

    Both are measured before anything is softened, which hides plateaus and leaves them flat. Plateaus of a height image
    at one end are meant.
    """
    relief, shot = seen.relief, seen.shot
    if relief.picture is None or shot is None:
        return None
    if not relief.picture.is_photo:
        low, high = shot.cut
        if min(low, high) <= CLIPPED_ABOVE:
            return None
        reason = (
            f"{low:.0%} of the heights are cut off at the bottom and {high:.0%} at the top, which leaves flat "
            "plateaus. Export the height with a wider range, or as floats."
        )
        return Finding("clipped", "Clipped", reason)
    low, high = shot.black, shot.white
    if max(low, high) > CLIPPED_ABOVE:
        reason = (
            f"{max(low, high):.0%} of the photo is pure {'black' if low > high else 'white'}. It was "
            f"{'under' if low > high else 'over'}exposed there."
        )
        return Finding("clipped", "Clipped", reason)
    levels = _first_levels(relief)
    if levels is None or len(relief.layers) > 1 or (cut := _cut_off(seen, *levels)) <= CLIPPED_ABOVE:
        return None
    reason = f"The levels cut off {cut:.0%} of the photo, which becomes flat plateaus."
    path = f"layers.0.treatments.{levels[0]}"
    mend = Mend("Open the levels to the whole range", {f"{path}.black": 0, f"{path}.white": 1})
    return Finding("clipped", "Clipped", reason, mend)


def _first_levels(relief: Relief) -> tuple[int, Levels] | None:
    """The first levels of the ground that may cut something off, after their place in its list."""
    listed = enumerate(relief.layers[0].treatments)
    return next(((number, item) for number, item in listed if isinstance(item, Levels) and item.on), None)


def _cut_off(seen: SeenRelief, number: int, levels: Levels) -> float:
    """The share of samples that some levels cut off, each side for itself, the larger."""
    compute = partial(_beyond, levels.black, levels.white)
    cutting = Stage(
        "Measuring what the levels cut off", compute, [levels.black, levels.white], (seen.pipeline.treated(number),)
    )
    share: float = seen.engine.run(cutting)
    return share


def _beyond(black: float, white: float, field: HeightField) -> float:
    return float(max((field.samples < black).mean(), (field.samples > white).mean()))
