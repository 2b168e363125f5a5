"""What is made of a piece in the background: final meshes, deliveries, and stills."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.db import models
from django.http import Http404

from relief.deliver.files import checksum, is_whole, safe_stem
from relief.deliver.stills import Order, draft_of, read_order
from relief.errors import ReliefError
from relief.recipe.delivery import AS_ALWAYS
from relief.recipe.recipe import Recipe
from relief.run.built import built_place
from relief.version import computation_version
from studio.background.models import Work
from studio.bench.models import Revision


class Made(Work):
    """Base of what is made of a revision, in a file or a folder of its own."""

    heavy: ClassVar[bool] = True
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="%(class)ss")
    size = models.BigIntegerField(default=0)
    version = models.CharField(max_length=40, default=computation_version)
    """Of the computation that it was asked of; what an earlier one made is made anew when it is asked for again."""

    class Meta(Work.Meta):
        abstract = True

    def __str__(self) -> str:
        return f"{self.revision}: {self.get_state_display()}"

    @classmethod
    def bytes_of(cls, artist: Any) -> int:
        """Bytes of what was made for an artist and is still there."""
        made = cls.objects.filter(owner=artist, state=cls.State.DONE).select_related("revision__piece")
        return sum(each.size for each in made if each.is_there)

    @property
    def is_there(self) -> bool:
        """Whether its files are there."""
        raise NotImplementedError

    @property
    def is_current(self) -> bool:
        """Whether this version of the computation would make the same of it."""
        return self.version == computation_version()

    @property
    def stem(self) -> str:
        """What its files are called."""
        return f"{safe_stem(self.revision.piece.title)}_{self.revision.number}"


def find_made(kind: type[Made], artist: Any, pk: int, **more: Any) -> Any:
    """Something that was made for an artist, or of a piece that the artist owns or shares; any other is not found."""
    mine = models.Q(owner=artist) | models.Q(revision__piece__owner=artist)
    shared = models.Q(revision__piece__shares__artist=artist, revision__piece__removed=None)
    found = kind.objects.filter(mine | shared, pk=pk, **more).first()
    if found is None:
        raise Http404
    return found


class Job(Made):
    """The building of one delivery."""

    stills = models.JSONField(default=dict)
    """The pictures that were drawn before and go into it: their files by their names."""
    profile = models.CharField(max_length=60, blank=True)
    fetched = models.DateTimeField(null=True)
    """When some of it was last downloaded."""
    digest = models.CharField(max_length=64, blank=True)
    """SHA-256 of its bundle; empty for one that an earlier version of the app made."""

    @property
    def path(self) -> Path:
        """Where the finished bundle lies."""
        return Path(settings.MEDIA_ROOT) / "deliveries" / f"{self.pk}.zip"

    @property
    def is_there(self) -> bool:
        """Whether its bundle can be downloaded: it is ready, and was not cleared away or cut short."""
        return self.state == self.State.DONE and is_whole(self.path, self.size)

    @property
    def is_intact(self) -> bool:
        """Whether its bundle has the very bytes that were written."""
        try:
            told = self.path.stat()
            return self.is_there and (not self.digest or self.digest == find_digest(self.path, told.st_mtime_ns))
        except OSError:
            return False

    @property
    def filename(self) -> str:
        """The name the bundle is downloaded under."""
        return f"{self.stem}.zip"


class Profile(models.Model):
    """Choices of what a delivery holds and how it is written, kept under a name."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    name = models.CharField(max_length=60)
    values = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="profile_once_for_each_owner")]

    def __str__(self) -> str:
        return self.name


class Build(Made):
    """The building of one final mesh, and what came of it."""

    ending = models.CharField(max_length=8)
    facts = models.JSONField(default=dict)
    """As `build_final` gives them."""

    @property
    def folder(self) -> Path:
        """Where its files lie."""
        return builds_folder() / str(self.pk)

    @property
    def files(self) -> dict[str, int]:
        """The sizes of its files that are there, by their names."""
        return {name: size for name, size in self.facts.get("files", {}).items() if (self.folder / name).exists()}

    @property
    def is_there(self) -> bool:
        """Whether one of its files is there."""
        return bool(self.files)

    @property
    def kept(self) -> Path | None:
        """Where its mesh is kept for deliveries, as long as its files are there and it is of this version."""
        key = self.facts.get("key")
        return built_place(builds_folder(), key) if key and self.files and self.is_current else None


class Still(Made):
    """The drawing of one still."""

    asked = models.JSONField(default=dict)
    """The fields of its order, as `relief.deliver.stills.Order` has them."""
    facts = models.JSONField(default=dict)
    """As `draw_order` gives them."""
    can_compare = False
    """Whether there is another one to compare it with; set by what lists them."""

    @property
    def path(self) -> Path:
        """Where its picture lies."""
        return stills_folder() / f"{self.pk}.{'webp' if self.order.sweep else 'png'}"

    @property
    def draft(self) -> Path:
        """Where a draft lies while it is drawn."""
        return draft_of(self.path)

    @property
    def is_there(self) -> bool:
        """Whether its picture can be seen."""
        return self.state == self.State.DONE and self.path.exists()

    @property
    def size_key(self) -> tuple[int, int]:
        """Pixels across and down."""
        return self.order.width, self.order.height

    @property
    def has_draft(self) -> bool:
        """Whether a draft can be seen."""
        return self.active and self.draft.exists()

    @property
    def order(self) -> Order:
        """What was ordered; what cannot be read of it is as it is unless somebody asks otherwise."""
        return read_order(self.asked)


def stills_folder() -> Path:
    """Where stills are kept."""
    return Path(settings.MEDIA_ROOT) / "stills"


def stills_for(revision: Revision) -> dict[str, Path]:
    """The pictures that go into a delivery of a state, by their names, the newest first.

    None are wanted where it has neither stills nor a proof sheet. Those of another state that differs only in how it
    is delivered show the same.
    """
    delivery = revision.read().delivery
    if not (delivery.stills or delivery.proof_sheet):
        return {}
    state = _without_delivery(revision)
    drawn = Still.objects.filter(revision__piece=revision.piece, state=Still.State.DONE).select_related("revision")
    found: dict[str, Path] = {}
    for still in drawn.order_by("-pk"):
        order = still.order
        if still.is_there and not order.sweep and _without_delivery(still.revision) == state:
            found.setdefault(order.name or order.seen, still.path)
    return found


def _without_delivery(revision: Revision) -> Recipe | None:
    """The recipe of a state as it is delivered by default; nothing where it cannot be read."""
    try:
        return revision.read().model_copy(update={"delivery": AS_ALWAYS})
    except ReliefError:
        return None


@lru_cache(maxsize=256)
def find_digest(place: Path, _written: int) -> str:
    """SHA-256 of a file as it was last written."""
    return checksum(place)


def builds_folder() -> Path:
    """Where final meshes are kept for deliveries, each under its key, and beside them the files of each build."""
    return Path(settings.MEDIA_ROOT) / "builds"
