"""Findings about sources: whether each is read as what it is, and whether those that belong together agree."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from relief.depth.networks import MISSING
from relief.figures import say_length
from relief.filters.resample import resample_by_area
from relief.inspect.finding import Finding, Mend, SetFinding
from relief.inspect.sets import set_findings
from relief.inspect.thresholds import SEAM_ABOVE, STRETCHED, UNEVEN_SHARE, UNIT_OVER, UNIT_WITHIN, UNIT_WITHIN_LOSSY
from relief.recipe.layer import Picture as Content
from relief.recipe.relief import CONTENT_PATH, Relief
from relief.run.engine import Engine, Stage
from relief.run.pipeline import Pipeline
from relief.sources.colour import full_scale, grey_of_data, grey_of_photo
from relief.sources.facts import SEAMLESS_BELOW, has_colours
from relief.sources.picture import Picture
from relief.sources.roles import (
    COLOURFUL,
    GREEN_OF_WORD,
    READING_NAMES,
    READING_OF,
    ROLE_NAMES,
    Green,
    Role,
    colourfulness,
    green_of,
    guess_role,
    looks_like_normals,
    two_values,
    words_of,
)
from relief.treat.invert import Invert

DATA = ("height", "normal", "roughness", "occlusion", "metalness", "mask", "packed")
TILING = {"seamless", "tile", "tileable", "tiling", "tiled", "repeat", "repeating"}
"""Words by which a name says that a picture is meant to repeat."""

EVENLY_LIT = 0.7
"""From this likelihood on it is said that a photo was lit evenly."""

REBUILD = Mend("Rebuild blue", {f"{CONTENT_PATH}.rebuild_blue": True})


def source_findings(pipeline: Pipeline, engine: Engine) -> list[Finding]:
    """What is to be said of the sources of a piece whose ground is a picture.

    Raises:
        PictureError: a source cannot be read.
    """
    relief = pipeline.relief
    content, picture = relief.picture, engine.run(pipeline.picture())
    if content is None:
        return []
    filename = pipeline.sources[content.source].filename
    of_set = of_its_set(pipeline, engine)
    # a height whose normal map says that a display curve is in it is rightly decoded
    encoded = any(_takes_curve_off(item) for item in of_set)
    decoded = content.reading == "height" and content.transfer == "srgb"
    found = [
        reading(content, picture, filename), exchanged(picture), few_shades(content, picture),
        stretched(relief, picture),
    ]  # fmt: skip
    found += [] if encoded else [gamma(content, picture)]
    beside = content.beside.get("normal")
    if beside and not (content.rebuild_blue or content.unpacked.normal):
        # a picture does not change, so it is looked at once
        name = pipeline.sources[beside.source].filename
        compute = partial(normal_findings, filename=name)
        found += engine.run(Stage("Looking at its normals", compute, name, (pipeline.picture(beside.source),)))
    found += _of_light(pipeline, engine)
    for item in of_set:
        if not (decoded and _takes_curve_off(item)):
            found.append(Finding(item.kind, item.title, item.reason, _mend(item, relief)))
    if not any(item and item.kind == "green" for item in found):
        found.append(reversed_green(relief, picture))
    return [item for item in found if item]


def _of_light(pipeline: Pipeline, engine: Engine) -> list[Finding]:
    """What is to be said of a photo that is read by its light."""
    content = pipeline.relief.picture
    if content is None or content.reading != "light" or content.light.way != "network":
        return []
    if not content.light.by_network:
        mend = Mend("Read it by the linear method", {f"{CONTENT_PATH}.light.way": "linear"})
        return [Finding("networks", "Neural network missing", MISSING, mend)]
    even = engine.run(pipeline.guessed_light()).even
    if even <= EVENLY_LIT:
        return []
    reason = (
        f"The photo looks evenly lit ({even:.0%} likely), as on an overcast day or by a flash. Without a bright side "
        "its relief can only be read from darkness and is less certain. A photo in slanting light shows more."
    )
    return [Finding("evenly-lit", "Evenly lit photo", reason)]


def reading(content: Content, picture: Picture, filename: str) -> Finding | None:
    """Data is read as colour, or colour as data."""
    coloured = has_colours(picture)
    guess = guess_role(picture, filename, coloured)
    if content.is_photo and guess.role in DATA:
        data, light = (float(grey.mean()) for grey in (grey_of_data(picture), grey_of_photo(picture, "luminance")))
        right = READING_OF[guess.role]
        return Finding(
            "data-as-colour",
            "Data is read as colour",
            f"It seems to be {guess.words}: {guess.reason}. Read as a photo its mean moves from "
            f"{data:.2f} to {light:.2f}.",
            Mend(f"Read it as {READING_NAMES[right].lower()}", {f"{CONTENT_PATH}.reading": right}),
        )
    first = content.channel in ("", "red", "green", "blue")
    if content.reading == "height" and coloured and first and not content.unpacks_itself:
        apart = colourfulness(picture)
        if apart < COLOURFUL:
            return None
        channel = content.channel or "red"
        return Finding(
            "colour-as-data",
            "Colour is read as data",
            f"Its channels differ by {apart:.0%}, as colours do; read as a height image only its {channel} is "
            "used, without a display curve.",
            Mend("Read it as a photo", {f"{CONTENT_PATH}.reading": "photo"}),
        )
    return None


def exchanged(picture: Picture) -> Finding | None:
    """A normal map whose red and blue stand in each other's place."""
    if not picture.is_colour or looks_like_normals(picture):
        return None
    if not looks_like_normals(replace(picture, pixels=picture.pixels[..., ::-1])):
        return None
    return Finding(
        "exchanged",
        "Red and blue are swapped",
        "With red and blue swapped its colours are those of a normal map. Save it again with its channels as "
        "red, green, blue.",
    )


