"""What the stage, the section and the right side show: raw arrays, and figures measured at full size."""

from __future__ import annotations

import math
from dataclasses import asdict, replace

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from bench.engine import ENGINE
from bench.models import Proof, Revision
from bench.previews import VIEWS, apart, pixels_of, uncurved
from bench.requests import (
    asked,
    draft_of,
    layer_of,
    line_of,
    piece_of,
    place_of,
    proof_of,
    revision_of,
    whole_number,
    window_of,
)
from relief import arrange
from relief.compose.imprints import touches_edge
from relief.compose.strokes import Strokes
from relief.deliver.bundle import displaced_plane
from relief.deliver.images import png
from relief.displace.forecast import forecast
from relief.errors import ReliefError
from relief.finished import titles
from relief.generate import GENERATORS
from relief.generate.generator import Grid
from relief.height import Edges, Footprint, HeightField, shrunk
from relief.inspect.finding import Finding
from relief.inspect.findings import measured_and_found
from relief.inspect.probe import probe
from relief.inspect.repeats import motif, suggested_crops, telltales
from relief.inspect.section import Point, length, section
from relief.inspect.swatch import swatch
from relief.maps.displacement import displacement
from relief.pipeline import PROXY, Pipeline
from relief.recipe import Picture, Recipe
from relief.sources.facts import Facts, histogram
from relief.sources.roles import NAMES_IN_A_SENTENCE
from shelf.models import Piece, Source, TextureSet, read_source
from shelf.sets import findings_of
from studio.packet import packet

SHARPEST = 2048
"""Texels on the long side of what the stage shows when the hand rests."""

DRAFT_FACES = 150_000
"""Faces at most of a surface that follows a dragged control."""

SWATCH = 512
"""Texels on the long side of a swatch."""

LAYER_SECTION = 64
"""Samples of the small section of a layer."""

GALLERY, GALLERY_FOOTPRINT, GALLERY_DEPTH = 200, Footprint(width=300, height=300), 10.0
"""Texels, footprint and depth in mm that noises and patterns are shown with."""


@require_http_methods(["GET", "HEAD", "POST"])
def preview(request: HttpRequest, pk: int) -> HttpResponse:
    """The pixels of a view and the section, of a revision with or without a draft change on it."""
    values = asked(request)
    revision = revision_of(piece_of(request, pk), values.get("base"))
    name = values.get("view", "lit")
    longest = min(whole_number(values.get("longest", PROXY)), SHARPEST)
    line = line_of(request)
    try:
        proof = proof_of(revision.piece, values["against"]) if "against" in values else None
        now, before, before_label = _states(revision, draft_of(request), longest, proof)
        drawn_apart = name == "apart" and proof
        if "try" in values:
            now = replace(now, recipe=arrange.layer_added(now.recipe, values["try"])[0])
        if "card" in values:
            now = replace(now, recipe=arrange.with_test_card(now.recipe))
            name = name if name in VIEWS or name in titles(now.recipe) else "lit"
        chosen = layer_of(values, now.recipe)
        layers = now
        now = _only(now, chosen, values.get("until"), "alone" in values)
        recipe = now.recipe
        if "part" in values:
            return _part(request, replace(now, longest=None), name, chosen)
        height = ENGINE.run(now.height())
        shown = before if values.get("before") else now
        arrays = {
            "pixels": apart(now, before) if drawn_apart else pixels_of(name, shown, chosen),
            "section": section(height, *line),
            "section_before": _distances(before, line),
            **_of_layers(layers, chosen, line),
        }
        if proof:
            arrays |= _compared(before, name, chosen)
    except KeyError:
        raise Http404 from None
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    # the picture as it came in lies on its own footprint, before anything was cut
    whole = name == "whole"
    place, edges = (recipe.footprint, recipe.edges) if whole else (height.footprint, height.edges)
    return packet(
        arrays,
        revision=revision.number,
        footprint=[place.width, place.height],
        wraps=edges.wraps,
        whole=whole and place != height.footprint,
        amplitude=recipe.amplitude,
        midlevel=recipe.midlevel,
        section_length=length(height, *line),
        before_label=before_label,
        bump_span=recipe.maps.bump.range(height.samples, recipe.midlevel).amplitude(recipe.amplitude),
    )


