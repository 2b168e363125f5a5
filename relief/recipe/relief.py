"""A relief as data: all that makes one height, and how its maps are made."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, ClassVar, Self

from pydantic import Field

from relief.errors import RecipeError
from relief.filters.resample import METHOD_NAMES, Method
from relief.height import Edges, Footprint
from relief.maps import AnyCompanionMap
from relief.maps.colour_map import Colour
from relief.maps.displacement import Bump, Displacement
from relief.maps.normal import Normal
from relief.maps.packing import Pack
from relief.maps.unlinked import Unlinked
from relief.parameters import Parameters, Surroundings, choice, number
from relief.recipe.document import Document
from relief.recipe.layer import MOST_TREATMENTS, Layer, Picture
from relief.treat.treatment import Treatment

MOST_LAYERS = 24
MOST_MAPS = 16
MOST_PACKS = 8
CONTENT_PATH = "layers.0.content"
TREATMENTS_PATH = "layers.0.treatments"


class Maps(Parameters):
    """How the maps are made."""

    seldom: ClassVar[tuple[str, ...]] = ("method",)

    normal: Normal = Normal()
    bump: Bump = Bump()
    displacement: Displacement = Displacement()
    colour: Colour = Colour()
    more: tuple[AnyCompanionMap, ...] = Field((), max_length=MOST_MAPS)
    """Grey maps beside normal, bump and displacement."""
    packs: tuple[Pack, ...] = Field((), max_length=MOST_PACKS)
    """Pictures that hold several maps in their channels."""
    unlinked: tuple[Unlinked, ...] = Field((), max_length=MOST_MAPS)
    """Companions that do not follow the mapping of the relief."""
    resolution: int = number(
        0, 0, 8192, label="Long side", unit="px", step=256, slider=(0, 8192), zero="as the source",
        help="Texels on the long side of all maps; the source's size unless set. The picture is processed at full "
            "size and reduced last.",
    )  # fmt: skip
    method: Method = choice(
        "area", METHOD_NAMES, label="Resample",
        help="How the maps are resized. By area suits reducing, bicubic enlarging.",
    )  # fmt: skip


class Origin(Parameters):
    """Where a relief was copied from.

    Attributes:
        piece, revision: the numbers of the piece and of its state.
        title: what the piece was called.
        key: the relief there.
    """

    piece: int
    revision: int
    title: str = Field(max_length=200)
    key: str = "main"


class Relief(Document):
    """All that makes one height: layers with their treatments, and the real size of it."""

    layers: tuple[Layer, ...] = Field(min_length=1, max_length=MOST_LAYERS)
    footprint: Footprint = Footprint()
    edges: Edges = Edges()
    amplitude: float = number(
        5, 0, 10_000_000, label="Amplitude", unit="mm", step=0.1, slider=(0.1, 100), logarithmic=True,
        help="The real length from the lowest to the highest height.",
    )  # fmt: skip
    midlevel: float = number(
        0.5, -1e6, 1e6, label="Midlevel", step=0.005, slider=(0, 1),
        help="The height that stays on the surface. Above it comes out, below it goes in.",
    )  # fmt: skip
    maps: Maps = Maps()
    origin: Origin | None = None
    """Where it was copied from."""
    suggested: tuple[str, ...] = ()
    """Paths whose value is still the one the app suggested."""

    def with_changes(self, changes: Mapping[str, Any]) -> Self:
        """A relief with new values at some paths; what was only suggested there is now chosen.

        Raises:
            RecipeError: no such parameter, or a value out of its bounds; the message says which.
        """
        changed = self.with_values(changes)
        footprint = changed.footprint.following(self.footprint)
        suggested = tuple(path for path in self.suggested if path not in changes)
        changed = changed.model_copy(update={"footprint": footprint, "suggested": suggested})
        return changed._with_lengths_following(self.footprint)

    def _with_lengths_following(self, before: Footprint) -> Self:
        """Lengths that are still suggestions grow with the footprint, so that slopes stay as suggested."""
        growth = self.footprint.width / before.width
        if growth == 1:
            return self
        lengths = [path for path in self.suggested if self.control(path).unit == "mm"]
        return self.with_values({path: float(f"{self.value(path) * growth:.3g}") for path in lengths})

    def heading_at(self, path: str) -> str:
        return "" if re.match(r"layers\.0\.(?!treatments)", path) else super().heading_at(path)

    # what follows from its layers

    @property
    def final_footprint(self) -> Footprint:
        """The real size of the relief after its treatments, some of which cut the picture."""
        return self._laid()[0]

    @property
    def final_edges(self) -> Edges:
        """How the edges of the relief meet after its treatments."""
        return self._laid()[1]

    def _laid(self) -> tuple[Footprint, Edges]:
        footprint = self.footprint
        # what is drawn from nothing meets at its edges
        edges = self.edges if self.layers[0].source else Edges(across="wrap", down="wrap")
        for treatment in self.layers[0].treatments:
            if treatment.on:
                footprint, edges = treatment.footprint_after(footprint, edges), treatment.edges_after(edges)
        return footprint, edges

    @property
    def picture(self) -> Picture | None:
        """What the ground is made of, where it is a picture."""
        content = self.layers[0].content
        return content if isinstance(content, Picture) else None

    def companion_roles(self) -> list[str]:
        """The roles of all companions of all layers, in the order they are met."""
        return list(dict.fromkeys(role for layer in self.layers for role in layer.companions))

    def movable_roles(self) -> list[str]:
        """The roles of what lies on the surface beside the relief, and could lie otherwise."""
        colours = ["colour"] if self.has_colours else []
        return colours + [role for role in self.companion_roles() if role not in ("colour", "normal", "height")]

    @property
    def has_colours(self) -> bool:
        """Whether colours go along: those of a texture set, or of a photo."""
        return "colour" in self.companion_roles() or (self.picture is not None and self.picture.is_photo)

    @property
    def reads_light(self) -> bool:
        """Whether its colours are those of a photo of which a network tells what is light and what is paint."""
        content = self.picture
        told = content is not None and content.reading == "light" and content.light.by_network
        return told and "colour" not in self.companion_roles()

    def source_keys(self) -> set[str]:
        """The keys of the sources that it is made of."""
        return {key for layer in self.layers for key in layer.source_keys()}

    def with_source_keys(self, keys: Mapping[str, str]) -> Self:
        """The relief with other keys in place of those of its sources."""
        return self.model_copy(update={"layers": tuple(layer.with_source_keys(keys) for layer in self.layers)})

    def surroundings(self, sources: int) -> Surroundings:
        """What its parameters may depend on, in a piece of so many sources."""
        roles = tuple(self.companion_roles())
        return Surroundings(roles, self.has_colours, self.reads_light, sources, self.picture is not None)

    def kept(self) -> set[str]:
        """The hashes of what it is made of that is kept beside the sources."""
        return {digest for layer in self.layers for digest in layer.kept}

    # its lists

    def with_treatments(self, order: Sequence[int | Treatment], layer: int = 0) -> Self:
        """A relief with another list of treatments in a layer: new ones, and those it has by their number.

        Suggestions move along.

        Raises:
            RecipeError: a number that does not exist, or too many treatments.
        """
        chosen = self.layers[layer]
        _refuse_unknown(order, len(chosen.treatments), "treatment")
        if len(order) > MOST_TREATMENTS:
            raise RecipeError(f"A layer has at most {MOST_TREATMENTS} treatments.")
        treatments = tuple(chosen.treatments[item] if isinstance(item, int) else item for item in order)
        changed = chosen.model_copy(update={"treatments": treatments})
        layers = (*self.layers[:layer], changed, *self.layers[layer + 1 :])
        suggested = _move_paths(self.suggested, f"layers.{layer}.treatments.", order)
        return self.model_copy(update={"layers": layers, "suggested": suggested})

    def with_layers(self, order: Sequence[int | Layer]) -> Self:
        """A relief with another list of layers, the ground first: new ones, and those it has by their number.

        Suggestions move along, and so do masks and maps that look at a layer.

        Raises:
            RecipeError: no layer is left, too many, or one that does not exist.
        """
        _refuse_unknown(order, len(self.layers), "layer")
        if not order:
            raise RecipeError("A relief needs at least one layer.")
        if len(order) > MOST_LAYERS:
            raise RecipeError(f"A piece has at most {MOST_LAYERS} layers.")
        layers = tuple((self.layers[item] if isinstance(item, int) else item).following(order) for item in order)
        maps = self.maps.model_copy(update={"more": tuple(grey.following(order) for grey in self.maps.more)})
        suggested = _move_paths(self.suggested, "layers.", order)
        return self.model_copy(update={"layers": layers, "suggested": suggested, "maps": maps})


def _refuse_unknown(order: Iterable[Any], count: int, what: str) -> None:
    if any(isinstance(item, int) and not 0 <= item < count for item in order):
        raise RecipeError(f"There is no such {what}.")


def _move_paths(paths: Iterable[str], prefix: str, order: Sequence[Any]) -> tuple[str, ...]:
    """Paths into a list after its items were put in another order; those into an item that has gone are left out."""
    moved = []
    for path in paths:
        at = re.match(rf"{re.escape(prefix)}(\d+)\.", path)
        if at is None:
            moved.append(path)
        elif int(at[1]) in order:
            moved.append(f"{prefix}{order.index(int(at[1]))}.{path[at.end() :]}")
    return tuple(moved)
