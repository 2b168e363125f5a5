"""What all mappings share: how large a relief lies on a surface, how often it repeats, how it is shifted and turned."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal, NamedTuple

import numpy as np

from relief.filters.sample import SAMPLING_NAMES, Sampling
from relief.height import Footprint
from relief.parameters import Parameters, Surroundings, choice, number, switch
from relief.surface.mesh import Mesh

Sizing = Literal["fit", "real", "world"]


class Bounds(NamedTuple):
    """What a relief is laid on: the lowest and highest x, y and z, float64 (3,) each, mm about the mesh's middle."""

    low: np.ndarray
    high: np.ndarray

    @property
    def size(self) -> np.ndarray:
        return np.maximum(self.high - self.low, 1e-9)

    @property
    def centre(self) -> np.ndarray:
        return (self.low + self.high) / 2


@dataclass(frozen=True)
class Unrolled:
    """A surface rolled out by a mapping, before it is sized.

    Attributes:
        places: float64 (places, 2), to the right and up; 0 to 1 spans what the mapping is made for.
        corners: int32 (corners,), the place of each corner of the mesh.
        lengths: mm that 0 to 1 stands for: float64 (2,), or (places, 2).
        origin: where 0 lies in the world along the two, mm: float64 (2,).
        weights: float32 (places,), how much each place counts where several are mixed; none where it is alone.
    """

    places: np.ndarray
    corners: np.ndarray
    lengths: np.ndarray
    origin: np.ndarray
    weights: np.ndarray | None = None


@dataclass(frozen=True)
class Laid:
    """Where the corners of a mesh lie on the repeats of a relief.

    Attributes:
        uv: float64 (places, 2); each whole number is one repeat further.
        corners: int32 (corners,), the place of each corner.
        mixed: for a soft passage, places of which the heights are mixed, each with the place of each corner and with
            weights, float32 (places,); empty where the heights are those at `uv`. What the weights leave of 1 is the
            mean height of the relief: it fades to that near a pole.
    """

    uv: np.ndarray
    corners: np.ndarray
    mixed: tuple[tuple[np.ndarray, np.ndarray, np.ndarray], ...] = ()

    @property
    def is_passage(self) -> bool:
        """Whether heights of several places are mixed."""
        return len(self.mixed) > 1


