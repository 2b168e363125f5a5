"""A piece as data: everything needed to make its results again from the sources.

A recipe is frozen. A change is a set of paths with new values, such as `layers.0.treatments.1.radius`; it gives a new
recipe, checked as a whole.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from typing import Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from relief.errors import RecipeError
from relief.height import Edges, Footprint
from relief.layer import MOST_TREATMENTS, Layer, SourceReference
from relief.maps import AnyCompanionMap
from relief.maps.colour_map import Colour
from relief.maps.companion import CompanionMap
from relief.maps.displacement import Bump, Displacement
from relief.maps.normal import Normal
from relief.maps.packing import Pack
from relief.parameters import Control, Parameters, choice, complaint, control, number, switch
from relief.resample import METHOD_NAMES, Method
from relief.surface.plane import Plane
from relief.treat.detail_bands import Bands
from relief.treat.treatment import Treatment

VERSION = 1
MOST_LAYERS = 24
MOST_MAPS = 16
MOST_PACKS = 8
CONTENT_PATH = "layers.0.content"
TREATMENTS_PATH = "layers.0.treatments"


class Maps(Parameters):
    """How the maps are made."""

    normal: Normal = Normal()
    bump: Bump = Bump()
    displacement: Displacement = Displacement()
    colour: Colour = Colour()
    more: tuple[AnyCompanionMap, ...] = Field((), max_length=MOST_MAPS)
    """Grey maps beside normal, bump and displacement."""
    packs: tuple[Pack, ...] = Field((), max_length=MOST_PACKS)
    """Pictures that hold several maps in their channels."""
    resolution: int = number(
        0, 0, 8192, label="Long side", unit="px", step=256, slider=(0, 8192),
        help="Texels on the long side of all maps; 0 is the size of the source. The full picture is kept to the end "
        "and shrunk last.",
    )  # fmt: skip
    method: Method = choice(
        "area", METHOD_NAMES, label="Resample",
        help="How the maps are brought to another size. By area is right for shrinking, bicubic for enlarging.",
    )  # fmt: skip


class Delivery(Parameters):
    """What goes into the bundle."""

    normal_bits: Literal[8, 16] = choice(
        8, {8: "8 bit", 16: "16 bit"}, label="Normal map",
        help="8 bit is what most programs read; 16 bit keeps smooth slopes free of bands.",
    )  # fmt: skip
    bump_bits: Literal[8, 16] = choice(
        8, {8: "8 bit", 16: "16 bit"}, label="Bump map",
        help="8 bit is what most programs read; 16 bit keeps its steps out of sight.",
    )  # fmt: skip
    test_card: bool = switch(
        False, label="Test card",
        help="Delivers a small known relief along, made with the same settings: a dome, a dent, a ramp and a word. If "
        "its dome looks sunk where the maps arrive, height or green is read the wrong way round.",
    )  # fmt: skip


class Recipe(Parameters):
    """The whole piece."""

    version: Literal[1] = VERSION
    sources: dict[str, SourceReference]
    layers: tuple[Layer, ...] = Field(min_length=1, max_length=MOST_LAYERS)
    footprint: Footprint = Footprint()
    edges: Edges = Edges()
    amplitude: float = number(
        5, 0, 100_000, label="Amplitude", unit="mm", step=0.1, slider=(0.1, 100), logarithmic=True,
        help="The real length from the lowest to the highest height.",
    )  # fmt: skip
    midlevel: float = number(
        0.5, -1e6, 1e6, label="Midlevel", step=0.005, slider=(0, 1),
        help="The height that stays on the surface. Above it comes out, below it goes in.",
    )  # fmt: skip
    maps: Maps = Maps()
    surface: Plane = Plane()
    delivery: Delivery = Delivery()
    suggested: tuple[str, ...] = ()
    """Paths whose value is still the one the app suggested."""

    @model_validator(mode="after")
    def _has_its_sources(self) -> Self:
        if not self._sources_of(self.layers) <= self.sources.keys():
            raise ValueError("A layer is made of a picture that the piece does not have.")
        return self

    @classmethod
    def read(cls, data: Any) -> Self:
        """A recipe from JSON data of this or an earlier version.

        Raises:
            RecipeError: it is not a recipe, or of a later version.
        """
        if not isinstance(data, dict) or "version" not in data:
            raise RecipeError("This is not a recipe.")
        if data["version"] != VERSION:
            raise RecipeError(f"The recipe has version {data['version']}; this app reads version {VERSION}.")
        try:
            return cls.model_validate(data)
        except ValidationError as problem:
            raise RecipeError(_sentence(problem)) from problem

    def as_data(self) -> dict[str, Any]:
        """The recipe as JSON data."""
        return self.model_dump(mode="json")

    def as_text(self) -> str:
        """The recipe as it is written to a file."""
        return json.dumps(self.as_data(), indent=2, ensure_ascii=False) + "\n"

    def value(self, path: str) -> Any:
        """What stands at a path."""
        place, name = self._owner(path)
        return getattr(place, name)

    def control(self, path: str) -> Control:
        """The definition of the parameter at a path."""
        place, name = self._owner(path)
        return control(type(place), name)

    def with_changes(self, changes: Mapping[str, Any]) -> Self:
        """A recipe with new values at some paths; values may be text as a form sends it.

        Raises:
            RecipeError: no such parameter, or a value out of its bounds; the message says which.
        """
        data = self.model_dump()
        for path, value in changes.items():
            self._owner(path)
            _set(data, path, value)
        data["suggested"] = tuple(path for path in self.suggested if path not in changes)
        try:
            changed = type(self).model_validate(data)
            footprint = changed.footprint.following(self.footprint)
        except ValidationError as problem:
            raise RecipeError(_sentence(problem, self)) from problem
        return changed.model_copy(update={"footprint": footprint})._with_lengths_following(self.footprint)

    def _with_lengths_following(self, before: Footprint) -> Self:
        """Lengths that are still suggestions grow with the footprint, so that slopes stay as suggested."""
        growth = self.footprint.width / before.width
        if growth == 1:
            return self
        lengths = [path for path in self.suggested if self.control(path).unit == "mm"]
        data = self.model_dump()
        for path in lengths:
            _set(data, path, float(f"{self.value(path) * growth:.3g}"))
        try:
            return type(self).model_validate(data)
        except ValidationError as problem:
            raise RecipeError(_sentence(problem, self)) from problem

    @property
    def relief_footprint(self) -> Footprint:
        """The real size of the relief after its treatments, some of which cut the picture."""
        return self._laid()[0]

    @property
    def relief_edges(self) -> Edges:
        """How the edges of the relief meet after its treatments."""
        return self._laid()[1]

    def companion_roles(self) -> list[str]:
        """The roles of all companions of all layers, in the order they are met."""
        return list(dict.fromkeys(role for layer in self.layers for role in layer.companions))

    @property
    def has_colours(self) -> bool:
        """Whether colours go along: those of a texture set, or of a photo."""
        return "colour" in self.companion_roles() or getattr(self.layers[0].content, "reading", "") == "photo"

    def _laid(self) -> tuple[Footprint, Edges]:
        footprint = self.footprint
        # what is drawn from nothing meets at its edges
        edges = self.edges if self.layers[0].source else Edges(across="wrap", down="wrap")
        for treatment in self.layers[0].treatments:
            if treatment.on:
                footprint, edges = treatment.footprint_after(footprint, edges), treatment.edges_after(edges)
        return footprint, edges

    def with_treatments(self, order: Sequence[int | Treatment], layer: int = 0) -> Self:
        """A recipe with another list of treatments in a layer: new ones, and those it has by their number.

        Suggestions move along.

        Raises:
            RecipeError: a number that does not exist, or too many treatments.
        """
        place, layer = layer, self.layers[layer]
        if any(isinstance(item, int) and not 0 <= item < len(layer.treatments) for item in order):
            raise RecipeError("There is no such treatment.")
        if len(order) > MOST_TREATMENTS:
            raise RecipeError(f"A layer has at most {MOST_TREATMENTS} treatments.")
        treatments = tuple(layer.treatments[item] if isinstance(item, int) else item for item in order)
        suggested = []
        for path in self.suggested:
            at = re.fullmatch(rf"layers\.{place}\.treatments\.(\d+)\.(\w+)", path)
            if at is None:
                suggested.append(path)
            elif int(at[1]) in order:
                suggested.append(f"layers.{place}.treatments.{order.index(int(at[1]))}.{at[2]}")
        changed = layer.model_copy(update={"treatments": treatments})
        layers = (*self.layers[:place], changed, *self.layers[place + 1 :])
        return self.model_copy(update={"layers": layers, "suggested": tuple(suggested)})

    def with_layers(self, order: Sequence[int | Layer]) -> Self:
        """A recipe with another list of layers, the ground first: new ones, and those it has by their number.

        Suggestions move along, and so do masks and maps that look at a layer.

        Raises:
            RecipeError: no layer is left, too many, or one that does not exist.
        """
        if any(isinstance(item, int) and not 0 <= item < len(self.layers) for item in order):
            raise RecipeError("There is no such layer.")
        if not order:
            raise RecipeError("One layer has to stay.")
        if len(order) > MOST_LAYERS:
            raise RecipeError(f"A piece has at most {MOST_LAYERS} layers.")
        layers = []
        for item in order:
            layer = self.layers[item] if isinstance(item, int) else item
            if layer.mask.layer >= 0:
                seen = order.index(layer.mask.layer) if layer.mask.layer in order else -1
                layer = layer.model_copy(update={"mask": layer.mask.model_copy(update={"layer": seen})})
            layers.append(layer)
        suggested = []
        for path in self.suggested:
            at = re.fullmatch(r"layers\.(\d+)\.(.+)", path)
            if at is None:
                suggested.append(path)
            elif int(at[1]) in order:
                suggested.append(f"layers.{order.index(int(at[1]))}.{at[2]}")
        left_out = self._sources_of(self.layers) - self._sources_of(layers)
        sources = {key: source for key, source in self.sources.items() if key not in left_out}
        maps = self.maps.model_copy(update={"more": tuple(grey.following(order) for grey in self.maps.more)})
        return self.model_copy(
            update={"layers": tuple(layers), "suggested": tuple(suggested), "sources": sources, "maps": maps}
        )

    @staticmethod
    def _sources_of(layers: Sequence[Layer]) -> set[str]:
        """The keys of the sources that some layers are made of."""
        beside = [item.source for layer in layers for item in layer.companions.values()]
        masks = [layer.mask.picture for layer in layers]
        return {key for key in (*(layer.source for layer in layers), *beside, *masks) if key}

    def differences(self, other: Recipe, apart_from: tuple[str, ...] = ()) -> list[str]:
        """In words, which parameters another recipe has otherwise: `Amplitude 5 mm to 8 mm`.

        Args:
            other: the recipe to compare with.
            apart_from: beginnings of paths that are passed over.
        """
        words = []
        for path in self.paths():
            if path.startswith(apart_from):
                continue
            try:
                there = other.value(path)
            except RecipeError:
                continue
            if there != self.value(path):
                known = self.control(path)
                words.append(
                    self._title(path) + f"{known.label} {known.worded(self.value(path))} to {known.worded(there)}"
                )
        return words

    def _title(self, path: str) -> str:
        """The treatment that a path belongs to, as it stands before its parameter in a sentence."""
        owner, _ = self._owner(path)
        if isinstance(owner, Treatment):
            return f"{owner.title}: "
        if isinstance(owner, CompanionMap):
            return f"{owner.called}: "
        if isinstance(owner, Pack):
            return f"{owner.name}: "
        if isinstance(owner, Bands):
            return "Normal map: "
        layer = re.match(r"layers\.([1-9]\d*)\.", path)
        return f"{self.layers[int(layer[1])].name}: " if layer else ""

    def paths(self) -> list[str]:
        """The path of every parameter a person can set."""
        return list(_paths(self, ""))

    def _owner(self, path: str) -> tuple[Parameters, str]:
        """The model a path's last name belongs to, and that name."""
        *way, name = path.split(".")
        place: Any = self
        for part in way:
            if isinstance(place, tuple) and part.isdecimal() and int(part) < len(place):
                place = place[int(part)]
            elif isinstance(place, Parameters) and part in type(place).model_fields:
                place = getattr(place, part)
            else:
                raise RecipeError(f"There is no parameter “{path}”.")
        if not isinstance(place, Parameters) or not _is_parameter(type(place), name):
            raise RecipeError(f"There is no parameter “{path}”.")
        return place, name


