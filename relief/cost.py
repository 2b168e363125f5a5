"""What a stage will cost, known before it starts, so that what would hang the studio is refused with a sentence."""

from __future__ import annotations

import sys
from dataclasses import dataclass

from relief.errors import TooDearError
from relief.figures import say_number

BUDGET = 30_000_000_000
"""Texels that one stage may touch, unless an engine is given another budget: some ten minutes."""


@dataclass(frozen=True)
class Cost:
    """About what a stage will do.

    Attributes:
        texels: how many it touches, each as often as it does.
        change: which number to change where that is too much, as a sentence.
    """

    texels: int
    change: str

    def refuse_beyond(self, budget: int, name: str) -> None:
        """Raises TooDearError where it is more than a budget allows."""
        if self.texels > budget:
            asked, most = _say(self.texels), _say(budget)
            raise TooDearError(f"{name} would touch {asked} texels; the limit is {most}. {self.change}")


def _say(count: int) -> str:
    for size, word in ((10**12, "trillion"), (10**9, "billion"), (10**6, "million")):
        if count >= size:
            return f"{say_number(count / size)} {word}" if count < 1000 * 10**12 else "far too many"
    return f"{count}"


def peak_memory() -> int:
    """Bytes of memory that this process held at most so far; 0 where the system does not say."""
    if sys.platform == "win32":
        return 0
    import resource  # Unix has it alone

    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return peak if sys.platform == "darwin" else peak * 1024  # in bytes there, in kilobytes elsewhere (getrusage(2))
