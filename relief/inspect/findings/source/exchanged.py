"""Red and blue are swapped in a normal map."""

from __future__ import annotations

from dataclasses import replace

from relief.inspect.finding import Finding
from relief.inspect.seen import SeenSource
from relief.sources.picture import Picture
from relief.sources.roles import looks_like_normals


def find(seen: SeenSource) -> Finding | None:
    """The ground is a normal map whose red and blue are swapped."""
    return find_in_picture(seen.picture)


def find_in_picture(picture: Picture) -> Finding | None:
    """A normal map whose red and blue stand in each other's place."""
    if not picture.is_colour or looks_like_normals(picture):
        return None
    if not looks_like_normals(replace(picture, pixels=picture.pixels[..., ::-1])):
        return None
    reason = (
        "With red and blue swapped its colours are those of a normal map. Save it again with its channels as red, "
        "green, blue."
    )
    return Finding("exchanged", "Red and blue are swapped", reason)
