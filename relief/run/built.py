"""What a final build gives, and how it is kept: the mesh, how near it is to the true surface, and what completes it."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any

import numpy as np

from relief.displace.deviation import Deviation
from relief.surface.mesh import Mesh, Part
from relief.version import computation_version

SHARED = ("uv_corners", "normal_corners")
"""Numbers of a mesh that may be the same array as `corners`; they are then kept once."""


@dataclass(frozen=True)
class Built:
    """A finished surface.

    Attributes:
        mesh: displaced, its parts the regions of the surface; with a residual of triangles, uv places on that.
        off: how far it is from the true surface.
        residual: the normal map that completes it, uint16 (rows, columns, 3), green up; none where it is not split.
        angles: between the normals of mesh and true surface, degrees: without the residual and with it, each the mean
            and what 95 % are under; none where it is not split.
    """

    mesh: Mesh
    off: Deviation
    residual: np.ndarray | None = None
    angles: tuple[tuple[float, float], tuple[float, float]] | None = None

    def arrays(self) -> dict[str, np.ndarray]:
        """All of it as arrays by name, so that it can be kept in one file of NumPy's."""
        mesh = self.mesh
        found = {item.name: getattr(mesh, item.name) for item in fields(mesh)}
        parts, middle = found.pop("part_list"), found.pop("middle")
        found = {name: array for name, array in found.items() if not (name in SHARED and array is mesh.corners)}
        if self.residual is not None:
            found["residual"] = self.residual
        told: dict[str, Any] = {"parts": [list(part) for part in parts], "middle": list(middle), "angles": self.angles}
        told["off"] = asdict(self.off)
        return found | {"told": np.frombuffer(json.dumps(told).encode(), np.uint8)}

    @classmethod
    def of(cls, arrays: Mapping[str, np.ndarray]) -> Built:
        """What `arrays` gave."""
        told = json.loads(arrays["told"].tobytes())
        named: dict[str, Any] = {item.name: arrays[item.name] for item in fields(Mesh) if item.name in arrays}
        named |= {name: named["corners"] for name in SHARED if name not in named}
        parts = tuple(
            Part(name, width, height, tuple(low), tuple(high), poles)
            for name, width, height, low, high, poles in told["parts"]
        )
        mesh = Mesh(**named, part_list=parts, middle=tuple(told["middle"]))
        angles = tuple(tuple(pair) for pair in told["angles"]) if told["angles"] else None
        return cls(mesh, Deviation(**told["off"]), arrays.get("residual"), angles)  # type: ignore[arg-type]


def built_place(builds: Path, key: str) -> Path:
    """Where a finished build lies: under the key of its last stage, and the version of the computation that made it."""
    return builds / f"{key}-{computation_version()[:16]}.npz"


def read_built(place: Path) -> Built | None:
    """A kept build; none where there is none, or its file is broken."""
    try:
        with np.load(place, allow_pickle=False) as kept:
            return Built.of({name: kept[name] for name in kept.files})
    except (OSError, ValueError, KeyError, zipfile.BadZipFile):
        return None
