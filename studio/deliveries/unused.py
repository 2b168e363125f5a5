"""What the studio keeps and nothing uses any more: found with its size, and cleared when that is asked for."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from django.apps import apps
from django.conf import settings
from django.db.models import QuerySet
from django.utils import timezone

from relief.version import computation_version
from studio.deliveries.clearing import kept_meshes
from studio.deliveries.models import Build, Job, Still, builds_folder
from studio.shelf.models import Arrival, LitSeries, Piece, Source, TextureSet, source_folder

DIGEST = re.compile(r"[0-9a-f]{64}")

FRESH = timedelta(hours=1)
"""A file that is younger may be of something that is just being kept."""


@dataclass(frozen=True)
class Unused:
    """Something that nothing uses any more.

    Attributes:
        kind: what it is, in words.
        name: of the row or the file.
        size: bytes on the disk that go with it.
        clear: removes it.
    """

    kind: str
    name: str
    size: int
    clear: Callable[[], object]


def clear_unused(days: float) -> Iterator[Unused]:
    """Removes all that `find_unused` finds, and gives each once it is removed.

    It goes on until nothing more is found, as what a piece named is free once the piece is gone.
    """
    seen: set[tuple[str, str]] = set()
    while fresh := [each for each in find_unused(days) if (each.kind, each.name) not in seen]:
        for each in fresh:
            seen.add((each.kind, each.name))
            each.clear()
            yield each


def find_unused(days: float) -> Iterator[Unused]:
    """All that can go, rows first. What the artist removed goes once that is some days ago; until then it can be put
    back. Whatever a revision, a set, a series or a source on the shelf names stays.
    """
    before = timezone.now() - timedelta(days=days)
    for kind, rows in (
        ("removed piece", Piece.objects.filter(removed__lt=before)),
        ("removed texture set", TextureSet.objects.filter(removed__lt=before)),
        ("removed lit series", LitSeries.objects.filter(removed__lt=before)),
        ("removed source", _removed_sources(before)),
    ):
        for row in rows:
            yield Unused(kind, str(row), _files_of(row), row.delete)
    yield from _files("source file", source_folder().folder, _named_digests().__contains__)
    media = Path(settings.MEDIA_ROOT)
    for kind, folder, model in (
        ("bundle", media / "deliveries", Job), ("still", media / "stills", Still),
        ("upload", media / "arrivals", Arrival),
    ):  # fmt: skip
        known = {str(number) for number in model.objects.values_list("pk", flat=True)}
        yield from _files(kind, folder, lambda name, known=known: name.partition(".")[0] in known)
    kept = kept_meshes()
    known = {str(number) for number in Build.objects.values_list("pk", flat=True)}
    for place in _children(builds_folder()):
        if place.name not in known and place not in kept and _is_old(place):
            yield Unused("build", place.name, _size(place), lambda place=place: _remove(place))
    for place in _children(media / "swatches"):
        if place.name != computation_version()[:16] and _is_old(place):
            yield Unused("swatches of an earlier version", place.name, _size(place), lambda place=place: _remove(place))


def _removed_sources(before) -> QuerySet[Source]:  # type: ignore[no-untyped-def]
    """Sources that were removed and that no piece, set or series has any more, be these removed themselves."""
    free = Source.objects.filter(removed__lt=before, pieces=None, sets=None, series=None)
    named = _digests_of_recipes()
    return free.exclude(digest__in=named)


def _digests_of_recipes() -> set[str]:
    """What the recipes of all rows that hold one name: revisions, kept recipes, series and their items."""
    found: set[str] = set()
    for model in apps.get_models():
        for field in {"recipe", "sources"} & {each.name for each in model._meta.fields}:
            for held in model._default_manager.values_list(field, flat=True).iterator():
                found.update(DIGEST.findall(str(held)))
    return found


def _named_digests() -> set[str]:
    """What files in the folder of sources are named by: rows of the shelf, and recipes with their strokes."""
    return _digests_of_recipes() | set(Source.objects.values_list("digest", flat=True))


def _files_of(row: object) -> int:
    """Bytes that go with a row: those of what was built of a piece."""
    if not isinstance(row, Piece):
        return 0
    made = [*Job.objects.filter(revision__piece=row), *Still.objects.filter(revision__piece=row)]
    folders = [build.folder for build in Build.objects.filter(revision__piece=row)]
    return sum(_size(place) for place in [*(each.path for each in made), *folders])


def _files(kind: str, folder: Path, is_named: Callable[[str], bool]) -> Iterator[Unused]:
    for place in sorted(folder.rglob("*")):
        if place.is_file() and not is_named(place.name) and _is_old(place):
            yield Unused(kind, place.name, _size(place), lambda place=place: _remove(place))


def _children(folder: Path) -> list[Path]:
    return sorted(folder.iterdir()) if folder.is_dir() else []


def _is_old(place: Path) -> bool:
    try:
        return timezone.now().timestamp() - place.stat().st_mtime > FRESH.total_seconds()
    except OSError:
        return False


def _size(place: Path) -> int:
    try:
        if place.is_dir():
            return sum(each.stat().st_size for each in place.rglob("*") if each.is_file())
        return place.stat().st_size
    except OSError:
        return 0


def _remove(place: Path) -> None:
    if place.is_dir():
        shutil.rmtree(place, ignore_errors=True)
    else:
        place.unlink(missing_ok=True)
