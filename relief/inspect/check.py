"""Checking pictures from anywhere: what each would be as relief, and whether those that belong together agree."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from relief.engine import Engine
from relief.errors import PictureError
from relief.inspect.findings import Finding, measured_and_found
from relief.inspect.sets import set_findings
from relief.inspect.start import first_recipe
from relief.pipeline import Pipeline
from relief.recipe import Picture as Content
from relief.recipe import SourceReference
from relief.sources.colour import full_scale
from relief.sources.decode import decode
from relief.sources.facts import facts
from relief.sources.picture import Picture
from relief.sources.roles import Guess, Role, family, green_of, role_in_name

UNIT_WITHIN = 0.06
"""How far the length of a normal may be from 1: 8 bits leave 0.007, resampling and lossy files the rest."""

UNEVEN_SHARE = 0.05
"""Part of the normals that may be shorter or longer."""

RELIEF_ROLES = ("photo", "colour", "height", "normal")
"""Pictures that relief is made of; the others go along."""


@dataclass
class Check:
    """What was found: by file, what it seems to be or why it cannot be read; and findings by file and by set."""

    roles: dict[str, Role] = field(default_factory=dict)
    problems: dict[str, str] = field(default_factory=dict)
    files: dict[str, list[Finding]] = field(default_factory=dict)
    sets: dict[str, list[Finding]] = field(default_factory=dict)


def check(files: Mapping[str, bytes]) -> Check:
    """Checks pictures by their file name. One that cannot be read does not stop the others."""
    found, families = Check(), defaultdict(dict)
    for name, data in files.items():
        try:
            picture = decode(data, name)
            guess = facts(picture, name).guess
            found.files[name] = _of_one(picture, data, name, guess)
        except PictureError as problem:
            found.problems[name] = str(problem)
            continue
        found.roles[name] = guess.role
        families[family(name)]["colour" if guess.role == "photo" else guess.role] = picture
    for name, pictures in families.items():
        if len(pictures) > 1:
            items = set_findings(pictures, green_of(pictures["normal"]) if "normal" in pictures else "up")
            found.sets[name] = [Finding(item.kind, item.title, item.reason) for item in items]
    return found


def _of_one(picture: Picture, data: bytes, name: str, guess: Guess) -> list[Finding]:
    told = role_in_name(name)
    wanted = guess.role == "normal" or (told is not None and told[0] == "normal")
    found = normal_findings(picture) if wanted else []
    if guess.role not in RELIEF_ROLES or (wanted and guess.role != "normal"):
        return found  # it goes along; or it is called a normal map and is none, so there is no relief to look at
    engine, source = Engine(), SourceReference(digest=hashlib.sha256(data).hexdigest(), filename=name[-200:])
    content = Content(source="picture", reading=guess.reading, green=guess.green)
    recipe = first_recipe({"picture": source}, content, lambda _: data, engine)
    return found + measured_and_found(Pipeline(recipe, lambda _: data), engine)[1]


def normal_findings(picture: Picture) -> list[Finding]:
    """Whether a normal map has its blue, and vectors of unit length."""
    if not picture.is_colour:
        return [Finding("blue", "Normal map without colour", "A normal map holds a direction in red, green and blue.")]
    vectors = full_scale(picture.pixels[..., :3]) * 2 - 1
    if np.ptp(vectors[..., 2]) == 0 and np.ptp(vectors[..., :2]) > 0:
        reason = "Its blue is the same everywhere while red and green turn. It can be made again from them."
        return [Finding("blue", "Blue is missing", reason)]
    uneven = float((np.abs(np.linalg.norm(vectors, axis=2) - 1) > UNIT_WITHIN).mean())
    if uneven <= UNEVEN_SHARE:
        return []
    reason = (
        f"{uneven:.0%} of its normals are not of unit length: it was softened or mixed as a picture, or has a gamma."
    )
    return [Finding("length", "Normals of uneven length", reason)]
