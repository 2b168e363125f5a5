"""A layer: what it is made of, how it is treated, and how it lies on those below."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, ClassVar, Literal, NamedTuple, Self

from pydantic import BeforeValidator, Field, field_validator

from relief.compose.blend import BLEND_NAMES, Blend
from relief.compose.imprints import Imprints
from relief.compose.layout import Layout
from relief.compose.masks import Mask
from relief.compose.strokes import Strokes
from relief.content import Content
from relief.depth.from_light import FromLight
from relief.generate import AnyGenerator
from relief.parameters import Parameters, Surroundings, choice, number, switch
from relief.sources.colour import GREY_NAMES, TRANSFER_NAMES, Grey, Transfer
from relief.sources.roles import READING_NAMES, Green, Reading
from relief.treat import AnyTreatment

MOST_TREATMENTS = 64


def as_text(name: Any) -> Any:
    """A file name as text: bytes of it that are none, as some systems have, are shown as question marks."""
    return name.encode("utf-8", "replace").decode() if isinstance(name, str) else name


class SourceReference(Parameters):
    """A source named in a recipe."""

    digest: str = Field(pattern=r"^[0-9a-f]{64}$")
    filename: Annotated[str, BeforeValidator(as_text)] = Field(max_length=200)


HELD = {
    "": "Not used",
    "roughness": "Roughness",
    "occlusion": "Occlusion",
    "metalness": "Metalness",
    "mask": "Mask",
}
"""What a channel of a picture with several maps in it may hold, beside the height."""


def _held(name: str) -> str:
    return choice(
        "", HELD, label=f"{name} holds",
        help=f"The map packed into {name.lower()}. It becomes a map of its own and follows the relief.",
    )  # fmt: skip


class Unpacked(Parameters):
    """What the channels of a picture hold into which several maps were packed."""

    source: str = choice(
        "", {"": "The one that becomes height"}, label="Picture",
        help="Which picture has several maps in its channels.",
    )  # fmt: skip
    normal: bool = switch(
        False, label="Normals in red, green",
        help="Red and green hold a normal map; its blue is rebuilt from them. It can be combined with the relief's "
            "own.",
    )  # fmt: skip
    red: str = _held("Red")
    green: str = _held("Green")
    blue: str = _held("Blue")
    alpha: str = _held("Alpha")

    @field_validator("red", "green", "blue", "alpha")
    @classmethod
    def _known(cls, role: str) -> str:
        if role not in HELD:
            raise ValueError("A channel cannot hold that.")
        return role

    def roles(self) -> dict[str, str]:
        """By role, the channel that holds it."""
        return {role: name for name in ("red", "green", "blue", "alpha") if (role := getattr(self, name))}


class Beside(NamedTuple):
    """A map that goes along with a layer: the key of its source, and the channel that holds it (its first if empty)."""

    source: str
    channel: str = ""


class Picture(Content):
    """A layer's content: one source, read as a photo, as a height image, or as a normal map."""

    title: ClassVar[str] = "Picture"
    rest: ClassVar[float] = 0.5  # mid grey
    seldom: ClassVar[tuple[str, ...]] = ("unpacked",)

    kind: Literal["picture"] = "picture"
    source: str = choice("picture", {}, label="Height from", help="Which picture of the texture set becomes height.")
    reading: Reading = choice(
        "photo", READING_NAMES, label="Read as",
        help="A photo is read by its brightness, or by its light, which gives true slopes. A height image is data, "
            "used as it is. From a normal map the height is computed that has its slopes.",
    )  # fmt: skip
    grey: Grey = choice(
        "luminance", GREY_NAMES, label="Grey from",
        help="Which brightness of the photo becomes height.",
    )  # fmt: skip
    hue: float = number(
        0, 0, 360, label="Hue", unit="°", step=1,
        help="The hue that lies high: 0 red, 60 yellow, 120 green, 240 blue.",
    )  # fmt: skip
    channel: str = choice("", {"": "First"}, label="Channel", help="Which channel of the data picture becomes height.")
    transfer: Transfer = choice(
        "auto", TRANSFER_NAMES, label="Transfer",
        help="Colour is stored with a display curve, which is removed; data has none. Change this when a file was "
            "saved wrongly.",
    )  # fmt: skip
    light: FromLight = FromLight()
    companions: dict[str, str] = Field(default_factory=dict)
    """Sources that go where the height goes, by their role: colour, normal, roughness, occlusion."""
    unpacked: Unpacked = Unpacked()
    green: Green = choice(
        "up", {"up": "Green up", "down": "Green down"}, label="Green of its normals",
        help="Which way green points in this normal map. Change it when hollows come out as bumps.",
    )  # fmt: skip
    rebuild_blue: bool = switch(
        False, label="Rebuild blue",
        help="Uses only red and green of the normal map and rebuilds blue, for maps whose blue is missing, was "
            "blurred or holds something else.",
    )  # fmt: skip

    @property
    def called(self) -> str:
        return {"height": "height image", "normal": "normal map"}.get(self.reading, "photo")

    def unused(self, around: Surroundings) -> set[str]:
        unused = {
            "photo": {"channel", "light"},
            "light": {"channel", "grey", "hue", "transfer"},
            "height": {"grey", "hue", "light"},
            "normal": {"channel", "grey", "hue", "transfer", "light"},
        }
        found = unused[self.reading] | (set() if self.grey == "hue" else {"hue"})
        if self.reading != "normal":
            found |= {"rebuild_blue"} | (set() if "normal" in self.beside else {"green"})
        return found | (set() if around.sources > 1 else {"source"})

    @property
    def is_photo(self) -> bool:
        """Whether it is a photo, however its height is made."""
        return self.reading in ("photo", "light")

    @property
    def beside(self) -> dict[str, Beside]:
        """What goes along, by its role."""
        found = {role: Beside(key) for role, key in self.companions.items()}
        packed = self.unpacked.source or self.source
        if self.reading == "normal" or self.unpacked.normal:
            found["normal"] = Beside(self.source if self.reading == "normal" else packed)
        return found | {role: Beside(packed, channel) for role, channel in self.unpacked.roles().items()}

    @property
    def unpacks_itself(self) -> bool:
        """Whether its own channels hold more than its height."""
        itself = self.unpacked.source in ("", self.source)
        return itself and bool(self.unpacked.normal or self.unpacked.roles())


