"""Turns at the processors: whose time to be answered comes first has the next one."""

from __future__ import annotations

import heapq
import threading
import time
from collections.abc import Callable
from itertools import count

MOMENT = 0.1
"""Seconds after which one that waits for its turn asks whether it is still wanted."""


class Turns:
    """So many at once; the others wait in the order of the times by which they would like to be answered.

    One that can bear to wait gives way to those that cannot, but not for ever: its own time comes.
    """

    def __init__(self, most: int) -> None:
        self._free = most
        self._lock = threading.Lock()
        self._waiting: list[tuple[float, int, threading.Event]] = []
        self._numbers = count()

    @property
    def waiting(self) -> int:
        """How many wait."""
        return len(self._waiting)

    def take(self, can_wait: float, gone: Callable[[], bool]) -> bool:
        """Waits for a turn, which has to be given back.

        Args:
            can_wait: seconds for which others that come later may go first.
            gone: whether nobody waits for the answer any more.

        Returns:
            Whether there is a turn: none, with nothing to give back, when nobody waited any more.
        """
        called = threading.Event()
        with self._lock:
            if self._free:
                self._free -= 1
                return True
            place = (time.monotonic() + can_wait, next(self._numbers), called)
            heapq.heappush(self._waiting, place)
        while not called.wait(MOMENT):
            if gone():
                with self._lock:
                    if called.is_set():  # the turn came meanwhile
                        break
                    self._waiting.remove(place)
                    heapq.heapify(self._waiting)
                return False
        return True

    def give_back(self) -> None:
        """The turn of the next one that waits begins."""
        with self._lock:
            if self._waiting:
                heapq.heappop(self._waiting)[2].set()
            else:
                self._free += 1
