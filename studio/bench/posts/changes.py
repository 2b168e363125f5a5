"""Changes to a piece: each makes a revision and answers with the parts of the page that it changed."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import partial
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from relief.compose.layout import Layout
from relief.errors import RecipeError, ReliefError
from relief.inspect.find import find_in_piece
from relief.inspect.start import content_of_picture, set_from_statistics
from relief.recipe import layer_edits, lists, map_edits, treatment_edits
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline
from studio.bench.beginning import content_of_set, start_anew
from studio.bench.models import Revision, StaleError
from studio.bench.pages.groups import FROM_SHELF, groups, layer_rows
from studio.bench.pages.steps import Step, views
from studio.bench.pages.views import page_context
from studio.bench.posts.appending import append_items
from studio.bench.requests import in_mm, layer_of, piece_of, proof_of, revision_of, step_of, whole_number
from studio.shelf.engine import get_engine
from studio.shelf.models import Piece, Source, TextureSet, keep_file, read_source

STALE = "This piece was changed in another window. Your change was not taken, and nothing was overwritten."
SOURCE_PATHS = {"layers.0.content.reading", "layers.0.content.source"}
"""What is read from elsewhere or otherwise starts anew."""
NOT_PATHS = ("base", "step", "layer", "relief", "csrfmiddlewaretoken")
ARRANGEMENTS = {
    "move": treatment_edits.move_treatment,
    "duplicate": treatment_edits.duplicate_treatment,
    "remove": treatment_edits.remove_treatment,
    "reset": treatment_edits.reset,
}
"""What can be done to a treatment of the list, by its number."""
MAP_ACTIONS: dict[str, tuple] = {
    "unlink": (map_edits.unlink_companion, "role"),
    "link": (map_edits.link_companion, "role"),
    "add": (map_edits.add_map, "kind"), "remove-map": (map_edits.remove_map, "number"),
    "name-map": (map_edits.name_map, "number", "name"), "pack": (map_edits.add_pack, "kind"),
    "remove-pack": (map_edits.remove_pack, "number"), "name-pack": (map_edits.name_pack, "number", "name"),
}  # fmt: skip
"""What can be done to the maps beside the others, and what each wants to know."""
PILE = {"duplicate": layer_edits.duplicate_layer, "remove": layer_edits.remove_layer}
"""What can be done to a layer, by its number."""


@require_POST
def change(request: HttpRequest, pk: int) -> HttpResponse:
    """Sets parameters anew, given by their paths."""
    return carry_out(request, pk, partial(_change, request))


@require_POST
def treatments(request: HttpRequest, pk: int) -> HttpResponse:
    """Adds a treatment, or moves, duplicates, removes or resets one."""
    return carry_out(request, pk, lambda base: _edit_relief(base, partial(_arrange, request)))


@require_POST
def layers(request: HttpRequest, pk: int) -> HttpResponse:
    """Adds a layer, or moves, names, duplicates or removes one, or makes its amount up for its repeats."""
    if request.POST.get("action") == "source":
        return carry_out(request, pk, lambda base: _edit_recipe(base, partial(_with_source, request)))
    return carry_out(request, pk, lambda base: _edit_relief(base, partial(_pile, request)))


@require_POST
def maps(request: HttpRequest, pk: int) -> HttpResponse:
    """Adds a grey map or a packed picture, or names or removes one."""
    action = request.POST.get("action")
    if action not in MAP_ACTIONS:
        raise Http404
    work, *wanted = MAP_ACTIONS[action]
    values = [int(_number(request, name)) if name == "number" else request.POST.get(name, "") for name in wanted]
    return carry_out(request, pk, lambda base: _edit_relief(base, lambda relief: work(relief, *values)))


@require_POST
def heal(request: HttpRequest, pk: int) -> HttpResponse:
    """Heals one place of the relief."""
    place = {name: _number(request, name) for name in ("x", "y", "radius")}
    return carry_out(
        request, pk, lambda base: _edit_relief(base, lambda relief: treatment_edits.heal_place(relief, **place))
    )


@require_POST
def start_off(request: HttpRequest, pk: int) -> HttpResponse:
    """Sets light, levels, soften and midlevel from the picture's own statistics."""

    def work(recipe: Recipe) -> tuple[Recipe, str]:
        return recipe.with_relief(set_from_statistics(Pipeline.of(recipe, read_source), get_engine())), "Started off"

    return carry_out(request, pk, lambda base: _edit_recipe(base, work))


