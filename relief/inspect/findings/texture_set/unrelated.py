"""Height and normal map do not match: one of them may belong to another set."""

from __future__ import annotations

from relief.inspect.finding import SetFinding
from relief.inspect.seen import SeenSet

AGREE = 0.15
"""A correlation of slopes beyond this, to either side, counts as an answer."""


def find(seen: SeenSet) -> SetFinding | None:
    """The slopes of the height and of the normal map do not correlate, whichever way they are read."""
    if seen.agreement is None or min(map(abs, seen.agreement)) >= AGREE:
        return None
    reason = "Their slopes do not agree. One of them may belong to another set."
    return SetFinding("unrelated", "Height and normal map do not match", reason)
