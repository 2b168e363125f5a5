"""The five steps of the work, and which parameters and views belong to each."""

from __future__ import annotations

from dataclasses import dataclass, field

from relief.depth.from_light import FromLight
from relief.filters.bands import Bands
from relief.formats.scenes import SCENES
from relief.parameters import controls
from relief.recipe.layer import Picture
from relief.recipe.recipe import Recipe
from relief.recipe.relief import CONTENT_PATH
from relief.run.finished import TITLES, titles


@dataclass(frozen=True)
class View:
    """A way to look at the relief on the stage."""

    name: str
    label: str


REMOVED_LIGHT, SEEN = View("light", "Removed shading"), View("seen", "Visible part")
PAINT, CERTAIN = View("paint", "Paint"), View("certain", "Certainty")
LIT, HEIGHT, SLOPE = View("lit", "Lit"), View("height", "Height"), View("slope", "Slope")
MAPS = tuple(View(name, TITLES[name]) for name in ("normal", "bump", "displacement"))


@dataclass(frozen=True)
class Step:
    """One step of the route."""

    number: int
    name: str
    title: str
    views: tuple[View, ...]
    groups: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """Paths of the parameters, by the heading they stand under; treatments are added by the relief step."""
    seldom: tuple[str, ...] = ()
    """Beginnings of paths of parameters that are seldom set at this step."""


STEPS = (
    Step(
        1, "source", "Source", (View("whole", "Picture"), View("grey", "Grey"), LIT),
        {
            "Height": tuple(
                f"{CONTENT_PATH}.{name}"
                for name in ("source", "grey", "hue", "channel", "green", "rebuild_blue", "transfer")
            ),
            "Light": tuple(f"{CONTENT_PATH}.light.{known.name}" for known in controls(FromLight)),
            "Footprint": ("footprint.width", "footprint.height", "footprint.keep_aspect"),
            "Edges of the picture": ("edges.across", "edges.down"),
            "Packed channels": tuple(
                f"{CONTENT_PATH}.unpacked.{name}" for name in ("source", "normal", "red", "green", "blue", "alpha")
            ),
        },
    ),
    Step(2, "relief", "Relief", (LIT, HEIGHT, SLOPE), {"Depth": ("amplitude", "midlevel")}),
    Step(
        3, "maps", "Maps", (*MAPS, View("shaded", "Lit")),
        {
            "Normal map": tuple(f"maps.normal.{name}" for name in (
                "strength", "of", "detail", "soften", "kernel", "green", "red",
                *(f"bands.{known.name}" for known in controls(Bands)),
            )),
            "Bump and displacement": (
                "amplitude", "midlevel", "maps.displacement.soften", "maps.displacement.centred",
                "maps.bump.full_range",
            ),
            "Size and edges": ("maps.resolution", "maps.method", "edges.across", "edges.down"),
            "Colours": tuple(
                f"maps.colour.{name}" for name in ("on", "light", "tint", "even", "window")
            ),
        },
        seldom=("edges.",),
    ),
    Step(
        4, "surface", "Surface", (View("surface", "Surface"), View("ways", "Four ways"), LIT),
        {},
    ),
    Step(
        5, "deliver", "Deliver", (View("shaded", "Lit"), *MAPS),
        {
            "Maps": tuple(f"delivery.{name}" for name in (
                "size", "normal_bits", "bump_bits", "displacement_bits", "data_format", "colour_format", "green", "red",
                "midlevel", "pack", "pattern",
            )),
            "Mesh and more": tuple(f"delivery.{name}" for name in (
                "mesh", "mesh_format", "unit", *SCENES, "proof_sheet", "stills", "test_card",
            )),
        },
    ),
)  # fmt: skip

BY_NAME = {step.name: step for step in STEPS}
SECTION_PATHS = ("midlevel", "amplitude")
"""The parameters that are dragged on the section, at every step."""


def has_a_use(recipe: Recipe, path: str) -> bool:
    """Whether a parameter does something as the others are set."""
    relief = recipe.shown
    if path.startswith(CONTENT_PATH) and not isinstance(relief.layers[0].content, Picture):
        return False
    return recipe.is_used(path, relief.surroundings(len(recipe.sources)))


def views(recipe: Recipe, step: Step) -> list[View]:
    """The ways to look at the relief at a step; the light that was taken out only where some was."""
    relief = recipe.shown
    evened = any(treatment.takes_out_light and treatment.on for treatment in relief.layers[0].treatments)
    at_relief = step.name == "relief"
    if step.name in ("maps", "deliver"):
        shown = {view.name for view in step.views}
        return [*step.views, *(View(name, title) for name, title in titles(relief).items() if name not in shown)]
    if step.name == "source" and relief.picture and relief.picture.reading == "light":
        return [*step.views, PAINT, CERTAIN]
    more = [REMOVED_LIGHT] if evened and at_relief else []
    return [*step.views, *more, *([SEEN] if at_relief and len(relief.layers) > 1 else [])]
