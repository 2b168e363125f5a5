"""What a delivery holds, and how it is written."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import AfterValidator, Field, create_model

from relief.figures import BITS
from relief.formats.meshes import MESHES
from relief.formats.pictures import PICTURES
from relief.formats.scenes import SCENES, SceneFormat
from relief.maps.packing import PRESETS
from relief.parameters import Parameters, Surroundings, choice, switch, text

Depth = Literal[8, 16, "half", "float"]
DEPTHS: dict[int | str, str] = {**BITS, "half": "16-bit float", "float": "32-bit float"}
TYPES = {8: "uint8", 16: "uint16", "half": "float16", "float": "float32"}
"""Of the samples of a picture, by its depth."""

FIELDS = ("piece", "relief", "map", "size", "bits", "green")
"""What a pattern of file names is made of, each in braces."""

SIZES = (256, 512, 1024, 2048, 4096, 8192)


DATA_FORMATS = tuple(ending for ending, format_ in PICTURES.items() if not format_.lossy)
COLOUR_FORMATS = tuple(ending for ending, format_ in PICTURES.items() if format_.for_colours)
"""The endings of the files that data, and that colours, are delivered as."""

if TYPE_CHECKING:  # there are as many as there are modules
    DataFormat = str
    ColourFormat = str
    MeshFormat = str
else:
    DataFormat = Literal[DATA_FORMATS]
    ColourFormat = Literal[COLOUR_FORMATS]
    MeshFormat = Literal[tuple(MESHES)]


def _say(formats: Mapping[str, Any], endings: Iterable[str]) -> str:
    """What some formats say of themselves."""
    return " ".join(formats[ending].about for ending in endings)


def _check_pattern(pattern: str) -> str:
    unknown = [name for name in re.findall(r"{([^{}]*)}", pattern) if name not in FIELDS]
    if unknown:
        raise ValueError(
            f"File names cannot use {{{unknown[0]}}}. They can use {', '.join(f'{{{x}}}' for x in FIELDS)}."
        )
    if "{map}" not in pattern:
        raise ValueError("File names need {map} to keep the maps apart.")
    if re.search(r"[{}]", re.sub(r"{\w+}", "", pattern)):
        raise ValueError("A brace in the file name pattern is not closed.")
    return pattern


class _Delivery(Parameters):
    """What goes into the bundle, but for the scenes."""

    left_out: tuple[str, ...] = Field((), max_length=200)
    """Names of maps that are not delivered."""
    size: Literal[0, 256, 512, 1024, 2048, 4096, 8192] = choice(
        0, {0: "As the maps are", **{size: f"{size} texels" for size in SIZES}}, label="Long side",
        help="Texels on the long side of all maps. A size beyond the source's adds no detail.",
    )  # fmt: skip
    normal_bits: Depth = choice(
        8, DEPTHS, label="Normal map",
        help="8 bit is what most programs read; 16 bit keeps smooth slopes free of bands. Floats hold the same values "
        "from 0 to 1.",
    )  # fmt: skip
    bump_bits: Literal[8, 16] = choice(
        8, BITS, label="Bump map",
        help="8 bit is what most programs read; 16 bit hides its steps.",
    )  # fmt: skip
    displacement_bits: Depth = choice(
        16, DEPTHS, label="Displacement map",
        help="16 bit keeps 65 536 heights. 8 bit shows steps. Floats keep the heights as they are, also those below "
            "0 and above 1.",
    )  # fmt: skip
    data_format: DataFormat = choice(
        "png", {ending: format_.name for ending, format_ in PICTURES.items() if not format_.lossy}, label="Data maps",
        help=f"{_say(PICTURES, DATA_FORMATS)} Floats of a PNG are written as TIFF, halves as OpenEXR.",
    )  # fmt: skip
    colour_format: ColourFormat = choice(
        "png", {ending: format_.name for ending, format_ in PICTURES.items() if format_.for_colours}, label="Colours",
        help=_say(PICTURES, COLOUR_FORMATS),
    )  # fmt: skip
    green: Literal["", "up", "down"] = choice(
        "", {"": "As the map", "up": "Up", "down": "Down"}, label="Green points",
        help="Which way green points in the receiving program. The wrong way looks almost right.",
    )  # fmt: skip
    red: Literal["", "right", "left"] = choice(
        "", {"": "As the map", "right": "Right", "left": "Left"}, label="Red points",
        help="Which way red points in the receiving program.",
    )  # fmt: skip
    midlevel: Literal["told", "half"] = choice(
        "told", {"told": "As the notes say", "half": "At mid grey"}, label="Midlevel",
        help="Which grey of a whole-number displacement map stays on the surface. Mid grey suits programs that "
            "assume it, at the cost of some precision.",
    )  # fmt: skip
    pack: str = choice(
        "", {"": "As in the piece", **{key: title for key, (title, _, _) in PRESETS.items() if key != "empty"}},
        label="Extra packing",
        help="One more picture with several maps in its channels, in addition to those of the piece.",
    )  # fmt: skip
    pattern: Annotated[str, AfterValidator(_check_pattern)] = text(
        "{piece}_{relief}_{map}", 120, label="File names",
        help="How maps are named: {piece}, {relief}, {map}, {size}, {bits}, {green}. Empty parts are left out.",
    )  # fmt: skip
    mesh: Literal["displaced", "base", "none"] = choice(
        "displaced", {"displaced": "Displaced", "base": "Before displacement", "none": "None"}, label="Mesh",
        help="The displaced final mesh, or the base mesh for the receiving program to displace.",
    )  # fmt: skip
    mesh_format: MeshFormat = choice(
        "obj", {ending: format_.name for ending, format_ in MESHES.items()}, label="Mesh file",
        help=_say(MESHES, MESHES),
    )  # fmt: skip
    unit: Literal["mm", "cm", "m", "in"] = choice(
        "mm", {"mm": "mm", "cm": "cm", "m": "m", "in": "inches"}, label="Lengths in",
        help="The unit of the mesh and of amplitudes in the notes. GLB is always in metres.",
    )  # fmt: skip
    proof_sheet: bool = switch(
        False, label="Proof sheet", help="A page to show: the lit relief, its maps, a section with its scale, figures.",
    )  # fmt: skip
    stills: bool = switch(
        False, label="Stills", help="The finished stills of this state, each under the name of its view.",
    )  # fmt: skip
    test_card: bool = switch(
        False, label="Test card",
        help="Adds a small known relief made with the same settings: a dome, a dent, a ramp and a word. If its dome "
            "looks sunken in the receiving program, height or green is read the wrong way round.",
    )  # fmt: skip

    def unused(self, around: Surroundings) -> set[str]:
        without_mesh = {"mesh_format", "unit"} if self.mesh == "none" else set()
        return without_mesh | ({"unit"} if MESHES[self.mesh_format].unit else set())

    @property
    def scenes(self) -> dict[str, SceneFormat]:
        """The formats of scenes that are asked for, by the names of their switches; one with a mesh needs one."""
        return {
            name: scene
            for name, scene in SCENES.items()
            if getattr(self, name) and (self.mesh != "none" or not scene.has_mesh)
        }

    def depth_of(self, name: str) -> Depth | None:
        """The depth that a map is written with; none where the map itself says it."""
        depths: dict[str, Depth] = {
            "normal": self.normal_bits, "bump": self.bump_bits, "displacement": self.displacement_bits
        }  # fmt: skip
        return depths.get(name)


if TYPE_CHECKING:
    Delivery = _Delivery
else:
    Delivery = create_model(
        "Delivery",
        __base__=_Delivery,
        __doc__="What goes into the bundle: a switch for each format of scenes beside the rest.",
        __module__=__name__,
        **{name: (bool, switch(False, label=scene.name, help=scene.about)) for name, scene in SCENES.items()},
    )

AS_ALWAYS = Delivery()
"""The delivery of a piece for which nothing was chosen."""