def _set(data: dict[str, Any], path: str, value: Any) -> None:
    """Puts a value where a path leads in a recipe's data."""
    *way, name = path.split(".")
    place: Any = data
    for part in way:
        place = place[int(part) if isinstance(place, tuple) else part]
    place[name] = value


def _is_parameter(model: type[Parameters], name: str) -> bool:
    return name in model.model_fields and model.model_fields[name].title is not None


def _paths(place: Any, prefix: str):
    if isinstance(place, tuple):
        for number_, item in enumerate(place):
            yield from _paths(item, f"{prefix}{number_}.")
    elif isinstance(place, Parameters):
        for name in type(place).model_fields:
            if _is_parameter(type(place), name):
                yield prefix + name
            else:
                yield from _paths(getattr(place, name), f"{prefix}{name}.")


def _without_kinds(location: tuple[str | int, ...]) -> list[str | int]:
    """Where an error stands, without the kinds that Pydantic names on the way."""
    kept = []
    for place, part in enumerate(location):
        before = location[place - 1] if place else None
        listed = isinstance(before, int) and place > 1 and location[place - 2] in ("treatments", "more")
        if before == "content" or listed:
            continue
        kept.append(part)
    return kept


def _sentence(problem: ValidationError, recipe: Recipe | None = None) -> str:
    """The first thing a validation complains about, as a sentence with the parameter's label."""
    error = problem.errors()[0]
    path = ".".join(str(part) for part in _without_kinds(error["loc"]))
    try:
        known = recipe.control(path) if recipe else None
    except RecipeError:
        known = None
    return complaint(error, known.label if known else path or "The recipe", known.unit if known else "")
