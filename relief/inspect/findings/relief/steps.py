"""Steps: single grey levels show as jumps between flats."""

from __future__ import annotations

import numpy as np

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.recipe.relief import Relief
from relief.treat.remove_steps import RemoveSteps

STEP_ABOVE = 1 / 20
"""Part of a texel's width. A jump taller than this turns the light by 3 degrees, which the eye picks out of a flat."""

STEP_SHARE = 0.5
"""Part of all changes between neighbours that must be single jumps between flats before they are called steps."""

MOST_TERRACES = 32
"""Levels that may be drawn as terraces."""

MOST_LINES = 1024
"""Rows and columns that a staircase is looked for in at most."""


def find(seen: SeenRelief) -> Finding | None:
    """Single grey levels show as jumps between flats."""
    relief, height, shot = seen.relief, seen.height, seen.shot
    if shot is None or shot.levels is None:
        return None
    texel = min(height.spacing)
    # what is drawn has few terraces; more levels than that are those of a coarse file, however far apart they lie
    many = len(shot.used) > MOST_TERRACES
    step = float(np.median(np.diff(shot.used))) * (height.grain / shot.grain if shot.grain else 1) if many else 0.0
    jump, share, run = stair(height.samples, 1.5 * step)
    if share < STEP_SHARE or jump * relief.amplitude <= STEP_ABOVE * texel:
        return None
    reason = (
        f"This source uses {len(shot.used)} grey levels. Each step is {say_length(jump * relief.amplitude)} tall on "
        f"texels {say_length(texel)} wide, so slopes show as staircases."
    )
    return Finding("steps", "Steps", reason, _without_steps(relief, run * texel))


def stair(samples: np.ndarray, level: float = 0) -> tuple[float, float, float]:
    """How much a field is a staircase.

    Args:
        samples: float32 (rows, columns).
        level: jumps up to this are counted in any case.

    Returns:
        The height of a single jump, the part of all changes between neighbours that are a single jump with flats on
        both sides, and the mean length of a flat in texels. Other jumps of more than a sixty-fourth of the range are
        drawn edges, not grey levels.
    """
    jumps, changes, pairs = [], 0, 0
    most = max(float(samples.max() - samples.min()) / 64, level)
    for across in (samples, samples.T):
        # stairs are alike all over, so that of a large field some lines will do
        few = (
            np.random.default_rng(1).permutation(len(across))[:MOST_LINES] if len(across) > MOST_LINES else slice(None)
        )
        difference = np.abs(np.diff(across[few], axis=1))
        changed = difference > 1e-6
        alone = changed[:, 1:-1] & ~changed[:, :-2] & ~changed[:, 2:] & (difference[:, 1:-1] < most)
        jumps.append(difference[:, 1:-1][alone])
        changes += int(np.count_nonzero(changed[:, 1:-1]))
        pairs += changed[:, 1:-1].size
    single = np.concatenate(jumps)
    if not single.size:
        return 0.0, 0.0, 0.0
    return float(np.median(single)), single.size / changes, pairs / changes


def _without_steps(relief: Relief, run: float) -> Mend:
    """Steps removed over the length of a flat, before any other treatment."""
    reach = float(f"{max(run, 0.01):.2g}")
    fresh = RemoveSteps(reach=reach)
    first = relief.layers[0].treatments[:1]
    if first and isinstance(first[0], RemoveSteps):
        reach = max(reach, first[0].reach * 2)
        return Mend(f"Remove steps over {say_length(reach, 6)}", {"layers.0.treatments.0.reach": reach})
    return Mend(f"Remove steps over {say_length(reach, 6)}", first=fresh)
