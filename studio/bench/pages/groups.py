"""What the left side of the bench shows: parameters in groups, and the list of layers."""

from __future__ import annotations

import json
import re
from collections.abc import Container, Iterable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, Literal

from relief.figures import UNITS, say_number
from relief.height import Footprint
from relief.maps.companion import CompanionMap
from relief.maps.packing import CHANNELS
from relief.parameters import Control, Parameters, controls
from relief.recipe.document import Document
from relief.recipe.layer import Layer, Picture
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run.finished import packable
from relief.run.stages import GROUND
from relief.treat.treatment import Treatment
from studio.bench.pages.steps import Step, has_a_use
from studio.shelf.models import MESH, Source

if TYPE_CHECKING:
    from studio.bench.models import Revision

FROM_SHELF = "shelf:"
"""How a picture is chosen that the piece does not have yet: this, and its number on the shelf."""

MOST_OFFERED = 200
"""Pictures of the shelf that are offered at most."""

OF_PICTURE = (
    "source", "reading", "grey", "hue", "channel", "green", "rebuild_blue", "unpacked.normal",
    *(f"unpacked.{name}" for name in ("source", "red", "green", "blue", "alpha")),
)  # fmt: skip
"""The parameters of a picture that lies on others, in their order."""
SHAPING = tuple(known.name for known in controls(CompanionMap) if known.name != "on")
"""The parameters that every grey map has beside its own."""


@dataclass(frozen=True)
class Field:
    """One parameter on the bench: its definition, where it stands in the recipe, and its value."""

    path: str
    control: Control
    value: Any
    suggested: bool
    follows: float | None = None
    """The number that 0 stands for, where 0 takes that of something else."""

    @property
    def id(self) -> str:
        return "control-" + re.sub("[._@]", "-", self.path)

    @property
    def at(self) -> str:
        """Its path without the unit that it is shown in."""
        return self.path.partition("@")[0]

    @property
    def per(self) -> float:
        """mm that 1 stands for in its box, where that is another length."""
        _, _, unit = self.path.partition("@")
        return UNITS[unit] if unit else 1

    @property
    def zero(self) -> str:
        """What a value of 0 stands for, in words, where no number says it."""
        return self.control.zero if not self.value and self.follows is None else ""

    @property
    def shown(self) -> str:
        """The value as its number box shows it, or as JSON when it is drawn."""
        if self.control.kind == "drawn":
            return json.dumps(self._plain(self.value))
        if self.control.kind in ("tint", "text"):
            return str(self.value)
        return say_number(self.value or self.follows or 0, 10)

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
    kind: Literal["", "map", "pack"] = ""
    """Of a map or a packed picture, which can be named and removed."""
    noun: str = ""
    """What it is called, where it can be named and removed."""
    folded: list[Field] = field(default_factory=list)
    """Parameters that are seldom set, behind a line that opens."""
    folds: str = ""
    """What that line says, where it is not the usual."""
    advice: str = ""
    """The template of what is advised, with a button that does it."""

    @property
    def id(self) -> str:
        if self.treatment:
            return f"treatment-{self.number}"
        if self.kind:
            return f"{self.kind}-{self.number}"
        return "group-" + self.title.lower().replace(" ", "-")

    @property
    def fold_title(self) -> str:
        return self.folds or ("More of this" if self.fields else "What each holds")

    @property
    def actions(self) -> list[tuple[str, str]]:
        """What can be done to a treatment beside moving it."""
        return [("duplicate", "Duplicate"), ("reset", "Reset"), ("remove", "Remove")] if self.treatment else []


def field_at(document: Document, path: str, suggested: Container[str] = ()) -> Field:
    """The field of one parameter of a recipe, or of a relief; there it is known which ones are suggestions."""
    suggested = getattr(document, "suggested", suggested)
    return Field(path, document.control(path), document.value(path), path in suggested)