@require_POST
def invert_ground(request: HttpRequest, pk: int) -> HttpResponse:
    """Whether what is bright stands out, or what is dark."""
    inverted = request.POST.get("inverted") == "1"

    def work(recipe: Recipe) -> tuple[Recipe, str]:
        relief, label = treatment_edits.invert_ground(recipe.shown, inverted)
        return recipe.with_relief(relief), label

    return carry_out(request, pk, lambda base: _edit_recipe(base, work))


@require_POST
def mend(request: HttpRequest, pk: int) -> HttpResponse:
    """Does what a finding offers. What is then read from elsewhere or otherwise starts anew, as if it were chosen."""
    return carry_out(request, pk, partial(_mend, request.POST.get("finding")))


@require_POST
def close_guide(request: HttpRequest, pk: int) -> HttpResponse:
    """The hint that a demo piece opens with is not shown again."""
    Piece.objects.filter(pk=piece_of(request, pk).pk).update(guide="")
    return HttpResponse()


@require_POST
def back_to_proof(request: HttpRequest, pk: int) -> HttpResponse:
    """A new revision with the recipe of a proof; nothing that was made since is lost."""

    def work(base: Revision) -> Revision:
        proof = proof_of(base.piece, request.POST.get("number"))
        recipe = proof.revision.read()
        return _edit_recipe(base, lambda _: (recipe, f"Back to {proof.name}"))

    return carry_out(request, pk, work)


@require_POST
def go_to(request: HttpRequest, pk: int) -> HttpResponse:
    """Takes any earlier or later state back; the others stay in the list."""
    number = whole_number(request.POST.get("number"))
    return carry_out(request, pk, lambda base: Revision.objects.go_to(base.piece, base.number, number))


@require_POST
def undo(request: HttpRequest, pk: int) -> HttpResponse:
    """Goes one change back."""
    return carry_out(request, pk, lambda base: Revision.objects.undo(base.piece, base.number))


@require_POST
def redo(request: HttpRequest, pk: int) -> HttpResponse:
    """Goes one change forward again."""
    return carry_out(request, pk, lambda base: Revision.objects.redo(base.piece, base.number))


def carry_out(request: HttpRequest, pk: int, move: Callable[[Revision], Revision]) -> HttpResponse:
    """Does something to a piece that stands at the revision the page was made from."""
    base = revision_of(piece_of(request, pk), request.POST.get("base"))
    step = step_of(request.POST.get("step"))
    try:
        revision = move(base)
    except StaleError:
        return _refuse(request, base, step, STALE, status=409)
    except ReliefError as problem:
        return _refuse(request, base, step, str(problem), status=422)
    return _show_changes(request, base, revision, step)


def _change(request: HttpRequest, base: Revision) -> Revision:
    posted = {path: values for path, values in request.POST.lists() if path not in NOT_PATHS}
    for path, values in posted.items():
        if len(values) > 1:
            raise RecipeError(f"“{path}” was given {len(values)} times.")
    sent = in_mm({path: values[0] for path, values in posted.items()})
    changes = append_items(base.read(), sent, keep_file)
    if SOURCE_PATHS & changes.keys():
        return start_anew(base.piece, base.number, changes)
    if any(value.startswith(FROM_SHELF) for value in sent.values()):
        return _edit_recipe(base, partial(_with_pictures_of_the_shelf, request, changes))
    if any(path.startswith("surface.") for path in changes):
        recipe = base.read().with_changes(changes)
        SurfacePipeline.of(recipe, read_source).refuse_if_too_large(get_engine())
    return Revision.objects.change(base.piece, base.number, changes)


def _with_pictures_of_the_shelf(request: HttpRequest, changes: dict[str, Any], recipe: Recipe) -> tuple[Recipe, str]:
    """Changes of which some choose a picture that the piece does not have yet."""
    taken = {}
    for path, value in changes.items():
        if isinstance(value, str) and value.startswith(FROM_SHELF):
            pk = whole_number(value.removeprefix(FROM_SHELF))
            source = get_object_or_404(Source, owner=request.artist, removed=None, pk=pk)
            recipe, value = layer_edits.source_brought(recipe, path.rpartition(".")[2], source.reference)
        taken[path] = value
    return recipe.with_changes(taken), "Chose a picture"


def _edit_recipe(base: Revision, work: Callable[[Recipe], tuple[Recipe, str]]) -> Revision:
    return Revision.objects.edit(base.piece, base.number, work)


