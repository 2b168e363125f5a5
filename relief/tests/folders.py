"""What lies in the folders of the core, read from the text of their files and not by the code under test."""

from __future__ import annotations

import re
from pathlib import Path

RELIEF = Path(__file__).parents[1]


def kinds_written(folder: str) -> list[str]:
    """The kinds that the models of a folder declare, sorted."""
    text = "".join(file.read_text() for file in (RELIEF / folder).glob("*.py"))
    return sorted(re.findall(r'kind: Literal\["(\w+)"\]', text))
