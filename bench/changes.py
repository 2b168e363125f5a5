"""Changes to a piece: each makes a revision and answers with the parts of the page that it changed."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import partial

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from bench.models import Revision, StaleError
from bench.requests import piece_of, revision_of, step_of
from bench.steps import Step, groups
from bench.views import page_context
from relief.displace.forecast import refuse_if_too_large
from relief.errors import RecipeError, ReliefError
from relief.sources.roles import READING_NAMES

STALE = "This piece was changed in another window. Your change was not taken, and nothing was overwritten."
READING = "layers.0.content.reading"
NOT_PATHS = ("base", "step", "csrfmiddlewaretoken")


@require_POST
def change(request: HttpRequest, pk: int) -> HttpResponse:
    """Sets parameters anew, given by their paths."""
    return _carried_out(request, pk, partial(_change, request))


@require_POST
def undo(request: HttpRequest, pk: int) -> HttpResponse:
    """Goes one change back."""
    return _carried_out(request, pk, lambda base: Revision.objects.undo(base.piece, base.number))


@require_POST
def redo(request: HttpRequest, pk: int) -> HttpResponse:
    """Goes one change forward again."""
    return _carried_out(request, pk, lambda base: Revision.objects.redo(base.piece, base.number))


def _carried_out(request: HttpRequest, pk: int, move: Callable[[Revision], Revision]) -> HttpResponse:
    """Does something to a piece that stands at the revision the page was made from."""
    base = revision_of(piece_of(request, pk), request.POST.get("base"))
    step = step_of(request.POST.get("step"))
    try:
        revision = move(base)
    except StaleError:
        return _refused(request, base, step, STALE, status=409)
    except ReliefError as problem:
        return _refused(request, base, step, str(problem), status=422)
    return _changed(request, base, revision, step)


def _change(request: HttpRequest, base: Revision) -> Revision:
    posted = {path: values for path, values in request.POST.lists() if path not in NOT_PATHS}
    for path, values in posted.items():
        if len(values) > 1:
            raise RecipeError(f"“{path}” was given {len(values)} times.")
    changes = {path: values[0] for path, values in posted.items()}
    if READING in changes:
        if changes[READING] not in READING_NAMES:
            raise RecipeError("A picture is read as a photo or as a height image.")
        return Revision.objects.read_as(base.piece, base.number, changes[READING])
    if any(path.startswith("surface.") for path in changes):
        recipe = base.read().with_changes(changes)
        refuse_if_too_large(recipe.surface, recipe.footprint)
    return Revision.objects.change(base.piece, base.number, changes)


def _changed(request: HttpRequest, before: Revision, revision: Revision, step: Step) -> HttpResponse:
    """The history, the section's numbers, and the groups of the left side that read otherwise than before."""
    context = page_context(revision, step)
    earlier = {group.id: group for group in groups(before.read(), step)}
    same_groups = list(earlier) == [group.id for group in context["groups"]]
    context["whole"] = not same_groups or step.name in ("surface", "deliver")
    context["changed_groups"] = [group for group in context["groups"] if earlier.get(group.id) != group]
    answer = render(request, "bench/changed.html", context)
    answer["HX-Trigger-After-Settle"] = json.dumps({"revision": {"number": revision.number}})
    return answer


def _refused(request: HttpRequest, base: Revision, step: Step, text: str, status: int) -> HttpResponse:
    """Says why; what was typed goes back to what is kept, unless the page itself is old."""
    context = page_context(base, step) | {"text": text, "stale": status == 409}
    return render(request, "bench/notice.html", context, status=status)
