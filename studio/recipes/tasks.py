"""What the worker does for a series: one item after the other in a process of its own; in between other heavy work goes
first.
"""

from __future__ import annotations

import logging
from typing import Any

from relief.deliver.forecast import forecast_bundle
from relief.deliver.series import deliver_item
from relief.errors import Cancelled, ReliefError
from relief.progress import Part, Progress
from relief.run.engine import Engine
from studio.background.apart import Apart
from studio.background.carrying import BROKE, carries_out
from studio.background.elsewhere import open_board
from studio.background.models import Work, WorkError
from studio.background.tasks import begin
from studio.bench.rates import mesh_rates
from studio.recipes.handing_out import hand_out
from studio.recipes.models import Series, SeriesItem, SeriesRun
from studio.shelf.models import source_folder
from studio.web.refusals import is_full_disk, say_file_fault

logger = logging.getLogger(__name__)


@carries_out(SeriesRun)
def run_series(run: SeriesRun, progress: Progress) -> dict[str, Any]:
    """Makes the items that are to do. Where other heavy work waits, the rest goes on after it."""
    series = run.series
    series.folder.mkdir(parents=True, exist_ok=True)
    if not series.each:
        series.each = _forecast(series.items.filter(state=SeriesItem.State.PLANNED).first())
        series.save(update_fields=["each"])
    if board := open_board():
        hand_out(series, board, progress)
    with Apart() as apart:
        while item := series.items.filter(state=SeriesItem.State.PLANNED).first():
            over, many = series.count_over()
            part = Part(progress, over / many, (over + 1) / many)
            make_item(item, apart, _OfItem(part, f"{over + 1} of {many}: {item.name}"))
            if _others_wait() and series.items.filter(state=SeriesItem.State.PLANNED).exists():
                go_on_with(series)
                break
    return {"message": ""}


def go_on_with(series: Series) -> None:
    """Has the worker make what is to do of a series, when its turn comes."""
    begin(SeriesRun.objects.create(owner=series.owner, series=series))


def make_item(item: SeriesItem, apart: Apart, progress: Progress) -> None:
    """Makes the delivery of an item; one that fails says why, and leaves the others alone.

    Raises:
        Cancelled: the series was stopped; the item is still to do.
        OSError: the disk is full.
    """
    what = item.path, item.picture
    try:
        item.finish(apart.run(deliver_item, (*what, item.recipe(), source_folder(), item.name), progress))
    except Cancelled:
        raise
    except (ReliefError, WorkError) as problem:
        item.fail(str(problem))
    except OSError as problem:
        if is_full_disk(problem):
            raise
        item.fail(say_file_fault(problem))
    except Exception:
        logger.exception("An item of a series broke")
        item.fail(BROKE)


def _forecast(item: SeriesItem | None) -> float:
    """Seconds that an item will take, about; 0 where that cannot be told."""
    if item is None:
        return 0.0
    try:
        return forecast_bundle(item.recipe(), source_folder(), Engine(), item.name, mesh_rates).seconds
    except (ReliefError, OSError):
        return 0.0


def _others_wait() -> bool:
    """Whether heavy work of another kind, or of another series, waits for its turn."""
    waiting = Work.State.WAITING
    return any(kind.objects.filter(state=waiting).exists() for kind in Work.heavy_kinds())


class _OfItem(Progress):
    """Says which item it is before what is being done."""

    def __init__(self, whole: Progress, called: str) -> None:
        self.whole, self.called = whole, called

    def report(self, fraction: float, message: str) -> None:
        self.whole.report(fraction, f"{self.called}, {message[:1].lower()}{message[1:]}"[:300])

    def cancelled(self) -> bool:
        return self.whole.cancelled()
