"""All strings that may be read, from all files that hold some."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from tools.strings.documents import texts_of_document
from tools.strings.python import texts_of_python
from tools.strings.scripts import texts_of_script
from tools.strings.templates import texts_of_template
from tools.strings.text import Text

ROOT = Path(__file__).parents[2]

READERS: dict[str, Callable[[Path], Iterator[Text]]] = {
    "relief/**/*.py": texts_of_python,
    "studio/**/*.py": texts_of_python,
    "studio/**/*.html": texts_of_template,
    "studio/**/*.js": texts_of_script,
    "docs/**/*.md": texts_of_document,
    "*.md": texts_of_document,
}
"""How the strings of the files of a pattern are read."""

LEFT_OUT = ("tests", "vendor", "migrations")
"""Folders whose strings nobody meets while working."""


def collect_texts(root: Path = ROOT) -> Iterator[Text]:
    """Every string that may be read, file after file; paths are those below the root."""
    for pattern, read in READERS.items():
        for path in sorted(root.glob(pattern)):
            below = path.relative_to(root)
            if not set(below.parts) & set(LEFT_OUT):
                yield from (text._replace(path=below) for text in read(path))
