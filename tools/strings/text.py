"""A string that somebody may read, and what of it stands fixed."""

from __future__ import annotations

import re
from pathlib import Path
from typing import NamedTuple

FILLED_IN = re.compile(r"\{[^{}]*\}")
"""Where something is filled in: `{what}`."""


class Text(NamedTuple):
    """A string that somebody may read.

    Attributes:
        path: of its file.
        line: of that, from 1 on.
        text: with `{what}` where something is filled in.
    """

    path: Path
    line: int
    text: str

    @property
    def fixed(self) -> list[str]:
        """Its parts between what is filled in, those with letters."""
        parts = (" ".join(part.split()) for part in FILLED_IN.split(self.text))
        return [part for part in parts if has_letters(part)]


def filled_in(what: str) -> str:
    """The mark of where something is filled in, such as `FILLED_IN` finds."""
    return "{" + re.sub(r"[{}]", "", what) + "}"


def has_letters(text: str) -> bool:
    """Whether there is anything to be read in it."""
    return any(letter.isalpha() for letter in text)


def tidy(text: str) -> str:
    """The text in one line."""
    return " ".join(text.split())
