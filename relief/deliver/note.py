"""The note of a delivery: for each file how it is to be read."""

from __future__ import annotations

import textwrap
from collections.abc import Mapping
from dataclasses import dataclass

from relief.height import Edges, HeightField
from relief.recipe.relief import Relief

WIDTH = 110
"""Letters in a line of the note."""


@dataclass(frozen=True)
class Entry:
    """What the note says of one file."""

    name: str
    role: str
    depth: str
    reading: str


def note(title: str, reliefs: Mapping[str, tuple[Relief, HeightField]], entries: list[Entry]) -> str:
    """Plain text: the piece's real sizes, then file by file role, depth and how to read it.

    Args:
        title: what the piece is called.
        reliefs: each relief and its height, by what it is called.
        entries: the files.
    """
    lines = [f"{title}", "=" * len(title), ""]
    for name, (relief, height) in reliefs.items():
        lines += [name, ""] if len(reliefs) > 1 else []
        lines += [*_sizes(relief, height), ""]
    lines += [
        "All maps are data, not colour: read them without any gamma or colour profile (often called raw, linear or",
        "non-colour). White is high, black is low.",
        "",
    ]
    for entry in entries:
        said = textwrap.fill(entry.reading, WIDTH, initial_indent="  ", subsequent_indent="  ")
        lines += [entry.name, f"  {entry.role}. {entry.depth}.", said, ""]
    lines += [
        "When the maps are repeated n times over the same size their slopes grow n times; set the amplitude to 1/n to",
        "keep the look.",
        "",
    ]
    return "\n".join(lines)


def _sizes(relief: Relief, height: HeightField) -> list[str]:
    rows, columns = height.samples.shape
    footprint, edges = height.footprint, height.edges
    return [
        f"Footprint   {footprint.width:g} x {footprint.height:g} mm",
        f"Texels      {columns} x {rows}",
        f"Amplitude   {relief.amplitude:g} mm for one unit of height",
        f"Midlevel    {relief.midlevel:g}",
        f"Edges       {edges.across} across, {edges.down} down",
        f"Repeats     {_repeats(edges)}",
    ]


def _repeats(edges: Edges) -> str:
    match edges.wraps:
        case True, True:
            return "made to repeat in both directions"
        case True, False:
            return "made to repeat across, not down"
        case False, True:
            return "made to repeat down, not across"
        case _:
            return "stands alone; the edges do not meet"
