"""What the stage and the section show: raw arrays, and the value at a place."""

from __future__ import annotations

import hashlib
import math
from dataclasses import asdict, dataclass, replace

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_http_methods, require_safe

from relief.errors import ReliefError
from relief.filters.resample import shrink
from relief.inspect.probe import probe
from relief.inspect.section import Point, length, section
from relief.maps.displacement import displacement
from relief.recipe import layer_edits, map_edits
from relief.recipe.recipe import Recipe
from relief.run.pipeline import PROXY, Pipeline
from studio.bench.models import Proof, Revision
from studio.bench.pixels.previews import APART, apart, bump_span, has_view, only, pixels_of
from studio.bench.posts.appending import append_items
from studio.bench.requests import (
    draft_of,
    layer_of,
    line_of,
    piece_of,
    place_of,
    proof_of,
    read_question,
    revision_of,
    whole_number,
    window_of,
)
from studio.shelf.engine import get_engine
from studio.shelf.models import read_source
from studio.web.packet import packet

SHARPEST = 2048
"""Texels on the long side of what the stage shows when the hand rests."""

LAYER_SECTION = 64
"""Samples of the small section of a layer."""


@dataclass(frozen=True)
class Look:
    """What a preview is asked to show.

    Attributes:
        view: the name of the view.
        now: the state as far as it is looked at: all of it, one layer alone, or up to a treatment.
        pile: the same state with all of its layers.
        before: the state that it is compared with: a proof, or the one before.
        label: what that is, in words.
        proof: whether it is a proof, whose pixels are wanted too.
        layer: the number of the chosen layer.
    """

    view: str
    now: Pipeline
    pile: Pipeline
    before: Pipeline
    label: str
    proof: bool
    layer: int


@require_http_methods(["GET", "HEAD", "POST"])
def preview(request: HttpRequest, pk: int) -> HttpResponse:
    """The pixels of a view and the section, of a revision with or without a draft change on it."""
    values = read_question(request)
    revision = revision_of(piece_of(request, pk), values.get("base"))
    try:
        look = _look(request, revision)
        if "part" in values:
            return _part(look, window_of(request))
        return _draw_view(look, line_of(request), revision.number, held=bool(values.get("before")))
    except KeyError:
        raise Http404 from None
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)


def _look(request: HttpRequest, revision: Revision) -> Look:
    """Reads what is asked for."""
    values = read_question(request)
    longest = min(whole_number(values.get("longest", PROXY)), SHARPEST)
    proof = proof_of(revision.piece, values["against"]) if "against" in values else None
    pile, before, label = _states(revision, draft_of(request), longest, proof)
    if "try" in values:
        pile = replace(pile, relief=layer_edits.add_layer(pile.relief, values["try"])[0])
    if "card" in values:
        pile = replace(pile, relief=map_edits.with_test_card(pile.relief), sources={})
    view = values.get("view", "lit")
    if "else" in values and not has_view(view, pile.relief):
        view = values["else"]
    layer = layer_of(values, pile.relief)
    now = only(pile, layer, values.get("until"), "alone" in values)
    return Look(view, now, pile, before, label, bool(proof), layer)


def _draw_view(look: Look, line: tuple[Point, Point], revision: int, *, held: bool) -> HttpResponse:
    """The whole view and the section; of the state before while that is held."""
    relief, height = look.now.relief, get_engine().run(look.now.height())
    told = {}
    if look.proof and look.view in APART:
        pixels, told["most"] = apart(look.view, look.now, look.before)
    else:
        pixels = pixels_of(look.view, look.before if held else look.now, look.layer)
    if look.view == "bump":
        told["bump_span"] = bump_span(look.now)
    arrays = {
        "pixels": pixels,
        "section": section(height, *line),
        "section_before": _distances(look.before, line),
        **_of_layers(look.pile, look.layer, line),
        **(_compare(look) if look.proof else {}),
    }
    # the picture as it came in lies on its own footprint, before anything was cut
    whole = look.view == "whole"
    place, edges = (relief.footprint, relief.edges) if whole else (height.footprint, height.edges)
    return packet(
        arrays,
        revision=revision,
        footprint=[place.width, place.height],
        wraps=edges.wraps,
        whole=whole and place != height.footprint,
        amplitude=relief.amplitude,
        midlevel=relief.midlevel,
        section_length=length(height, *line),
        before_label=look.label,
        **told,
    )


