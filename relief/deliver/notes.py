"""The note of a delivery: for each file how it is to be read."""

from __future__ import annotations

import html
import textwrap
from collections.abc import Mapping
from dataclasses import dataclass, field
from string import Template
from typing import Any

from relief.deliver.palette import HAIRLINE, INK, MUTE
from relief.figures import UNITS, say_number
from relief.height import Edges, HeightField
from relief.inspect.readings import DETAIL_SHARES
from relief.inspect.wavelengths import wavelengths
from relief.recipe.relief import Relief

FINEST = DETAIL_SHARES[1]
WIDTH = 110
"""Letters in a line of the note."""


@dataclass(frozen=True)
class Entry:
    """What the note says of one file."""

    name: str
    role: str
    depth: str
    reading: str
    meaning: Mapping[str, Any] = field(default_factory=dict)
    """What the file means as figures and words for programs."""


def note(title: str, reliefs: Mapping[str, tuple[Relief, HeightField]], entries: list[Entry], unit: str = "mm") -> str:
    """Plain text: the piece's real sizes, then file by file role, depth and how to read it.

    Args:
        title: what the piece is called.
        reliefs: each relief and its height, by what it is called.
        entries: the files.
        unit: one of `UNITS`, that amplitudes are told in beside mm.
    """
    lines = [f"{title}", "=" * len(title), ""]
    for name, (relief, height) in reliefs.items():
        lines += [name, ""] if len(reliefs) > 1 else []
        lines += [f"{word:12}{value}" for word, value in _sizes(relief, height, unit)] + [""]
    lines += [textwrap.fill(AS_DATA, WIDTH), ""]
    for entry in entries:
        said = textwrap.fill(entry.reading, WIDTH, initial_indent="  ", subsequent_indent="  ")
        lines += [entry.name, f"  {entry.role}. {entry.depth}.", said, ""]
    lines += [textwrap.fill(REPEATED, WIDTH), ""]
    return "\n".join(lines)


def page(title: str, reliefs: Mapping[str, tuple[Relief, HeightField]], entries: list[Entry], unit: str = "mm") -> str:
    """The same as one page of HTML that prints well and needs nothing beside it. Takes what `note` takes."""
    said = html.escape
    parts = [PAGE.format(title=said(title), style=STYLE)]
    for name, (relief, height) in reliefs.items():
        rows = "".join(
            f"<tr><th>{said(word)}</th><td>{said(value)}</td></tr>" for word, value in _sizes(relief, height, unit)
        )
        parts.append(f"<h2>{said(name)}</h2><table>{rows}</table>" if len(reliefs) > 1 else f"<table>{rows}</table>")
    parts.append(f"<p>{said(AS_DATA)}</p>")
    for entry in entries:
        parts.append(
            f"<section><h3>{said(entry.name)}</h3><p><b>{said(entry.role)}.</b> {said(entry.depth)}. "
            f"{said(entry.reading)}</p></section>"
        )
    return "\n".join([*parts, f"<p>{said(REPEATED)}</p></html>", ""])


AS_DATA = (
    "All maps are data, not colour, except the colour map: read them without any gamma or colour profile "
    "(often called raw, linear or non-colour). White is high, black is low."
)
REPEATED = (
    "Repeated n times over the same size, the maps become n times as steep; divide the amplitude by n to keep the look."
)
STYLE = Template("""
body { font: 15px/1.45 system-ui, sans-serif; max-width: 46em; margin: 2em auto; padding: 0 1em; color: $ink }
h1 { font-size: 1.6em } h3 { font: 600 1em ui-monospace, monospace; margin: 1.2em 0 .2em }
p { margin: .3em 0 } th { text-align: left; font-weight: 400; color: $mute; padding-right: 2em }
section { break-inside: avoid; border-top: 1px solid $hairline }
@media print { body { margin: 0; font-size: 11pt } }
""").substitute(ink=INK, mute=MUTE, hairline=HAIRLINE)
PAGE = """<!doctype html>
<html lang="en"><meta charset="utf-8"><title>{title}</title>
<style>{style}</style>
<h1>{title}</h1>"""


def _sizes(relief: Relief, height: HeightField, unit: str) -> list[tuple[str, str]]:
    rows, columns = height.samples.shape
    footprint, edges = height.footprint, height.edges
    told = "" if unit == "mm" else f" ({say_number(relief.amplitude / UNITS[unit], 6)} {unit})"
    finest = wavelengths(height, FINEST)
    keeps = f"edges of {say_number(finest[0] / 2, 2)} mm keep the finest detail" if finest else "it is flat"
    return [
        ("Footprint", f"{say_number(footprint.width, 6)} x {say_number(footprint.height, 6)} mm"),
        ("Texels", f"{columns} x {rows}"),
        ("Amplitude", f"{say_number(relief.amplitude, 6)} mm{told} for one unit of height"),
        ("Midlevel", say_number(relief.midlevel, 6)),
        ("Edges", f"{edges.across} across, {edges.down} down"),
        ("Repeats", _repeats(edges)),
        ("Mesh", keeps),
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
