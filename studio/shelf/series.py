"""Lit series: photos of one surface from one place, which come in together and are measured together."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from django.db import transaction

from relief.deliver.files import safe_stem
from relief.depth.light import Light
from relief.depth.series_files import PhotoFiles
from relief.depth.stereo import FEWEST, MOST
from relief.depth.unknown import FEWEST_UNKNOWN, reverse_lights, too_few_to_estimate
from relief.displace.forecast import final_limit
from relief.errors import ReliefError
from relief.figures import say_number
from relief.formats.writing import picture_file
from relief.sources.roles import role_in_name
from studio.background.quotas import refuse_beyond_quota
from studio.background.tasks import begin
from studio.shelf.intake import keep_source
from studio.shelf.models import LitPhoto, LitSeries, SeriesTask, Source, TextureSet, source_folder
from studio.shelf.sets import keep_set, same_sources

NUMBER = re.compile(r"[ _(-]*\d+\)?$")
"""How a name ends whose photos are counted."""

BALL = ("ball-x", "ball-y", "ball-radius")
"""What a form calls the outline of the ball."""

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
        raise ReliefError("The photos of a lit series must have the same size.")
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
    if lights != series.lights:
        series.lights, series.lights_at_ball = lights, False
    if any(name in values for name in BALL):
        photos = series.present
        if photos:
            facts = photos[0].source.facts
            most = (facts.columns, facts.rows, max(2, max(facts.columns, facts.rows) / 2))
            bounds = zip(BALL, (0, 0, 2), most, ("x", "y", "radius"), strict=True)
            series.ball = [_number(values.get(name, ""), *ends, f"The ball's {word}") for name, *ends, word in bounds]
    if "width" in values:
        series.width = _number(values["width"], 1, 1e6, "The width in mm")
    series.save(update_fields=["lights", "lights_at_ball", "ball", "width"])


def _number(said: str | float, least: float, most: float, what: str) -> float:
    try:
        value = float(said)
    except ValueError:
        raise ReliefError(f"{what} must be a number.") from None
    if not least <= value <= most:
        raise ReliefError(f"{what} must be between {say_number(least, 6)} and {say_number(most, 6)}.")
    return value


def turn_lights(series: LitSeries) -> None:
    """Turns all lights around, so that hollows become hills."""
    keep_lights(series, reverse_lights([Light(*angles) for angles in series.lights]), series.lights_at_ball)
    for task in series.tasks.exclude(answers=[])[:1]:
        task.answers = task.answers[::-1]
        task.save(update_fields=["answers"])


def photo_files(series: LitSeries) -> PhotoFiles:
    """The files of a series' photos, one for each of its lights.

    Raises:
        ReliefError: some were removed.
    """
    kept = series.present
    if len(kept) != len(series.lights):
        raise ReliefError("Some photos of this series were removed. Put them back, or make a new series of the rest.")
    named = tuple((photo.source.digest, photo.source.filename) for photo in kept)
    return PhotoFiles(named, source_folder(), final_limit().memory)


def read_distance(values: Mapping[str, str]) -> float | None:
    """How far the lamps stood by a form, mm: none to find it, 0 for far away.

    Raises:
        ReliefError: it is no number, or lies out of its bounds.
    """
    match values.get("lamps"):
        case "far":
            return 0.0
        case "near":
            return _number(values.get("distance", ""), 1, 1e7, "The distance of the lamps in mm")
    return None


def begin_task(series: LitSeries, kind: str, distance: float | None = None) -> SeriesTask:
    """Begins something long in the background; the one that is under way goes on.

    Args:
        series: what it is done to.
        kind: what is done, one of `SeriesTask.Kind`.
        distance: of the lamps, as `read_distance` gives it.

    Raises:
        ReliefError: it cannot be done at all; the message says why.
    """
    files = photo_files(series)
    if kind == SeriesTask.Kind.READ and not series.ball:
        raise ReliefError("Mark the ball in the first photo.")
    if kind == SeriesTask.Kind.ESTIMATE and len(files.named) < FEWEST_UNKNOWN:
        raise too_few_to_estimate()
    with transaction.atomic():
        for task in series.tasks.filter(kind=kind, distance=distance):
            if task.active:
                return task
        refuse_beyond_quota(series.owner)
        task = SeriesTask.objects.create(owner=series.owner, series=series, kind=kind, distance=distance)
    begin(task)
    task.refresh_from_db()
    return task


def keep_lights(series: LitSeries, lights: Sequence[Light], at_ball: bool = False) -> None:
    """Keeps where the lights stand, and whether that is as seen from the ball."""
    series.lights = [[round(light.azimuth, 1) % 360, round(light.elevation, 1)] for light in lights]
    series.lights_at_ball = at_ball
    series.save(update_fields=["lights", "lights_at_ball"])


def keep_measured(series: LitSeries, maps: Mapping[str, np.ndarray]) -> TextureSet:
    """The maps that a series was measured to, kept as a texture set."""
    stem = safe_stem(series.name)
    members = []
    for role, pixels in maps.items():
        source = keep_source(series.owner, f"{stem}_{role}.png", picture_file(pixels, "png", role == "colour"))
        if not source.sets.exists():
            source.role, source.green = role, "up"
            source.save(update_fields=["role", "green"])
        members.append(source)
    return keep_set(members, f"{series.name}, measured")