def few_shades(content: Content, picture: Picture) -> Finding | None:
    """A photo of black and white with nothing between."""
    if content.reading != "photo" or not two_values(picture):
        return None
    return Finding(
        "shades",
        "Two levels",
        "This picture is pure black and white, so its relief is a single step. Use it as a mask for a layer, or "
        "soften it into slopes.",
    )


def tagged(picture: Picture, role: Role) -> list[Finding]:
    """A data picture that is tagged with a display curve, which another program may follow."""
    if role not in DATA or not picture.transfer or picture.linear:
        return []
    reason = (
        f"The file is tagged: {picture.transfer}. A program that honours the tag changes its values; save data "
        "without a tag."
    )
    return [Finding("tagged", "Data is tagged as colour", reason)]


def open_seam(ratios: tuple[float, float], filename: str, tiles_by_size: bool = False) -> list[Finding]:
    """A picture that is meant to repeat, as its name, size or two of its edges say, and whose edges do not all meet.

    `ratios` are the steps over its edges, across and down, beside its inner steps.
    """
    meant = bool(TILING & set(words_of(filename))) or min(ratios) < SEAMLESS_BELOW or tiles_by_size
    if not meant or max(ratios) <= SEAM_ABOVE:
        return []
    which = "left and right" if ratios[0] > ratios[1] else "top and bottom"
    reason = f"The step from {which} is {max(ratios):.1f} times as large as those inside, so repeats show a line."
    return [Finding("seam", "Seam", reason)]


def gamma(content: Content, picture: Picture) -> Finding | None:
    """A height image is taken through the display curve."""
    if content.reading != "height" or content.transfer != "srgb":
        return None
    stored, bent = (float(grey_of_data(picture, content.channel, transfer).mean()) for transfer in ("none", "srgb"))
    return Finding(
        "curve",
        "Heights go through the display curve",
        f"Data should be used as it is stored. Decoded as colour its mean falls from {stored:.2f} to {bent:.2f} "
        "and slopes in the dark flatten.",
        Mend("Read it as data", {f"{CONTENT_PATH}.transfer": "auto"}),
    )


def stretched(relief: Relief, picture: Picture) -> Finding | None:
    """The footprint has another aspect than the picture."""
    width, height = relief.footprint.sides
    by = (width / height) / (picture.columns / picture.rows)
    if abs(by - 1) <= STRETCHED:
        return None
    right = float(f"{width * picture.rows / picture.columns:.5g}")
    longer = "across" if by > 1 else "down"
    return Finding(
        "stretched",
        "Picture is stretched",
        f"On {say_length(width, 6)} x {say_length(height, 6)} the {picture.columns} x {picture.rows} pixels are "
        f"stretched by {max(by, 1 / by) - 1:.0%} {longer}, and slopes with them.",
        Mend(
            f"Make the footprint {say_length(right, 6)} high",
            {"footprint.keep_aspect": False, "footprint.height": right},
        ),
    )


