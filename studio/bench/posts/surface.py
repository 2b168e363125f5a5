"""Changes to a piece's surface and to the list of its reliefs."""

from __future__ import annotations

from collections.abc import Callable

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from relief.errors import RecipeError, ReliefError
from relief.inspect.adviser import find_budget
from relief.inspect.start import content_of_picture, first_recipe, start_from_nothing
from relief.recipe import surface_edits as edits
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Origin
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import PROXY
from relief.surface.regions import Region
from relief.surface.subdivision import nearest_edge
from studio.bench.beginning import content_of_set
from studio.bench.models import Revision
from studio.bench.posts.changes import carry_out
from studio.bench.requests import whole_number
from studio.shelf.engine import get_engine
from studio.shelf.models import MESH, Piece, Source, TextureSet, read_source
from studio.shelf.uploads import keep_uploads
from studio.web.wanted import progress_of_request, without_turn

ACTIONS: dict[str, Callable[[HttpRequest, Recipe], edits.Done]] = {}
"""What can be done, by the word that a form posts."""


def _action(work: Callable[[HttpRequest, Recipe], edits.Done]) -> Callable[[HttpRequest, Recipe], edits.Done]:
    ACTIONS[work.__name__.strip("_").replace("_", "-")] = work
    return work


@require_POST
def surface(request: HttpRequest, pk: int) -> HttpResponse:
    """Does one of `ACTIONS` to the surface, or to the reliefs that it carries."""
    work = ACTIONS.get(request.POST.get("action", ""))
    if work is None:
        raise Http404

    def on_recipe(recipe: Recipe) -> edits.Done:
        changed, label = work(request, recipe)
        SurfacePipeline.of(changed, read_source).refuse_if_too_large(get_engine())
        return changed, label

    return carry_out(request, pk, lambda base: Revision.objects.edit(base.piece, base.number, on_recipe))


@_action
def _shape(request: HttpRequest, recipe: Recipe) -> edits.Done:
    return edits.choose_shape(recipe, request.POST.get("kind", ""))


@_action
def _mesh(request: HttpRequest, recipe: Recipe) -> edits.Done:
    """An own mesh from the shelf, or one that comes along as a file."""
    if request.FILES:
        with without_turn():
            taken = keep_uploads(request)
        meshes = [source for source in taken.kept if source.is_mesh]
        if not meshes:
            known = "That is not a mesh. OBJ, PLY, STL and GLB are read."
            raise RecipeError(taken.refused[0][1] if taken.refused else known)
        source = meshes[0]
    else:
        number = whole_number(request.POST.get("source"))
        source = get_object_or_404(Source, owner=request.artist, removed=None, role=MESH, pk=number)
    facts = source.mesh_facts
    return edits.choose_own_mesh(recipe, source.reference, facts.unit, bool(facts.uv_sets))


@_action
def _mapping(request: HttpRequest, recipe: Recipe) -> edits.Done:
    kind, number = request.POST.get("kind", ""), _number(request)
    if kind == "planar" and number is not None and number < len(recipe.surface.regions):
        return edits.choose_mapping(recipe, kind, number, axis=_find_axis(recipe, recipe.surface.regions[number]))
    return edits.choose_mapping(recipe, kind, number)


def _find_axis(recipe: Recipe, region: Region) -> str:
    """The axis that a region looks along: the one that it is thinnest in."""
    low, high = get_engine().run(SurfacePipeline.of(recipe, read_source).base()).bounds(region.parts)
    return "xyz"[int((high - low).argmin())]


@_action
def _tessellation(request: HttpRequest, recipe: Recipe) -> edits.Done:
    kind = request.POST.get("kind", "")
    if kind == recipe.surface.tessellation.kind:
        return recipe, "Tessellation unchanged"
    return edits.choose_tessellation(recipe, kind, **_beginning(recipe, kind))


def _beginning(recipe: Recipe, kind: str) -> dict[str, float]:
    """What a way to faces begins with, so that it suits the size of the surface and the depth of the relief."""
    pipeline = SurfacePipeline.of(recipe, read_source)
    low, high = get_engine().run(pipeline.base()).bounds()
    longest, amplitude = float((high - low).max()), pipeline.pipelines[recipe.shown_key].relief.amplitude
    match kind:
        case "edge":
            return {"edge": float(f"{longest / 100:.2g}")}
        case "error":
            return {"error": float(f"{max(amplitude / 25, 0.0001):.2g}")}
        case "screen":
            camera_y = -1.2 * longest if not pipeline.surface.shape.upright else 0
            return {"camera_x": 0, "camera_y": round(camera_y), "camera_z": round(1.2 * longest)}
    return {}


@_action
def _take_faces(request: HttpRequest, recipe: Recipe) -> edits.Done:
    """What the adviser offers: a level, or a budget."""
    count = whole_number(request.POST.get("count"), 0)
    if request.POST.get("kind") == "budget":
        return edits.choose_tessellation(recipe, "faces", faces=count)
    changed, _ = edits.choose_tessellation(recipe, "levels")
    return changed.with_changes({"surface.level": count}), f"Set level {count}"


