"""A series: many pictures, or sets, through one recipe into a delivery each; it goes on where it was stopped."""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePath
from types import MappingProxyType
from typing import Any, TypeVar

from relief.deliver.delivery import write_bundle
from relief.deliver.files import checksum, clear_halves, safe_stem, write_whole
from relief.deliver.images import png
from relief.deliver.plan import refuse_undeliverable
from relief.errors import Cancelled, ReliefError
from relief.inspect.find import find_in_piece
from relief.inspect.swatch import in_clay
from relief.progress import Part, Progress, Quiet
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.finished import normal_vectors
from relief.run.pipeline import Pipeline, ReadSource
from relief.sources.roles import family, role_in_name
from relief.version import computation_version

AnyPath = TypeVar("AnyPath", bound=PurePath)

LEDGER = "series.json"
"""The file beside the deliveries that says which are finished, and what they were made of."""

PICTURE = 160
"""Texels on the long side of the small picture of an item."""

CHECKED = 0.25
"""How far an item is when it has been looked through for findings."""


@dataclass(frozen=True)
class Item:
    """What one delivery of a series is made of.

    Attributes:
        name: its own within the series; the delivery is called so.
        files: the file of each source of the recipe, by its key.
    """

    name: str
    files: dict[str, Path]


@dataclass
class Outcome:
    """What came of an item.

    Attributes:
        name: of the item.
        state: `done`, `kept` where it was finished before, or `failed`.
        file: the delivery; empty where it failed.
        problem: why it failed, in a sentence.
        seconds: that it took.
    """

    name: str
    state: str
    file: str = ""
    problem: str = ""
    seconds: float = 0.0


@dataclass
class Ledger:
    """Which items of a series are finished: their inputs and their delivery by checksums."""

    place: Path
    made_by: str
    finished: dict[str, dict[str, Any]] = field(default_factory=dict)

    @classmethod
    def read(cls, folder: Path, made_by: str) -> Ledger:
        """That of a folder; an empty one where there is none, it cannot be read, or it is of another recipe."""
        place = folder / LEDGER
        try:
            told = json.loads(place.read_bytes())
            same = told["made_by"] == made_by and isinstance(told["finished"], dict)
            return cls(place, made_by, told["finished"] if same else {})
        except (OSError, ValueError, KeyError, TypeError, RecursionError):
            return cls(place, made_by)

    def has(self, item: Item, sums: dict[str, str]) -> bool:
        """Whether an item was finished from the same files, and its delivery is what was written."""
        known = self.finished.get(item.name)
        if not isinstance(known, dict) or known.get("sources") != sums:
            return False
        try:
            return checksum(self.place.parent / str(known["file"])) == known["sha256"]
        except (OSError, KeyError):
            return False

    def add(self, item: Item, sums: dict[str, str], file: Path) -> None:
        """Keeps that an item is finished."""
        self.finished[item.name] = {"sources": sums, "file": file.name, "sha256": checksum(file)}
        told = {"made_by": self.made_by, "finished": self.finished}
        write_whole(self.place, json.dumps(told, indent=1).encode())


def gather_items(recipe: Recipe, pictures: Sequence[Path]) -> tuple[list[Item], list[Outcome]]:
    """What is made of some files and folders: an item for each picture or, where a recipe has several sources, for each
    set whose files match their roles; and what of them cannot be made, with why.

    Raises:
        ReliefError: the recipe needs no picture.
    """
    files = sorted(file for place in pictures for file in (_within(place) if place.is_dir() else [place]))
    matched = match_files(recipe.sources, files)
    items = [Item(name, found) for name, found in matched.items() if not isinstance(found, ReliefError)]
    failed = [
        Outcome(name, "failed", problem=str(found)) for name, found in matched.items() if isinstance(found, ReliefError)
    ]
    return items, failed


def match_files(
    sources: Mapping[str, SourceReference], files: Sequence[AnyPath]
) -> dict[str, dict[str, AnyPath] | ReliefError]:
    """Which of some files stands for which source of a recipe: by the name of an item the file of each source, by its
    key, or why there is none.

    Args:
        sources: those of the recipe that are replaced.
        files: each an item of its own, or where there are several sources, members of sets whose names say their roles.

    Raises:
        ReliefError: the recipe needs no picture.
    """
    if not sources:
        raise ReliefError("The recipe has no source, so there is nothing to put through it.")
    found: dict[str, dict[str, AnyPath] | ReliefError] = {}
    taken: set[str] = set()
    for called, members in _groups(files, len(sources) > 1):
        name, number = safe_stem(called), 2
        while name.lower() in taken:
            name, number = f"{safe_stem(called)}_{number}", number + 1
        taken.add(name.lower())
        try:
            found[name] = _match(sources, members)
        except ReliefError as problem:
            found[name] = problem
    return found


def _within(folder: Path) -> list[Path]:
    return [file for file in folder.rglob("*") if file.is_file() and not file.name.startswith(".")]


