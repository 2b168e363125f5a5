"""Taking uploaded pictures in."""

from __future__ import annotations

from django.http import HttpRequest

from answers.refusals import FULL_DISK, is_full_disk, say_file_fault
from relief.errors import PictureError, ReliefError
from shelf.archives import incoming
from shelf.intake import keep_source
from shelf.looks import swatch_file
from shelf.models import Source

Refused = list[tuple[str, str]]


def keep_uploads(request: HttpRequest) -> tuple[list[Source], Refused]:
    """Keeps the pictures of a request, those in ZIP archives too; gives them and, by name, why others were not kept."""
    kept: list[Source] = []
    refused: Refused = []
    files = request.FILES.getlist("pictures")
    if getattr(request, "upload_too_large", False):
        return [], [("The upload", "It is too large. At most 600 MB can be taken at once.")]
    for file in files:
        for name, data in incoming(file.name, file):
            try:
                if isinstance(data, PictureError):
                    raise data
                kept.append(keep_source(request.artist, name, data))
                swatch_file(kept[-1])
            except ReliefError as problem:
                refused.append((name, str(problem)))
            except OSError as problem:
                refused.append((name, FULL_DISK if is_full_disk(problem) else say_file_fault(problem)))
    return kept, refused
