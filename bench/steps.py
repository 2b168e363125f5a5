"""The five steps of the work, and which parameters and views belong to each."""

from __future__ import annotations

import json
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from relief.compose.imprints import Imprints
from relief.compose.strokes import Strokes
from relief.generate import GENERATORS
from relief.generate.generator import Generator
from relief.generate.noise import Noise
from relief.height import Footprint
from relief.maps import COMPANION_MAPS
from relief.parameters import Control, Parameters, controls
from relief.recipe import Content, Layer, Picture, Recipe
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
    owner: str = ""
    """The path of the model whose parameters these are."""
    tools: tuple[str, ...] = ()
    """Tools that set some of the parameters on the stage."""
    notes: tuple[str, ...] = ()
    """What is to be said of them."""

    @property
    def id(self) -> str:
        if self.treatment:
            return f"treatment-{self.number}"
        if self.number is not None:
            return f"map-{self.number}"
        return "group-" + self.title.lower().replace(" ", "-")

    @property
    def actions(self) -> list[tuple[str, str]]:
        """What can be done to a treatment beside moving it."""
        return [("duplicate", "Duplicate"), ("reset", "Reset"), ("remove", "Remove")] if self.treatment else []


@dataclass(frozen=True)
class View:
    """A way to look at the relief on the stage."""

    name: str
    label: str


TOOLS = {"crop": ("crop",), "straighten": ("corners",), "heal": ("brush",)}
"""The tools of each treatment that is set on the stage."""
REMOVED_LIGHT, SEEN = View("light", "Removed light"), View("seen", "Where it is seen")
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
            "Normal map": ("maps.normal.strength", "maps.normal.soften", "maps.normal.kernel", "maps.normal.green"),
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


def groups(revision: Revision, step: Step, layer: int = 0) -> list[Group]:
    """What the left side of the bench shows at a step; of the relief, one layer at a time."""
    recipe = revision.read()
    shown = []
    for title, paths in step.groups.items():
        fields = [field_at(recipe, path) for path in paths if _has_a_use(recipe, path)]
        if title == "Height":
            fields = _with_names(fields, revision)
        if fields:
            shown.append(Group(title, fields))
    if step.name == "maps":
        shown += more_maps(recipe)
    return shown + (of_layer(revision, layer) + treatments(recipe, layer) if step.name == "relief" else [])


def _has_a_use(recipe: Recipe, path: str) -> bool:
    """Whether a parameter does something as the others are set."""
    content = recipe.layers[0].content
    if path.startswith(CONTENT) and not isinstance(content, Picture):
        return False
    if path.startswith("edges.") and not isinstance(content, Picture):
        return False
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


def _with_names(fields: list[Field], revision: Revision, layer: int = 0) -> list[Field]:
    """Fields whose choices are known only from the piece's sources: which picture, which channel."""
    recipe = revision.read()
    content = recipe.layers[layer].content
    channels: tuple[str, ...] = ()
    if isinstance(content, Picture):
        digest = recipe.sources[content.source].digest
        source = Source.objects.filter(owner=revision.piece.owner, digest=digest).first()
        channels = source.facts.channels if source else ()
    names = {
        "content.source": {
            role: f"{role.capitalize()}: {reference.filename}" for role, reference in recipe.sources.items()
        },
        "content.channel": {"": "First", **{name: name.capitalize() for name in channels}},
        "mask.layer": {-1: "What lies below", **{place: other.name for place, other in enumerate(recipe.layers)}},
    }
    if isinstance(content, Imprints):
        names["content.source"] = {"": "None", **names["content.source"]}
    named = []
    for item in fields:
        name = ".".join(item.path.split(".")[-2:])
        if name == "content.channel" and len(channels) < 2:
            continue
        control = replace(item.control, names=names[name]) if name in names else item.control
        named.append(replace(item, control=control))
    return named


def of_layer(revision: Revision, number: int) -> list[Group]:
    """How a layer is laid, and what it is made of."""
    recipe = revision.read()
    layer, owner = recipe.layers[number], f"layers.{number}"
    content = layer.content
    shown = []
    if number > 0:
        lies = [field_at(recipe, f"{owner}.{name}") for name in layer.uses()]
        if isinstance(content, Strokes):
            lies = [item for item in lies if item.control.name == "amount"]
        shown.append(Group("How it lies", lies, owner=owner))
    if not (isinstance(content, Picture) and number == 0):
        made = [field_at(recipe, f"{owner}.content.{name}") for name in _parameters_of(content)]
        notes = tuple(content.nudges(_cell(recipe, layer))) if isinstance(content, Generator) else ()
        tools = {Imprints: ("places", "line"), Strokes: ("strokes",)}.get(type(content), ())
        title = "Picture" if isinstance(content, Picture) else content.title
        group = Group(title, _with_names(made, revision, number), owner=f"{owner}.content", tools=tools, notes=notes)
        shown.append(replace(group, brush=_brush(recipe)))
    if number > 0 and not isinstance(content, Strokes):
        layout = [field_at(recipe, f"{owner}.layout.{known.name}") for known in controls(type(layer.layout))]
        shown.append(Group("Placement", layout, owner=f"{owner}.layout"))
    if number > 0:
        mask = [field_at(recipe, f"{owner}.mask.{name}") for name in layer.mask.uses()]
        tools = ("brush",) if layer.mask.source == "strokes" else ()
        group = Group("Mask", _with_names(mask, revision, number), owner=f"{owner}.mask", tools=tools)
        shown.append(replace(group, brush=_brush(recipe)))
    return shown


