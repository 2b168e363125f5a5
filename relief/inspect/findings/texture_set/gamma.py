"""Display gamma in the height: its values went through a display curve once too often, or once too seldom."""

from __future__ import annotations

import numpy as np

from relief.inspect.agreement import agreement
from relief.inspect.finding import SetFinding, SetMend
from relief.inspect.findings.texture_set import unrelated
from relief.inspect.seen import SeenSet
from relief.sources.colour import linear_from_srgb, srgb_from_linear

BENT_BY = 0.02
"""How much better the slopes of a height must fit its normal map with the display curve removed, or applied, before it
is said to have one too many: 8 bits alone move the correlation by less than 0.005."""


def find(seen: SeenSet) -> SetFinding | None:
    """The slopes of the height fit the normal map better with a display curve removed, or applied again."""
    samples, normals = seen.heights, seen.normals
    if samples is None or normals is None or samples.min() < 0 or samples.max() > 1 or unrelated.find(seen):
        return None
    as_it_is, taken_off, put_on = (
        float(np.abs(agreement(curved, normals, seen.green)).mean())
        for curved in (samples, linear_from_srgb(samples), srgb_from_linear(samples))
    )
    if max(taken_off, put_on) < as_it_is + BENT_BY:
        return None
    curve = linear_from_srgb if taken_off > put_on else srgb_from_linear
    done = "removed" if taken_off > put_on else "applied again"
    reason = (
        f"With the display curve {done}, its slopes correlate with the normal map by {max(taken_off, put_on):.2f}; now "
        f"by {as_it_is:.2f}. Its mean is {samples.mean():.2f} and should be {curve(samples).mean():.2f}."
    )
    mend = SetMend("Remove the display curve", "height", "gamma") if taken_off > put_on else None
    return SetFinding("gamma", "Display gamma in the height", reason, mend)
