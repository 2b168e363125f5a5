"""Everything that is found in a piece: in its relief, its surface, its mesh, and what is delivered of it."""

from __future__ import annotations

from relief.compose.imprints import touches_edge
from relief.deliver.profiles import find_in_delivery
from relief.inspect.finding import Finding
from relief.inspect.findings import Readings, measure_and_find
from relief.inspect.mesh_findings import find_in_mesh
from relief.inspect.surface_findings import find_in_surface
from relief.progress import Progress
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import PROXY, Pipeline
from relief.run.stages import ReadSource

LAST_STEP = "deliver"
"""The step at which all is asked about."""

LOOKED_AT = 2048
"""Texels on the long side of what a surface is looked at with."""


def find_in_piece(
    recipe: Recipe,
    read_source: ReadSource,
    engine: Engine,
    step: str = LAST_STEP,
    progress: Progress | None = None,
) -> tuple[Readings, list[Finding]]:
    """The readings, and what is found of what a step asks about: the mesh and the delivery at the later ones.

    Args:
        recipe: the piece; of its reliefs the one that is worked on.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        step: the step of the route.
        progress: may cancel.

    Raises:
        ReliefError: it cannot be computed.
        Cancelled: through `progress`.
    """
    pipeline = Pipeline.of(recipe, read_source)
    taken, found = measure_and_find(pipeline, engine, recipe.delivery.normal_bits, progress or Progress())
    found += _find_inked_pictures(Pipeline.of(recipe, read_source, PROXY), engine)
    surface = SurfacePipeline.of(recipe, read_source, LOOKED_AT)
    found += find_in_surface(surface, engine)
    if step == LAST_STEP:
        found += find_in_delivery(recipe, read_source, engine)
    if step in ("surface", LAST_STEP):
        found += find_in_mesh(surface, engine, taken.finest)
    return taken, found


def _find_inked_pictures(pipeline: Pipeline, engine: Engine) -> list[Finding]:
    """Pictures that are pressed in although they are drawn up to their edge."""
    found = []
    for number, layer in enumerate(pipeline.relief.layers):
        picture = pipeline.imprint_picture(number) if layer.on else None
        if picture and touches_edge(engine.run(picture)):
            reason = f"The stamp of “{layer.name}” touches the border of its picture and is cut off there."
            found.append(
                Finding("inked", "Stamp touches its border", f"{reason} Leave a margin, or set a larger edge fade.")
            )
    return found