def groups(revision: Revision, step: Step, layer: int = 0) -> list[Group]:
    """What the left side of the bench shows at a step; of the relief, one layer at a time. Lengths are in one unit."""
    unit = revision.read().unit
    return [
        replace(
            group,
            fields=[in_unit(item, unit) for item in group.fields],
            folded=[in_unit(item, unit) for item in group.folded],
        )
        for group in _groups(revision, step, layer)
    ]


def _groups(revision: Revision, step: Step, layer: int) -> list[Group]:
    recipe = revision.read()
    shown = []
    for title, paths in step.groups.items():
        fields = [field_at(recipe, path, recipe.shown.suggested) for path in paths if has_a_use(recipe, path)]
        if step.name == "source":
            fields = _with_names(fields, revision)
        fields = [_with_size(item, revision) for item in fields]
        if fields:
            shown.append(_with_folds(_with_tools(Group(title, fields), recipe), recipe, step.seldom))
    if step.name == "maps":
        shown += more_maps(recipe.shown) + packs(recipe.shown)
    return shown + (of_layer(revision, layer) + treatments(recipe.shown, layer) if step.name == "relief" else [])


def in_unit(item: Field, unit: str) -> Field:
    """A field of a length, shown and typed in another unit; its path then says which."""
    scale = UNITS[unit]
    known = item.control
    if known.unit != "mm" or scale == 1 or known.kind != "number":
        return item
    low, high, (first, last) = known.low or 0, known.high or 0, known.slider or (0, 0)
    control = replace(
        known, unit=unit, low=low / scale, high=high / scale, slider=(first / scale, last / scale),
        step=known.step / scale, default=known.default / scale,
    )  # fmt: skip
    follows = None if item.follows is None else item.follows / scale
    return replace(item, path=f"{item.path}@{unit}", control=control, value=item.value / scale, follows=follows)


def _with_size(item: Field, revision: Revision) -> Field:
    """The field of the maps' size with what 0 stands for: the texels that the ground has of itself."""
    if not item.control.zero:
        return item
    recipe = revision.read()
    relief, reference = recipe.shown, recipe.sources.get(recipe.shown.layers[0].source)
    source = reference and Source.objects.filter(owner=revision.piece.owner, digest=reference.digest).first()
    if source is None:
        return replace(item, follows=GROUND)
    cut = max(relief.final_footprint.sides) / max(relief.footprint.sides)
    return replace(item, follows=round(max(source.facts.columns, source.facts.rows) * cut))


def _with_tools(group: Group, recipe: Recipe) -> Group:
    """The group with the tools of the model that all of its parameters belong to."""
    owners = {item.path.rpartition(".")[0] for item in group.fields}
    owner = owners.pop() if len(owners) == 1 else ""
    tools = recipe.owner(group.fields[0].path).useful_tools if owner else ()
    return replace(group, owner=owner, tools=tools) if tools else group


def _with_folds(group: Group, document: Document, seldom: tuple[str, ...] = ()) -> Group:
    """The group with the parameters that are seldom set, in general or at this step, behind a line."""
    folded = [item for item in group.fields if document.is_seldom(item.path) or item.path.startswith(seldom)]
    return replace(group, fields=[item for item in group.fields if item not in folded], folded=folded)


def _with_names(fields: list[Field], revision: Revision, layer: int = 0) -> list[Field]:
    """Fields whose choices are known only from the piece's sources: which picture, which channel."""
    recipe = revision.read()
    content = recipe.shown.layers[layer].content
    channels = _channels(recipe, revision.piece.owner)
    called = {
        role: f"{role.capitalize()}: {reference.filename}"
        for role, reference in recipe.sources.items()
        if role != recipe.surface.shape.source_key
    }
    source = getattr(content, "source", "")
    own = channels.get(source, ())
    packed = channels.get(content.unpacked.source, own) if isinstance(content, Picture) else ()
    elsewhere = {role: title for role, title in called.items() if len(channels[role]) > 1 and role != source}
    names = {
        "content.source": called,
        "content.channel": {"": "First", **{name: name.capitalize() for name in own}},
        "unpacked.source": {"": "The one that becomes height", **elsewhere},
        "mask.role": {"": "The first", **{role: role.capitalize() for role in recipe.shown.layers[layer].mask_roles}},
        "mask.layer": {-1: "What lies below", **{place: other.name for place, other in enumerate(recipe.shown.layers)}},
    }
    if not isinstance(content, Picture):
        names["content.source"] = {"": "None", **names["content.source"]}
    if any(item.path.endswith("mask.picture") for item in fields):
        names["mask.picture"] = {"": "None", **called, **_on_the_shelf(revision)}
    named = []
    for item in fields:
        name = ".".join(item.path.split(".")[-2:])
        if name == "content.channel" and len(own) < 2:
            continue
        if ".unpacked." in item.path and not _in_pictures(item.control.name, packed, elsewhere):
            continue
        control = replace(item.control, names=names[name]) if name in names else item.control
        named.append(replace(item, control=control))
    return named


