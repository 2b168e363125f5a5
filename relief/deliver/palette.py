"""The colours of pages that go with a delivery: those of the bench, as they are on paper."""

from __future__ import annotations

PAPER, INK, MUTE, HAIRLINE = "#f1f5f4", "#15252c", "#566a70", "#b3c1c3"
ABOVE, BELOW, DATUM = "#b9791a", "#2a6a98", "#b3105f"


def rgb(colour: str) -> tuple[int, int, int]:
    """Red, green and blue of a colour, 0 to 255."""
    red, green, blue = bytes.fromhex(colour.removeprefix("#"))
    return red, green, blue
