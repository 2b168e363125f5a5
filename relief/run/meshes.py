"""The stages that a surface is made in: subdivided, then displaced. Their results have their own size in bytes."""

from __future__ import annotations

from functools import partial

from relief.displace.displace import displace_mesh
from relief.displace.forecast import refuse_if_too_large
from relief.height import Footprint, HeightField
from relief.run.engine import Stage
from relief.run.pipeline import Pipeline
from relief.surface.mesh import Mesh
from relief.surface.shape import Shape


def subdivide(surface: Shape, footprint: Footprint) -> Stage:
    """The `Mesh` of a surface before it is displaced.

    Raises:
        TooManyFacesError: more faces than are built.
    """
    refuse_if_too_large(surface, footprint)
    return Stage(
        "Subdividing the surface", partial(surface.mesh, footprint), [surface.model_dump(), footprint.model_dump()]
    )


def displace(pipeline: Pipeline, surface: Shape) -> Stage:
    """The `Mesh` of a surface moved by the relief of a pipeline. Raises as `subdivide` does."""
    relief = pipeline.relief
    base = subdivide(surface, relief.final_footprint)
    compute = partial(_displace, relief.amplitude, relief.midlevel)
    return Stage("Displacing the surface", compute, [relief.amplitude, relief.midlevel], (base, pipeline.displacing()))


def _displace(amplitude: float, midlevel: float, mesh: Mesh, height: HeightField) -> Mesh:
    return displace_mesh(mesh, height, amplitude, midlevel)
