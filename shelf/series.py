"""Lit series: photos of one surface from one place, which come in together and are measured together."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence

from django.db import transaction

from relief.deliver.files import safe_stem
from relief.deliver.formats import picture_file
from relief.depth.light import Ball, Light
from relief.depth.series import lights_of, measure_series, photos_of
from relief.depth.stereo import FEWEST, MOST
from relief.depth.unknown import estimate_lights, turned_around
from relief.errors import ReliefError
from relief.figures import say_number
from relief.progress import Progress
from relief.sources.colour import luminance
from relief.sources.roles import role_in_name
from shelf.intake import keep_source
from shelf.looks import decode_source
from shelf.models import LitPhoto, LitSeries, Source, TextureSet
from shelf.sets import keep_set, same_sources

NUMBER = re.compile(r"[ _(-]*\d+\)?$")
"""How a name ends whose photos are counted."""

RING = 40.0
"""Elevation in degrees that lights have which nobody has told of."""


def gather_series(sources: Iterable[Source]) -> tuple[list[LitSeries], list[Source]]:
    """Makes lit series of photos that are called alike but for a number, and are of one size; and gives the others."""
    alike: dict[tuple, list[Source]] = defaultdict(list)
    others = []
    for source in dict.fromkeys(sources):
        stem, numbered = NUMBER.subn("", source.filename.rpartition(".")[0])
        if source.is_mesh or source.role != "photo" or not numbered or role_in_name(source.filename):
            others.append(source)
        else:
            alike[stem.lower(), source.facts.rows, source.facts.columns].append(source)
    found = []
    for photos in alike.values():
        if FEWEST <= len(photos) <= MOST:
            found.append(put_together(photos))
        else:
            others += photos
    return found, others


@transaction.atomic
def put_together(photos: Sequence[Source]) -> LitSeries:
    """A lit series of some photos, their lights all around until somebody says where they stood.

    The same photos again are the same series, as the artist left it. A photo may be in several.

    Raises:
        ReliefError: they are too few or too many, or not of one size.
    """
    if not FEWEST <= len(photos) <= MOST:
        raise ReliefError(f"A lit series has {FEWEST} to {MOST} photos; these are {len(photos)}.")
    if len({(photo.facts.rows, photo.facts.columns) for photo in photos}) > 1:
        raise ReliefError("The photos of a lit series have one size.")
    known = same_sources(LitSeries, "photos", photos)
    if known is not None:
        return known
    photos = sorted(photos, key=lambda photo: [int(part) for part in re.findall(r"\d+", photo.filename)])
    name = NUMBER.sub("", photos[0].filename.rpartition(".")[0]).replace("-", " ").replace("_", " ").strip()
    lights = [[round(360 * number / len(photos)), RING] for number in range(len(photos))]
    made = LitSeries.objects.create(owner=photos[0].owner, name=name.capitalize()[:120] or "Lit series", lights=lights)
    LitPhoto.objects.bulk_create(
        LitPhoto(series=made, source=photo, number=number) for number, photo in enumerate(photos)
    )
    return made


def ball_to_begin_with(columns: int, rows: int) -> list[float]:
    """Where the outline of a ball is drawn before it was set: in the lower right, as it is laid beside the surface."""
    radius = min(columns, rows) / 10
    return [columns - 1.4 * radius, rows - 1.4 * radius, radius]


def keep_set_up(series: LitSeries, values: Mapping[str, str]) -> None:
    """Keeps what a form says: lights as azimuth-0, elevation-0 and so on, ball-x, ball-y, ball-radius, width in mm.

    Raises:
        ReliefError: one of them is no number, or lies out of its bounds.
    """
    lights = []
    for number, (azimuth, elevation) in enumerate(series.lights):
        azimuth = _number(values.get(f"azimuth-{number}", azimuth), -3600, 3600, "An azimuth")
        elevation = _number(values.get(f"elevation-{number}", elevation), 1, 90, "The height of a light")
        lights.append([azimuth % 360, elevation])
    series.lights = lights
    if "ball-x" in values:
        names = (("ball-x", -100_000), ("ball-y", -100_000), ("ball-radius", 2))
        series.ball = [_number(values.get(name, ""), least, 100_000, "The ball") for name, least in names]
    if "width" in values:
        series.width = _number(values["width"], 1, 1e6, "The width in mm")
    series.save(update_fields=["lights", "ball", "width"])


def _number(said: str | float, least: float, most: float, what: str) -> float:
    try:
        value = float(said)
    except ValueError:
        raise ReliefError(f"{what} is a number.") from None
    if not least <= value <= most:
        raise ReliefError(f"{what} lies between {say_number(least, 6)} and {say_number(most, 6)}.")
    return value


def read_lights(series: LitSeries) -> None:
    """Reads where the lights stood from the series' ball, and keeps that.

    Raises:
        ReliefError: there is no ball, or it tells nothing.
    """
    if not series.ball:
        raise ReliefError("Mark the ball in the first photo.")
    _keep(series, lights_of(_all_photos(series), Ball(*series.ball)))


def find_lights(series: LitSeries) -> None:
    """Estimates where the lights stood from the photos alone, and keeps that.

    Raises:
        ReliefError: the photos are too few, or tell too little.
    """
    photos = _all_photos(series)
    _keep(series, estimate_lights([luminance(photo, encoded=False) for photo in photos]))


def turn_lights(series: LitSeries) -> None:
    """Turns all lights around, so that hollows become hills."""
    _keep(series, turned_around([Light(*angles) for angles in series.lights]))


def _keep(series: LitSeries, lights: Sequence[Light]) -> None:
    series.lights = [[round(light.azimuth, 1), round(light.elevation, 1)] for light in lights]
    series.save(update_fields=["lights"])


def _all_photos(series: LitSeries) -> list:
    """The decoded photos of a series, one for each of its lights.

    Raises:
        ReliefError: some were removed, or their files are gone.
    """
    kept = series.present
    if len(kept) != len(series.lights):
        raise ReliefError("Photos of this series were removed. Put them back, or put the rest together anew.")
    return photos_of([decode_source(photo.source) for photo in kept])


def measure(series: LitSeries, near: bool, progress: Progress) -> tuple[TextureSet, float]:
    """Measures a series; normals, colour and height become a texture set.

    Args:
        series: its lights and its width are kept.
        near: whether the lights were near.

    Returns:
        The set, and the amplitude of its height in mm.

    Raises:
        ReliefError: photos are gone, or the lights tell nothing.
        Cancelled: through `progress`.
    """
    photos = _all_photos(series)
    texel = series.width / photos[0].shape[1]
    lights = [Light(*angles) for angles in series.lights]
    found = measure_series(photos, lights, (texel, texel), near=near, progress=progress)
    stem = safe_stem(series.name)
    files = {role: picture_file(pixels, "png") for role, pixels in found.encode().items()}
    members = []
    for role, data in files.items():
        source = keep_source(series.owner, f"{stem}_{role}.png", data)
        if not source.sets.exists():
            source.role, source.green = role, "up"
            source.save(update_fields=["role", "green"])
        members.append(source)
    return keep_set(members, f"{series.name}, measured"), float(f"{found.amplitude:.4g}")
