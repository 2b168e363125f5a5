"""Work that only its newest asker waits for: what a page asked for earlier is cancelled when it asks anew."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable

from django.http import HttpRequest

from relief.progress import Progress

MOST_PAGES = 500
"""Pages that are remembered."""


class Newest:
    """Gives each asker a progress that is cancelled once another one has come for the same thing."""

    def __init__(self) -> None:
        self._now: OrderedDict[Hashable, object] = OrderedDict()
        self._lock = threading.Lock()

    def follow(self, thing: Hashable) -> Progress:
        """The progress of who asks for a thing now."""
        mine = WhileNewest(self, thing)
        with self._lock:
            self._now[thing] = mine
            self._now.move_to_end(thing)
            while len(self._now) > MOST_PAGES:
                self._now.popitem(last=False)
        return mine

    def is_newest(self, progress: Progress, thing: Hashable) -> bool:
        with self._lock:
            return self._now.get(thing) is progress


class WhileNewest(Progress):
    """Cancelled when somebody asked after it."""

    def __init__(self, newest: Newest, thing: Hashable) -> None:
        self.newest, self.thing = newest, thing

    def cancelled(self) -> bool:
        return not self.newest.is_newest(self, self.thing)


def page_of(request: HttpRequest) -> str:
    """The name that a page gives itself; its requests are told from those of other windows by it."""
    return request.headers.get("X-Page", "")[:40]
