"""Stamp touches its border: a picture that is pressed in is drawn up to its edge."""

from __future__ import annotations

from dataclasses import replace

from relief.compose.imprints import touches_edge
from relief.inspect.finding import Finding
from relief.inspect.seen import SeenRelief
from relief.run.pipeline import PROXY


def find(seen: SeenRelief) -> Finding | None:
    """A picture that is pressed in is drawn up to its edge."""
    small = replace(seen.pipeline, longest=PROXY)
    for number, layer in enumerate(seen.relief.layers):
        picture = small.imprint_picture(number) if layer.on else None
        if picture and touches_edge(seen.engine.run(picture)):
            reason = (
                f"The stamp of “{layer.name}” touches the border of its picture and is cut off there. Leave a margin, "
                "or set a larger edge fade."
            )
            return Finding("inked", "Stamp touches its border", reason)
    return None
