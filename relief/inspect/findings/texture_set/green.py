"""Green is reversed: the normal map of a set is read with its green the wrong way."""

from __future__ import annotations

from relief.inspect.finding import SetFinding, SetMend
from relief.inspect.findings.texture_set import unrelated
from relief.inspect.seen import SeenSet
from relief.sources.roles import green_of


def find(seen: SeenSet) -> SetFinding | None:
    """The green of a normal map is read the wrong way, judged by its own slopes or by the height of its set."""
    if seen.normal is None or unrelated.find(seen):
        return None
    if seen.heights is None:
        wrong, why = green_of(seen.normal) != seen.green, "its slopes are consistent only"
    else:
        across, up = seen.agreement or (1, 1)
        wrong, why = (across < 0) != (up < 0), "against the height it fits only"
    if not wrong:
        return None
    right = "down" if seen.green == "up" else "up"
    reason = (
        f"The green of the normal map is read the wrong way: {why} with green {right}. The wrong way looks almost "
        "right."
    )
    return SetFinding("green", "Green is reversed", reason, SetMend(f"Read it with green {right}", "normal", "green"))
