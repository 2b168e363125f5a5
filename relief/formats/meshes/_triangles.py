"""A mesh as trimesh takes it, for the formats that it writes."""

from __future__ import annotations

from typing import Any

import numpy as np

from relief.surface.mesh import Mesh


def triangles_of(mesh: Mesh, scale: float = 1) -> Any:
    """The `trimesh.Trimesh` of a mesh, cut at its seams; `scale` units to a mm."""
    import trimesh  # takes longer to load than all else, and only some formats need it

    cut = mesh.cut_at_seams()
    return trimesh.Trimesh(
        (cut.positions + np.array(cut.middle, np.float32)) * scale,
        cut.corners[cut.triangles()],
        vertex_normals=cut.normals,
        visual=trimesh.visual.TextureVisuals(uv=cut.uv),
        process=False,
        validate=False,
    )