def _part(request: HttpRequest, full: Pipeline, name: str, layer: int) -> HttpResponse:
    """A window of a view at full size, for looking at single texels."""
    left, top, right, bottom = window_of(request)
    pixels = pixels_of(name, full, layer)
    rows, columns = pixels.shape[:2]
    first, last = (int(top * rows), int(left * columns)), (math.ceil(bottom * rows), math.ceil(right * columns))
    window = pixels[first[0] : max(last[0], first[0] + 1), first[1] : max(last[1], first[1] + 1)]
    # what is too large to be seen texel by texel is shown as well as the screen can
    shown = shrunk(np.ascontiguousarray(window), SHARPEST)
    bounds = [first[1] / columns, first[0] / rows, last[1] / columns, last[0] / rows]
    return packet({"pixels": shown}, window=bounds, full=[rows, columns])


@require_safe
def value(request: HttpRequest, pk: int) -> JsonResponse:
    """What stands at one place of the finished relief: height, slope and normal."""
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    x, y = place_of(request)
    recipe = revision.read()
    if "card" in request.GET:
        recipe = arrange.with_test_card(recipe)
    try:
        return JsonResponse(asdict(probe(Pipeline(recipe, read_source), ENGINE, x, y)))
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)


def _compared(proof: Pipeline, name: str, layer: int) -> dict[str, np.ndarray]:
    """The same view of a proof, where it has that view: the difference has none, nor has a map added since."""
    try:
        return {"pixels_against": pixels_of(name, proof, min(layer, len(proof.recipe.layers) - 1))}
    except KeyError:
        return {}


def _of_layers(state: Pipeline, chosen: int, line: tuple[Point, Point]) -> dict[str, np.ndarray]:
    """Each layer's own section, the ground first; and how the chosen one lies where it contests with what is below."""
    recipe = state.recipe
    profiles = [
        section(ENGINE.run(state.laid(number)), *line, count=LAYER_SECTION)
        for number, layer in enumerate(recipe.layers)
        if not isinstance(layer.content, Strokes)
    ]
    strokes = [number for number, layer in enumerate(recipe.layers) if isinstance(layer.content, Strokes)]
    for number in strokes:
        above, below = (ENGINE.run(state.composite(top)).field for top in (number, number - 1))
        difference = section(above, *line, count=LAYER_SECTION) - section(below, *line, count=LAYER_SECTION)
        profiles.insert(number, difference)
    found = {"layers": np.stack(profiles)}
    layer = recipe.layers[chosen]
    if chosen and layer.blend in ("taller", "lower") and layer.on and not isinstance(layer.content, Strokes):
        lifted = layer.amount * section(ENGINE.run(state.laid(chosen)), *line) + layer.offset
        found["contest"] = lifted.astype(np.float32)
    return found


def _states(
    revision: Revision, draft: dict[str, str], longest: int, proof: Proof | None
) -> tuple[Pipeline, Pipeline, str]:
    """The state to show, the state to compare it with (a proof, or the one before), and what that is in words."""
    kept = Pipeline(revision.read(), read_source, longest)
    now = replace(kept, recipe=kept.recipe.with_changes(draft)) if draft else kept
    if proof:
        return now, replace(kept, recipe=proof.revision.read()), f"“{proof.name}”"
    if draft:
        return now, kept, "before this change"
    parent = revision.before()
    if parent:
        return kept, replace(kept, recipe=parent.read()), f"before “{revision.label}”"
    switches = [path for path in kept.recipe.paths() if path.endswith(".on")]
    untreated = kept.recipe.with_changes(dict.fromkeys(switches, False))
    return kept, replace(kept, recipe=untreated), "before any treatment"


def _only(state: Pipeline, layer: int, until: str | None, alone: bool) -> Pipeline:
    """The state for a tool that sets a layer's next treatment, or for looking at one layer alone."""
    if until is None and not alone:
        return state
    recipe = state.recipe.with_layers([layer])
    if until is not None:
        kept = list(range(len(recipe.layers[0].treatments)))[: whole_number(until, least=0)]
        recipe = recipe.with_treatments(kept)
    return replace(state, recipe=recipe)


def _distances(state: Pipeline, line: tuple[Point, Point]) -> np.ndarray:
    """Distances in mm along the section from the state's own base surface."""
    recipe = state.recipe
    return displacement(section(ENGINE.run(state.height()), *line), recipe.amplitude, recipe.midlevel)


