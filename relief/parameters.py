"""The one definition of a parameter.

A field of a `Parameters` model carries its bounds, default, unit, label and a help line. The recipe's validation, the
controls on the bench and the options of the command line are all read from here; none of them repeats a bound.
"""

from __future__ import annotations

import importlib
import json
import pkgutil
from collections.abc import Mapping
from dataclasses import dataclass
from types import ModuleType
from typing import Any, ClassVar, Literal, Self, TypeVar, cast, get_args, get_origin

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator
from pydantic.fields import FieldInfo

from relief.errors import RecipeError
from relief.figures import say_number


@dataclass(frozen=True)
class Surroundings:
    """What stands elsewhere in a piece and decides whether a parameter does something.

    Attributes:
        roles: of the maps that came along with the pictures.
        has_colours: whether colours go along.
        reads_light: whether it is known how the light lies on them.
        sources: how many sources the piece has.
        ground_is_picture: whether the ground is a picture.
    """

    roles: tuple[str, ...] = ()
    has_colours: bool = False
    reads_light: bool = False
    sources: int = 0
    ground_is_picture: bool = True


class Parameters(BaseModel):
    """Base of all parameter models: strict about names, frozen, and without infinities."""

    tools: ClassVar[tuple[str, ...]] = ()
    """The tools that set some of its parameters on the stage."""
    seldom: ClassVar[tuple[str, ...]] = ()
    """Those of its parameters that are seldom set, and models whose all are."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, validate_default=True)

    @property
    def heading(self) -> str:
        """What stands before one of its parameters in a sentence; empty where the label alone says enough."""
        return ""

    def unused(self, around: Surroundings) -> set[str]:
        """Those of its parameters that do nothing as the others are set."""
        return set()

    @property
    def useful_tools(self) -> tuple[str, ...]:
        """Those of its tools that set something that counts, as its parameters are set."""
        return self.tools

    @model_validator(mode="before")
    @classmethod
    def _from_form(cls, values: Any) -> Any:
        """A form sends text: JSON of what is drawn, the word for a number of a choice. The rest stays as it is."""
        if not isinstance(values, dict):
            return values
        return {name: _read(cls, name, value) if isinstance(value, str) else value for name, value in values.items()}

    @classmethod
    def create(cls, **values: Any) -> Self:
        """The model with these values.

        Raises:
            RecipeError: a value is out of its bounds; the message is a sentence.
        """
        try:
            return cls(**values)
        except ValidationError as problem:
            error = problem.errors()[0]
            name = str(error["loc"][0]) if error["loc"] else ""
            known = control(cls, name) if name in cls.model_fields and cls.model_fields[name].title else None
            raise RecipeError(
                complaint(
                    error, known.label if known else f"{cls.__name__} {name}".strip(), known.unit if known else ""
                )
            ) from problem


class Kept(Parameters):
    """Something too large for a recipe, which is kept beside the sources; the recipe holds its hash."""

    def as_bytes(self) -> bytes:
        """What is kept: always the same bytes for the same values."""
        return json.dumps(self.model_dump(mode="json"), sort_keys=True, separators=(",", ":")).encode()

    @classmethod
    def read(cls, data: bytes) -> Self:
        """What `as_bytes` wrote.

        Raises:
            RecipeError: it is something else.
        """
        try:
            return cls.model_validate_json(data)
        except ValidationError as problem:
            raise RecipeError(complaint(problem.errors()[0], cls.__name__)) from problem


def number(
    default: float,
    low: float,
    high: float,
    *,
    label: str,
    help: str,
    unit: str = "",
    step: float = 0.01,
    slider: tuple[float, float] | None = None,
    logarithmic: bool = False,
    zero: str = "",
) -> Any:
    """A real or whole number from `low` to `high`. The slider may cover a narrower, handier range than the bounds.

    `zero` are the words for what 0 stands for, where it is not a number like the others.
    """
    extra: Any = {"unit": unit, "step": step, "slider": slider or (low, high), "logarithmic": logarithmic, "zero": zero}
    return Field(default, ge=low, le=high, title=label, description=help, json_schema_extra=extra)


def choice(default: Any, names: dict[Any, str], *, label: str, help: str) -> Any:
    """One of several; `names` gives the word shown for each value. The field's type is the matching `Literal`."""
    return Field(default, title=label, description=help, json_schema_extra=cast(Any, {"names": names}))


def switch(default: bool, *, label: str, help: str) -> Any:
    """On or off."""
    return Field(default, title=label, description=help)


def text(default: str, most: int, *, label: str, help: str) -> Any:
    """A line of text, of so many letters at most."""
    extra: Any = {"text": True}
    return Field(default, max_length=most, title=label, description=help, json_schema_extra=extra)


def tint(default: str, *, label: str, help: str) -> Any:
    """A colour as `#rrggbb`, sRGB."""
    extra: Any = {"tint": True}
    return Field(default, pattern=r"^#[0-9a-fA-F]{6}$", title=label, description=help, json_schema_extra=extra)


def drawn_value(
    default: Any, *, label: str, help: str, shown: str = "help", kept_as: type[Kept] | None = None, **bounds: Any
) -> Any:
    """Something that is dragged or painted rather than typed: stops, corners, marks. A form sends it as JSON.

    Args:
        default, label, help: as of any parameter.
        shown: how it is shown among the controls: `stops`, `places`, `marks`, `line`, or only its `help`.
        kept_as: what one item of the list is, where the list holds the hashes of items that are kept elsewhere.
        bounds: those of Pydantic's `Field`.
    """
    extra: Any = {"drawn": True, "shown": shown, "kept_as": kept_as}
    return Field(default, title=label, description=help, json_schema_extra=extra, **bounds)


