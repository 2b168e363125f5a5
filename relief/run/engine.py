"""Evaluates stages: each is computed once, kept while there is room, and computed by one thread at a time.

A stage is pure: arrays and parameters in, arrays out. Its key is the hash of its name, its parameters and the keys of
its inputs, so a stage whose inputs did not change is not computed again.
"""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from relief.errors import Cancelled


@dataclass(frozen=True)
class Stage:
    """One step of a computation.

    Attributes:
        name: what it does; part of the key and shown as progress.
        compute: called with the results of the inputs; its result has `nbytes` or is small.
        parameters: all that the result depends on beside the inputs, as JSON data.
        inputs: the stages it needs.
        keep: whether its result is worth its room; what is made again in a moment is not.
    """

    name: str
    compute: Callable[..., Any]
    parameters: Any = None
    inputs: tuple[Stage, ...] = ()
    keep: bool = True
    key: str = field(init=False)
    depth: int = field(init=False)

    def __post_init__(self) -> None:
        content = json.dumps([self.name, self.parameters, [stage.key for stage in self.inputs]], sort_keys=True)
        object.__setattr__(self, "depth", 1 + max((stage.depth for stage in self.inputs), default=0))
        object.__setattr__(self, "key", hashlib.blake2b(content.encode(), digest_size=20).hexdigest())


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


class Engine:
    """Runs stages and keeps their results, the least recently used ones dropped beyond `capacity` bytes."""

    def __init__(self, capacity: int = 1 << 30) -> None:
        self.capacity = capacity
        self.kept_bytes = 0
        self.computed = 0
        self._results: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._lock = threading.Lock()
        self._under_way: dict[str, threading.Event] = {}

    def run(self, stage: Stage, progress: Progress | None = None) -> Any:
        """The result of a stage; what it needs is computed first, or taken from what is kept.

        `progress` hears the name of each stage before it is computed.

        Raises:
            Cancelled: asked for through `progress`, between two stages.
        """
        return self._run(stage, progress or Progress(), stage.depth)

    def _run(self, stage: Stage, progress: Progress, whole: int) -> Any:
        while True:
            with self._lock:
                if stage.key in self._results:
                    self._results.move_to_end(stage.key)
                    return self._results[stage.key][0]
                somebody = self._under_way.get(stage.key)
                if somebody is None:
                    self._under_way[stage.key] = threading.Event()
                    break
            somebody.wait()
        try:
            inputs = [self._run(needed, progress, whole) for needed in stage.inputs]
            progress.step((stage.depth - 1) / whole, stage.name)
            result = stage.compute(*inputs)
            self._keep(stage, result)
            return result
        finally:
            with self._lock:
                self._under_way.pop(stage.key).set()

    def _keep(self, stage: Stage, result: Any) -> None:
        size = getattr(result, "nbytes", 1024)
        with self._lock:
            self.computed += 1
            if not stage.keep or size > self.capacity:
                return
            self._results[stage.key] = (result, size)
            self.kept_bytes += size
            while self.kept_bytes > self.capacity:
                _, (_, freed) = self._results.popitem(last=False)
                self.kept_bytes -= freed