@_action
def _pick_edge(request: HttpRequest, recipe: Recipe) -> edits.Done:
    """The base edge that is nearest to where the surface was clicked."""
    try:
        x, y, z = (float(request.POST.get(axis, "")) for axis in "xyz")
    except ValueError:
        raise RecipeError("That is not a point on the surface.") from None
    base = get_engine().run(SurfacePipeline.of(recipe, read_source).base())
    return edits.pick_edge(recipe, nearest_edge(base, (x, y, z)))


@_action
def _let_edges_go(request: HttpRequest, recipe: Recipe) -> edits.Done:
    return edits.let_edges_go(recipe)


@_action
def _take_share(request: HttpRequest, recipe: Recipe) -> edits.Done:
    """A budget of faces that keeps a share of the detail, in percent."""
    try:
        share = float(request.POST.get("share", "")) / 100
    except ValueError:
        raise RecipeError("Enter a percentage of the detail, such as 90.") from None
    pipeline = SurfacePipeline.of(recipe, read_source, PROXY)
    return edits.choose_tessellation(
        recipe, "faces", faces=find_budget(pipeline, get_engine(), share, progress_of_request())
    )


@_action
def _add_region(request: HttpRequest, recipe: Recipe) -> edits.Done:
    return edits.add_region(recipe, request.POST.get("part", ""))


@_action
def _toggle_part(request: HttpRequest, recipe: Recipe) -> edits.Done:
    return edits.toggle_part(recipe, _region(request), request.POST.get("part", ""))


@_action
def _remove_region(request: HttpRequest, recipe: Recipe) -> edits.Done:
    return edits.remove_region(recipe, _region(request))


@_action
def _name_region(request: HttpRequest, recipe: Recipe) -> edits.Done:
    return edits.name_region(recipe, _region(request), request.POST.get("name", ""))


@_action
def _carry(request: HttpRequest, recipe: Recipe) -> edits.Done:
    return edits.choose_relief(recipe, _number(request), request.POST.get("carried", ""))


@_action
def _add_relief(request: HttpRequest, recipe: Recipe) -> edits.Done:
    """A relief begun from a noise or pattern, from a source or a set of the shelf, or copied in from another piece."""
    kind, _, which = request.POST.get("from", "").partition(":")
    mine = {"owner": request.artist, "removed": None}
    match kind:
        case "nothing":
            begun = start_from_nothing(which, read_source, get_engine())
            return edits.add_relief(recipe, begun.main.layers[0].name, begun.main)
        case "source":
            source = get_object_or_404(Source, pk=whole_number(which), **mine)
            content = content_of_picture(source.filename, source.role, source.green)
            sources, name = {"picture": source.reference}, source.filename.rpartition(".")[0]
        case "set":
            texture_set = get_object_or_404(TextureSet, pk=whole_number(which), **mine)
            (sources, content), name = content_of_set(texture_set), texture_set.name
        case "piece":
            other = get_object_or_404(Piece, pk=whole_number(which), **mine)
            there, origin = _as_it_is(other)
            return edits.add_relief(recipe, other.title, there.main, there.sources, origin)
        case _:
            raise Http404
    begun = first_recipe(sources, content, read_source, get_engine())
    return edits.add_relief(recipe, name, begun.main, begun.sources)


@_action
def _renew_relief(request: HttpRequest, recipe: Recipe) -> edits.Done:
    """Brings a relief that was copied in up to date with where it came from."""
    key = request.POST.get("key", "")
    origin = recipe.reliefs[key].origin if key in recipe.reliefs else None
    if origin is None:
        raise RecipeError("This relief is not a copy.")
    other = Piece.objects.filter(owner=request.artist, pk=origin.piece).first()
    if other is None:
        raise RecipeError(f"“{origin.title}” no longer exists. The copy stays as it is.")
    there, origin = _as_it_is(other)
    return edits.renew_relief(recipe, key, there.main, there.sources, origin)


@_action
def _remove_relief(request: HttpRequest, recipe: Recipe) -> edits.Done:
    return edits.remove_relief(recipe, request.POST.get("key", ""))


def _as_it_is(piece: Piece) -> tuple[Recipe, Origin]:
    """The recipe that a piece stands at, and what a copy of its relief remembers."""
    there = Revision.objects.now(piece).read()
    return there, Origin(piece=piece.pk, revision=piece.position, title=piece.title)


def _number(request: HttpRequest) -> int | None:
    """The region that is meant, or none for the rest of the surface."""
    return whole_number(request.POST["number"], 0) if request.POST.get("number") else None


def _region(request: HttpRequest) -> int:
    number = _number(request)
    if number is None:
        raise ReliefError("There is no such region.")
    return number
