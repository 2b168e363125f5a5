"""What the worker does for the bench: it makes a new studio ready."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from threading import Event
from typing import Any

from django.conf import settings

from relief.deliver.rates import measure_machine
from relief.progress import Part, Progress
from relief.warm_up import warm_up
from studio.background.apart import run_apart
from studio.background.carrying import carries_out
from studio.background.models import WorkError
from studio.bench.demo_pieces import list_missing, make_missing
from studio.bench.preparing import note_kernels_are_compiled
from studio.bench.rates import keep_rates
from studio.ready import note_ready
from studio.shelf.models import Preparation

PIECES = 0.6
"""The share of the progress that the demo pieces are."""


@carries_out(Preparation)
def prepare(preparation: Preparation, progress: Progress) -> dict[str, Any]:
    """Makes the demo pieces that are missing, then compiles what they did not need, half of it beside them."""
    problems = []
    with _compiling_beside(halves=(1,)):
        if preparation.with_pieces:
            count = len(list_missing(preparation.owner))
            for number, (title, problem) in enumerate(make_missing(preparation.owner)):
                progress.step(PIECES * min(number / count, 1), f"Making the demo piece “{title}”")
                problems += [problem] if problem else []
        run_apart(partial(warm_up, halves=(0,)), (), Part(progress, PIECES, 1))
    note_kernels_are_compiled()
    with suppress(WorkError):  # then the first page that tells a time measures it
        keep_rates(run_apart(measure_machine, (), progress))
    if not problems:
        pieces = not list_missing(preparation.owner)
        note_ready(settings.DATA, Path(settings.DATABASES["default"]["NAME"]), with_pieces=pieces)
    return {"message": " ".join(problems)[:300]}


@contextmanager
def _compiling_beside(halves: Sequence[int]) -> Iterator[None]:
    """Compiles kernels in another process meanwhile, which is ended early where something fails beside it."""
    wish = _Wish()
    with ThreadPoolExecutor(1) as pool:
        compiling = pool.submit(run_apart, partial(warm_up, halves=halves), (), wish)
        try:
            yield
        except BaseException:
            wish.ended.set()
            raise
    compiling.result()


class _Wish(Progress):
    """Says nothing; what listens to it stops once it has ended."""

    def __init__(self) -> None:
        self.ended = Event()

    def cancelled(self) -> bool:
        return self.ended.is_set()
