"""How far a computation is, and whether it is still wanted: passed in, never global."""

from __future__ import annotations

from relief.errors import Cancelled


class Progress:
    """Told how far a computation is; asked whether it should stop. This one listens to nobody."""

    def report(self, fraction: float, message: str) -> None:
        """Takes note of `fraction` (0 to 1) done and of what is being done now."""

    def cancelled(self) -> bool:
        return False

    def step(self, fraction: float, message: str) -> None:
        """Reports and goes on.

        Raises:
            Cancelled: somebody asked for that.
        """
        if self.cancelled():
            raise Cancelled
        self.report(fraction, message)


class Part(Progress):
    """A stretch of another progress, from `low` to `high`."""

    def __init__(self, whole: Progress, low: float, high: float) -> None:
        self.whole, self.low, self.high = whole, low, high

    def report(self, fraction: float, message: str) -> None:
        self.whole.report(self.low + (self.high - self.low) * fraction, message)

    def cancelled(self) -> bool:
        return self.whole.cancelled()


class Quiet(Progress):
    """Another progress of which only the wish to stop is passed on: for steps that are said as a whole."""

    def __init__(self, whole: Progress) -> None:
        self.whole = whole

    def cancelled(self) -> bool:
        return self.whole.cancelled()
