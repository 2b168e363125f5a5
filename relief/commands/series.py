"""Put many pictures through one recipe, a delivery each; goes on where it was stopped."""

from __future__ import annotations

import argparse
import json
import time

from relief.commands._arguments import path
from relief.commands._lines import say_over
from relief.commands._recipe import read_recipe_file
from relief.commands.deliver import find_profile
from relief.deliver.profiles import SHIPPED
from relief.deliver.series import Item, gather_items, run_series
from relief.progress import Progress


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("recipe", type=path, metavar="RECIPE.json", help="of a piece, such as a delivery holds")
    parser.add_argument(
        "pictures", type=path, nargs="+", metavar="PICTURE|DIR",
        help="pictures, or folders of them; where the recipe has several sources, sets whose names say their roles",
    )  # fmt: skip
    parser.add_argument(
        "--profile", metavar="NAME|FILE.json", help=f"what is delivered and how: {', '.join(SHIPPED)}, or a file"
    )
    parser.add_argument("--out", type=path, required=True, metavar="DIR", help="folder for the deliveries")


def run(chosen: argparse.Namespace) -> int:
    """Delivers each picture; prints what came of each, and ends with code 1 where one failed."""
    begun = time.perf_counter()
    recipe, kept = read_recipe_file(chosen.recipe)
    if chosen.profile:
        recipe = recipe.model_copy(update={"delivery": find_profile(chosen.profile)[0]})
    items, failed = gather_items(recipe, chosen.pictures)
    bar = _Bar(len(items))
    outcomes = [*failed]
    for outcome in run_series(recipe, items, chosen.out, bar.of, kept):
        outcomes.append(outcome)
        bar.finish(outcome.name, outcome.problem or outcome.state, outcome.seconds)
    counts = {state: sum(each.state == state for each in outcomes) for state in ("done", "kept", "failed")}
    told = [
        {"name": each.name, "state": each.state}
        | ({"file": each.file} if each.file else {})
        | ({"problem": each.problem} if each.problem else {})
        | ({"seconds": round(each.seconds, 2)} if each.seconds else {})
        for each in outcomes
    ]
    print(json.dumps({**counts, "seconds": round(time.perf_counter() - begun, 2), "items": told}, indent=2))
    return 1 if counts["failed"] else 0


class _Bar:
    """Says on standard error how far a series is, where somebody watches."""

    def __init__(self, many: int) -> None:
        self.many, self.over, self.seconds = many, 0, list[float]()

    def of(self, number: int, item: Item) -> Progress:
        """What is told how far an item is."""
        return _ItemBar(self, number, item)

    def left(self) -> str:
        """About how long the rest takes, by what the others took."""
        if not self.seconds:
            return ""
        seconds = sum(self.seconds) / len(self.seconds) * (self.many - self.over)
        return f", about {seconds / 60:.0f} min left" if seconds > 90 else f", about {seconds:.0f} s left"

    def finish(self, name: str, said: str, seconds: float) -> None:
        """Takes note that an item is over."""
        self.over += 1
        self.seconds += [seconds] if seconds else []
        say_over(f"{self.over} of {self.many}: {name}: {said}", end="\n")


class _ItemBar(Progress):
    def __init__(self, bar: _Bar, number: int, item: Item) -> None:
        self._bar, self._number, self._item = bar, number, item

    def step(self, share: float, message: str) -> None:
        bar = self._bar
        say_over(f"{self._number + 1} of {bar.many}: {self._item.name}, {message.lower()} {share:.0%}{bar.left()}")
