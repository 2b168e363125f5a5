"""A piece as data: everything needed to make its results again from the sources.

A recipe is frozen. A change is a set of paths with new values, such as `layers.0.treatments.1.radius`; it gives a new
recipe, checked as a whole.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any, Literal, Self

from pydantic import Field, ValidationError

from relief.errors import RecipeError
from relief.height import Edges, Footprint
from relief.maps.normal import Normal
from relief.parameters import Control, Parameters, choice, complaint, control, number
from relief.sources.colour import GREY_NAMES, Grey
from relief.sources.facts import READING_NAMES, Reading
from relief.surface.plane import Plane
from relief.treat import TREATMENTS, AnyTreatment

VERSION = 1


class SourceReference(Parameters):
    """A source named in a recipe."""

    digest: str = Field(pattern=r"^[0-9a-f]{64}$")
    filename: str = Field(max_length=200)


class Picture(Parameters):
    """A layer's content: one source, read as a photo or as a height image."""

    kind: Literal["picture"] = "picture"
    source: str
    reading: Reading = choice(
        "photo", READING_NAMES, label="Read as",
        help="A photo holds contrast, of which grey is made. A height image is data, taken as it is.",
    )  # fmt: skip
    grey: Grey = choice(
        "luminance", GREY_NAMES, label="Grey from",
        help="Which brightness of the photo becomes height.",
    )  # fmt: skip


class Layer(Parameters):
    """One contribution to the relief."""

    name: str = Field(max_length=200)
    content: Picture
    treatments: tuple[AnyTreatment, ...] = Field((), max_length=64)


class Maps(Parameters):
    """How the maps are made."""

    normal: Normal = Normal()


class Delivery(Parameters):
    """What goes into the bundle."""

    normal_bits: Literal[8, 16] = choice(
        8, {8: "8 bit", 16: "16 bit"}, label="Normal map",
        help="8 bit is what most programs read; 16 bit keeps smooth slopes free of bands.",
    )  # fmt: skip


class Recipe(Parameters):
    """The whole piece."""

    version: Literal[1] = VERSION
    sources: dict[str, SourceReference]
    layers: tuple[Layer, ...] = Field(min_length=1, max_length=1)
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

    def differences(self, other: Recipe) -> list[str]:
        """In words, which parameters another recipe has otherwise: `Amplitude 5 mm to 8 mm`."""
        words = []
        for path in self.paths():
            try:
                there = other.value(path)
            except RecipeError:
                continue
            if there != self.value(path):
                known = self.control(path)
                words.append(f"{known.label} {known.worded(self.value(path))} to {known.worded(there)}")
        return words

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


def _sentence(problem: ValidationError, recipe: Recipe | None = None) -> str:
    """The first thing a validation complains about, as a sentence with the parameter's label."""
    error = problem.errors()[0]
    # Pydantic names the kind of a treatment on the way to its parameter; a path does not
    path = ".".join(str(part) for part in error["loc"] if part not in TREATMENTS)
    try:
        known = recipe.control(path) if recipe else None
    except RecipeError:
        known = None
    return complaint(error, known.label if known else path or "The recipe", known.unit if known else "")
