"""The mesh's own UV."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.surface.mapping.mapping import Bounds, Mapping, Unrolled
from relief.surface.mesh import Mesh


class OwnMapping(Mapping):
    """The UVs that come with a mesh; on a shape of the app, each part spans 0 to 1."""

    title: ClassVar[str] = "Own UV"
    about: ClassVar[str] = "The UVs of the shape or the mesh"
    has_poles: ClassVar[bool] = True
    kind: Literal["uv"] = "uv"

    def degrees_from_poles(self, mesh: Mesh, drawn: Unrolled) -> np.ndarray | None:
        if not any(part.has_poles for part in mesh.part_list):
            return None
        of_places = np.zeros(len(mesh.uv), np.int64)
        of_places[mesh.uv_corners] = mesh.parts[mesh.face_of_corners]
        with_poles = np.array([part.has_poles for part in mesh.part_list])[of_places]
        return np.where(with_poles, 180 * np.minimum(mesh.uv[:, 1], 1 - mesh.uv[:, 1]), 180.0)

    def unroll(self, mesh: Mesh, bounds: Bounds) -> tuple[Unrolled, tuple[Unrolled, ...]]:
        sizes = np.array([(part.width, part.height) for part in mesh.part_list], np.float64)
        if (sizes == sizes[0]).all():
            lengths = sizes[0]
        else:
            part_of = np.zeros(len(mesh.uv), np.int64)
            part_of[mesh.uv_corners] = mesh.parts[mesh.face_of_corners]
            lengths = sizes[part_of]
        return Unrolled(mesh.uv.astype(np.float64), mesh.uv_corners, lengths, bounds.low[:2] + mesh.middle[:2]), ()
