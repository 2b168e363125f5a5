"""What carries the reliefs of a piece: a shape with a mapping, regions, and how far it is subdivided."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from relief.parameters import Parameters, choice, number, switch
from relief.surface.base_form import BaseForm
from relief.surface.mapping import AnyMapping
from relief.surface.mapping.own import OwnMapping
from relief.surface.regions import MOST_REGIONS, Region
from relief.surface.shapes import AnyShape
from relief.surface.shapes.plane import Plane
from relief.surface.subdivision import Subdivision
from relief.surface.tessellation import AnyTessellation
from relief.surface.tessellation.levels import Levels

HIGHEST_LEVEL = 10
FARTHEST = 1_000_000_000


class Surface(Parameters):
    """The shape, where it stands, how the relief lies on it, and what carries another one."""

    shape: AnyShape = Plane()
    unit: Literal["", "mm", "cm", "m", "km", "in"] = choice(
        "", {"": "By size", "mm": "mm", "cm": "cm", "m": "m", "km": "km", "in": "inches"}, label="Shown in",
        help="The unit that all lengths of the piece are shown and typed in. By size that is mm, and m from 10 m on.",
    )  # fmt: skip
    turned: bool = switch(
        False, label="Faces turned",
        help="Turns all faces around, so that the relief stands out at the other side.",
    )  # fmt: skip
    place_x: float = number(
        0, -FARTHEST, FARTHEST, label="Place, right", unit="mm", step=10, slider=(-1000, 1000),
        help="Where the middle stands in the world. It matters when the relief is fixed in world.",
    )  # fmt: skip
    place_y: float = number(
        0, -FARTHEST, FARTHEST, label="Place, up", unit="mm", step=10, slider=(-1000, 1000),
        help="Where the middle stands in the world.",
    )  # fmt: skip
    place_z: float = number(
        0, -FARTHEST, FARTHEST, label="Place, front", unit="mm", step=10, slider=(-1000, 1000),
        help="Where the middle stands in the world.",
    )  # fmt: skip
    level: int = number(
        4, 0, HIGHEST_LEVEL, label="Subdivision level", step=1,
        help="Each level cuts every face into four. Too few look blocky, one more costs four times as much.",
    )  # fmt: skip
    final_level: int = number(
        0, 0, HIGHEST_LEVEL, label="Final level", step=1, zero="as looked at",
        help="The level of what is delivered, apart from that of what is looked at.",
    )  # fmt: skip
    square: bool = switch(
        False, label="Square at hard edges",
        help="At hard edges each face moves straight out along its own side, and a gap opens. Otherwise they move "
        "together and the edge stays closed.",
    )  # fmt: skip
    smooth_below: float = number(
        0, 0, 180, label="Smooth below", unit="°", step=5, zero="everywhere",
        help="Shades edges of the displaced mesh hard where its faces turn by more than this. Otherwise it is smooth "
        "but for the hard edges of the shape.",
    )  # fmt: skip
    residual: Literal[0, 256, 512, 1024, 2048, 4096, 8192] = choice(
        0, {0: "None", **{size: f"{size} texels" for size in (256, 512, 1024, 2048, 4096, 8192)}},
        label="Residual normal map",
        help="Detail that the mesh is too coarse for goes into a normal map that belongs to exactly this mesh.",
    )  # fmt: skip
    reach: float = number(
        0, 0, FARTHEST, label="Displacement bound", unit="mm", step=1, slider=(0, 200), zero="not known",
        help="The bound that the receiving program sets on how far displacement may go. Beyond it tops are cut off "
        "there. Leave it at 0 where there is none.",
    )  # fmt: skip
    subdivision: Subdivision = Subdivision()
    tessellation: AnyTessellation = Levels()
    form: BaseForm = BaseForm()
    mapping: AnyMapping = OwnMapping()
    relief: str = "main"
    """The key of the relief that faces of no region carry; empty for none."""
    regions: tuple[Region, ...] = Field((), max_length=MOST_REGIONS)

    @property
    def place(self) -> tuple[float, float, float]:
        """Where the middle stands in the world, mm."""
        return self.place_x, self.place_y, self.place_z

    @property
    def is_plain(self) -> bool:
        """Whether it is the relief itself: a flat tile of its footprint, with nothing moved, turned or repeated."""
        plain = type(self)(
            unit=self.unit, level=self.level, final_level=self.final_level, subdivision=self.subdivision,
            tessellation=self.tessellation, square=self.square, smooth_below=self.smooth_below,
            residual=self.residual, reach=self.reach, shape=Plane(segments=getattr(self.shape, "segments", 16)),
            relief=self.relief,
        )  # fmt: skip
        mapping = self.mapping.model_copy(update={"sampling": plain.mapping.sampling, "whole": plain.mapping.whole})
        return self.model_copy(update={"mapping": mapping}) == plain

    def relief_keys(self) -> set[str]:
        """The keys of the reliefs that it carries."""
        return {key for key in (self.relief, *(region.relief for region in self.regions)) if key}
