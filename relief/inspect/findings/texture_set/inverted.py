"""Height is inverted: it falls where the normal map rises."""

from __future__ import annotations

from relief.inspect.finding import SetFinding, SetMend
from relief.inspect.findings.texture_set import unrelated
from relief.inspect.seen import SeenSet


def find(seen: SeenSet) -> SetFinding | None:
    """The slopes across of the height are the reverse of the normal map's."""
    if seen.agreement is None or seen.agreement[0] >= 0 or unrelated.find(seen):
        return None
    reason = "Where the normal map rises the height falls, so joints would stand out."
    return SetFinding("inverted", "Height is inverted", reason, SetMend("Invert the height", "height", "invert"))
