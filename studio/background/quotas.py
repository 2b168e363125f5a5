"""Quotas: how many bytes an artist may keep, and how much work may run or wait at a time."""

from __future__ import annotations

from typing import Any

from django.apps import apps
from django.conf import settings

from relief.errors import ReliefError
from relief.figures import say_bytes
from studio.background.models import Work


class OverQuotaError(ReliefError):
    """An artist has no room left; the message is a sentence that says what to do."""


def count_bytes(artist: Any) -> int:
    """Bytes that are kept for an artist: of every model that says it by `bytes_of`."""
    return sum(model.bytes_of(artist) for model in apps.get_models() if hasattr(model, "bytes_of"))


def count_work(artist: Any) -> int:
    """Work of an artist that runs or waits."""
    return sum(kind.objects.filter(owner=artist, state__in=Work.ACTIVE).count() for kind in Work.kinds())


def refuse_beyond_quota(artist: Any, *, works: bool = True) -> None:
    """Refuses something new where an artist has reached a quota.

    Args:
        artist: who asks.
        works: whether it is work in the background, not only a file.

    Raises:
        OverQuotaError
    """
    if settings.QUOTA_BYTES and (used := count_bytes(artist)) >= settings.QUOTA_BYTES:
        raise OverQuotaError(
            f"You keep {say_bytes(used)} of the {say_bytes(settings.QUOTA_BYTES)} that each artist may keep. "
            "Remove series, pieces or pictures, and ask who runs the studio to clear what is unused."
        )
    if works and settings.QUOTA_WORK and (running := count_work(artist)) >= settings.QUOTA_WORK:
        raise OverQuotaError(
            f"{running} of your jobs run or wait; each artist may have {settings.QUOTA_WORK}. Cancel one, or wait."
        )
