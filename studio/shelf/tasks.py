"""What the worker does for the shelf: it takes large uploads in, reads the lights of lit series, and measures them."""

from __future__ import annotations

import base64
import math
import time
from typing import Any

from django.conf import settings

from relief.depth.light import Ball, Light
from relief.depth.series_files import estimate_lights_of_files, measure_files, read_lights_of_files
from relief.formats.writing import picture_file
from relief.progress import Progress
from studio.background.apart import run_apart
from studio.background.carrying import carries_out
from studio.shelf.archives import count_entries, incoming
from studio.shelf.models import Arrival, SeriesTask
from studio.shelf.series import keep_lights, keep_measured, photo_files
from studio.shelf.uploads import keep_one


@carries_out(SeriesTask)
def work_on_series(task: SeriesTask, progress: Progress) -> dict[str, Any]:
    """Does what a task says to its series, in a process of its own."""
    series = task.series
    files = photo_files(series)
    match task.kind:
        case SeriesTask.Kind.READ:
            keep_lights(series, run_apart(read_lights_of_files, (files, Ball(*series.ball)), progress), at_ball=True)
            return {}
        case SeriesTask.Kind.ESTIMATE:
            found, pictures = run_apart(estimate_lights_of_files, (files,), progress)
            keep_lights(series, found.lights)
            answers = [base64.b64encode(picture_file(picture, "png")).decode() for picture in pictures]
            return {"remark": found.doubts, "answers": answers}
    lights = [Light(*angles) for angles in series.lights]
    distance = math.inf if task.distance == 0 else task.distance
    ball = Ball(*series.ball) if series.lights_at_ball and series.ball else None
    maps, amplitude, remark = run_apart(measure_files, (files, lights, series.width, distance, ball), progress)
    progress.step(0.97, "Putting the maps on the shelf")
    return {"measured": keep_measured(series, maps), "amplitude": float(f"{amplitude:.4g}"), "remark": remark}


@carries_out(Arrival)
def take_in(arrival: Arrival, progress: Progress) -> dict[str, Any]:
    """Takes in what is left of an upload, entry by entry, within a bound for all of it."""
    until = time.monotonic() + settings.LONGEST_INTAKE
    kept, refused = [], []
    try:
        with arrival.path.open("rb") as file:
            count = max(1, count_entries(file))
            for number, (name, data) in enumerate(incoming(arrival.filename, file, arrival.first), arrival.first):
                if time.monotonic() > until:
                    minutes = round(settings.LONGEST_INTAKE / 60)
                    refused.append(
                        (arrival.filename, f"Reading it took longer than {minutes} minutes, so {count - number} of its "
                            f"{count} files were not imported. Import those in smaller archives.")
                    )  # fmt: skip
                    break
                progress.step(number / count, f"Importing {name[:80]}, {number + 1} of {count}")
                keep_one(arrival.owner, name, data, kept, refused)
    finally:
        arrival.path.unlink(missing_ok=True)
    return {"kept": [source.pk for source in kept], "refused": refused}
