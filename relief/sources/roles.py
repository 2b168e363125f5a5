"""What a picture is: photo, height, normal map and so on, judged by its name and its pixels."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import permutations
from typing import Literal

import numpy as np

from relief.sources.colour import full_scale
from relief.sources.picture import Picture

Role = Literal["photo", "height", "normal", "roughness", "occlusion", "metalness", "colour", "mask", "packed"]
ROLE_NAMES = {
    "photo": "Photo",
    "height": "Height image",
    "normal": "Normal map",
    "roughness": "Roughness",
    "occlusion": "Occlusion",
    "metalness": "Metalness",
    "colour": "Colour",
    "mask": "Mask",
    "packed": "Several in one",
}
DATA = tuple(role for role in ROLE_NAMES if role not in ("photo", "colour"))
"""The roles of pictures that hold numbers, which no display curve belongs to."""

NAMES_IN_A_SENTENCE = {
    "photo": "a photo",
    "height": "a height image",
    "normal": "a normal map",
    "roughness": "a roughness map",
    "occlusion": "an occlusion map",
    "metalness": "a metalness map",
    "colour": "a colour picture",
    "mask": "a mask",
    "packed": "several maps in the channels of one picture",
}
Reading = Literal["photo", "light", "height", "normal"]
READING_NAMES = {
    "photo": "Photo, brightness", "light": "Photo, light", "height": "Height image", "normal": "Normal map"
}  # fmt: skip
READING_OF: dict[Role, Reading] = {
    "photo": "photo", "colour": "photo", "normal": "normal",
    "height": "height", "roughness": "height", "occlusion": "height", "metalness": "height", "mask": "height",
    "packed": "height",
}  # fmt: skip
"""How each role is made into height: photos and colours by their brightness, data as it is."""

Green = Literal["up", "down"]

WORDS: dict[Role, str] = {
    "height": "height heightmap heights hgt disp displacement displace bump depth dem",
    "normal": "normal normals normalmap nrm nor norm nml",
    "roughness": "rough roughness rgh",
    "occlusion": "ao occlusion ambientocclusion occ",
    "metalness": "metalness metallic",
    "colour": "colour color col albedo diff diffuse basecolour basecolor base",
    "mask": "mask opacity alpha",
    "packed": "packed",
}
GREEN_OF_WORD: dict[str, Green] = {"gl": "up", "ogl": "up", "opengl": "up", "dx": "down", "directx": "down"}
"""Which way green faces where a name says for which graphics interface it was made (common practice, no source)."""

ROLE_OF_LETTER: dict[str, Role] = {"o": "occlusion", "a": "occlusion", "r": "roughness", "m": "metalness"}
"""What each letter stands for in words such as `orm`, which name what lies in red, green and blue (common practice)."""
PACKED = {
    "".join(letters): dict(zip(("red", "green", "blue"), (ROLE_OF_LETTER[letter] for letter in letters), strict=True))
    for occlusion in "oa"
    for letters in permutations((occlusion, "r", "m"))
}
"""By such a word, the role that each channel holds."""
ROLE_OF_WORD = {word: role for role, words in WORDS.items() for word in words.split()} | dict.fromkeys(PACKED, "packed")
BESIDE = re.compile(r"^(?:\d+k?|gl|dx|map|tex|texture|ambient|\d+x\d+|png|jpg|tif|exr)$")
"""Words that stand beside a role's in file names and tell nothing of what the files show."""

COLOURFUL = 0.04
"""Colourfulness that no grey has. Grey that went through a lossy file stays below 0.02; faint colours of plaster and
stone lie above 0.05."""

ALIKE = 0.6
"""Mean correlation of the details of two channels. In photos it is above, mostly above 0.8; maps that were packed have
little to do with each other."""

SAMPLED = 512
"""Texels on a side that are looked at."""


@dataclass(frozen=True)
class Guess:
    """What a picture seems to be, and why."""

    role: Role
    reason: str
    green: Green = "up"

    @property
    def reading(self) -> Reading:
        return READING_OF[self.role]

    @property
    def words(self) -> str:
        """The role in a sentence: `a height image`."""
        return NAMES_IN_A_SENTENCE[self.role]


def words_of(filename: str) -> list[str]:
    """The words of a file name without its ending, in small letters; `BrickWall_AO-2k.png` is brick, wall, ao, 2k."""
    stem = re.sub(r"\.\w{2,4}$", "", filename.replace("\\", "/").rsplit("/", 1)[-1])
    stem = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", stem)
    return [word.lower() for word in re.split(r"[^A-Za-z0-9]+", stem) if word]


def role_in_name(filename: str) -> tuple[Role, str] | None:
    """The role that the last telling word of a name gives, and that word."""
    for word in reversed(words_of(filename)):
        if word in ROLE_OF_WORD:
            return ROLE_OF_WORD[word], word
    return None