def _on_the_shelf(revision: Revision) -> dict[str, str]:
    """The pictures of the shelf that the piece does not have, as they are chosen: the newest first."""
    digests = [reference.digest for reference in revision.read().sources.values()]
    others = (
        Source.objects.filter(owner=revision.piece.owner, removed=None).exclude(digest__in=digests).exclude(role=MESH)
    )
    return {f"{FROM_SHELF}{source.pk}": f"Shelf: {source.filename}" for source in others[:MOST_OFFERED]}


def _channels(recipe: Recipe, owner: Any) -> dict[str, tuple[str, ...]]:
    """The channels of each picture of a recipe, by its key."""
    digests = {reference.digest for reference in recipe.sources.values()}
    found = Source.objects.filter(owner=owner, digest__in=digests).exclude(role=MESH)
    known = {source.digest: source.facts.channels for source in found}
    return {key: known.get(reference.digest, ()) for key, reference in recipe.sources.items()}


def _in_pictures(part: str, channels: tuple[str, ...], elsewhere: dict[str, str]) -> bool:
    """Whether there is a choice in what is unpacked: of pictures, or of what one with these channels holds."""
    if part == "source":
        return bool(elsewhere)
    if len(channels) < 2:
        return False
    return {"red", "green"} <= set(channels) if part == "normal" else part in channels


def of_layer(revision: Revision, number: int) -> list[Group]:
    """How a layer is laid, and what it is made of."""
    recipe = revision.read()
    relief = recipe.shown
    around = relief.surroundings(len(recipe.sources))
    layer, owner = relief.layers[number], f"layers.{number}"
    content = layer.content

    def fields(model: str, names: Iterable[str]) -> list[Field]:
        paths = [f"{owner}{model}.{name}" for name in names]
        return [field_at(relief, path) for path in paths if relief.is_used(path, around)]

    shown = []
    if number > 0:
        shown.append(Group("Blending", fields("", ("blend", "amount", "offset", "passage")), owner=owner))
    picture = isinstance(content, Picture)
    if number > 0 or not picture:  # a picture that is the ground is set at the first step
        made = fields(".content", OF_PICTURE if picture else _names(content))
        notes = tuple(content.nudges(_cell(relief, layer)))
        made = _with_names(made, revision, number)
        group = Group(content.title, made, owner=f"{owner}.content", tools=content.tools, notes=notes)
        shown.append(replace(_with_folds(group, relief), brush=_brush(relief)))
    if number > 0 and not content.works_below:
        layout = layer.layout
        group = Group("Placement", fields(".layout", _names(layout)), owner=f"{owner}.layout")
        steeper = layout.repeats_across + layout.repeats_down > 2
        advice = "bench/halve.html" if steeper else ""
        shown.append(replace(group, notes=tuple(layout.nudges()), advice=advice))
    if number > 0:
        mask = fields(".mask", _names(layer.mask))
        tools = layer.mask.tools if any(item.control.kind == "drawn" for item in mask) else ()
        group = Group("Mask", _with_names(mask, revision, number), owner=f"{owner}.mask", tools=tools)
        shown.append(replace(group, brush=_brush(relief)))
    return shown


def _names(model: Parameters) -> list[str]:
    return [known.name for known in controls(type(model))]