def _edit_relief(base: Revision, work: Callable[[Relief], lists.Done]) -> Revision:
    return Revision.objects.edit_relief(base.piece, base.number, work)


def _arrange(request: HttpRequest, relief: Relief) -> lists.Done:
    action = request.POST.get("action")
    layer = layer_of(request.POST, relief)
    if action == "add":
        return treatment_edits.add_treatment(relief, request.POST.get("kind", ""), layer)
    if action not in ARRANGEMENTS:
        raise Http404
    number = int(_number(request, "number"))
    if action == "move":
        return treatment_edits.move_treatment(relief, number, int(_number(request, "to")), layer)
    return ARRANGEMENTS[action](relief, number, layer)


def _pile(request: HttpRequest, relief: Relief) -> lists.Done:
    action = request.POST.get("action")
    if action == "add":
        return layer_edits.add_layer(relief, request.POST.get("kind", ""))
    number = int(_number(request, "number"))
    match action:
        case "move":
            return layer_edits.move_layer(relief, number, int(_number(request, "to")))
        case "name":
            return layer_edits.rename_layer(relief, number, request.POST.get("name", ""))
        case "halve":
            layout = relief.layers[number].layout if 0 <= number < len(relief.layers) else Layout()
            return layer_edits.divide_amount(relief, number, max(layout.counts))
    if action not in PILE:
        raise Http404
    return PILE[action](relief, number)


def _with_source(request: HttpRequest, recipe: Recipe) -> tuple[Recipe, str]:
    """A picture or a texture set of the shelf as a layer on top."""
    kind, _, pk = request.POST.get("from", "").partition(":")
    if kind == "set":
        texture_set = get_object_or_404(TextureSet, owner=request.artist, removed=None, pk=whole_number(pk))
        return layer_edits.add_picture(recipe, texture_set.name, *content_of_set(texture_set))
    source = get_object_or_404(Source, owner=request.artist, removed=None, pk=whole_number(pk))
    content = content_of_picture(source.filename, source.role, source.green)
    return layer_edits.add_picture(recipe, source.filename, {"picture": source.reference}, content)


def _mend(kind: str | None, base: Revision) -> Revision:
    recipe = base.read()
    mends = {item.kind: item.mend for item in find_in_piece(recipe, read_source, get_engine())[1]}
    mend_ = mends.get(kind)
    if mend_ is None:
        raise RecipeError("This finding no longer applies, so there is nothing to mend.")
    if SOURCE_PATHS & mend_.changes.keys():
        return start_anew(base.piece, base.number, mend_.changes)
    return _edit_recipe(base, lambda recipe: (mend_.apply(recipe), mend_.label))


def _number(request: HttpRequest, name: str) -> float:
    """A number that was posted; anything else names nothing of ours."""
    try:
        number = float(request.POST.get(name, ""))
    except ValueError:
        raise Http404 from None
    if not abs(number) < 1e9:
        raise Http404
    return number


def _show_changes(request: HttpRequest, before: Revision, revision: Revision, step: Step) -> HttpResponse:
    """The history, the section's numbers, and the groups of the left side that read otherwise than before."""
    was, now = before.read().shown, revision.read().shown
    shown = layer_of(request.POST, was)
    grown = len(now.layers) > len(was.layers) and request.POST.get("action") in ("add", "source")
    layer = len(now.layers) - 1 if grown else layer_of(request.POST, now)
    context = page_context(revision, step, layer)
    same_layers = layer_rows(was) == layer_rows(now)
    earlier = {group.id: group for group in groups(before, step, shown)}
    same_groups = shown == layer and list(earlier) == [group.id for group in context["groups"]]
    context["whole"] = not same_groups or step.name in ("surface", "deliver")
    context["changed_layers"] = not same_layers and step.name == "relief"
    context["changed_views"] = views(before.read(), step) != context["views"]
    context["changed_groups"] = [group for group in context["groups"] if earlier.get(group.id) != group]
    answer = render(request, "bench/changed.html", context)
    answer["HX-Trigger-After-Settle"] = json.dumps({"revision": {"number": revision.number}})
    return answer


def _refuse(request: HttpRequest, base: Revision, step: Step, text: str, status: int) -> HttpResponse:
    """Says why; what was typed goes back to what is kept, unless the page itself is old."""
    layer = layer_of(request.POST, base.read().shown)
    context = page_context(base, step, layer) | {"text": text, "stale": status == 409}
    return render(request, "bench/notice.html", context, status=status)
