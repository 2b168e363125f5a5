"""The pages of the bench: new pieces from dropped pictures, and the five steps."""

from __future__ import annotations

from pathlib import PurePath
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST, require_safe

from bench.models import Revision
from bench.requests import piece_of
from bench.steps import BY_NAME, SECTION_PATHS, STEPS, Step, field_at, groups
from relief.displace.forecast import MOST_FACES, by_level, forecast
from relief.errors import PictureError
from relief.sources.roles import READING_NAMES
from shelf.models import Source


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """New pieces from the pictures that were dropped; a broken one does not stop the others."""
    begun, refused = [], []
    files = request.FILES.getlist("pictures")
    if getattr(request, "upload_too_large", False):
        refused.append(("The upload", "It is too large. At most 600 MB can be taken at once."))
    elif not files:
        refused.append(("No picture", "Choose a PNG, JPEG or TIFF file."))
    for file in files:
        try:
            source = Source.objects.keep(request.artist, file.name, file.read())
            begun.append(Revision.objects.begin(source, PurePath(file.name).stem))
        except PictureError as problem:
            refused.append((file.name, str(problem)))
        except OSError:
            refused.append((file.name, "It could not be kept. The disk may be full; free some space and try again."))
    if refused:
        return render(request, "bench/refused.html", {"refused": refused, "begun": begun}, status=422)
    return redirect("bench:step", begun[0].pk, "source") if len(begun) == 1 else redirect("shelf:shelf")


@require_safe
def piece(request: HttpRequest, pk: int) -> HttpResponse:
    return redirect("bench:step", piece_of(request, pk).pk, "relief")


@require_safe
def step(request: HttpRequest, pk: int, name: str) -> HttpResponse:
    """One step of a piece: the whole page, or only the parts that differ between steps."""
    shown = piece_of(request, pk)
    partly = request.htmx and not request.htmx.history_restore_request
    context = page_context(Revision.objects.now(shown), BY_NAME[name])
    return render(request, "bench/parts.html" if partly else "bench/bench.html", context)


def page_context(revision: Revision, step: Step) -> dict[str, Any]:
    """What the bench's templates are filled with."""
    recipe = revision.read()
    plane, footprint = recipe.surface, recipe.footprint
    return {
        "piece": revision.piece,
        "revision": revision,
        "recipe": recipe,
        "layer": recipe.layers[0],
        "step": step,
        "steps": STEPS,
        "groups": groups(recipe, step),
        "section_fields": [field_at(recipe, path) for path in SECTION_PATHS],
        "undoes": revision.label if revision.parent else None,
        "redoes": revision.following(),
        "readings_of": READING_NAMES,
        "levels": by_level(plane, footprint),
        "cost": forecast(plane, footprint),
        "most_faces": MOST_FACES,
    }
