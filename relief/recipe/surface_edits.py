"""Edits to a recipe's surface and to the list of its reliefs. Each gives the recipe and a label in words."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from relief.errors import RecipeError
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import MAIN, Recipe
from relief.recipe.relief import Origin, Relief
from relief.surface.mapping import MAPPINGS, AnyMapping
from relief.surface.mapping.mapping import Mapping as Way
from relief.surface.regions import MOST_REGIONS, Region
from relief.surface.shapes import SHAPES
from relief.surface.subdivision import MOST_PICKED
from relief.surface.surface import Surface
from relief.surface.tessellation import TESSELLATIONS

Done = tuple[Recipe, str]

MOST_RELIEFS = 16


def choose_shape(recipe: Recipe, kind: str, **values: Any) -> Done:
    """Another shape. Regions of parts that it does not have go.

    Raises:
        RecipeError: there is no such shape, or a value is out of its bounds.
    """
    if kind not in SHAPES:
        raise RecipeError("There is no such shape.")
    if kind == recipe.surface.shape.kind and not values:
        return recipe, "Kept the shape"
    shape = SHAPES[kind].create(**values)
    return _with_surface(recipe, shape=shape, regions=()), f"Chose {shape.title.lower()}"


def choose_own_mesh(recipe: Recipe, reference: SourceReference, unit: str, has_uv: bool) -> Done:
    """An own mesh as the shape; one without UV is laid with the relief by box."""
    key = next((key for key, known in recipe.sources.items() if known.digest == reference.digest), "")
    if not key:
        key = _free_key("mesh", recipe.sources)
    shape = SHAPES["mesh"].create(source=key, unit=unit)
    mapping = recipe.surface.mapping
    if not has_uv and mapping.kind == "uv":
        mapping = _other_mapping(mapping, "box")
    changed = recipe.model_copy(update={"sources": {**recipe.sources, key: reference}})
    return _with_surface(changed, shape=shape, mapping=mapping, regions=()), f"Chose {reference.filename}"


def pick_edge(recipe: Recipe, edge: tuple[int, int]) -> Done:
    """An edge of the base mesh stays sharp when it is smoothed, or is let go again.

    Raises:
        RecipeError: more are picked than can be.
    """
    subdivision = recipe.surface.subdivision
    kept = edge not in subdivision.picked
    if kept and len(subdivision.picked) >= MOST_PICKED:
        raise RecipeError(f"At most {MOST_PICKED} edges can be picked. Keep edges sharp by angle instead.")
    others = tuple(each for each in subdivision.picked if each != edge)
    picked = (*others, edge) if kept else others
    changed = _with_surface(recipe, subdivision=subdivision.model_copy(update={"picked": picked}))
    return changed, "Picked an edge" if kept else "Released an edge"


def let_edges_go(recipe: Recipe) -> Done:
    """No edge is picked any more."""
    subdivision = recipe.surface.subdivision.model_copy(update={"picked": ()})
    return _with_surface(recipe, subdivision=subdivision), "Released the picked edges"


def choose_mapping(recipe: Recipe, kind: str, region: int | None = None, **values: Any) -> Done:
    """Another mapping with the same size, repeats and place; for a region, `kind` may be empty: that of the surface.

    `values` are parameters of its own.

    Raises:
        RecipeError: there is no such mapping or region.
    """
    if (kind and kind not in MAPPINGS) or (not kind and region is None):
        raise RecipeError("There is no such mapping.")
    if region is None:
        mapping = _other_mapping(recipe.surface.mapping, kind)
        return _with_surface(recipe, mapping=mapping), f"Mapping: {mapping.title}"
    before = _region(recipe, region)
    own = _other_mapping(before.mapping or recipe.surface.mapping, kind, **values) if kind else None
    told = own.title if own else "as the surface"
    return _with_region(recipe, region, mapping=own), f"{before.name}: mapping {told}"


def _other_mapping(mapping: AnyMapping, kind: str, **values: Any) -> AnyMapping:
    kept = mapping.model_dump(include=set(Way.model_fields) - {"kind"})
    return MAPPINGS[kind].create(**kept | values)


def choose_tessellation(recipe: Recipe, kind: str, **values: Any) -> Done:
    """Another way to faces. Of lengths that it is not told it begins with what suits the size of the surface.

    Raises:
        RecipeError: there is no such way, or a value is out of its bounds.
    """
    if kind not in TESSELLATIONS:
        raise RecipeError("Unknown tessellation method.")
    way = TESSELLATIONS[kind].create(kind=kind, **values)
    return _with_surface(recipe, tessellation=way), f"Faces by {way.title.lower()}"


# regions


def add_region(recipe: Recipe, part: str) -> Done:
    """A region of one part of the shape, which carries what the rest does.

    Raises:
        RecipeError: too many.
    """
    regions = recipe.surface.regions
    if len(regions) >= MOST_REGIONS:
        raise RecipeError(f"A surface has at most {MOST_REGIONS} regions.")
    region = Region(name=part[:60].capitalize() or "Region", parts=(part,), relief=recipe.surface.relief or MAIN)
    return _with_surface(recipe, regions=(*regions, region)), f"Added region {region.name}"


def toggle_part(recipe: Recipe, number: int, part: str) -> Done:
    """Takes a part of the shape into a region, or out of it."""
    region = _region(recipe, number)
    parts = tuple(name for name in region.parts if name != part)
    verb = "removed"
    if len(parts) == len(region.parts):
        parts, verb = (*region.parts, part), "added"
    return _with_region(recipe, number, parts=parts), f"{region.name}: {verb} {part}"


def remove_region(recipe: Recipe, number: int) -> Done:
    """A region less; its faces carry what the rest does."""
    gone, regions = _region(recipe, number), recipe.surface.regions
    return _with_surface(recipe, regions=(*regions[:number], *regions[number + 1 :])), f"Removed region {gone.name}"


def name_region(recipe: Recipe, number: int, name: str) -> Done:
    """A region under another name; a name of nothing leaves the old one."""
    name = " ".join(name.split())[:60]
    return (_with_region(recipe, number, name=name), f"Named {name}") if name else (recipe, "")


def choose_relief(recipe: Recipe, number: int | None, key: str) -> Done:
    """The relief that a region carries, or the rest where no number is given; an empty key is none.

    Raises:
        RecipeError: the piece has no such relief.
    """
    if key and key not in recipe.reliefs:
        raise RecipeError("The piece has no such relief.")
    told = title_of(key) if key else "no relief"
    if number is None:
        return _with_surface(recipe, relief=key), f"The rest carries {told}"
    return _with_region(recipe, number, relief=key), f"{_region(recipe, number).name} carries {told}"


def _region(recipe: Recipe, number: int) -> Region:
    if not 0 <= number < len(recipe.surface.regions):
        raise RecipeError("There is no such region.")
    return recipe.surface.regions[number]


def _with_region(recipe: Recipe, number: int, **values: Any) -> Recipe:
    region = _region(recipe, number).model_copy(update=values)
    regions = recipe.surface.regions
    return _with_surface(recipe, regions=(*regions[:number], region, *regions[number + 1 :]))


def _with_surface(recipe: Recipe, **values: Any) -> Recipe:
    """The recipe with a changed surface; a mesh that it is no longer made of is left out."""
    before = recipe.surface.shape.source_key
    surface: Surface = recipe.surface.model_copy(update=values)
    changed = recipe.model_copy(update={"surface": surface})
    if not before or before in changed.used_sources():
        return changed
    return changed.model_copy(update={"sources": {key: s for key, s in recipe.sources.items() if key != before}})


# reliefs


def add_relief(
    recipe: Recipe,
    name: str,
    relief: Relief,
    sources: Mapping[str, SourceReference] | None = None,
    origin: Origin | None = None,
) -> Done:
    """One more relief under a key made of its name, which is then worked on.

    Args:
        recipe: the piece.
        name: what it is called.
        relief: the relief, whose sources have the keys they have in `sources`.
        sources: what it is made of.
        origin: where it was copied from.

    Raises:
        RecipeError: too many.
    """
    if len(recipe.reliefs) >= MOST_RELIEFS:
        raise RecipeError(f"A piece has at most {MOST_RELIEFS} reliefs.")
    key = _free_key(key_of(name), recipe.reliefs)
    return _with_relief(recipe, key, relief, sources or {}, origin), f"Added relief {title_of(key)}"


def renew_relief(
    recipe: Recipe, key: str, relief: Relief, sources: Mapping[str, SourceReference], origin: Origin
) -> Done:
    """A relief that was copied in, as it now is where it came from."""
    changed = _without_unused(_with_relief(recipe, key, relief, sources, origin))
    return changed, f"Updated {title_of(key)}"


def _with_relief(
    recipe: Recipe, key: str, relief: Relief, sources: Mapping[str, SourceReference], origin: Origin | None
) -> Recipe:
    """The recipe with a relief that comes from elsewhere; its sources get keys that are free here."""
    keys, more = {}, dict(recipe.sources)
    for role in sorted(relief.source_keys()):
        reference = sources[role]
        keys[role] = next((name for name, known in more.items() if known == reference), "") or _free_key(role, more)
        more[keys[role]] = reference
    placed = relief.with_source_keys(keys).model_copy(update={"origin": origin})
    changed = recipe.model_copy(update={"reliefs": {**recipe.reliefs, key: placed}, "sources": more})
    return changed.showing(key)


def _without_unused(recipe: Recipe) -> Recipe:
    """The recipe without sources that nothing is made of any more."""
    kept = recipe.used_sources()
    return recipe.model_copy(update={"sources": {key: known for key, known in recipe.sources.items() if key in kept}})


def remove_relief(recipe: Recipe, key: str) -> Done:
    """A relief less; what carried it carries none.

    Raises:
        RecipeError: there is no such relief, or it is the main one.
    """
    if key not in recipe.reliefs or key == MAIN:
        raise RecipeError("The main relief stays; others can be removed.")
    reliefs = {name: relief for name, relief in recipe.reliefs.items() if name != key}
    surface = recipe.surface
    regions = tuple(
        region.model_copy(update={"relief": "" if region.relief == key else region.relief})
        for region in surface.regions
    )
    carried = "" if surface.relief == key else surface.relief
    surface = surface.model_copy(update={"regions": regions, "relief": carried})
    changed = recipe.model_copy(update={"reliefs": reliefs, "surface": surface}).showing(MAIN)
    return _without_unused(changed), f"Removed relief {title_of(key)}"


def title_of(key: str) -> str:
    """What a relief is called: its key as words."""
    return key.replace("-", " ").capitalize()


def key_of(name: str) -> str:
    """A key made of a name: small letters, digits and hyphens."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "relief"


def _free_key(key: str, taken: Mapping[str, Any]) -> str:
    number, free = 2, key
    while free in taken:
        free, number = f"{key}-{number}", number + 1
    return free