def _part(look: Look, window: tuple[float, ...]) -> HttpResponse:
    """A window of a view at full size, for looking at single texels."""
    left, top, right, bottom = window
    pixels = pixels_of(look.view, replace(look.now, longest=None), look.layer)
    rows, columns = pixels.shape[:2]
    first, last = (int(top * rows), int(left * columns)), (math.ceil(bottom * rows), math.ceil(right * columns))
    seen = pixels[first[0] : max(last[0], first[0] + 1), first[1] : max(last[1], first[1] + 1)]
    # what is too large to be seen texel by texel is shown as well as the screen can
    shown = shrink(np.ascontiguousarray(seen), SHARPEST)
    bounds = [first[1] / columns, first[0] / rows, last[1] / columns, last[0] / rows]
    return packet({"pixels": shown}, window=bounds, full=[rows, columns])


def _compare(look: Look) -> dict[str, np.ndarray]:
    """The same view of a proof, where it has that view: the difference has none, nor has a map added since."""
    try:
        return {
            "pixels_against": pixels_of(look.view, look.before, min(look.layer, len(look.before.relief.layers) - 1))
        }
    except KeyError:
        return {}


@require_safe
def value(request: HttpRequest, pk: int) -> JsonResponse:
    """What stands at one place of the finished relief: height, slope and normal."""
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    x, y = place_of(request)
    pipeline = Pipeline.of(revision.read(), read_source)
    if "card" in request.GET:
        pipeline = replace(pipeline, relief=map_edits.with_test_card(pipeline.relief))
    try:
        return JsonResponse(asdict(probe(pipeline, get_engine(), x, y)))
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)


def _of_layers(state: Pipeline, chosen: int, line: tuple[Point, Point]) -> dict[str, np.ndarray]:
    """Each layer's own section, the ground first; and how the chosen one lies where it contests with what is below."""
    relief = state.relief
    profiles = [
        section(get_engine().run(state.layer_on_grid(number)), *line, count=LAYER_SECTION)
        for number, layer in enumerate(relief.layers)
        if not layer.content.works_below
    ]
    strokes = [number for number, layer in enumerate(relief.layers) if layer.content.works_below]
    for number in strokes:
        above, below = (get_engine().run(state.composite(top)).field for top in (number, number - 1))
        difference = section(above, *line, count=LAYER_SECTION) - section(below, *line, count=LAYER_SECTION)
        profiles.insert(number, difference)
    found = {"layers": np.stack(profiles)}
    layer = relief.layers[chosen]
    if chosen and layer.blend in ("taller", "lower") and layer.on and not layer.content.works_below:
        lifted = layer.amount * section(get_engine().run(state.layer_on_grid(chosen)), *line) + layer.offset
        found["contest"] = lifted.astype(np.float32)
    return found


def _states(
    revision: Revision, draft: dict[str, str], longest: int, proof: Proof | None
) -> tuple[Pipeline, Pipeline, str]:
    """The state to show, the state to compare it with (a proof, or the one before), and what that is in words."""
    recipe = revision.read()
    kept = Pipeline.of(recipe, read_source, longest)
    now = _draft(recipe, draft, longest) if draft else kept
    if proof:
        return now, Pipeline.of(proof.revision.read(), read_source, longest), f"the proof “{proof.name}”"
    if draft:
        return now, kept, "before this change"
    parent = revision.before()
    if parent:
        return kept, Pipeline.of(parent.read(), read_source, longest), "before the last change"
    switches = [path for path in kept.relief.paths() if path.endswith(".on")]
    untreated = kept.relief.with_changes(dict.fromkeys(switches, False))
    return kept, replace(kept, relief=untreated), "before any treatment"


def _draft(recipe: Recipe, draft: dict[str, str], longest: int) -> Pipeline:
    """The state with what is tried out; what is being drawn is held here, and kept only when it is finished."""
    held: dict[str, bytes] = {}

    def hold(data: bytes) -> str:
        digest = hashlib.sha256(data).hexdigest()
        held[digest] = data
        return digest

    changed = recipe.with_changes(append_items(recipe, draft, hold))
    return Pipeline.of(changed, lambda digest: held[digest] if digest in held else read_source(digest), longest)


def _distances(state: Pipeline, line: tuple[Point, Point]) -> np.ndarray:
    """Distances in mm along the section from the state's own base surface."""
    relief = state.relief
    return displacement(section(get_engine().run(state.height()), *line), relief.amplitude, relief.midlevel)
