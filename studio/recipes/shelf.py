"""The shelf of recipes: those that ship and the artist's own; kept from a piece or a file, downloaded, applied."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

from django.db import IntegrityError, transaction
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_POST, require_safe

from relief.deliver.files import safe_stem
from relief.deliver.images import png
from relief.errors import RecipeError, ReliefError
from relief.filters.resample import shrink
from relief.recipe.recipe import Recipe
from relief.sources.roles import NAMES_IN_A_SENTENCE, role_in_name
from studio.bench.models import Revision
from studio.bench.pixels.swatches import draw_swatch
from studio.bench.requests import piece_of, revision_of
from studio.deliveries.posts import profiles_of
from studio.recipes.matching import match_sources
from studio.recipes.models import KeptRecipe, Series, SeriesRun, pictures_of
from studio.shelf.models import MESH, Source, keep_file, read_source
from studio.web.refusals import refuse
from studio.web.sending import send_to

MOST_RECIPES = 200
LARGEST_FILE = 32 << 20
"""Bytes of the file of a recipe at most: strokes that are drawn by hand stand in it."""

PICTURE = 160
"""Pixels on the side of a recipe's picture."""

MOST_PIECES = 50
"""Pieces that are begun at once."""

LISTED = 50
"""Series that are listed, the newest."""

SHOWN = 200
"""Pictures of the shelf that are offered, the newest first."""

SHIPPED = Path(__file__).parent / "shipped"


@cache
def list_shipped() -> dict[str, dict[str, Any]]:
    """The data of the recipes that ship, by their names."""
    files = sorted(SHIPPED.glob("*.json"))
    return {file.stem.replace("_", " ").capitalize(): json.loads(file.read_text()) for file in files}


@require_safe
def recipes(request: HttpRequest) -> HttpResponse:
    """The page: recipes, what they can be applied to, and series."""
    return render(request, "recipes/recipes.html", _context(request))


@require_POST
def keep(request: HttpRequest, pk: int) -> HttpResponse:
    """Keeps the recipe of a piece as it stands, under a name."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.POST.get("base") or piece.position)
    try:
        picture = png(shrink(draw_swatch(revision), PICTURE))
        kept = _keep(request.artist, request.POST.get("name", "") or piece.title, revision.read(), picture)
    except ReliefError as problem:
        return refuse(request, 422, "Not kept", str(problem))
    return render(request, "recipes/kept.html", {"kept": kept})


@require_POST
def bring_file(request: HttpRequest) -> HttpResponse:
    """Keeps a recipe from a file, such as a delivery holds."""
    upload = request.FILES.get("file")
    try:
        if upload is None:
            raise RecipeError("Choose the file of a recipe.")
        if upload.size > LARGEST_FILE:
            raise RecipeError(f"{upload.name[:80]} is too large for a recipe.")
        try:
            recipe, strokes = Recipe.read_whole(json.loads(upload.read()))
        except (ValueError, RecursionError, AttributeError, TypeError) as problem:
            raise problem if isinstance(problem, ReliefError) else RecipeError("This is not a recipe.") from None
        for data in strokes.values():
            keep_file(data)
        _keep(request.artist, Path(upload.name).stem, recipe)
    except ReliefError as problem:
        return refuse(request, 422, "Not imported", str(problem))
    return send_to(reverse("recipes:recipes"))


@require_safe
def download(request: HttpRequest, pk: int) -> HttpResponseBase:
    """A recipe as a file that `relief run` and `relief series` take."""
    kept = get_object_or_404(KeptRecipe, pk=pk, owner=request.artist)
    try:
        text = kept.read().as_text(read_source)
    except ReliefError as problem:
        return refuse(request, 422, "Not written", str(problem))
    answer = HttpResponse(text, content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="{safe_stem(kept.name)}.json"'
    return answer


@require_safe
@cache_control(private=True, max_age=86_400)
def picture(request: HttpRequest, pk: int) -> HttpResponse:
    """The small picture of a kept recipe."""
    kept = get_object_or_404(KeptRecipe, pk=pk, owner=request.artist)
    return _send_picture(bytes(kept.picture))


@require_safe
@cache_control(private=True, max_age=86_400)
def shipped_picture(request: HttpRequest, number: int) -> HttpResponse:
    """The small picture of a recipe that ships, by its place among them."""
    files = sorted(SHIPPED.glob("*.png"))
    return _send_picture(files[number].read_bytes() if number < len(files) else b"")


def _send_picture(data: bytes) -> HttpResponse:
    if not data:
        raise Http404
    return HttpResponse(data, content_type="image/png")


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Removes a kept recipe. Pieces and series that were made by it stay."""
    get_object_or_404(KeptRecipe, pk=pk, owner=request.artist).delete()
    return send_to(reverse("recipes:recipes"))