@dataclass(frozen=True)
class Control:
    """What a person needs to see and set one parameter."""

    name: str
    kind: Literal["number", "choice", "switch", "drawn", "tint", "text"]
    label: str
    help: str
    default: Any
    unit: str = ""
    step: float = 0
    low: float | None = None
    high: float | None = None
    slider: tuple[float, float] | None = None
    logarithmic: bool = False
    names: dict[Any, str] | None = None
    zero: str = ""
    shown: str = ""
    kept_as: type[Kept] | None = None

    def say(self, value: Any) -> str:
        """The value as it is said in a sentence: `12 mm`, `Sobel`, `on`."""
        if self.kind == "switch":
            return "on" if value else "off"
        if self.kind == "choice":
            return {str(known): name for known, name in (self.names or {}).items()}.get(str(value), str(value))
        if self.kind in ("tint", "text"):
            return value
        if self.kind == "drawn":
            return f"{len(value)}"
        if self.zero and value == 0:
            return self.zero
        return f"{say_number(value, 6)} {self.unit}".rstrip()


def control(model: type[Parameters], name: str) -> Control:
    """The control of one field of a model."""
    field = model.model_fields[name]
    extra: Any = field.json_schema_extra or {}
    shared: dict[str, Any] = {"name": name, "label": field.title, "help": field.description, "default": field.default}
    if field.annotation is bool:
        return Control(kind="switch", **shared)
    if extra.get("drawn"):
        return Control(kind="drawn", shown=extra["shown"], kept_as=extra["kept_as"], **shared)
    for kind in ("tint", "text"):
        if extra.get(kind):
            return Control(kind=kind, **shared)
    if get_origin(field.annotation) is Literal or "names" in extra:
        names = extra.get("names") or {str(value): str(value) for value in get_args(field.annotation)}
        return Control(kind="choice", names=names, **shared)
    return Control(
        kind="number",
        unit=extra["unit"],
        step=extra["step"],
        slider=extra["slider"],
        logarithmic=extra["logarithmic"],
        zero=extra["zero"],
        low=_bound(field, "ge"),
        high=_bound(field, "le"),
        **shared,
    )


def controls(model: type[Parameters]) -> list[Control]:
    """The controls of a model, in the order its fields are written; fields without a label have none."""
    return [control(model, name) for name, field in model.model_fields.items() if field.title]


def complaint(error: Mapping[str, Any], label: str, unit: str | None = "") -> str:
    """One error of a Pydantic validation as a sentence about the parameter with this label."""
    unit = f" {unit}" if unit else ""
    match error["type"]:
        case "greater_than_equal":
            return f"{label} must be at least {say_number(error['ctx']['ge'], 10)}{unit}."
        case "less_than_equal":
            return f"{label} must be at most {say_number(error['ctx']['le'], 10)}{unit}."
        case "float_parsing" | "float_type" | "finite_number":
            return f"{label} must be a number."
        case "int_parsing" | "int_type" | "int_from_float" | "int_parsing_size":
            return f"{label} must be a whole number."
        case "literal_error" | "bool_parsing" | "bool_type" | "string_pattern_mismatch":
            return f"{label} cannot be set to that."
        case "value_error":
            return str(error["ctx"]["error"])
        case _:
            return f"{label}: {error['msg'][0].lower()}{error['msg'][1:]}."


def _read(model: type[Parameters], name: str, text: str) -> Any:
    """What a form's text stands for in a field; text that is none of a choice stays, to be complained about."""
    field = model.model_fields.get(name)
    if field is None:
        return text
    extra: Any = field.json_schema_extra or {}
    if extra.get("drawn"):
        try:
            return json.loads(text)
        except (ValueError, RecursionError):
            raise ValueError("What was drawn could not be read. Draw it again.") from None
    if get_origin(field.annotation) is Literal:
        return {str(value): value for value in get_args(field.annotation)}.get(text, text)
    return text


def _bound(field: FieldInfo, name: str) -> float | None:
    return next((getattr(item, name) for item in field.metadata if hasattr(item, name)), None)


Kind = TypeVar("Kind", bound=Parameters)


def list_modules(package: str, first: str = "") -> dict[str, ModuleType]:
    """The modules of a package by their names in order, but for those that begin with an underscore.

    Args:
        package: its full name.
        first: the name of one that is put before all others.
    """
    found = pkgutil.iter_modules(importlib.import_module(package).__path__)
    names = [each.name for each in found if not each.name.startswith("_")]
    names.sort(key=lambda name: (name != first, name))
    return {name: importlib.import_module(f"{package}.{name}") for name in names}


def discover(package: str, base: type[Kind]) -> dict[str, type[Kind]]:
    """The subclasses of `base` that the modules of a package define, by their `kind`.

    To add one is to add a file to the package: nothing else lists it.
    """
    found: dict[str, type[Kind]] = {}
    for module in list_modules(package).values():
        for item in vars(module).values():
            if isinstance(item, type) and issubclass(item, base) and not item.model_fields["kind"].is_required():
                found[item.model_fields["kind"].default] = item
    return found
