"""Items of a series handed out to helpers on other machines, by the board that all of them read."""

from __future__ import annotations

import hashlib
import json
import shutil
import time
from pathlib import Path

from django.conf import settings

from relief.deliver.files import checksum
from relief.errors import ReliefError
from relief.progress import Progress
from relief.version import computation_version
from studio.background.elsewhere import EVERY, LOST
from studio.recipes.models import Series, SeriesItem
from studio.remote.board import Board, Report
from studio.remote.helper import results_of

AHEAD = 2
"""Items on the board for each helper: one that is made, and one that is ready when it is done."""


def hand_out(series: Series, board: Board, progress: Progress) -> None:
    """Has helpers make the items that are to do, until none is left or no helper is alive.

    Raises:
        Cancelled: the series was stopped; what is on the board is withdrawn.
    """
    outstanding: dict[str, SeriesItem] = {}
    try:
        while True:
            for report in board.reports(str(series.pk)):
                outstanding.pop(report.work, None)
                take_report(report)
            for work in board.put_up_again():
                lost = outstanding.pop(work, None)
                if lost:
                    lost.fail(LOST)
            helpers = board.helpers()
            if not helpers:
                return
            planned = series.items.filter(state=SeriesItem.State.PLANNED)
            for item in planned[: AHEAD * len(helpers)]:
                work = name_work(item)
                if work not in outstanding and len(outstanding) < AHEAD * len(helpers):
                    try:
                        board.post(work, describe_work(item))
                        outstanding[work] = item
                    except ReliefError as problem:
                        item.fail(str(problem))
            if not outstanding:
                return
            _say(series, len(helpers), progress)
            time.sleep(EVERY)
    finally:
        for work in outstanding:
            board.withdraw(work)


def take_report(report: Report) -> bool:
    """Takes the result that a helper reports, once: what is reported again, or no longer wanted, is removed."""
    number, _, rest = report.work.partition("-")
    key = rest.partition("-")[0]
    item = SeriesItem.objects.filter(pk=key if key.isdecimal() else 0).select_related("series").first()
    if item is None or str(item.series_id) != number:
        return False
    results = results_of(item.series.folder, report.work, report.helper)
    wanted = item.state == SeriesItem.State.PLANNED and report.work == name_work(item)
    if not wanted or report.problem:
        shutil.rmtree(results, ignore_errors=True)
        if wanted:
            item.fail(report.problem)
        return wanted
    try:
        if checksum(results / "delivery.zip") != report.facts.get("sha256"):
            raise OSError("its checksum is wrong")
        (results / "delivery.zip").replace(item.path)
        (results / "picture.png").replace(item.picture)
    except OSError as problem:
        item.fail(f"The result of {report.helper} could not be taken ({problem.strerror or problem}).")
        return False
    finally:
        shutil.rmtree(results, ignore_errors=True)
    item.finish(report.facts)
    return True


def name_work(item: SeriesItem) -> str:
    """The name of an item on the board: another one when its recipe, its pictures or the computation change."""
    said = json.dumps([item.series.recipe, item.sources, computation_version()], sort_keys=True)
    return f"{item.series_id}-{item.pk}-{hashlib.sha256(said.encode()).hexdigest()[:16]}"


def describe_work(item: SeriesItem) -> dict[str, object]:
    """All that a helper needs.

    Raises:
        ReliefError: the recipe or the pictures cannot be read.
    """
    folder = item.series.folder.relative_to(Path(settings.MEDIA_ROOT))
    return {"does": "item", "folder": folder.as_posix(), "title": item.name, "recipe": item.recipe().as_data()}


def _say(series: Series, helpers: int, progress: Progress) -> None:
    over, many = series.count_over()
    machines = "1 machine" if helpers == 1 else f"{helpers} machines"
    progress.step(over / many, f"{over} of {many} made, by {machines}")
