"""The five steps of the work, and which parameters and views belong to each."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from relief.parameters import Control
from relief.recipe import Recipe


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
        """The value as its number box shows it."""
        return f"{self.value:.10g}"

    @property
    def is_integer(self) -> bool:
        return isinstance(self.value, int)


@dataclass(frozen=True)
class Group:
    """Parameters that are set together, under one heading; a treatment's group can be switched off."""

    title: str
    fields: list[Field]
    switch: Field | None = None

    @property
    def id(self) -> str:
        return "group-" + self.title.lower().replace(" ", "-")


@dataclass(frozen=True)
class View:
    """A way to look at the relief on the stage."""

    name: str
    label: str


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
        1, "source", "Source", (View("picture", "Picture"), View("grey", "Grey"), LIT),
        {
            "Grey": ("layers.0.content.grey",),
            "Footprint": ("footprint.width", "footprint.height", "footprint.keep_aspect"),
            "Edges": ("edges.across", "edges.down"),
        },
    ),
    Step(2, "relief", "Relief", (LIT, HEIGHT, SLOPE), {"Depth": ("amplitude", "midlevel")}),
    Step(
        3, "maps", "Maps", (*MAPS, View("shaded", "Lit")),
        {
            "Normal map": ("maps.normal.strength", "maps.normal.kernel", "maps.normal.green"),
            "Edges": ("edges.across", "edges.down"),
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


def groups(recipe: Recipe, step: Step) -> list[Group]:
    """What the left side of the bench shows at a step."""
    is_photo = recipe.layers[0].content.reading == "photo"
    shown = [
        Group(title, [field_at(recipe, path) for path in paths])
        for title, paths in step.groups.items()
        if title != "Grey" or is_photo
    ]
    return shown + (treatments(recipe) if step.name == "relief" else [])


def treatments(recipe: Recipe) -> list[Group]:
    """One group for each treatment of the layer, in their order."""
    shown = []
    for number, treatment in enumerate(recipe.layers[0].treatments):
        owned = f"layers.0.treatments.{number}."
        fields = [field_at(recipe, path) for path in recipe.paths() if path.startswith(owned)]
        switch = next(item for item in fields if item.control.name == "on")
        shown.append(Group(treatment.title, [item for item in fields if item is not switch], switch))
    return shown