@require_safe
def surface(request: HttpRequest, pk: int) -> HttpResponse:
    """The plane, displaced or flat. `mapped` gives it the normals of the flat plane, for a normal map to turn."""
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    draft = draft_of(request)
    displaced = request.GET.get("displaced") != "0"
    try:
        recipe = revision.read().with_changes(draft) if draft else revision.read()
        if "card" in request.GET:
            recipe = arrange.with_test_card(recipe)
        if draft:
            recipe = _coarser(recipe)
        height = ENGINE.run(Pipeline(recipe, read_source, PROXY if draft else SHARPEST).displacing())
        mesh = displaced_plane(recipe if displaced else _flat(recipe), height)
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    normals = np.broadcast_to(np.float32([0, 0, 1]), mesh.normals.shape) if "mapped" in request.GET else mesh.normals
    return packet(
        {
            "positions": mesh.positions,
            "normals": normals,
            "uv": mesh.uv,
            "triangles": mesh.triangles().astype(np.uint32),
        },
        faces=len(mesh.faces),
        footprint=[height.footprint.width, height.footprint.height],
    )


def _flat(recipe: Recipe) -> Recipe:
    return recipe.model_copy(update={"amplitude": 0.0})


def _coarser(recipe: Recipe) -> Recipe:
    """The recipe with the highest level, at most its own, that is quick enough to follow a hand."""
    level = recipe.surface.level
    while level and forecast(recipe.surface, recipe.relief_footprint, level).faces > DRAFT_FACES:
        level -= 1
    return recipe.model_copy(update={"surface": recipe.surface.model_copy(update={"level": level})})


@require_safe
def measured(request: HttpRequest, pk: int) -> HttpResponse:
    """The right side: readings, findings and cost, measured at full size."""
    return _measured(request, piece_of(request, pk))


@require_POST
def set_aside(request: HttpRequest, pk: int) -> HttpResponse:
    """Says no more of one kind of finding for this piece; without a kind all are said again."""
    piece = piece_of(request, pk)
    kind = request.POST.get("finding", "")[:40]
    piece.set_aside = sorted({*piece.set_aside, kind})[:40] if kind else []
    piece.save(update_fields=["set_aside"])
    return _measured(request, piece)


def _measured(request: HttpRequest, piece: Piece) -> HttpResponse:
    revision = revision_of(piece, asked(request).get("base"))
    recipe = revision.read()
    context = {"piece": piece, "revision": revision}
    try:
        taken, found = measured_and_found(Pipeline(recipe, read_source), ENGINE)
        found += _inked(Pipeline(recipe, read_source, PROXY))
        aside = [item for item in found if item.kind in piece.set_aside]
        found = [item for item in found if item not in aside]
        context |= {
            "readings": taken,
            "findings": found,
            "aside": aside,
            "cost": forecast(recipe.surface, recipe.relief_footprint),
        }
    except ReliefError as problem:
        context["problem"] = str(problem)
    return render(request, "bench/measured.html", context)


def _inked(pipeline: Pipeline) -> list[Finding]:
    """Pictures that are pressed in although they are drawn up to their edge."""
    found = []
    for number, layer in enumerate(pipeline.recipe.layers):
        picture = pipeline.imprint_picture(number) if layer.on else None
        if picture and touches_edge(ENGINE.run(picture)):
            reason = f"“{layer.name}” presses a picture in that is drawn up to its edge, where it is cut off straight."
            found.append(Finding("inked", "Ink touches the edge", f"{reason} Leave a margin, or fade its edge wider."))
    return found


@require_safe
def facts(request: HttpRequest, pk: int) -> HttpResponse:
    """What is known of the piece's source, with its histogram."""
    piece = piece_of(request, pk)
    recipe = Revision.objects.now(piece).read()
    reference = recipe.sources[recipe.layers[0].content.source]
    source = get_object_or_404(Source, owner=request.artist, digest=reference.digest)
    content = recipe.layers[0].content
    context = {
        "piece": piece,
        "source": source,
        "facts": source.facts,
        "role_name": NAMES_IN_A_SENTENCE[source.facts.guess.role],
        "read_through": _read_through(source.facts, content),
    }
    try:
        counts, low, high = histogram(ENGINE.run(Pipeline(recipe, read_source, PROXY).untreated()).samples)
        context |= {"outline": _outline(counts), "bins": len(counts), "low": low, "high": high}
        texture_set = TextureSet.objects.filter(removed=None, members__pieces=piece).first()
        if texture_set:
            context |= {"texture_set": texture_set, "set_findings": findings_of(texture_set)}
    except ReliefError as problem:
        context["problem"] = str(problem)
    return render(request, "bench/facts.html", context)