def _groups(files: Sequence[AnyPath], sets: bool) -> Iterator[tuple[str, list[AnyPath]]]:
    """Files that belong together, after what they are called."""
    if not sets:
        yield from ((file.name, [file]) for file in files)
        return
    found: dict[tuple[PurePath, str], list[AnyPath]] = {}
    for file in files:
        found.setdefault((file.parent, family(file.name)), []).append(file)
    yield from ((called or folder.name, members) for (folder, called), members in found.items())


def _match(sources: Mapping[str, SourceReference], members: list[AnyPath]) -> dict[str, AnyPath]:
    """The file for each source of a recipe, by the role that its name says.

    Raises:
        ReliefError: one is missing, or there are two for it.
    """
    if len(sources) == 1:
        return {next(iter(sources)): members[0]}
    left, found = list(members), dict[str, AnyPath]()
    for key, reference in sources.items():
        role = _role(reference.filename)
        mine = [file for file in left if _role(file.name) == role]
        if len(mine) != 1:
            which = "no file" if not mine else f"{len(mine)} files"
            raise ReliefError(f"There is {which} for “{key}” (such as {reference.filename}).")
        found[key] = mine[0]
        left.remove(mine[0])
    return found


def _role(filename: str) -> str:
    told = role_in_name(filename)
    return told[0] if told else ""


def run_series(
    recipe: Recipe,
    items: Sequence[Item],
    folder: Path,
    progress: Callable[[int, Item], Progress] | None = None,
    kept: Mapping[str, bytes] = MappingProxyType({}),
) -> Iterator[Outcome]:
    """Delivers items one after the other into a folder, a ZIP each; those that are finished are left as they are.

    Args:
        recipe: with its delivery as it is wanted.
        items: what is put through it.
        folder: where the deliveries go, made if missing.
        progress: gives what is told how far an item is, by its number.
        kept: by its hash what the recipe's file holds beside it, as `Recipe.read_whole` gives it.

    Raises:
        RecipeError: the recipe cannot be delivered.
        Cancelled: that was asked for; what is finished stays.
    """
    refuse_undeliverable(recipe)
    folder.mkdir(parents=True, exist_ok=True)
    text = json.dumps(recipe.as_data(), sort_keys=True) + computation_version()
    ledger = Ledger.read(folder, hashlib.sha256(text.encode()).hexdigest())
    for number, item in enumerate(items):
        begun, place = time.perf_counter(), folder / f"{item.name}.zip"
        try:
            sums = {key: checksum(file) for key, file in item.files.items()}
            if ledger.has(item, sums):
                yield Outcome(item.name, "kept", place.name)
                continue
            _deliver(recipe, kept, item, sums, place, progress(number, item) if progress else Progress())
            ledger.add(item, sums, place)
        except Cancelled:
            raise
        except ReliefError as problem:
            yield Outcome(item.name, "failed", problem=str(problem), seconds=time.perf_counter() - begun)
        except OSError as problem:
            said = f"{problem.filename or place}: {problem.strerror or problem}"
            yield Outcome(item.name, "failed", problem=said, seconds=time.perf_counter() - begun)
        except MemoryError:
            yield Outcome(item.name, "failed", problem="There is not enough memory for this.")
        else:
            yield Outcome(item.name, "done", place.name, seconds=time.perf_counter() - begun)


def _deliver(
    recipe: Recipe, kept: Mapping[str, bytes], item: Item, sums: dict[str, str], place: Path, progress: Progress
) -> None:
    """One delivery, of the recipe with the files of an item as its sources."""
    by_digest = {sums[key]: file for key, file in item.files.items()}
    sources = {key: SourceReference(digest=sums[key], filename=file.name[-200:]) for key, file in item.files.items()}
    own = recipe.with_sources(sources)
    clear_halves(place)

    def read_source(digest: str) -> bytes:
        return kept[digest] if digest in kept else by_digest[digest].read_bytes()

    write_bundle(place, own, read_source, item.name, None, {}, progress)


def deliver_item(
    place: Path, picture: Path, recipe: Recipe, read_source: ReadSource, title: str, progress: Progress
) -> dict[str, Any]:
    """One delivery of a series with a small lit picture beside it, and what is found in it.

    Args:
        place: where the ZIP goes.
        picture: where the small picture goes, a PNG.
        recipe, read_source, title: as `write_bundle` takes them.
        progress: told how far it is; may cancel.

    Returns:
        As JSON data: `findings`, the title of each with its reason; `sha256` and `size` of the ZIP; `seconds`.

    Raises:
        Cancelled, ReliefError, OSError.
    """
    begun, engine = time.perf_counter(), Engine()
    clear_halves(place)
    _, found = find_in_piece(recipe, read_source, engine, progress=Quiet(progress))
    lit = in_clay(normal_vectors(Pipeline.of(recipe, read_source, PICTURE), engine))
    write_whole(picture, png(lit))
    write_bundle(place, recipe, read_source, title, None, {}, Part(progress, CHECKED, 1), engine)
    return {
        "findings": [[finding.title, finding.reason] for finding in found],
        "sha256": checksum(place),
        "size": place.stat().st_size,
        "seconds": round(time.perf_counter() - begun, 2),
    }
