"""Whether a studio has still to be made ready, and how that is begun."""

from __future__ import annotations

import platform

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser

from relief.version import computation_version
from studio.background.tasks import begin
from studio.bench.demo_pieces import list_missing
from studio.shelf.models import Preparation


def begin_preparation(artist: AbstractBaseUser, *, with_pieces: bool) -> Preparation | None:
    """Has demo pieces made and kernels compiled in the background, if either is missing and nobody is at it."""
    pieces = with_pieces and bool(list_missing(artist))
    if Preparation.under_way() or not (pieces or not _kernels_are_compiled()):
        return None
    preparation = Preparation.objects.create(owner=artist, with_pieces=pieces)
    begin(preparation)
    return preparation


def note_kernels_are_compiled() -> None:
    """Remembers that this version's kernels are in the disk cache of this machine."""
    _note().write_text(this_machine())


def _kernels_are_compiled() -> bool:
    return _note().exists() and _note().read_text() == this_machine()


def _note():
    return settings.DATA / "kernels"


def this_machine() -> str:
    """What compiled kernels and measured rates hold for: the version, Python, and this machine by its name."""
    return f"{computation_version()} {platform.python_version()} {platform.node()}"
