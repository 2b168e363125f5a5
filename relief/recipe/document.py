"""Models that hold others: what stands at a path such as `layers.0.treatments.1.radius`, and changes to it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, Self

from pydantic import ValidationError

from relief.errors import RecipeError
from relief.parameters import Control, Parameters, Surroundings, complaint, control


class Document(Parameters):
    """A model whose parameters are reached by paths."""

    @classmethod
    def from_data(cls, data: Any, labels: Document | None = None) -> Self:
        """The model with this data.

        Args:
            data: what `model_dump` gives, or JSON data.
            labels: a document of the same shape, whose labels the complaint uses.

        Raises:
            RecipeError: it is not valid; the message is a sentence about the first fault.
        """
        try:
            return cls.model_validate(data)
        except ValidationError as problem:
            raise RecipeError(_sentence(problem, labels)) from problem

    def value(self, path: str) -> Any:
        """What stands at a path."""
        owner, name = self._way(path)[-1]
        return getattr(owner, name)

    def control(self, path: str) -> Control:
        """The definition of the parameter at a path."""
        owner, name = self._way(path)[-1]
        return control(type(owner), name)

    def paths(self) -> list[str]:
        """The path of every parameter a person can set."""
        return list(_paths(self, ""))

    def with_values(self, values: Mapping[str, Any]) -> Self:
        """The document with other values at some paths; they may be text as a form sends it.

        Raises:
            RecipeError: no such parameter, or a value out of its bounds; the message says which.
        """
        data = self.model_dump()
        for path, value in values.items():
            self._way(path)
            _set(data, path, value)
        return type(self).from_data(data, self)

    def differences(self, other: Self, apart_from: tuple[str, ...] = ()) -> list[str]:
        """In words, which parameters another document has otherwise: `Amplitude 5 mm to 8 mm`.

        Args:
            other: the document to compare with.
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
            here = self.value(path)
            if there != here:
                known, heading = self.control(path), self.heading_at(path)
                told = f"{known.label} {known.say(here)} to {known.say(there)}"
                words.append(f"{heading}: {told}" if heading else told)
        return words

    def heading_at(self, path: str) -> str:
        """What the parameter at a path belongs to, as it is called in a sentence; empty where that is the whole."""
        return next((owner.heading for owner, _ in reversed(self._way(path)) if owner.heading), "")

    def owner(self, path: str) -> Parameters:
        """The model that the parameter at a path belongs to."""
        return self._way(path)[-1][0]

    def is_used(self, path: str, around: Surroundings) -> bool:
        """Whether the parameter at a path does something as the others are set."""
        return not any(name in owner.unused(around) for owner, name in self._way(path))

    def is_seldom(self, path: str) -> bool:
        """Whether the parameter at a path is seldom set."""
        return any(name in owner.seldom for owner, name in self._way(path))

    def _way(self, path: str) -> list[tuple[Parameters, str]]:
        """The models on the way to a path, the outermost first, and of each the name that the way goes on with."""
        way: list[tuple[Parameters, str]] = []
        place: Any = self
        for part in path.split("."):
            if isinstance(place, Parameters):
                way.append((place, part))
            last, place = place, _step(place, part)
        if not isinstance(last, Parameters) or not _is_parameter(type(last), part):
            raise RecipeError(f"There is no parameter “{path}”.")
        return way


def _step(place: Any, part: str | int) -> Any:
    """What a name or number leads to; none where it leads nowhere."""
    if isinstance(place, tuple) and str(part).isdecimal() and int(part) < len(place):
        return place[int(part)]
    if isinstance(place, Mapping):
        return place.get(part)
    if isinstance(place, Parameters) and part in type(place).model_fields:
        return getattr(place, part)
    return None


def _set(data: dict[str, Any], path: str, value: Any) -> None:
    """Puts a value where a path leads in a document's data."""
    *way, name = path.split(".")
    place: Any = data
    for part in way:
        place = place[int(part) if isinstance(place, tuple) else part]
    place[name] = value


def _is_parameter(model: type[Parameters], name: str) -> bool:
    return name in model.model_fields and model.model_fields[name].title is not None


def _paths(place: Any, prefix: str) -> Iterator[str]:
    if isinstance(place, tuple):
        for number, item in enumerate(place):
            yield from _paths(item, f"{prefix}{number}.")
    elif isinstance(place, Mapping):
        for key, item in place.items():
            yield from _paths(item, f"{prefix}{key}.")
    elif isinstance(place, Parameters):
        for name in type(place).model_fields:
            if _is_parameter(type(place), name):
                yield prefix + name
            else:
                yield from _paths(getattr(place, name), f"{prefix}{name}.")


def _sentence(problem: ValidationError, labels: Document | None) -> str:
    """The first thing a validation complains about, as a sentence with the parameter's label."""
    error = problem.errors()[0]
    path = _path_of(error["loc"], labels)
    try:
        known = labels.control(path) if labels else None
    except RecipeError:
        known = None
    return complaint(error, known.label if known else path or "The recipe", known.unit if known else "")


def _path_of(location: tuple[str | int, ...], document: Document | None) -> str:
    """Where an error stands. Pydantic names the kind of each item it chooses on the way; that leads nowhere."""
    way, place = [], document
    for part in location:
        found = _step(place, part)
        if found is None and document is not None and part != location[-1]:
            continue
        way.append(str(part))
        place = found
    return ".".join(way)