@require_POST
def begin_pieces(request: HttpRequest) -> HttpResponse:
    """Begins a piece by a recipe of each of the chosen pictures or sets."""
    try:
        name, recipe = read_chosen(request)
        matched, left = match_sources(recipe, chosen_sources(request))
        if not matched:
            raise RecipeError(left[0][1])
        if len(matched) > MOST_PIECES:
            raise RecipeError(f"At most {MOST_PIECES} pieces are begun at once. Begin a series instead.")
        with transaction.atomic():
            begun = [
                Revision.objects.keep_first(
                    request.artist, called, recipe.with_sources(sources),
                    remark=f"by the recipe {name}"[:200],
                )
                for called, sources in matched.items()
            ]  # fmt: skip
    except ReliefError as problem:
        return refuse(request, 422, "Not begun", str(problem))
    one = len(begun) == 1
    return send_to(reverse("bench:step", args=[begun[0].pk, "relief"]) if one else reverse("shelf:shelf"))


def read_chosen(request: HttpRequest) -> tuple[str, Recipe]:
    """The name and the recipe that a form chooses.

    Raises:
        RecipeError: there is none of that name, or this version cannot read it.
    """
    chosen = request.POST.get("recipe", "")
    if chosen in list_shipped():
        return chosen, Recipe.read(list_shipped()[chosen])
    kept = KeptRecipe.objects.filter(owner=request.artist, pk=_number(chosen)).first()
    if kept is None:
        raise RecipeError("Choose a recipe.")
    return kept.name, kept.read()


def chosen_sources(request: HttpRequest) -> list[Source]:
    """The pictures that a form chooses, by their names."""
    keys = [_number(text) for text in request.POST.getlist("source")]
    return list(
        Source.objects.filter(owner=request.artist, removed=None, pk__in=keys).exclude(role=MESH).order_by("filename")
    )


def _number(text: str) -> int:
    """The key of a row; 0, which none has, where it is anything else."""
    return int(text) if text.isdecimal() and len(text) < 18 else 0


def say_needs(recipe: Recipe) -> str:
    """What a recipe needs, in words."""
    wanted = []
    for reference in pictures_of(recipe).values():
        told = role_in_name(reference.filename)
        wanted.append(NAMES_IN_A_SENTENCE[told[0]] if told else "a picture")
    return ", ".join(wanted) if wanted else "no picture"


def _keep(artist: Any, name: str, recipe: Recipe, picture: bytes = b"") -> KeptRecipe:
    """Keeps a recipe; a number tells it from one of the same name.

    Raises:
        RecipeError: there are too many.
    """
    if KeptRecipe.objects.filter(owner=artist).count() >= MOST_RECIPES:
        raise RecipeError(f"At most {MOST_RECIPES} recipes are kept. Remove one first.")
    wanted = " ".join(name.split())[:70] or "Recipe"
    for number in range(1, MOST_RECIPES + 2):
        try:
            with transaction.atomic():
                called = wanted if number == 1 else f"{wanted} {number}"
                return KeptRecipe.objects.create(owner=artist, name=called, recipe=recipe.as_data(), picture=picture)
        except IntegrityError:
            continue
    raise RecipeError("Give the recipe another name.")


def _context(request: HttpRequest) -> dict[str, Any]:
    shown = [(name, _needs_of(data)) for name, data in list_shipped().items()]
    own = [(kept, _needs_of(kept.recipe)) for kept in KeptRecipe.objects.filter(owner=request.artist)]
    sources = Source.objects.filter(owner=request.artist, removed=None).exclude(role=MESH)
    series = list(Series.objects.filter(owner=request.artist)[:LISTED])
    counts = Series.count_each(series)
    runs = {run.series_id: run for run in SeriesRun.objects.filter(series__in=series, state__in=SeriesRun.ACTIVE)}
    return {
        "shipped": shown, "own": own, "sources": sources[:SHOWN], "profiles": profiles_of(request.artist),
        "series": [(each, counts[each.pk], runs.get(each.pk)) for each in series],
    }  # fmt: skip


def _needs_of(data: Any) -> str:
    try:
        return f"needs {say_needs(Recipe.read(data))}"
    except ReliefError as problem:
        return str(problem)