def family(filename: str) -> str:
    """What the files of one texture set have in common: their name without role and resolution."""
    words = words_of(filename)
    told = role_in_name(filename)
    kept = [word for word in words if not BESIDE.match(word) and not (told and word == told[1])]
    return " ".join(kept)


def guess_role(picture: Picture, filename: str, colour: bool) -> Guess:
    """The role of a picture: by its name first, where its pixels do not contradict, then by its pixels."""
    normal = looks_like_normals(picture)
    told = role_in_name(filename)
    if told and _contradicts(told[0], picture, normal):
        told = None
    if told:
        role, word = told
        return Guess(role, f"its name says “{word}”", green_of(picture) if role == "normal" else "up")
    if normal:
        return Guess("normal", "its colours are directions of unit length, most of them upright", green_of(picture))
    if colour:
        return Guess("photo", "it has colours")
    if picture.is_float:
        return Guess("height", "its samples are floating-point numbers")
    if picture.bits > 8:
        return Guess("height", f"it is grey with {picture.bits} bits a sample")
    if picture.format == "JPEG":
        return Guess("photo", "it is a JPEG, as cameras write them")
    if two_values(picture):
        return Guess("mask", "it is black and white with nothing between")
    if picture.is_colour:
        return Guess("height", "its three channels are the same, as in a height image saved as colour")
    return Guess("photo", "it is grey with 8 bits, and photos are more common")


def _contradicts(role: Role, picture: Picture, normal: bool) -> bool:
    """Whether the pixels speak against a role: `rough_stone.jpg` is a photo of rough stone."""
    match role:
        case "normal":
            return not normal
        case "packed":
            return not looks_packed(picture)
        case "colour" | "height":  # that a height has colours is a finding, with a mend
            return False
    return colourfulness(picture) > COLOURFUL


def colourfulness(picture: Picture) -> float:
    """How far the largest and the smallest channel are apart in the mean, as a part of the full range."""
    return float(np.ptp(thin(picture.pixels), axis=-1).mean()) if picture.is_colour else 0.0


def looks_like_normals(picture: Picture) -> bool:
    """Whether the colours are unit vectors that mostly point up."""
    if not picture.is_colour:
        return False
    vectors = thin(picture.pixels) * 2 - 1
    length = np.linalg.norm(vectors, axis=-1)
    upright = vectors[..., 2] > 0
    unit = np.abs(length - 1) < 0.12
    # a grey photo can have many pixels near unit length; in a normal map red and green lie about the middle too
    centred = np.abs(np.median(vectors[..., :2], axis=(0, 1))).max() < 0.35
    return bool(unit.mean() > 0.85 and upright.mean() > 0.95 and centred)


def looks_packed(picture: Picture) -> bool:
    """Whether the channels hold pictures that have little to do with each other."""
    if not picture.is_colour or picture.columns < 2:
        return False
    details = np.diff(thin(picture.pixels[..., :3]), axis=1).reshape(-1, 3).T
    varied = details[details.std(axis=1) > 0]
    if len(varied) < 2:
        return False
    return len(varied) == 2 or float(np.corrcoef(varied)[np.triu_indices(3, 1)].mean()) < ALIKE


def held_by_name(filename: str) -> dict[str, Role]:
    """By channel, what a picture holds whose name says it, as `wall_orm.png` does."""
    told = role_in_name(filename)
    return PACKED.get(told[1], {}) if told else {}


def green_of(picture: Picture) -> Green:
    """Which way the green of a normal map runs, judged by integrability.

    The slopes of a surface have no curl: d(dh/dx)/dy = d(dh/dy)/dx. With green the wrong way their curl is large, so
    the direction with the smaller mean square is taken.
    """
    if not picture.is_colour:
        return "up"
    rows, columns = picture.pixels.shape[:2]
    top, left = max(0, (rows - 2 * SAMPLED) // 2), max(0, (columns - 2 * SAMPLED) // 2)
    vectors = full_scale(picture.pixels[top : top + 2 * SAMPLED, left : left + 2 * SAMPLED]) * 2 - 1
    if min(vectors.shape[:2]) < 3:
        return "up"
    upright = np.maximum(vectors[..., 2], 0.1)
    across, up = -vectors[..., 0] / upright, -vectors[..., 1] / upright
    across_changes = -np.gradient(across, axis=0)
    up_changes = np.gradient(up, axis=1)
    return (
        "up" if np.mean((across_changes - up_changes) ** 2) <= np.mean((across_changes + up_changes) ** 2) else "down"
    )


def thin(pixels: np.ndarray) -> np.ndarray:
    """Some of the pixels, evenly spread, at full scale."""
    steps = [max(1, side // SAMPLED) for side in pixels.shape[:2]]
    return full_scale(np.ascontiguousarray(pixels[:: steps[0], :: steps[1]]))


def two_values(picture: Picture) -> bool:
    """Whether a picture is black and white with nothing between."""
    samples = thin(picture.pixels)
    ends = (samples < 0.02) | (samples > 0.98)
    return bool(ends.mean() > 0.98 and 0.02 < (samples > 0.5).mean() < 0.98)
