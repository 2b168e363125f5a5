"""Where the application lies, and where it keeps its data unless it is told otherwise."""

from __future__ import annotations

import os
from pathlib import Path

HOUSE = Path(__file__).resolve().parent.parent
"""The folder that holds the packages: the source, or where they were installed."""


def default_data() -> Path:
    """`var/` beside the source, or a folder of the user's when installed (XDG Base Directory Specification)."""
    if (HOUSE / "manage.py").exists():
        return HOUSE / "var"
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "zealous-gravel"
