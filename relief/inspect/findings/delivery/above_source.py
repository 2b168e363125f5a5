"""Larger than the source: what is added is only interpolated."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenDelivery
from relief.run.pipeline import Pipeline


def find(seen: SeenDelivery) -> Finding | None:
    """Maps are delivered larger than the picture they are made from."""
    recipe = seen.recipe
    if not recipe.delivery.size or not recipe.main.layers[0].source or len(recipe.main.layers) > 1:
        return None
    relief = recipe.main.with_changes({"maps.resolution": 0})
    height = seen.engine.run(Pipeline(relief, recipe.sources, seen.read_source).height())
    longest = max(height.samples.shape)
    if recipe.delivery.size <= longest:
        return None
    reason = f"{recipe.delivery.size} texels are requested but the source has {longest}: the rest is only interpolated."
    mend = Mend("Use the size of the source", {"delivery.size": 0})
    return Finding("above-source", "Larger than the source", reason, mend)