def _cell(relief: Relief, layer: Layer) -> Footprint:
    """The footprint of one repeat of a layer."""
    whole = relief.final_footprint
    across, down = layer.layout.counts
    return whole.resize(whole.width / across, whole.height / down)


@dataclass(frozen=True)
class LayerRow:
    """One layer in the list."""

    number: int
    layer: Layer
    about: str
    amount: Field
    switch: Field


def layer_rows(relief: Relief) -> list[LayerRow]:
    """The layers of a relief, the top one first."""
    rows = []
    for number, layer in enumerate(relief.layers):
        content = layer.content
        laid = (
            "the ground"
            if number == 0
            else type(layer).model_fields["blend"].json_schema_extra["names"][layer.blend].lower()
        )
        amount, switch = (field_at(relief, f"layers.{number}.{name}") for name in ("amount", "on"))
        about = content.called if content.works_below else f"{content.called}, {laid}"
        rows.append(LayerRow(number, layer, about, amount, switch))
    return rows[::-1]


def _brush(relief: Relief) -> float:
    """A handy width for the brush: a fiftieth of the relief."""
    footprint = relief.final_footprint
    return float(f"{max(footprint.width, footprint.height) / 50:.1g}")


def more_maps(relief: Relief) -> list[Group]:
    """One group for each grey map beside the others."""
    layers = {place: layer.name for place, layer in enumerate(relief.layers)}
    shown = []
    for number, grey in enumerate(relief.maps.more):
        owner = f"maps.more.{number}"
        fields = [field_at(relief, f"{owner}.{known.name}") for known in controls(type(grey))]
        switch = next(item for item in fields if item.control.name == "on")
        own = [item for item in fields if item.control.name not in (*SHAPING, "on")]
        own = [_offering(item, layers) if item.control.name == "layer" else item for item in own]
        shaping = [item for item in fields if item.control.name in SHAPING]
        group = Group(grey.called, own, switch, number, owner=owner, kind="map", noun="map")
        shown.append(replace(group, folded=shaping, folds="Curve, soften, bits"))
    return shown


def packs(relief: Relief) -> list[Group]:
    """One group for each packed picture: what each channel holds, its value or whether it is turned around."""
    offered_ = packable(relief)
    shown = []
    for number, pack in enumerate(relief.maps.packs):
        owner = f"maps.packs.{number}"
        fields = []
        for channel in CHANNELS:
            held = field_at(relief, f"{owner}.{channel}")
            fields.append(_offering(held, {**held.control.names, **offered_}))
            if held.value == "value":
                fields.append(field_at(relief, f"{owner}.{channel}_value"))
        turned = [field_at(relief, f"{owner}.{channel}_inverted") for channel in pack.used]
        fields.append(field_at(relief, f"{owner}.bits"))
        notes = tuple(pack.costs(relief.amplitude))
        switch = field_at(relief, f"{owner}.on")
        group = Group(pack.name, fields, switch, number, owner=owner, kind="pack", noun="packed picture", notes=notes)
        shown.append(replace(group, folded=turned, folds="Invert channels"))
    return shown


def _offering(chosen: Field, names: dict) -> Field:
    """A choice among what the piece has; what is chosen and no longer there is said to be gone."""
    names = names if chosen.value in names else {**names, chosen.value: "Gone"}
    return replace(chosen, control=replace(chosen.control, names=names))


def treatments(relief: Relief, layer: int = 0) -> list[Group]:
    """One group for each treatment of a layer, in their order."""
    shown = []
    listed = relief.layers[layer].treatments
    for number, treatment in enumerate(listed):
        owned = f"layers.{layer}.treatments.{number}"
        fields = [field_at(relief, f"{owned}.{known.name}") for known in controls(type(treatment))]
        switch = next(item for item in fields if item.control.name == "on")
        others = [item for item in fields if item is not switch]
        shown.append(
            Group(
                treatment.title,
                others,
                switch,
                number,
                treatment,
                len(listed),
                _brush(relief),
                owned,
                tools=treatment.tools,
            )
        )
    return shown