def _parameters_of(content: Content) -> list[str]:
    """The parameters of a layer's content that do something as the others are set."""
    if isinstance(content, Picture):
        grey = ("grey", *(("hue",) if content.grey == "hue" else ())) if content.reading == "photo" else ()
        data = ("channel",) if content.reading == "height" else ()
        return ["source", "reading", *grey, *data, *(("green",) if content.reading == "normal" else ())]
    names = [known.name for known in controls(type(content))]
    unused = set()
    if isinstance(content, Imprints) and content.shape != "picture":
        unused.add("source")
    if isinstance(content, Noise) and content.warp == 0:
        unused.add("warp_size")
    if isinstance(content, Noise) and content.octaves == 1:
        unused |= {"gain", "lacunarity"}
    return [name for name in names if name not in unused]


def _cell(recipe: Recipe, layer: Layer) -> Footprint:
    """The footprint of one repeat of a layer."""
    whole = recipe.relief_footprint
    return whole.resized(whole.width / layer.layout.repeats_across, whole.height / layer.layout.repeats_down)


@dataclass(frozen=True)
class LayerRow:
    """One layer in the list."""

    number: int
    layer: Layer
    about: str
    amount: Field
    switch: Field
    movable: bool


def layer_rows(recipe: Recipe) -> list[LayerRow]:
    """The layers of a recipe, the top one first."""
    rows = []
    for number, layer in enumerate(recipe.layers):
        content = layer.content
        made = {"photo": "photo", "height": "height image", "normal": "normal map"}.get(getattr(content, "reading", ""))
        made = made or content.title.lower()
        laid = (
            "the ground"
            if number == 0
            else type(layer).model_fields["blend"].json_schema_extra["names"][layer.blend].lower()
        )
        amount, switch = (field_at(recipe, f"layers.{number}.{name}") for name in ("amount", "on"))
        movable = not isinstance(content, Imprints | Strokes) or number > 0
        about = "raised, lowered, smoothed" if isinstance(content, Strokes) else f"{made}, {laid}"
        rows.append(LayerRow(number, layer, about, amount, switch, movable))
    return rows[::-1]


def _brush(recipe: Recipe) -> float:
    """A handy width for the brush: a fiftieth of the relief."""
    footprint = recipe.relief_footprint
    return float(f"{max(footprint.width, footprint.height) / 50:.1g}")


def views(recipe: Recipe, step: Step) -> list[View]:
    """The ways to look at the relief at a step; the light that was taken out only where some was."""
    evened = any(treatment.kind == "even_light" and treatment.on for treatment in recipe.layers[0].treatments)
    relief = step.name == "relief"
    if step.name in ("maps", "deliver"):
        made = [View(f"more-{number}", grey.title) for number, grey in enumerate(recipe.maps.more) if grey.on]
        return [*step.views, *made]
    more = [REMOVED_LIGHT] if evened and relief else []
    return [*step.views, *more, *([SEEN] if relief and len(recipe.layers) > 1 else [])]


def more_maps(recipe: Recipe) -> list[Group]:
    """One group for each grey map beside the others."""
    shown = []
    for number, grey in enumerate(recipe.maps.more):
        owner = f"maps.more.{number}"
        fields = [field_at(recipe, f"{owner}.{known.name}") for known in controls(type(grey))]
        switch = next(item for item in fields if item.control.name == "on")
        others = [item for item in fields if item is not switch]
        shown.append(Group(grey.title, others, switch, number, owner=owner))
    return shown


def treatments(recipe: Recipe, layer: int = 0) -> list[Group]:
    """One group for each treatment of a layer, in their order."""
    shown = []
    listed = recipe.layers[layer].treatments
    for number, treatment in enumerate(listed):
        owned = f"layers.{layer}.treatments.{number}"
        fields = [field_at(recipe, f"{owned}.{known.name}") for known in controls(type(treatment))]
        switch = next(item for item in fields if item.control.name == "on")
        others = [item for item in fields if item is not switch]
        group = Group(treatment.title, others, switch, number, treatment, len(listed), _brush(recipe), owned)
        shown.append(replace(group, tools=TOOLS.get(treatment.kind, ())))
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


def gallery() -> list[tuple[str, list[Offer]]]:
    """The noises and patterns that can be added, by family."""
    families = {"noise": "Noise", "pattern": "Patterns"}
    listed = [(model.family, Offer(kind, model.title, model.about())) for kind, model in GENERATORS.items()]
    return [(name, [offer for of, offer in listed if of == family]) for family, name in families.items()]


def offered_maps() -> list[Offer]:
    """The grey maps that can be added."""
    return [Offer(kind, model.title, model.about()) for kind, model in COMPANION_MAPS.items()]
