"""Evaluates stages: each is computed once, kept while there is room, and computed by one thread at a time.

A stage is pure: arrays and parameters in, arrays out. Its key is the hash of its name, its parameters and the keys of
its inputs, so a stage whose inputs did not change is not computed again.
"""

from __future__ import annotations

import hashlib
import json
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, fields, is_dataclass
from typing import Any

import numpy as np

from relief.cost import BUDGET, Cost
from relief.errors import Cancelled
from relief.kernels import while_wanted
from relief.progress import Part, Progress


@dataclass(frozen=True)
class Stage:
    """One step of a computation.

    Attributes:
        name: what it does; part of the key and shown as progress.
        compute: called with the results of the inputs; arrays in its result are frozen.
        parameters: all that the result depends on beside the inputs, as JSON data.
        inputs: the stages it needs.
        keep: whether its result is worth its room; what is made again in a moment is not.
        cost: called with the results of the inputs: what `compute` will cost, where that is more than its result shows.
        reports: whether `compute` takes a progress behind its inputs: it takes long, reports and can be cancelled.
    """

    name: str
    compute: Callable[..., Any]
    parameters: Any = None
    inputs: tuple[Stage, ...] = ()
    keep: bool = True
    reports: bool = False
    cost: Callable[..., Cost | None] | None = None
    key: str = field(init=False)

    def __post_init__(self) -> None:
        content = json.dumps([self.name, self.parameters, [stage.key for stage in self.inputs]], sort_keys=True)
        object.__setattr__(self, "key", hashlib.blake2b(content.encode(), digest_size=20).hexdigest())


class Engine:
    """Runs stages and keeps their results, the least recently used ones dropped beyond `capacity` bytes.

    What is kept cannot be written to. A buffer that several results share is counted once. A stage that would touch
    more than `budget` texels is not begun.
    """

    def __init__(self, capacity: int = 1 << 30, budget: int = BUDGET) -> None:
        self.capacity, self.budget = capacity, budget
        self.kept_bytes = 0
        self.computed = 0
        self._results: OrderedDict[str, _Result] = OrderedDict()
        self._buffers: dict[int, _Buffer] = {}
        self._lock = threading.Lock()
        self._under_way: dict[str, _UnderWay] = {}

    def run(self, stage: Stage, progress: Progress | None = None) -> Any:
        """The result of a stage; what it needs is computed first, or taken from what is kept.

        What a later stage of the same run needs is held until then, however little room there is.

        Args:
            stage: what is wanted.
            progress: hears the name of each stage before it is computed.

        Raises:
            Cancelled: asked for through `progress`: between two stages, within one that reports, or while somebody else
                computes what is needed.
            TooDearError: a stage would touch more texels than the budget allows.
        """
        progress = progress or Progress()
        held, order = self._plan(stage)
        wanted = Counter(needed.key for each in order for needed in each.inputs)
        wanted[stage.key] += 1
        for number, each in enumerate(order):
            part = Part(progress, number / len(order), (number + 1) / len(order))
            held[each.key] = self._result(each, held, part)
            for needed in each.inputs:
                wanted[needed.key] -= 1
                if not wanted[needed.key]:
                    held.pop(needed.key, None)
        return held[stage.key]

    def _plan(self, stage: Stage) -> tuple[dict[str, Any], list[Stage]]:
        """What is kept already of what a run needs, and the stages to compute, each after those it needs."""
        held: dict[str, Any] = {}
        order: dict[str, Stage] = {}
        with self._lock:
            ahead = [(stage, False)]
            while ahead:
                each, ready = ahead.pop()
                if ready:
                    order[each.key] = each
                elif each.key in self._results:
                    self._results.move_to_end(each.key)
                    held[each.key] = self._results[each.key].value
                elif each.key not in order and each.key not in held:
                    ahead.append((each, True))
                    ahead.extend((needed, False) for needed in reversed(each.inputs))
        return held, list(order.values())

    def _result(self, stage: Stage, held: dict[str, Any], progress: Progress) -> Any:
        """The result of a stage whose inputs are held: computed here, or by the thread that is at it already."""
        while True:
            with self._lock:
                if stage.key in self._results:  # somebody computed it since
                    return self._results[stage.key].value
                somebody = self._under_way.get(stage.key)
                if somebody is None:
                    mine = self._under_way[stage.key] = _UnderWay()
                    break
            while not somebody.ended.wait(PATIENCE):
                if progress.cancelled():
                    raise Cancelled
            if somebody.done:
                return somebody.value
        try:
            progress.step(0, stage.name)
            inputs = [held[needed.key] for needed in stage.inputs]
            cost = stage.cost(*inputs) if stage.cost else None
            if cost:
                cost.refuse_beyond(self.budget, stage.name)
            with while_wanted(lambda: not progress.cancelled()):
                mine.value = stage.compute(*inputs, progress) if stage.reports else stage.compute(*inputs)
            mine.done = True
            self._keep(stage, mine.value)
            return mine.value
        finally:
            with self._lock:
                self._under_way.pop(stage.key).ended.set()

    def _keep(self, stage: Stage, value: Any) -> None:
        arrays = list(arrays_in(value))
        for array in arrays:
            array.flags.writeable = False  # others read it from now on
        buffers = {id(buffer): buffer for buffer in map(_buffer_of, arrays)}
        size = sum(buffer.nbytes for buffer in buffers.values()) if buffers else SMALL
        with self._lock:
            self.computed += 1
            if not stage.keep or size > self.capacity or stage.key in self._results:
                return
            self._results[stage.key] = _Result(value, tuple(buffers), 0 if buffers else SMALL)
            self.kept_bytes += 0 if buffers else SMALL
            for place, buffer in buffers.items():
                if place not in self._buffers:
                    self._buffers[place] = _Buffer(buffer)
                    self.kept_bytes += buffer.nbytes
                self._buffers[place].users += 1
            while self.kept_bytes > self.capacity:
                self._drop_oldest()

    def _drop_oldest(self) -> None:
        _, oldest = self._results.popitem(last=False)
        self.kept_bytes -= oldest.small
        for place in oldest.buffers:
            shared = self._buffers[place]
            shared.users -= 1
            if not shared.users:
                self.kept_bytes -= self._buffers.pop(place).buffer.nbytes


PATIENCE = 0.2
"""Seconds after which somebody who waits for another thread asks whether that is still wanted."""

SMALL = 1024
"""Bytes that a result without arrays counts for."""


@dataclass(frozen=True)
class _Result:
    value: Any
    buffers: tuple[int, ...]
    small: int


@dataclass
class _Buffer:
    buffer: np.ndarray
    users: int = 0


@dataclass
class _UnderWay:
    ended: threading.Event = field(default_factory=threading.Event)
    done: bool = False
    value: Any = None


def arrays_in(value: Any) -> Iterator[np.ndarray]:
    """The arrays that a result is made of."""
    if isinstance(value, np.ndarray):
        yield value
    elif is_dataclass(value) and not isinstance(value, type):
        for item in fields(value):
            yield from arrays_in(getattr(value, item.name))
    elif isinstance(value, Mapping):
        for item in value.values():
            yield from arrays_in(item)
    elif isinstance(value, tuple | list):
        for item in value:
            yield from arrays_in(item)


def _buffer_of(array: np.ndarray) -> np.ndarray:
    """The array that owns the memory of one."""
    while isinstance(array.base, np.ndarray):
        array = array.base
    return array
