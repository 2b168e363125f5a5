"""Checking pictures from anywhere: what each would be as relief, and whether those that belong together agree."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field

from relief.errors import PictureError
from relief.inspect.find import find_in_normal_map, measure_and_find
from relief.inspect.finding import Finding
from relief.inspect.findings.relief.uneven import say_uneven
from relief.inspect.findings.source.exchanged import find_in_picture
from relief.inspect.sets import set_findings
from relief.inspect.shot import uneven_light
from relief.inspect.start import content_of_picture, first_recipe
from relief.inspect.thresholds import SEAM_ABOVE, UNEVEN_TIMES
from relief.recipe.layer import SourceReference
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.decode import decode
from relief.sources.facts import SEAMLESS_BELOW, Facts, facts
from relief.sources.picture import Picture
from relief.sources.roles import DATA, Role, family, green_of, role_in_name, words_of

RELIEF_ROLES = ("photo", "colour", "height", "normal")
"""Pictures that relief is made of; the others go along."""

TILING = {"seamless", "tile", "tileable", "tiling", "tiled", "repeat", "repeating"}
"""Words by which a name says that a picture is meant to repeat."""


@dataclass
class Check:
    """What was found: by file, what it seems to be or why it cannot be read; and findings by file and by set."""

    roles: dict[str, Role] = field(default_factory=dict)
    problems: dict[str, str] = field(default_factory=dict)
    files: dict[str, list[Finding]] = field(default_factory=dict)
    sets: dict[str, list[Finding]] = field(default_factory=dict)


def check(files: Mapping[str, bytes]) -> Check:
    """Checks pictures by their file name. One that cannot be read does not stop the others."""
    found = Check()
    families: dict[str, dict[str, Picture]] = defaultdict(dict)
    for name, data in files.items():
        try:
            picture = decode(data, name)
            known = facts(picture, name)
            guess = known.guess
            found.files[name] = _of_one(picture, data, name, known)
        except PictureError as problem:
            found.problems[name] = str(problem)
            continue
        found.roles[name] = guess.role
        families[family(name)]["colour" if guess.role == "photo" else guess.role] = picture
    for name, pictures in families.items():
        if len(pictures) > 1:
            items = set_findings(pictures, green_of(pictures["normal"]) if "normal" in pictures else "up")
            found.sets[name] = [item.without_mend() for item in items]
    return found


def _of_one(picture: Picture, data: bytes, name: str, known: Facts) -> list[Finding]:
    guess, told = known.guess, role_in_name(name)
    wanted = guess.role == "normal" or (told is not None and told[0] == "normal")
    found = find_in_normal_map(picture, name) if wanted else []
    found += [
        *_find_tag(picture, guess.role),
        *_open_seam((known.seam_across, known.seam_down), name, _is_tile(picture, guess.role)),
    ]
    found += [item for item in (find_in_picture(picture),) if item]
    if guess.role not in RELIEF_ROLES or (wanted and guess.role != "normal"):
        return found  # it goes along; or it is called a normal map and is none, so there is no relief to look at
    engine, source = Engine(), SourceReference(digest=hashlib.sha256(data).hexdigest(), filename=name[-200:])
    content = content_of_picture(name, guess.role, guess.green)
    recipe = first_recipe({"picture": source}, content, lambda _: data, engine)
    said = {item.kind for item in found}
    measured = measure_and_find(Pipeline.of(recipe, lambda _: data), engine)[1]
    found += [item for item in measured if item.kind not in said]
    evened = any(item.takes_out_light and item.on for item in recipe.main.layers[0].treatments)
    times = uneven_light(picture) if guess.role == "photo" and evened else 1.0
    return [*found, _find_uneven_light(times)] if times > UNEVEN_TIMES else found


def _find_tag(picture: Picture, role: Role) -> list[Finding]:
    """A data picture that is tagged with a display curve, which another program may follow."""
    if role not in DATA or not picture.transfer or picture.linear:
        return []
    reason = (
        f"The file is tagged: {picture.transfer}. A program that honours the tag changes its values; save data "
        "without a tag."
    )
    return [Finding("tagged", "Data is tagged as colour", reason)]


def _open_seam(ratios: tuple[float, float], filename: str, tiles_by_size: bool = False) -> list[Finding]:
    """A picture that is meant to repeat, as its name, size or two of its edges say, and whose edges do not all meet.

    `ratios` are the steps over its edges, across and down, beside its inner steps.
    """
    meant = bool(TILING & set(words_of(filename))) or min(ratios) < SEAMLESS_BELOW or tiles_by_size
    if not meant or max(ratios) <= SEAM_ABOVE:
        return []
    which = "left and right" if ratios[0] > ratios[1] else "top and bottom"
    reason = f"The step from {which} is {max(ratios):.1f} times as large as those inside, so repeats show a line."
    return [Finding("seam", "Seam", reason)]


def _find_uneven_light(times: float) -> Finding:
    """A photo that is brighter at one side; the suggested start of its piece evens that out."""
    return Finding("uneven", "Uneven light", f"{say_uneven(times)} A piece made from it starts with that evened out.")


def _is_tile(picture: Picture, role: Role) -> bool:
    """Whether a height image has the size of a map that repeats: square, and a power of two (common practice)."""
    side = picture.rows
    return role == "height" and side == picture.columns and side >= 128 and side & (side - 1) == 0