def _read_through(known: Facts, content: Picture) -> str:
    """In words, which transfer function the samples are read through, and why."""
    said = known.transfer or "none tagged"
    if content.reading != "photo":
        return f"{said}; sRGB taken off, as you asked" if content.transfer == "srgb" else f"{said}; read as data"
    if content.transfer == "none" or (known.linear and content.transfer == "auto"):
        return f"{said}; read as linear"
    return f"{said}; sRGB taken off"


def _outline(counts: np.ndarray) -> str:
    """An SVG path around the bars of a histogram, 1 wide and up to 40 high; the root keeps rare greys visible."""
    heights = 38 * np.sqrt(counts / max(counts.max(), 1))
    bars = "".join(f"V{40 - height:.1f}H{place + 1}" for place, height in enumerate(heights))
    return f"M0 40{bars}V40z"


def _asked_for(request: HttpRequest, revision: Revision) -> Pipeline:
    """A revision at the proxy, or one of its layers up to a treatment."""
    recipe = revision.read()
    return _only(Pipeline(recipe, read_source, PROXY), layer_of(request.GET, recipe), request.GET.get("until"), False)


@require_safe
def heights(request: HttpRequest, pk: int) -> JsonResponse:
    """The histogram of what reaches a tone curve, for its graph: heights before a treatment, or a map without it."""
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    state = _asked_for(request, revision)
    try:
        if "map" in request.GET:
            samples = uncurved(state, whole_number(request.GET["map"], least=0))
        else:
            samples = ENGINE.run(state.height()).samples
        counts, low, high = histogram(samples)
    except KeyError:
        raise Http404 from None
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    return JsonResponse({"outline": _outline(counts), "bins": len(counts), "low": low, "high": high})


@require_safe
def repeats(request: HttpRequest, pk: int) -> JsonResponse:
    """Of the relief before a treatment: the motif, and either its telltales or crops that would tile."""
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    state = _asked_for(request, revision)
    try:
        height = ENGINE.run(state.height())
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    across, down = motif(height)
    found: dict[str, object] = {
        "motif": [across and 100 * across / height.footprint.width, down and 100 * down / height.footprint.height]
    }
    if "crops" in request.GET:
        found["crops"] = [asdict(crop) for crop in suggested_crops(height)]
    else:
        found["telltales"] = [asdict(place) for place in telltales(height)]
    return JsonResponse(found)


@require_safe
@cache_control(private=True, max_age=86_400)
def gallery_picture(request: HttpRequest, kind: str) -> HttpResponse:
    """A noise or pattern as it begins, in the light that all of them are shown in."""
    field = _shown_in_gallery(kind)
    return HttpResponse(png(swatch(field, GALLERY_DEPTH)), content_type="image/png")


@require_safe
@cache_control(private=True, max_age=86_400)
def gallery_section(request: HttpRequest, kind: str) -> JsonResponse:
    """The section of a noise or pattern across its middle."""
    heights_ = section(_shown_in_gallery(kind), (0, 0.5), (1, 0.5), count=LAYER_SECTION)
    return JsonResponse({"heights": [round(float(height), 4) for height in heights_]})


def _shown_in_gallery(kind: str) -> HeightField:
    if kind not in GENERATORS:
        raise Http404
    grid = Grid(GALLERY, GALLERY, GALLERY_FOOTPRINT)
    return HeightField(GENERATORS[kind]().draw(grid), GALLERY_FOOTPRINT, Edges(across="wrap", down="wrap"))


@require_safe
@cache_control(private=True, max_age=31_536_000, immutable=True)
def swatch_picture(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """A small lit picture of a revision. A revision never changes, so neither does its swatch."""
    revision = revision_of(piece_of(request, pk), number)
    try:
        pipeline = Pipeline(revision.read(), read_source, SWATCH)
        pixels = swatch(ENGINE.run(pipeline.height()), pipeline.recipe.amplitude)
    except (ReliefError, OSError) as problem:
        raise Http404 from problem
    return HttpResponse(png(pixels), content_type="image/png")
