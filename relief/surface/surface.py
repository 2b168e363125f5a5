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
        help="The unit that all lengths of the piece are shown and typed in. “By size” uses mm, and m from 10 m up.",
    )  # fmt: skip
    turned: bool = switch(
        False, label="Flip faces",
        help="Flips all faces, so that the relief stands out on the other side.",
    )  # fmt: skip
    place_x: float = number(
        0, -FARTHEST, FARTHEST, label="Position, right", unit="mm", step=10, slider=(-1000, 1000),
        help="Position of the middle in the world. It matters when the sizing is “Fixed in world”.",
    )  # fmt: skip
    place_y: float = number(
        0, -FARTHEST, FARTHEST, label="Position, up", unit="mm", step=10, slider=(-1000, 1000),
        help="Position of the middle in the world.",
    )  # fmt: skip
    place_z: float = number(
        0, -FARTHEST, FARTHEST, label="Position, front", unit="mm", step=10, slider=(-1000, 1000),
        help="Position of the middle in the world.",
    )  # fmt: skip
    level: int = number(
        4, 0, HIGHEST_LEVEL, label="Subdivision level", step=1,
        help="Each level cuts every face into four. Too few look blocky, one more costs four times as much.",
    )  # fmt: skip
    final_level: int = number(
        0, 0, HIGHEST_LEVEL, label="Final level", step=1, zero="as in the view",
        help="The level of the delivered mesh, whatever the level of the view.",
    )  # fmt: skip
    square: bool = switch(
        False, label="Split hard edges",
        help="At hard edges each face moves along its own normal, which opens a gap. Otherwise they move together "
            "and the edge stays closed.",
    )  # fmt: skip
    smooth_below: float = number(
        0, 0, 180, label="Mesh smoothing angle", unit="°", step=5, zero="everywhere",
        help="Edges of the displaced mesh where faces meet at a larger angle are shaded hard, the others smooth.",
    )  # fmt: skip
    residual: Literal[0, 256, 512, 1024, 2048, 4096, 8192] = choice(
        0, {0: "None", **{size: f"{size} texels" for size in (256, 512, 1024, 2048, 4096, 8192)}},
        label="Residual normal map",
        help="Detail that the mesh is too coarse for goes into a normal map that belongs to exactly this mesh.",
    )  # fmt: skip
    reach: float = number(
        0, 0, FARTHEST, label="Displacement bound", unit="mm", step=1, slider=(0, 200), zero="not known",
        help="The receiving program's limit on displacement, beyond which it clips peaks. Leave it at 0 if there is "
            "none.",
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