class Mapping(Parameters):
    """Base of the mappings. A subclass has a `kind`, a title, its parameters and `unroll`."""

    title: ClassVar[str]
    about: ClassVar[str] = ""
    turns: ClassVar[tuple[bool, bool]] = (False, False)
    """Which of its two directions is an angle: fixed in world, that one is counted in turns and not in mm."""
    has_poles: ClassVar[bool] = False
    """Whether it may have places where a whole line of the relief becomes one point."""
    kind: str
    sizing: Sizing = choice(
        "real", {"fit": "Fit", "real": "By real size", "world": "Fixed in world"}, label="Sizing",
        help="Fit stretches the relief with the object. By real size a larger object shows more repeats. Fixed in "
        "world the object slides through the relief when it is moved.",
    )  # fmt: skip
    repeats_across: float = number(
        1, 0.001, 10_000, label="Repeats across", step=0.5, slider=(1, 16),
        help="With Fit, the repeats across the whole surface; otherwise a factor on the repeats that its real size "
            "gives.",
    )  # fmt: skip
    repeats_down: float = number(
        1, 0.001, 10_000, label="Repeats down", step=0.5, slider=(1, 16),
        help="How often it repeats down one repeat of the relief.",
    )  # fmt: skip
    whole: bool = switch(
        False, label="Whole repeats",
        help="Rounds the repeats to whole numbers, so that the relief meets itself where the surface closes.",
    )  # fmt: skip
    shift_across: float = number(
        0, -100, 100, label="Shift across", step=0.01, slider=(-1, 1),
        help="Moves the relief to the right, in repeats. It can be dragged on the surface.",
    )  # fmt: skip
    shift_down: float = number(
        0, -100, 100, label="Shift down", step=0.01, slider=(-1, 1), help="Moves the relief down, in repeats.",
    )  # fmt: skip
    turn: float = number(
        0, -360, 360, label="Rotation", unit="°", step=1, slider=(-180, 180),
        help="Rotates the relief on the surface, counter-clockwise.",
    )  # fmt: skip
    mirror_across: bool = switch(False, label="Mirror across", help="Swaps left and right.")
    mirror_down: bool = switch(False, label="Mirror down", help="Swaps up and down.")
    pole_fade: float = number(
        10, 0, 60, label="Fade at poles", unit="°", step=1, slider=(0, 45), zero="not at all",
        help="At a pole the relief is squeezed to a point. Within this angle it fades to its mean height, so that no "
            "spikes form.",
    )  # fmt: skip
    sampling: Sampling = choice(
        "bicubic", SAMPLING_NAMES, label="Filtering",
        help="Nearest shows every texel as a step. Bilinear joins them by straight lines, bicubic by smooth curves.",
    )  # fmt: skip

    @property
    def heading(self) -> str:
        return self.title

    def unused(self, around: Surroundings) -> set[str]:
        without_poles = set() if self.has_poles else {"pole_fade"}
        return without_poles | (set() if self.sizing == "real" else {"whole"})

    def unroll(self, mesh: Mesh, bounds: Bounds) -> tuple[Unrolled, tuple[Unrolled, ...]]:
        """The corners of a mesh rolled out; and for a soft passage, those that are mixed."""
        raise NotImplementedError

    def _from_pivot(self, mesh: Mesh, bounds: Bounds) -> np.ndarray:
        """The vertices from where a mapping turns about: the middle of what it lies on, or of the world."""
        centre = -np.array(mesh.middle) if self.sizing == "world" else bounds.centre
        points: np.ndarray = mesh.positions - centre
        return points

    def lay(self, mesh: Mesh, footprint: Footprint, bounds: Bounds) -> Laid:
        """Where the corners of a mesh lie on a relief of this footprint.

        Args:
            mesh: some or all faces of a surface.
            footprint: of one repeat.
            bounds: of what the relief is laid on, about the mesh's middle.
        """
        drawn, mixed = self.unroll(mesh, bounds)
        uv = self._size(drawn, footprint)
        passage = tuple(
            (self._size(item, footprint), item.corners, item.weights) for item in mixed if item.weights is not None
        )
        apart = self.degrees_from_poles(mesh, drawn) if self.pole_fade and not passage else None
        if apart is not None:
            near = np.clip(apart / self.pole_fade, 0, 1)
            passage = ((uv, drawn.corners, (near * near * (3 - 2 * near)).astype(np.float32)),)
        return Laid(uv, drawn.corners, passage)

    def degrees_from_poles(self, mesh: Mesh, drawn: Unrolled) -> np.ndarray | None:
        """How far each place lies from the nearest pole, degrees: float64 (places,); none where there is no pole."""
        return None

    def count_repeats(self, lengths: np.ndarray, footprint: Footprint) -> np.ndarray:
        """Repeats (across, down) over lengths in mm, float64 (..., 2); not told for one that is fixed in world."""
        repeats = np.array([self.repeats_across, self.repeats_down])
        if self.sizing == "fit":
            return np.broadcast_to(repeats, np.shape(lengths))
        counts = lengths / np.array(footprint.sides) * repeats
        return np.maximum(np.round(counts), 1) if self.whole and self.sizing == "real" else counts

    def _size(self, rolled: Unrolled, footprint: Footprint) -> np.ndarray:
        """Places in repeats, from places from 0 to 1."""
        sides = np.array(footprint.sides)
        mirror = np.array([1 - 2 * self.mirror_across, 1 - 2 * self.mirror_down])
        shift = np.array([self.shift_across, -self.shift_down])
        if self.sizing == "world":
            lengths = np.where(self.turns, sides, rolled.lengths)
            from_pivot = rolled.places * lengths + np.where(self.turns, 0, rolled.origin)
            counts, pivot = lengths / sides * (self.repeats_across, self.repeats_down), np.zeros(2)
        else:
            lengths = rolled.lengths
            counts = self.count_repeats(lengths, footprint)
            if not self.turn:  # all that follows is one factor and one sum
                scale = mirror * counts
                straight: np.ndarray = rolled.places * scale
                straight += 0.5 * (counts - scale) - shift
                return straight
            from_pivot, pivot = (rolled.places - 0.5) * lengths, 0.5 * counts
        angle = np.radians(-self.turn)
        cosine, sine = np.cos(angle), np.sin(angle)
        turned = from_pivot @ np.array([[cosine, sine], [-sine, cosine]]) if self.turn else from_pivot
        # what is the same for many places is put together first
        placed: np.ndarray = turned * (mirror / lengths * counts) + (pivot - shift)
        return placed


def seen_from(points: np.ndarray, axis: int, sign: int) -> np.ndarray:
    """Right and up of points, (..., 3), seen along an axis from its far or its near end: (..., 2)."""
    x, y, z = points[..., 0], points[..., 1], points[..., 2]
    right, up = ((-sign * z, y), (x, -sign * z), (sign * x, y))[axis]
    return np.stack([right, up], axis=-1)
