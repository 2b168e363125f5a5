"""Sources as they came in, and the pieces made of them. Every row belongs to an owner."""

from __future__ import annotations

import hashlib
from dataclasses import asdict
from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

from relief.deliver.files import write_whole
from relief.errors import PictureError
from relief.sources.decode import decode
from relief.sources.facts import Facts, facts
from relief.sources.roles import Guess


class SourceManager(models.Manager):
    def keep(self, owner, filename: str, data: bytes) -> Source:
        """Keeps a picture, or finds it when the owner has it already.

        Raises:
            PictureError: the bytes are no picture that can be read; nothing is kept.
        """
        digest = hashlib.sha256(data).hexdigest()
        known = self.filter(owner=owner, digest=digest).first()
        if known:
            return known
        filename = filename[-200:]
        measured = asdict(facts(decode(data), filename))
        place = source_path(digest)
        if not place.exists():
            place.parent.mkdir(parents=True, exist_ok=True)
            write_whole(place, data)
        return self.get_or_create(
            owner=owner, digest=digest, defaults={"filename": filename, "size": len(data), "measured": measured}
        )[0]


class Source(models.Model):
    """A picture as it came in, never altered, known by the hash of its bytes."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    digest = models.CharField(max_length=64)
    filename = models.CharField(max_length=200)
    size = models.BigIntegerField()
    measured = models.JSONField()
    added = models.DateTimeField(auto_now_add=True)

    objects = SourceManager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["owner", "digest"], name="source_once_for_each_owner")]
        ordering = ["-added"]

    def __str__(self) -> str:
        return self.filename

    @property
    def facts(self) -> Facts:
        """What was measured when the source came in."""
        guess = Guess(**self.measured["guess"])
        return Facts(**{**self.measured, "guess": guess, "remarks": tuple(self.measured["remarks"])})


def source_path(digest: str) -> Path:
    """Where the bytes of a source lie."""
    return Path(settings.MEDIA_ROOT) / "sources" / digest[:2] / digest


def read_source(digest: str) -> bytes:
    """The bytes of a source.

    Raises:
        PictureError: its file is gone from the data folder.
    """
    try:
        return source_path(digest).read_bytes()
    except FileNotFoundError:
        raise PictureError("The source picture is missing from the data folder. Bring it in again.") from None


class Piece(models.Model):
    """One document. What it is made of stands in its revisions; `position` is the number of the one now shown."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    title = models.CharField(max_length=120)
    remark = models.CharField(max_length=200, blank=True)
    demo = models.SlugField(blank=True)
    position = models.PositiveIntegerField(default=0)
    touched = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-touched", "-pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "demo"], condition=~models.Q(demo=""), name="demo_piece_once_for_each_owner"
            )
        ]

    def __str__(self) -> str:
        return self.title
