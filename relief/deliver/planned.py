"""A file of a delivery as it is planned: what it is, what it is called, and how it is written."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import count

from relief.recipe.delivery import DEPTHS, Depth
from relief.recipe.recipe import MAIN

CARD = "card-"
"""What the names of the test card's maps begin with."""

SEEN = "seen-"
"""What the names of the masks of layers begin with that won by height."""

CHANNELS = {1: "grey", 3: "red green blue", 4: "red green blue alpha"}


@dataclass(frozen=True)
class Planned:
    """One file of a delivery.

    Attributes:
        name: which one; a map has the name it has among the finished maps.
        filename: unlike that of any other file of the delivery.
        title: what it is called on the page.
        format: PNG, TIFF, OBJ, JSON or text.
        bits: the depth of its samples, where it is a picture.
        channels: of the picture.
        relief: the key of the relief that a map is made of.
        writer: the module of `relief.deliver.writers` that makes it; empty for a map.
    """

    name: str
    filename: str
    title: str
    format: str
    bits: Depth | None = None
    channels: int = 0
    relief: str = MAIN
    writer: str = ""

    @property
    def ending(self) -> str:
        """Of its file name."""
        return self.filename.rpartition(".")[2]

    @property
    def depth(self) -> str:
        """Bits and channels in words; empty where it is no picture."""
        return f"{DEPTHS[self.bits]}, {CHANNELS[self.channels]}" if self.bits else ""

    @property
    def written(self) -> str:
        """How it is written, in words."""
        return ", ".join(part for part in (self.format, self.depth) if part)

    @property
    def is_colour(self) -> bool:
        """Whether it is a picture to be read as colour; all others are data."""
        return self.name == "colour"


def distinguish_names(files: Iterable[Planned]) -> list[Planned]:
    """The files with a number after each name that another one has already, in whatever case."""
    given: set[str] = set()
    named = []
    for file in files:
        base, dot, ending = file.filename.rpartition(".")
        names = (f"{base}{f'_{number}' if number > 1 else ''}{dot}{ending}" for number in count(1))
        filename = next(name for name in names if name.lower() not in given)
        given.add(filename.lower())
        named.append(replace(file, filename=filename))
    return named
