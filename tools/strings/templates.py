"""Strings of Django templates that may be read: text between tags, and what attributes say."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html.parser import HTMLParser
from pathlib import Path

from tools.strings.text import Text, filled_in, has_letters, tidy

SAID = ("title", "alt", "placeholder", "label", "aria-label", "aria-description", "aria-roledescription", "hx-confirm")
"""Attributes that are read or heard; so are those that begin with `data-say`."""

COMMENT = re.compile(r"\{#.*?#\}|\{% comment.*?endcomment %\}", re.DOTALL)
TAG = re.compile(r"\{%.*?%\}", re.DOTALL)
VALUE = re.compile(r"\{\{\s*(.*?)\s*\}\}", re.DOTALL)
QUOTED = re.compile(r'"([^"]*)"')
PARTED = "\x1f"
"""Stands for a tag of a template, which parts texts."""

WORKING_TAGS = ("url", "static", "load", "extends")
"""Tags whose quoted parts are names; of the others those with a blank or a capital are read."""


def texts_of_template(path: Path) -> Iterator[Text]:
    """The strings of a template that may be read, in order."""
    source = COMMENT.sub(lambda found: "\n" * found[0].count("\n"), path.read_text())
    for found in TAG.finditer(source):
        name = found[0].strip("{%} \n").partition(" ")[0]
        for said in QUOTED.findall(found[0]):
            read = " " in said or said[:1].isupper()
            if has_letters(said) and read and name not in WORKING_TAGS:
                yield Text(path, 1 + source.count("\n", 0, found.start()), tidy(said))
    for found in VALUE.finditer(source):
        for said in QUOTED.findall(found[1]):
            if has_letters(said) and "|date" not in found[1]:
                yield Text(path, 1 + source.count("\n", 0, found.start()), tidy(said))
    plain = TAG.sub(lambda found: PARTED + "\n" * found[0].count("\n"), source)
    plain = VALUE.sub(lambda found: filled_in(re.sub(r"[\"'<>]", "", found[1])) + "\n" * found[0].count("\n"), plain)
    reader = _Reader()
    reader.feed(plain)
    reader.close()
    for line, text in reader.found:
        for part in text.split(PARTED):
            if has_letters(re.sub(r"\{[^{}]*\}", "", part)):
                yield Text(path, line, tidy(part))


class _Reader(HTMLParser):
    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.found: list[tuple[int, str]] = []
        self._silent = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._silent += tag in ("script", "style")
        for name, value in attrs:
            if value and (name in SAID or name.startswith("data-say")):
                self.found.append((self.getpos()[0], value))

    def handle_endtag(self, tag: str) -> None:
        self._silent -= tag in ("script", "style")

    def handle_data(self, data: str) -> None:
        if not self._silent:
            self.found.append((self.getpos()[0], data))