def reversed_green(relief: Relief, picture: Picture) -> Finding | None:
    """The height is found from a normal map whose green is read the wrong way."""
    content = relief.picture
    if content is None or content.reading != "normal" or not picture.is_colour:
        return None
    right = green_of(picture)
    if right == content.green:
        return None
    return Finding(
        "green",
        "Green is reversed",
        f"The slopes of this normal map are consistent only with green {right}; the other way the height comes "
        "out crumpled.",
        Mend(f"Read it with green {right}", {f"{CONTENT_PATH}.green": right}),
    )


def of_its_set(pipeline: Pipeline, engine: Engine) -> list[SetFinding]:
    """What does not fit between the pictures of the ground's texture set, as they are stored."""
    relief = pipeline.relief
    content = relief.picture
    if content is None:
        return []
    members = {content.source, *(item.source for item in content.beside.values())}
    roles = [role for role in pipeline.sources if role in ROLE_NAMES and role in members]
    if len(roles) < 2:
        return []
    inverted = len([item for item in relief.layers[0].treatments if isinstance(item, Invert) and item.on]) % 2 == 1
    pictures = [pipeline.picture(role) for role in roles]
    compute = partial(_held_against_itself, tuple(roles), content.green, inverted)
    return engine.run(Stage("Cross-checking the set", compute, [roles, content.green, inverted], tuple(pictures)))


def _held_against_itself(roles: tuple[str, ...], green: Green, inverted: bool, *pictures: Picture) -> list[SetFinding]:
    return set_findings(dict(zip(roles, pictures, strict=True)), green, inverted)


def _takes_curve_off(item: SetFinding) -> bool:
    return bool(item.mend and item.mend.does == "gamma")


def _mend(item: SetFinding, relief: Relief) -> Mend | None:
    """What the piece does about something that does not fit in its set."""
    content, mend = relief.picture, item.mend
    if content is None or mend is None:
        return None
    match mend.does:
        case "green":
            right = "down" if content.green == "up" else "up"
            return Mend(mend.label, {f"{CONTENT_PATH}.green": right})
        case "invert":
            switches = [
                f"layers.0.treatments.{number}.on"
                for number, treatment in enumerate(relief.layers[0].treatments)
                if isinstance(treatment, Invert)
            ]
            if switches:
                return Mend(mend.label, {switches[-1]: not relief.value(switches[-1])})
            return Mend(mend.label, last=Invert())
        case "gamma" if content.reading == "height":
            return Mend(mend.label, {f"{CONTENT_PATH}.transfer": "srgb"})
    return None


def normal_findings(picture: Picture, filename: str = "") -> list[Finding]:
    """Whether a normal map has its blue, vectors of unit length, and its green as its name says."""
    if not picture.is_colour:
        return [Finding("blue", "Normal map without colour", "A normal map holds a direction in red, green and blue.")]
    vectors = full_scale(picture.pixels[..., :3]) * 2 - 1
    if np.ptp(vectors[..., 2]) == 0 and np.ptp(vectors[..., :2]) > 0:
        reason = "Its blue is constant while red and green vary. Blue can be rebuilt from them."
        return [Finding("blue", "Blue is missing", reason, REBUILD)]
    found = _misnamed(picture, filename)
    lengths = np.linalg.norm(vectors, axis=2)
    even = resample_by_area(lengths, *(max(1, side // UNIT_OVER) for side in lengths.shape))
    within = UNIT_WITHIN_LOSSY if picture.format in ("JPEG", "WebP") else UNIT_WITHIN
    uneven = float((np.abs(even - 1) > within).mean())
    if uneven <= UNEVEN_SHARE:
        return found
    reason = (
        f"{uneven:.0%} of its normals are not of unit length: it was blurred or blended as a picture, or stored "
        "with a gamma."
    )
    return [*found, Finding("length", "Normals of uneven length", reason, REBUILD)]


def _misnamed(picture: Picture, filename: str) -> list[Finding]:
    """A normal map whose name says that its green runs the other way than its slopes do."""
    said = next((GREEN_OF_WORD[word] for word in reversed(words_of(filename)) if word in GREEN_OF_WORD), None)
    if said is None or not looks_like_normals(picture) or green_of(picture) == said:
        return []
    other = "down" if said == "up" else "up"
    return [
        Finding(
            "green-name",
            "Green differs from its name",
            f"Its name says that green points {said}; its slopes are consistent only with green {other}.",
        )
    ]
