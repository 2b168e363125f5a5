"""The five steps of the work, and which parameters and views belong to each."""

from __future__ import annotations

import json
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from relief.parameters import Control, Parameters, controls
from relief.recipe import TREATMENTS_PATH, Recipe
from relief.treat import TREATMENTS
from relief.treat.treatment import FAMILY_NAMES, Treatment
from shelf.models import Source

if TYPE_CHECKING:
    from bench.models import Revision

CONTENT = "layers.0.content"


@dataclass(frozen=True)
class Field:
    """One parameter on the bench: its definition, where it stands in the recipe, and its value."""

    path: str
    control: Control
    value: Any
    suggested: bool

    @property
    def id(self) -> str:
        return "control-" + self.path.replace(".", "-").replace("_", "-")

    @property
    def shown(self) -> str:
        """The value as its number box shows it, or as JSON when it is drawn."""
        if self.control.kind == "drawn":
            return json.dumps(self._plain(self.value))
        return f"{self.value:.10g}"

    @staticmethod
    def _plain(value: Any) -> Any:
        return [item.model_dump() if isinstance(item, Parameters) else item for item in value]

    @property
    def is_integer(self) -> bool:
        return isinstance(self.value, int)


@dataclass(frozen=True)
class Group:
    """Parameters that are set together, under one heading; a treatment's group can be switched off."""

    title: str
    fields: list[Field]
    switch: Field | None = None
    number: int | None = None
    """The treatment's place in the list."""
    treatment: Treatment | None = None
    of: int = 0
    """How many treatments there are."""
    brush: float = 0
    """Half the width of a brush stroke to begin with, mm."""

    @property
    def id(self) -> str:
        return f"treatment-{self.number}" if self.treatment else "group-" + self.title.lower().replace(" ", "-")

    @property
    def actions(self) -> list[tuple[str, str]]:
        """What can be done to a treatment beside moving it."""
        return [("duplicate", "Duplicate"), ("reset", "Reset"), ("remove", "Remove")] if self.treatment else []

    @property
    def tool(self) -> str:
        """The tool that sets this treatment on the stage, if there is one."""
        return TOOLS.get(self.treatment.kind, "") if self.treatment else ""


@dataclass(frozen=True)
class View:
    """A way to look at the relief on the stage."""

    name: str
    label: str


TOOLS = {"crop": "crop", "straighten": "corners", "heal": "brush"}
REMOVED_LIGHT = View("light", "Removed light")
LIT, HEIGHT, SLOPE = View("lit", "Lit"), View("height", "Height"), View("slope", "Slope")
MAPS = (View("normal", "Normal"), View("bump", "Bump"), View("displacement", "Displacement"))


@dataclass(frozen=True)
class Step:
    """One step of the route."""

    number: int
    name: str
    title: str
    views: tuple[View, ...]
    groups: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """Paths of the parameters, by the heading they stand under; treatments are added by the relief step."""


STEPS = (
    Step(
        1, "source", "Source", (View("whole", "Picture"), View("grey", "Grey"), LIT),
        {
            "Height": (
                f"{CONTENT}.source", f"{CONTENT}.grey", f"{CONTENT}.hue", f"{CONTENT}.channel", f"{CONTENT}.green",
                f"{CONTENT}.transfer",
            ),
            "Footprint": ("footprint.width", "footprint.height", "footprint.keep_aspect"),
            "Edges of the picture": ("edges.across", "edges.down"),
        },
    ),
    Step(2, "relief", "Relief", (LIT, HEIGHT, SLOPE), {"Depth": ("amplitude", "midlevel")}),
    Step(
        3, "maps", "Maps", (*MAPS, View("shaded", "Lit")),
        {
            "Normal map": ("maps.normal.strength", "maps.normal.kernel", "maps.normal.green"),
            "Size": ("maps.resolution", "maps.method"),
            "Edges of the picture": ("edges.across", "edges.down"),
            "Bump and displacement": ("amplitude", "midlevel"),
        },
    ),
    Step(4, "surface", "Surface", (View("surface", "Surface"), LIT), {"Plane": ("surface.segments",)}),
    Step(5, "deliver", "Deliver", (View("shaded", "Lit"), *MAPS), {"Files": ("delivery.normal_bits",)}),
)  # fmt: skip

