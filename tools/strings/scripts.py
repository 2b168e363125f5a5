"""Strings of the browser's scripts that may be read."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from tools.strings.text import Text, filled_in, has_letters, tidy

PARTS = re.compile(
    r"//[^\n]*|/\*.*?\*/"
    r"|(?P<text>\"(?:\\.|[^\"\\\n])*\"|'(?:\\.|[^'\\\n])*'|`(?:\\.|\$\{(?:[^{}`]|\{[^{}]*\}|`[^`]*`)*\}|[^`\\])*`)",
    re.DOTALL,
)
"""Comments, and strings with their quotes."""

FILLED_IN = re.compile(r"\$\{((?:[^{}]|\{[^{}]*\})*)\}")

WORKINGS = re.compile(
    r"^[a-z0-9_./:#*?&=-]*$"  # words of the code, addresses
    r"|[#\[\]]|^\.|=>|==|;|>\s|^\s*[a-z-]+:[a-z-]|/\{|\}/"  # selectors, styles, addresses
    r"|^[a-z]+([A-Z][a-z]*)+$|^[A-Z][a-z]+(Right|Left|Up|Down)$|^(Enter|Escape|Tab|Home|End|Delete|Backspace)$"
    r"|^(application|image|text)/|^[A-Z]{2,}$|^[A-Z][a-z]+[A-Z]"  # names of events and keys, media types
)
"""What nobody is meant to read."""

OF_A_SHADER = re.compile(r"gl_|vec[234]|uniform|precision|void main|#version")


def texts_of_script(path: Path) -> Iterator[Text]:
    """The strings of a script that may be read, in order."""
    source = path.read_text()
    for found in PARTS.finditer(source):
        if found["text"] is None:
            continue
        quoted = found["text"][1:-1]
        fixed = FILLED_IN.sub("", quoted)
        if has_letters(fixed) and not WORKINGS.search(fixed.strip()) and not OF_A_SHADER.search(fixed):
            text = FILLED_IN.sub(lambda value: filled_in(value[1]), quoted)
            yield Text(path, 1 + source.count("\n", 0, found.start()), tidy(text.replace("\\n", " ")))
