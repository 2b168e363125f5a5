"""What is made in the background by a process of its own, here or on another machine.

Each kind of work writes its files into a folder, from a description and the studio's media folder alone, and gives
facts as JSON data.

All raise Cancelled, ReliefError and OSError.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from relief.deliver.build import build_final
from relief.deliver.delivery import write_bundle
from relief.deliver.series import deliver_item
from relief.deliver.stills import draw_order, read_order
from relief.progress import Progress
from relief.recipe.recipe import Recipe
from relief.sources.folder import SourceFolder

Asked = Mapping[str, Any]


def make_item(folder: Path, media: Path, asked: Asked, progress: Progress) -> dict[str, Any]:
    """An item of a series: `delivery.zip` and `picture.png`, by its `recipe` and `title`."""
    what = Recipe.read(asked["recipe"]), _sources(media), str(asked["title"])
    return deliver_item(folder / "delivery.zip", folder / "picture.png", *what, progress)


def make_delivery(folder: Path, media: Path, asked: Asked, progress: Progress) -> dict[str, Any]:
    """A delivery: `delivery.zip`, by its `recipe` and `title`, with its `stills`: their files by their names."""
    places = {name: media / "stills" / Path(file).name for name, file in asked["stills"].items()}
    stills = {name: place for name, place in places.items() if place.is_file()}
    what = Recipe.read(asked["recipe"]), _sources(media), str(asked["title"]), media / "builds", stills
    write_bundle(folder / "delivery.zip", *what, progress)
    return {}


def make_build(folder: Path, media: Path, asked: Asked, progress: Progress) -> dict[str, Any]:
    """A final mesh: a folder `files`, by its `recipe`, its `stem` and `ending`; the mesh is kept for deliveries too."""
    what = asked["stem"], asked["ending"], Recipe.read(asked["recipe"]), _sources(media)
    return build_final(folder / "files", media / "builds", *what, progress)


def make_still(folder: Path, media: Path, asked: Asked, progress: Progress) -> dict[str, Any]:
    """A still: a picture of the name `file`, by its `recipe` and `order`; its draft lies in the folder of stills."""
    order, recipe, file = read_order(asked["order"]), Recipe.read(asked["recipe"]), Path(asked["file"]).name
    beside = media / "stills" / file
    return draw_order(folder / file, order, recipe, _sources(media), media / "builds", progress, beside)


WORKS: dict[str, Callable[[Path, Path, Asked, Progress], dict[str, Any]]] = {
    "item": make_item, "delivery": make_delivery, "build": make_build, "still": make_still,
}  # fmt: skip
"""How each kind of work is done, by what a description says that it `does`."""


def _sources(media: Path) -> SourceFolder:
    return SourceFolder(media / "sources")
