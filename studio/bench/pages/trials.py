"""Trial sheets: one or two parameters over a range, as small lit pictures with their readings, to take one of."""

from __future__ import annotations

import base64
import re
from itertools import product

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from relief.deliver.images import png
from relief.errors import ReliefError
from relief.figures import show_lengths_in
from relief.inspect.readings import STEEPEST_SHARE
from relief.inspect.swatch import in_clay
from relief.run.finished import normal_vectors
from relief.run.pipeline import Pipeline
from studio.bench.models import Revision
from studio.bench.pages.groups import Field, groups
from studio.bench.pixels.previews import draw_finished_map
from studio.bench.requests import draft_of, layer_of, piece_of, revision_of, step_of, whole_number
from studio.shelf.engine import get_engine
from studio.shelf.models import read_source

SMALL = 320
"""Texels on the long side of a trial."""

OWN_MAP = re.compile(r"maps\.(colour|displacement|more\.\d+)\.")
"""Parameters of maps that the lit relief does not show."""

MOST = 7
"""Trials of one parameter at most."""


@require_safe
def choose(request: HttpRequest, pk: int) -> HttpResponse:
    """The form: which parameters of the step that is open, over which range."""
    piece = piece_of(request, pk)
    fields = _numbers(request, revision_of(piece, request.GET.get("base")))
    by_path = {field.path: field for field in fields}
    first = by_path.get(request.GET.get("path", ""), fields[0] if fields else None)
    second = by_path.get(request.GET.get("path2", ""))
    # without a second parameter its list still stands there, to choose one
    axes = [(name, field, *(_range(field) if field else ("", ""))) for name, field in (("", first), ("2", second))]
    axes = axes if first else []
    return render(request, "bench/trial_form.html", {"piece": piece, "fields": fields, "axes": axes})


@require_safe
def sheet(request: HttpRequest, pk: int) -> HttpResponse:
    """The grid; each picture is then asked for on its own, so that the first are there while the last are made."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.GET.get("base"))
    by_path = {field.path: field for field in _numbers(request, revision)}
    axes = []
    for name in ("", "2"):
        path = request.GET.get(f"path{name}", "")
        if path in by_path and path not in dict(axes):
            axes.append(
                (path, _spread(by_path[path], *(request.GET.get(f"{end}{name}") for end in ("from", "to", "count"))))
            )
    if not axes:
        raise Http404
    # the first parameter runs across, the second down
    rows = product(*(values for _, values in reversed(axes)))
    paths = [path for path, _ in reversed(axes)]
    trials = [list(zip(paths, values, strict=True)) for values in rows]
    context = {"piece": piece, "revision": revision, "trials": trials, "columns": len(axes[0][1])}
    return render(request, "bench/trial_sheet.html", context)


@require_safe
def trial(request: HttpRequest, pk: int) -> HttpResponse:
    """One picture of a sheet: the relief with the draft, lit as its normal map would be, and how steep that is.

    Where another map is tried, its picture is that map.
    """
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.GET.get("base"))
    draft = draft_of(request)
    context = {"piece": piece, "draft": draft}
    try:
        before = revision.read()
        show_lengths_in(before.unit)
        recipe = before.with_changes(draft)
        pipeline = Pipeline.of(recipe, read_source, SMALL)
        height = get_engine().run(pipeline.height())
        normals = normal_vectors(pipeline, get_engine())
        pixels = _map_of(draft, pipeline)
        pixels = in_clay(normals) if pixels is None else pixels
        angles = np.degrees(np.arctan2(np.hypot(normals[..., 0], normals[..., 1]), normals[..., 2]))
        context |= {
            "steepest": float(np.percentile(angles, 100 * (1 - STEEPEST_SHARE))),
            "range": float(np.ptp(height.samples)) * recipe.shown.amplitude,
            "picture": base64.b64encode(png(pixels)).decode(),
            "words": [f"{recipe.control(path).label} {recipe.control(path).say(recipe.value(path))}" for path in draft],
            "unchanged": recipe == before,
        }
    except ReliefError as problem:
        context["problem"] = str(problem)
    return render(request, "bench/trial.html", context)


def _map_of(draft: dict[str, str], pipeline: Pipeline) -> np.ndarray | None:
    """The pixels of the only map that a draft changes beside the normal map; none where it changes something else."""
    names = {found[1].replace(".", "-") for path in draft if (found := OWN_MAP.match(path))}
    return draw_finished_map(names.pop(), pipeline) if len(names) == 1 else None


def _numbers(request: HttpRequest, revision: Revision) -> list[Field]:
    """The numbers that the open step shows."""
    step = step_of(request.GET.get("step"))
    shown = groups(revision, step, layer_of(request.GET, revision.read().shown))
    fields = [field for group in shown for field in (*group.fields, *group.folded)]
    return [field for field in fields if field.control.kind == "number"]


def _range(field: Field) -> tuple[float, float]:
    """Where a range begins and ends at first: a quarter to four times of a length, else what the slider spans."""
    known = field.control
    if field.value > 0 and (known.logarithmic or known.slider is None or known.name in ("strength", "amplitude")):
        low, high = field.value / 4, field.value * 4
    else:
        low, high = known.slider or (known.low, known.high)
    return max(low, known.low), min(high, known.high)


def _spread(field: Field, first: str | None, last: str | None, count: str | None) -> list[float]:
    """Evenly spread values within the bounds of a parameter; by equal factors where its slider is logarithmic."""
    try:
        ends = [float(first), float(last)]
    except (TypeError, ValueError):
        raise Http404 from None
    if not np.isfinite(ends).all():
        raise Http404
    known, number = field.control, min(whole_number(count), MOST)
    low, high = np.clip(ends, known.low, known.high)
    by_factors = min(low, high) > 0 and (known.logarithmic or max(low, high) >= 8 * min(low, high))
    values = np.geomspace(low, high, number) if by_factors else np.linspace(low, high, number)
    if field.is_integer:
        return [int(value) for value in dict.fromkeys(np.rint(values))]
    return [float(f"{value:.4g}") for value in values]
