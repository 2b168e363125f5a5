"""A folder of sources, each a file under its hash."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from relief.errors import PictureError


@dataclass(frozen=True)
class SourceFolder:
    """Reads sources from a folder. It can be handed to another process, which then reads the same files."""

    folder: Path

    def place(self, digest: str) -> Path:
        """Where the bytes of a source lie."""
        return self.folder / digest[:2] / digest

    def __call__(self, digest: str) -> bytes:
        """The bytes of a source.

        Raises:
            PictureError: its file is gone.
        """
        try:
            return self.place(digest).read_bytes()
        except FileNotFoundError:
            raise PictureError("The source picture is missing from the data folder. Import it again.") from None
