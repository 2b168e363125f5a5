"""Paragraphs, list items, headings and table rows of documents."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from tools.strings.text import Text, has_letters, tidy

BEGINS = ("#", "- ", "* ", "|", "> ", "1. ", "![")
"""What a new text begins with."""


def texts_of_document(path: Path) -> Iterator[Text]:
    """The texts of a document in Markdown; what is shown as code is left out."""
    begun, parts, code = 1, list[str](), False

    def flush() -> Iterator[Text]:
        if parts and has_letters(text := tidy(" ".join(parts))):
            yield Text(path, begun, text)
        parts.clear()

    for number, line in enumerate(path.read_text().splitlines(), 1):
        code ^= line.startswith("```")
        if code or line.startswith(("```", "    ")) or not line.strip() or line.lstrip().startswith(BEGINS):
            yield from flush()
        if code or line.startswith(("```", "    ")) or not line.strip():
            continue
        if not parts:
            begun = number
        parts.append(line)
    yield from flush()
