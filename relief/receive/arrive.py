"""What arrives of a delivery under settings of the receiving program, beside what was meant."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, replace
from typing import Any, Literal

import numpy as np

from relief.errors import ReliefError
from relief.figures import say_number
from relief.receive.files import Arrived, read_mesh, read_picture

SAME_ANGLE, SAME_HEIGHT, SAME_VOLUME = 0.1, 5e-4, 5e-3
"""Up to where it arrives as it was meant: the mean angle of normals in degrees, the root mean square of heights as a
share of the amplitude, and of the volume. Normals are of the same file, read twice: its rounding counts for nothing.
"""

LARGEST = 64 << 20
"""Bytes of a mesh that is read at most: a larger one takes minutes."""

TRUE_ANGLE = 12
"""Degrees that a normal map and the slopes of the heights may differ by on average, as kernels soften."""


@dataclass(frozen=True)
class Settings:
    """How the receiving program is set.

    Attributes:
        green: which way it takes green of normal maps to point; empty for as the notes say.
        midlevel: the value that it leaves on the surface; none for as the notes say.
        scale: multiplier on the stated amplitude.
        read_as: whether maps are read as data, or as colour, whose display curve is then taken off.
        bits: that it keeps of each sample; of 8 what lies beyond 0 and 1 is cut off.
        fewer_levels: subdivisions less than the mesh was made with.
    """

    green: Literal["", "up", "down"] = ""
    midlevel: float | None = None
    scale: float = 1.0
    read_as: Literal["data", "colour"] = "data"
    bits: Literal[8, 16] = 16
    fewer_levels: int = 0


@dataclass(frozen=True)
class Fault:
    """A wrong setting that is met often.

    Attributes:
        title: what is wrong.
        looks: what is seen of it.
        mend: what to do at the other end.
        changes: the settings.
        moves: whether it is the heights that show it; otherwise normals do.
    """

    title: str
    looks: str
    mend: str
    changes: dict[str, Any]
    moves: bool = True


FAULTS = {
    "colour": Fault(
        "Height read as colour", "Low parts sink, slopes bend: hills become narrow and valleys wide.",
        "Set the map to data (raw, linear, non-colour).", {"read_as": "colour"}, moves=False,
    ),
    "green": Fault(
        "Green reversed", "Light from above looks like light from below; light from the side looks right.",
        "Reverse green in the program, or deliver the normal map with green the other way.",
        {"green": "other"}, moves=False,
    ),
    "midlevel-0": Fault(
        "Midlevel 0", "The whole surface swells.", "Set the midlevel stated in the notes.", {"midlevel": 0.0}
    ),
    "midlevel-half": Fault(
        "Midlevel at mid grey", "The whole surface lifts or sinks.", "Set the midlevel stated in the notes.",
        {"midlevel": 0.5},
    ),
    "eight-bits": Fault(
        "8 bits", "Slopes show terraces.", "Read 16 bits or floats; keep the file from being converted.", {"bits": 8}
    ),
    "metres": Fault(
        "Scale in metres", "The surface explodes, or stays flat.",
        "Set the scale to the amplitude stated in the notes, in the program's unit.", {"scale": 1000.0},
    ),
    "level": Fault(
        "One level too few", "Edges look blocky, fine lines are gone.", "Subdivide once more.", {"fewer_levels": 1}
    ),
}  # fmt: skip
"""The usual wrong settings (common practice, no source)."""


@dataclass(frozen=True)
class Look:
    """What is made of the files: heights in mm and unit normals, of what was meant and of what arrives.

    Attributes:
        heights, meant_heights: float32 (rows, columns), mm from the surface.
        normals, meant_normals: float32 (rows, columns, 3), x right, y up; none without a normal map.
        footprint: real width and height, mm.
    """

    heights: np.ndarray
    meant_heights: np.ndarray
    normals: np.ndarray | None
    meant_normals: np.ndarray | None
    footprint: tuple[float, float]


@dataclass(frozen=True)
class Report:
    """How what arrives differs from what was meant.

    Attributes:
        heights: root mean square, mean and greatest difference, mm.
        normals: mean angle, and what 95 % are under, degrees.
        volume: added over the footprint, meant and arrived, mm³.
        mesh: of the mesh's vertices against the heights, where it is a displaced tile: root mean square, mm.
        differs: what differs, in sentences; nothing where all arrives as meant.
    """

    heights: dict[str, float] = field(default_factory=dict)
    normals: dict[str, float] = field(default_factory=dict)
    volume: dict[str, float] = field(default_factory=dict)
    mesh: dict[str, float] = field(default_factory=dict)
    differs: list[str] = field(default_factory=list)

    def as_data(self) -> dict[str, Any]:
        """As JSON data."""
        return asdict(self)


def settings_of(fault: str, arrived: Arrived) -> Settings:
    """The settings of a fault, or the right ones where it is empty."""
    if not fault:
        return Settings()
    changes = dict(FAULTS[fault].changes)
    if changes.get("green") == "other":
        changes["green"] = "down" if _told_green(arrived) == "up" else "up"
    return replace(Settings(), **changes)


def look_at(arrived: Arrived, settings: Settings, relief: str = "main") -> Look:
    """Reads the maps of a relief as a program set so would.

    Raises:
        ReliefError: there is no displacement map, or a file cannot be read.
    """
    told = arrived.told("displacement", relief)
    if not told:
        raise ReliefError("The delivery has no displacement map, so nothing can be displaced.")
    width, height = arrived.contents["reliefs"][relief]["footprint_mm"]
    # what displaces is the first; what was meant is told best by floats
    heights = _heights(arrived, told[0], settings)
    best = next((file for file in told if file["bits"] in ("half", "float")), told[0])
    meant = _heights(arrived, best, Settings())
    if heights.shape != meant.shape:
        raise ReliefError(f"{told[0]['name']} and {best['name']} belong to the same relief but differ in size.")
    if settings.fewer_levels:
        side = _grid_side(arrived, heights)
        heights = _on_grid(heights, max(1, side >> settings.fewer_levels))
        meant = _on_grid(meant, side)
    normal = next(iter(arrived.told("normal", relief)), None)
    normals = _normals(arrived, normal, settings) if normal else None
    return Look(heights, meant, normals, _normals(arrived, normal, Settings()) if normal else None, (width, height))


def compare(arrived: Arrived, settings: Settings, relief: str = "main", look: Look | None = None) -> Report:
    """What arrives, in figures; `look` is what `look_at` gave, if it was asked. Raises as that does."""
    look = look or look_at(arrived, settings, relief)
    report, differs = Report(), []
    off = look.heights - look.meant_heights
    amplitude = max(float(np.ptp(look.meant_heights)), 1e-9)
    report.heights.update(
        rms_mm=float(np.sqrt(np.mean(off.astype(float) ** 2))),
        mean_mm=float(off.mean(dtype=float)),
        greatest_mm=float(np.abs(off).max()),
    )
    if report.heights["rms_mm"] > max(SAME_HEIGHT * amplitude, _rounding(arrived, relief)):
        differs.append(f"Heights are off by {say_number(report.heights['rms_mm'])} mm (RMS).")
    area = look.footprint[0] * look.footprint[1]
    meant, came = (float(each.mean(dtype=float)) * area for each in (look.meant_heights, look.heights))
    report.volume.update(meant_mm3=meant, arrived_mm3=came)
    if abs(came - meant) > SAME_VOLUME * amplitude * area:
        differs.append(f"The volume is off by {came - meant:+,.0f} mm³.")
    if look.normals is not None and look.meant_normals is not None:
        angles = _angles(look.normals, look.meant_normals)
        report.normals.update(mean_degrees=float(angles.mean()), under_95_percent=float(np.percentile(angles, 95)))
        if report.normals["mean_degrees"] > SAME_ANGLE:
            differs.append(f"Normals are {say_number(report.normals['mean_degrees'])}° off on average.")
        differs += _against_heights(arrived, look, report, relief)
    differs += arrived.faults
    differs += [f"{name} is damaged or missing." for name in arrived.list_damaged()]
    try:
        differs += _check_mesh(arrived, look, report)
    except ReliefError as problem:
        differs.append(str(problem))
    return replace(report, differs=differs)


def _rounding(arrived: Arrived, relief: str) -> float:
    """The root mean square in mm that a file of 8 bits is off as it was written: a step over the root of 12, and some.

    Who makes 8 bits of more errs by that too, and it counts as wrong there.
    """
    told = arrived.told("displacement", relief)[0]
    return abs(told["amplitude_mm"]) / 255 * ROUNDING if told["bits"] == 8 else 0.0


ROUNDING = 0.35
"""Of a step; the root mean square of rounding is 0.289 of one."""


def _against_heights(arrived: Arrived, look: Look, report: Report, relief: str) -> list[str]:
    """Whether the normal map says the same as the slopes of the heights, where it is made of them alone."""
    told = arrived.told("normal", relief)[0]
    if look.normals is None or told.get("of") != "relief" or look.normals.shape[:2] != look.meant_heights.shape:
        return []
    rows, columns = look.meant_heights.shape
    if min(rows, columns) < 2:
        return []
    wide, high = look.footprint[0] / columns, look.footprint[1] / rows
    down, across = np.gradient(look.meant_heights.astype(np.float64))
    slopes = np.dstack([-across / wide, down / high, np.full(across.shape, 1 / max(abs(told["strength"]), 1e-9))])
    slopes[..., :2] *= np.sign(told["strength"])
    slopes /= np.linalg.norm(slopes, axis=2, keepdims=True)
    report.normals["from_heights_degrees"] = float(_angles(look.normals, slopes).mean())
    # steep relief is softened by the map's kernel, so only the sense is judged
    turned = [_angles(look.normals * sides, slopes).mean() for sides in ((1, -1, 1), (-1, 1, 1))]
    if report.normals["from_heights_degrees"] > max(TRUE_ANGLE, 1.2 * min(turned)):
        return ["The normal map does not match the heights; green or red may be reversed."]
    return []


def _check_mesh(arrived: Arrived, look: Look, report: Report) -> list[str]:
    """Whether the vertices of a displaced tile stand where the maps say."""
    told = next(iter(arrived.told("mesh")), None)
    if told is None or not told["displaced"]:
        return []
    if told["name"] not in arrived.files:
        return [f"{told['name']} is not in the delivery."]
    if len(arrived.files[told["name"]]) > LARGEST:
        return []
    mesh = read_mesh(told["name"], arrived.files[told["name"]])
    report.mesh["triangles"] = float(len(mesh.faces))
    places = getattr(mesh.visual, "uv", None)
    if not told.get("tile") or places is None or not len(places):
        return []
    per = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}[told["unit"]]
    out = mesh.vertices[:, 2] * per
    rows, columns = look.meant_heights.shape
    column = np.clip(np.floor(places[:, 0] * columns).astype(int), 0, columns - 1)
    row = np.clip(np.floor((1 - places[:, 1]) * rows).astype(int), 0, rows - 1)
    inside = ((places > 0.01) & (places < 0.99)).all(axis=1)
    off = (out - look.meant_heights[row, column])[inside]
    report.mesh["rms_mm"] = float(np.sqrt(np.mean(off**2))) if len(off) else 0.0
    spread = max(float(np.ptp(look.meant_heights)), 1e-9)
    return ["The mesh does not match the maps."] if report.mesh["rms_mm"] > 0.25 * spread else []


def _told_green(arrived: Arrived) -> str:
    told = next(iter(arrived.told("normal")), {})
    return str(told.get("green", "up"))


def _heights(arrived: Arrived, told: dict[str, Any], settings: Settings) -> np.ndarray:
    values, whole = _read(arrived, told)
    if values.ndim == 3:
        values = values[..., 0]
    if whole or settings.bits == 8:
        values = _as_set(values, settings)
    midlevel = told["midlevel"] if settings.midlevel is None else settings.midlevel
    heights: np.ndarray = (values - np.float32(midlevel)) * np.float32(told["amplitude_mm"] * settings.scale)
    return heights


def _normals(arrived: Arrived, told: dict[str, Any], settings: Settings) -> np.ndarray:
    values, whole = _read(arrived, told)
    if values.ndim < 3:
        raise ReliefError(f"{told['name']} is grey; a normal map has red, green and blue.")
    values = values[..., :3]
    if whole and settings.read_as == "colour":
        values = from_display(values)
    normals = values * 2 - 1
    if (settings.green or told["green"]) == "down":
        normals[..., 1] *= -1
    if told["red"] == "left":
        normals[..., 0] *= -1
    lengths = np.linalg.norm(normals, axis=2, keepdims=True)
    unit: np.ndarray = normals / np.maximum(lengths, 1e-6)
    return unit


def _read(arrived: Arrived, told: dict[str, Any]) -> tuple[np.ndarray, bool]:
    if told["name"] not in arrived.files:
        raise ReliefError(f"{told['name']} is not in the delivery.")
    return read_picture(told["name"], arrived.files[told["name"]])


def _as_set(values: np.ndarray, settings: Settings) -> np.ndarray:
    """What a program reads of values of 0 to 1 whose bits, or whose colour space, are set wrongly."""
    if settings.bits == 8:
        values = np.rint(np.clip(values, 0, 1) * 255) / np.float32(255)
    return from_display(values) if settings.read_as == "colour" else values


def from_display(values: np.ndarray) -> np.ndarray:
    """sRGB values as light (IEC 61966-2-1)."""
    light: np.ndarray = np.where(values <= 0.04045, values / 12.92, ((np.maximum(values, 0) + 0.055) / 1.055) ** 2.4)
    return light.astype(np.float32)


def _grid_side(arrived: Arrived, heights: np.ndarray) -> int:
    """Quads along a side of the mesh that the maps displace; as fine as half the texels where none is told."""
    told = next(iter(arrived.told("mesh")), {})
    faces = told.get("faces", 0)
    return min(max(2, round(float(faces) ** 0.5)), max(heights.shape) // 2) if faces else max(heights.shape) // 2


def _on_grid(heights: np.ndarray, side: int) -> np.ndarray:
    """Heights as a mesh of so many quads along a side has them: joined by straight lines between its vertices."""
    import cv2

    rows, columns = heights.shape
    at = [np.clip(np.rint(np.linspace(0, count - 1, side + 1)).astype(int), 0, count - 1) for count in (rows, columns)]
    corners = np.ascontiguousarray(heights[np.ix_(*at)])
    across = (np.arange(columns, dtype=np.float32)) / max(columns - 1, 1) * side
    down = (np.arange(rows, dtype=np.float32)) / max(rows - 1, 1) * side
    places = np.meshgrid(across, down)
    joined: np.ndarray = cv2.remap(corners, places[0], places[1], cv2.INTER_LINEAR)
    return joined


def _angles(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Degrees between unit vectors."""
    cosines = np.clip(np.einsum("ijk,ijk->ij", one.astype(np.float64), other.astype(np.float64)), -1, 1)
    angles: np.ndarray = np.degrees(np.arccos(cosines))
    return angles