BY_NAME = {step.name: step for step in STEPS}
SECTION_PATHS = ("midlevel", "amplitude")
"""The parameters that are dragged on the section, at every step."""


def field_at(recipe: Recipe, path: str) -> Field:
    """The field of one parameter of a recipe."""
    return Field(path, recipe.control(path), recipe.value(path), path in recipe.suggested)


def groups(revision: Revision, step: Step) -> list[Group]:
    """What the left side of the bench shows at a step."""
    recipe = revision.read()
    shown = []
    for title, paths in step.groups.items():
        fields = [field_at(recipe, path) for path in paths if _has_a_use(recipe, path)]
        if title == "Height":
            fields = _with_names(fields, revision)
        if fields:
            shown.append(Group(title, fields))
    return shown + (treatments(recipe) if step.name == "relief" else [])


def _has_a_use(recipe: Recipe, path: str) -> bool:
    """Whether a parameter does something as the others are set."""
    content = recipe.layers[0].content
    match path.removeprefix(f"{CONTENT}."):
        case "source":
            return len(recipe.sources) > 1
        case "grey":
            return content.reading == "photo"
        case "hue":
            return content.reading == "photo" and content.grey == "hue"
        case "channel":
            return content.reading == "height"
        case "green":
            return content.reading == "normal"
        case "transfer":
            return content.reading != "normal"
    return True


def _with_names(fields: list[Field], revision: Revision) -> list[Field]:
    """Fields whose choices are known only from the piece's sources: which picture, which channel."""
    recipe = revision.read()
    content = recipe.layers[0].content
    source = Source.objects.filter(owner=revision.piece.owner, digest=recipe.sources[content.source].digest).first()
    channels = source.facts.channels if source else ()
    names = {
        "source": {role: f"{role.capitalize()}: {reference.filename}" for role, reference in recipe.sources.items()},
        "channel": {"": "First", **{name: name.capitalize() for name in channels}},
    }
    named = []
    for item in fields:
        name = item.control.name
        if name == "channel" and len(channels) < 2:
            continue
        control = replace(item.control, names=names[name]) if name in names else item.control
        named.append(replace(item, control=control))
    return named


def _brush(recipe: Recipe) -> float:
    """A handy width for the brush: a fiftieth of the relief."""
    footprint = recipe.relief_footprint
    return float(f"{max(footprint.width, footprint.height) / 50:.1g}")


def views(recipe: Recipe, step: Step) -> list[View]:
    """The ways to look at the relief at a step; the light that was taken out only where some was."""
    evened = any(treatment.kind == "even_light" and treatment.on for treatment in recipe.layers[0].treatments)
    return [*step.views, *([REMOVED_LIGHT] if evened and step.name == "relief" else [])]


def treatments(recipe: Recipe) -> list[Group]:
    """One group for each treatment of the layer, in their order."""
    shown = []
    listed = recipe.layers[0].treatments
    for number, treatment in enumerate(listed):
        owned = f"{TREATMENTS_PATH}.{number}"
        fields = [field_at(recipe, f"{owned}.{known.name}") for known in controls(type(treatment))]
        switch = next(item for item in fields if item.control.name == "on")
        others = [item for item in fields if item is not switch]
        shown.append(Group(treatment.title, others, switch, number, treatment, len(listed), _brush(recipe)))
    return shown


@dataclass(frozen=True)
class Offer:
    """A treatment that can be added."""

    kind: str
    title: str
    about: str


def offered() -> list[tuple[str, list[Offer]]]:
    """The treatments that can be added, by family."""
    return [
        (
            name,
            [Offer(kind, model.title, model.about()) for kind, model in TREATMENTS.items() if model.family == family],
        )
        for family, name in FAMILY_NAMES.items()
    ]
