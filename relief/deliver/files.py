"""Files on disk: written whole or not at all, under names that are safe everywhere."""

from __future__ import annotations

import os
import re
import secrets
from pathlib import Path

LONGEST_STEM = 60


def write_whole(path: Path, data: bytes) -> None:
    """Writes a file through a temporary one beside it, so that no half of it is ever seen under its name."""
    beside = path.with_name(f".{path.name}.{secrets.token_hex(4)}")
    try:
        with beside.open("wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(path)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise


def safe_stem(name: str) -> str:
    """A file name's stem of letters, digits, `-` and `_` only."""
    stem = Path(name.replace("\\", "/")).stem
    return re.sub(r"[^\w-]+", "_", stem, flags=re.ASCII).strip("_")[:LONGEST_STEM] or "relief"