AnyContent = Annotated[Picture | AnyGenerator | Imprints | Strokes, Field(discriminator="kind")]


class Layer(Parameters):
    """One contribution to the relief. The first is the ground that the others lie on."""

    name: str = Field(max_length=200)
    content: AnyContent
    treatments: tuple[AnyTreatment, ...] = Field((), max_length=MOST_TREATMENTS)
    on: bool = switch(True, label="On", help="Switch off to see the relief without this layer.")
    amount: float = number(
        1,
        -100,
        100,
        label="Amount",
        step=0.02,
        slider=(-1, 2),
        help="Opacity of the layer; negative values invert it.",
    )
    blend: Blend = choice(
        "add", BLEND_NAMES, label="Blend",
        help="How the layer combines with those below. With “Taller wins” whatever is higher shows.",
    )  # fmt: skip
    offset: float = number(
        0,
        -100,
        100,
        label="Offset",
        step=0.01,
        slider=(-1, 1),
        help="Lifts the layer before it is compared with the layers below.",
    )
    passage: float = number(
        0.05, 0, 100, label="Passage", step=0.01, slider=(0, 0.5), help="Height over which the layers blend."
    )
    layout: Layout = Layout()
    mask: Mask = Mask()

    @property
    def source(self) -> str:
        """The key of the source that the layer takes its height from; empty when it takes none."""
        return getattr(self.content, "source", "")

    @property
    def companions(self) -> dict[str, Beside]:
        """What goes where the layer's height goes, by its role."""
        return getattr(self.content, "beside", {})

    @property
    def heading(self) -> str:
        return self.name

    def source_keys(self) -> set[str]:
        """The keys of all sources that the layer is made of."""
        beside = (item.source for item in self.companions.values())
        return {key for key in (self.source, *beside, self.mask.picture) if key}

    def with_source_keys(self, keys: Mapping[str, str]) -> Self:
        """The layer with other keys in place of those of its sources."""
        content, mask = self.content, self.mask
        held: dict[str, Any] = {"source": keys.get(self.source, self.source)} if self.source else {}
        if isinstance(content, Picture):
            held["companions"] = {role: keys.get(key, key) for role, key in content.companions.items()}
            packed = content.unpacked.source
            held["unpacked"] = content.unpacked.model_copy(update={"source": keys.get(packed, packed)})
        picture = keys.get(mask.picture, mask.picture)
        changed = {"content": content.model_copy(update=held), "mask": mask.model_copy(update={"picture": picture})}
        return self.model_copy(update=changed)

    @property
    def kept(self) -> tuple[str, ...]:
        """The hashes of what it holds that is kept beside the sources: strokes."""
        return self.content.kept

    def following(self, order: Sequence[Any]) -> Self:
        """The layer where the list it is in takes another order; its mask goes on looking at the layer it did."""
        if self.mask.layer < 0:
            return self
        place = order.index(self.mask.layer) if self.mask.layer in order else -1
        return self.model_copy(update={"mask": self.mask.model_copy(update={"layer": place})})

    @property
    def mask_roles(self) -> list[str]:
        """The roles of the grey maps that go along and may mask it."""
        return [role for role in self.companions if role not in ("colour", "normal")]

    def unused(self, around: Surroundings) -> set[str]:
        contest = set() if self.blend in ("taller", "lower") else {"offset", "passage"}
        return contest | ({"blend"} if self.content.works_below else set())
