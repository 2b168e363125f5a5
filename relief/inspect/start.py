"""The suggested start: a recipe for a new source that looks right before anything is touched."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from relief.depth.from_light import (
    FROM_DARKNESS,
    GUESSED,
    SURELY_EVEN,
    FromLight,
    Way,
    reach_for,
    true_amplitude,
    waves_of,
)
from relief.depth.shading import estimate_light, height_of_waves
from relief.errors import RecipeError
from relief.filters.resample import resample_field, shrink
from relief.filters.statistics import deviations, percentiles
from relief.generate import GENERATORS
from relief.height import Edges, Footprint, HeightField, fit_size
from relief.inspect.readings import STEEPEST_SHARE
from relief.inspect.repeats import motif
from relief.inspect.thresholds import COMFORTABLE, factor_for
from relief.inspect.wavelengths import spread_parts, wavelengths
from relief.maps.height_from_normals import height_from_normals
from relief.maps.slopes import steepness
from relief.parameters import Parameters
from relief.recipe.layer import Layer, Picture, SourceReference, Unpacked
from relief.recipe.recipe import Recipe
from relief.recipe.relief import CONTENT_PATH, TREATMENTS_PATH, Relief
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline, ReadSource
from relief.run.stages import read_grey
from relief.sources.colour import full_scale
from relief.sources.decode import decode
from relief.sources.facts import SEAMLESS_BELOW, seam_ratios
from relief.sources.picture import Picture as Decoded
from relief.sources.roles import READING_OF, Green, Reading, Role, green_of, held_by_name
from relief.treat.even_light import EvenLight
from relief.treat.invert import Invert
from relief.treat.levels import FARTHEST, NARROWEST, Levels
from relief.treat.soften import Soften
from relief.treat.treatment import Placement, Treatment

PERCENTILES = (0.5, 99.5)
"""What lies beyond is taken for specks and highlights."""

LOOKED_AT = 2048
"""Texels on the long side that statistics are taken of; of a larger picture they are those of a shrunk copy."""

NARROWEST_SIDE = 0.1
"""Of a footprint, mm."""

LONG_SIDE = 300.0
"""mm: the footprint's longer side when nothing is known about it."""

PHOTO_SOFTEN = 1.0
"""Texels: about the width of a camera's grain."""

GUESSED_PATHS = tuple(f"{CONTENT_PATH}.light.{name}" for name in GUESSED)
"""Where a recipe holds the light that was guessed."""

DARKNESS_PATHS = tuple(f"{CONTENT_PATH}.light.{name}" for name in FROM_DARKNESS)
"""Where a recipe says that its photo is read from darkness."""

FROM_NOTHING = Footprint(width=600, height=600)
"""The footprint of relief that begins with no picture."""

CALMED_AT, CALMED_TO, CALMED_IN = 512, 0.45, 4
"""Texels on the long side at which brightness is compared with light; the part of its mean steepness that it may have;
and the steps in which it is brought there, as angles do not grow with slopes."""

UNEVEN_ABOVE = 0.04
"""Part of the mean by which the light of a photo may vary (standard deviation) before it is evened out."""


def suggest_start(
    digest: str,
    filename: str,
    reading: Reading,
    read_source: ReadSource,
    engine: Engine,
    footprint: Footprint | None = None,
    way: Way = "network",
) -> Recipe:
    """A recipe for one source; `first_recipe` says what it holds. The green of a normal map is judged by its pixels."""
    sources = {"picture": SourceReference(digest=digest, filename=filename)}
    green = green_of(decode(read_source(digest), filename)) if reading == "normal" else "up"
    content = Picture(source="picture", reading=reading, green=green, light=FromLight(way=way))
    return first_recipe(sources, content, read_source, engine, footprint)


def content_of_picture(filename: str, role: Role, green: Green) -> Picture:
    """How a picture in some role is read as the ground of a piece; its name says what was packed into its channels."""
    unpacked = Unpacked(**held_by_name(filename)) if role == "packed" else Unpacked()
    return Picture(source="picture", reading=READING_OF[role], green=green, unpacked=unpacked)


def first_recipe(
    sources: Mapping[str, SourceReference],
    content: Picture,
    read_source: ReadSource,
    engine: Engine,
    footprint: Footprint | None = None,
) -> Recipe:
    """A recipe for a source or a texture set, with the paths it suggested.

    A photo gets levels from percentiles and a touch of soften; the samples of a height image are taken as they are,
    unless they leave 0 to 1; a normal map keeps its own slopes, and so does the light in a photo. Midlevel is the
    median, and otherwise the amplitude lets the steepest 5 % stand near 40 degrees.

    Raises:
        PictureError: the source cannot be read.
    """
    layer = Layer(name=sources[content.source].filename, content=content)
    relief = Relief(layers=(layer,))
    picture = engine.run(Pipeline(relief, sources, read_source).picture())
    if footprint is None:
        # a strip of a few texels is made longer rather than narrower than a footprint can be
        scale = max(LONG_SIDE / max(picture.rows, picture.columns), NARROWEST_SIDE / min(picture.rows, picture.columns))
        footprint = Footprint(width=round(picture.columns * scale, 2), height=round(picture.rows * scale, 2))
    looked_at = full_scale(np.ascontiguousarray(picture.channel("green" if picture.is_colour else "")))
    edges = _suggest_edges(looked_at)
    relief = relief.model_copy(update={"footprint": footprint, "edges": edges, "suggested": _paths("edges", edges)})
    if content.reading == "light":
        return Recipe.of(_start_from_light(relief, content, sources, read_source, engine), sources)
    large = max(picture.rows, picture.columns) > LOOKED_AT
    pipeline = Pipeline(relief, sources, read_source, LOOKED_AT if large else None)
    field = engine.run(pipeline.untreated())
    photo = content.reading == "photo"
    # the lowest and the highest of floats count one by one, and may lie anywhere
    levels = _suggest_levels(looked_at if picture.is_float and not photo else field.samples, content.reading)
    radius = round(PHOTO_SOFTEN * footprint.width / picture.columns, 3) if photo else 0
    relief = _with_fresh(relief, [levels, Soften(on=photo, radius=radius), Invert(on=False)])
    height = engine.run(replace(pipeline, relief=relief).height())
    if content.reading == "normal" and picture.is_colour:
        _, amplitude = height_from_normals(shrink(picture.pixels, LOOKED_AT), content.green, field.spacing, edges.wraps)
    else:
        amplitude = _suggest_amplitude(height, _parts(relief, picture) if large else [height])
        if photo:
            amplitude = _calm(amplitude, height, replace(pipeline, relief=relief), engine)
    return Recipe.of(_with_depth(relief, height, amplitude), sources)


def _start_from_light(
    relief: Relief, content: Picture, sources: Mapping[str, SourceReference], read_source: ReadSource, engine: Engine
) -> Relief:
    """The relief of a photo by its light, at the amplitude where slopes are true. Where that stood is guessed; a photo
    that looks evenly lit is read from darkness."""
    pipeline = Pipeline(relief, sources, read_source, LOOKED_AT)
    guess = engine.run(pipeline.photo().guessed())
    found, paths = {"azimuth": guess.light.azimuth, "elevation": guess.light.elevation}, GUESSED_PATHS
    if guess.even > SURELY_EVEN:
        found, paths = found | FROM_DARKNESS, paths + DARKNESS_PATHS
    light = content.light.model_copy(update=found)
    relief = _with_light(relief, content, light)
    relief = relief.model_copy(update={"suggested": (*relief.suggested, *paths)})
    relief = _with_fresh(relief, [Levels(on=False), Soften(on=False), Invert(on=False)])
    reach = reach_for(light, engine.run(replace(pipeline, relief=relief).untreated()).samples)
    light = light.model_copy(update={"reach": reach})
    relief = _with_light(relief, content, light)
    height = engine.run(replace(pipeline, relief=relief).height())
    return _with_depth(relief, height, true_amplitude(light, relief.footprint))


def is_guessed(relief: Relief) -> bool:
    """Whether the light of its photo is the one that was suggested; the artist has set none."""
    return set(GUESSED_PATHS) <= set(relief.suggested)


def starts_from_darkness(relief: Relief) -> bool:
    """Whether the start read its photo from darkness, as that looked evenly lit, and nobody has changed that."""
    return set(DARKNESS_PATHS) <= set(relief.suggested)


def _with_light(relief: Relief, content: Picture, light: FromLight) -> Relief:
    """The relief whose ground is read by some light."""
    ground = relief.layers[0].model_copy(update={"content": content.model_copy(update={"light": light})})
    return relief.model_copy(update={"layers": (ground, *relief.layers[1:])})


def start_from_nothing(kind: str, read_source: ReadSource, engine: Engine) -> Recipe:
    """A recipe for relief from nothing: one noise or pattern.

    Raises:
        RecipeError: there is no such noise or pattern.
    """
    if kind not in GENERATORS:
        raise RecipeError("There is no such noise or pattern.")
    content = GENERATORS[kind].create()
    layer = Layer(name=content.title, content=content)
    relief = Relief(layers=(layer,), footprint=FROM_NOTHING, edges=Edges(across="wrap", down="wrap"))
    return Recipe.of(_set_depth(Pipeline(relief, {}, read_source), engine))


def set_from_statistics(pipeline: Pipeline, engine: Engine) -> Relief:
    """The relief with even light, levels, soften and midlevel set from the picture's own statistics.

    Data is not a photo: of a height image or normal map only levels beyond 0 to 1, midlevel and amplitude are set.
    What places the picture (crop, straighten, turn, shift) stays and comes first; other treatments make way.
    """
    relief = pipeline.relief
    kept = [number for number, item in enumerate(relief.layers[0].treatments) if isinstance(item, Placement)]
    relief = relief.with_treatments(kept)
    field = engine.run(replace(pipeline, relief=relief).treated())
    content = relief.picture
    if content and content.reading == "light":  # its slopes are true as they are
        relief = _with_fresh(relief, [EvenLight(on=False), Levels(on=False), Soften(on=False)])
        height = engine.run(replace(pipeline, relief=relief).height())
        return _with_depth(relief, height, true_amplitude(content.light, relief.footprint))
    if content and content.reading != "photo":
        # data has no light in it, and its grain may be meant
        fresh = [EvenLight(on=False), _suggest_levels(field.samples, "height"), Soften(on=False)]
    else:
        light = _suggest_even_light(field)
        evened = light.treat(field) if light.on else field
        levels = _suggest_levels(evened.samples, "photo")
        fresh = [light, levels, Soften(radius=_suggest_soften(evened))]
    relief = _with_fresh(relief, fresh)
    height = engine.run(replace(pipeline, relief=relief).height())
    amplitude = _suggest_amplitude(height, [height])
    if content and content.reading == "photo":
        amplitude = _calm(amplitude, height, replace(pipeline, relief=relief), engine)
    return _with_depth(relief, height, amplitude)


def _with_fresh(relief: Relief, treatments: list[Treatment]) -> Relief:
    """The relief with more treatments at its end, whose values are marked as suggested."""
    first = len(relief.layers[0].treatments)
    relief = relief.with_treatments([*range(first), *treatments])
    marked: list[str] = []
    for number, treatment in enumerate(treatments, first):
        if treatment.on:
            marked += _paths(f"{TREATMENTS_PATH}.{number}", treatment)
    return relief.model_copy(update={"suggested": (*relief.suggested, *marked)})


def _paths(owner: str, model: Parameters) -> tuple[str, ...]:
    """The paths of the values that were given to a model; the others are what they always are."""
    return tuple(f"{owner}.{name}" for name in type(model).model_fields if name in model.model_fields_set - {"on"})


def _set_depth(pipeline: Pipeline, engine: Engine) -> Relief:
    """The relief with midlevel and amplitude as all of it suggests them."""
    height = engine.run(pipeline.height())
    return _with_depth(pipeline.relief, height, _suggest_amplitude(height, [height]))


def _with_depth(relief: Relief, height: HeightField, amplitude: float) -> Relief:
    """The relief with an amplitude, and midlevel from the median of its height."""
    low, middle, high = percentiles(height.samples, 1, 50, 99)
    midlevel = round(middle, max(4, _places(high - low)))
    # no unit of height stands for more than the relief is wide: beyond, the source is nearly flat, which is said
    amplitude = min(float(f"{amplitude:.3g}"), float(f"{min(relief.final_footprint.sides):.3g}"))
    suggested = dict.fromkeys((*relief.suggested, "amplitude", "midlevel"))
    return relief.model_copy(update={"amplitude": amplitude, "midlevel": midlevel, "suggested": tuple(suggested)})


def _parts(relief: Relief, picture: Decoded) -> list[HeightField]:
    """A few parts of a large picture as relief, at full size, where slopes are steeper than in a shrunk copy."""
    content, parts = relief.picture, list[HeightField]()
    if content is None:
        return parts
    for here in spread_parts(picture.rows, picture.columns):
        part = replace(picture, pixels=picture.pixels[here], alpha=None, extra=_cut(picture.extra, here))
        size = relief.footprint.resize(
            relief.footprint.width * part.columns / picture.columns, relief.footprint.height * part.rows / picture.rows
        )
        field = HeightField(read_grey(content, None, part), size, Edges())
        for treatment in relief.layers[0].treatments:
            field = treatment.treat(field) if treatment.on else field
        parts.append(field)
    return parts


def _cut(channels: Mapping[str, np.ndarray], here: tuple[slice, slice]) -> dict[str, np.ndarray]:
    """The same rectangle of each channel."""
    return {name: samples[here] for name, samples in channels.items()}


def _suggest_amplitude(height: HeightField, parts: list[HeightField]) -> float:
    """The amplitude in mm at which the steepest 5 % stand near 40 degrees, but no deeper than a wave as wide would be.

    Sharp edges on even ground are less than 5 %, so that the grain between them would set it. A sine of wavelength L
    and depth D is tan(a) = pi D / L steep; L is the wavelength that parts the variance in two halves.
    Slopes are those of `parts`, at full size.
    """
    angles = np.concatenate([steepness(part, 1.0).ravel() for part in parts])
    now = percentiles(angles, 100 * (1 - STEEPEST_SHARE))[0]
    if now <= 1e-4:
        return 1.0
    by_slope = factor_for(COMFORTABLE, now, 1.0)
    (width,) = wavelengths(height, 0.5) or (math.inf,)
    # a sine as deep as 1 has a root mean square of 1 / sqrt(8)
    depth = math.sqrt(8) * deviations(height.samples).root_mean_square
    return min(by_slope, width * math.tan(math.radians(COMFORTABLE)) / (math.pi * depth))


def _calm(amplitude: float, height: HeightField, pipeline: Pipeline, engine: Engine) -> float:
    """The amplitude of a photo's brightness, brought down to less than half of the steepness that its light tells.

    Brightness is not height. As bold as its contrast would have it, its normals lie farther from the truth than those
    of a level plate on half of the surfaces of `relief.synthetic`; in these bounds on none by more than a degree.
    """
    photo = pipeline.photo()
    plain = photo.content.model_copy(update={"light": FromLight()})
    parted = engine.run(replace(photo, content=plain).parted(CALMED_AT))
    light, _ = estimate_light(parted)
    footprint = pipeline.relief.footprint
    told = height_of_waves(waves_of(footprint, pipeline.relief.edges.wraps, parted), light)
    most = CALMED_TO * float(steepness(HeightField(told, footprint, pipeline.relief.edges), 1.0).mean())
    rows, columns = fit_size(height.samples.shape[0], height.samples.shape[1], CALMED_AT)
    small = resample_field(height, rows, columns, "area")
    for _ in range(CALMED_IN):
        now = float(steepness(small, amplitude).mean())
        if now > most:
            amplitude = factor_for(most, now, amplitude)
    return amplitude


def _suggest_levels(samples: np.ndarray, reading: Reading) -> Levels:
    """Levels from percentiles for a photo, from the ends for data beyond 0 to 1, and switched off otherwise."""
    low, high = float(samples.min()), float(samples.max())
    if reading == "photo":
        low, high = percentiles(samples, *PERCENTILES)
        low, high = (round(value, _places(high - low)) for value in (low, high))
    elif low >= 0 and high <= 1:
        return Levels(on=False)
    if high - low < NARROWEST:
        return Levels(on=False)
    low, high = (min(max(value, -FARTHEST), FARTHEST) for value in (low, high))
    return Levels(black=low, white=high) if low < high else Levels(on=False)


def _places(spread: float) -> int:
    """Places behind the point that tell a thousandth of a spread apart.

    In linear light a dark photo lies within a few hundredths, where three places would make a plateau.
    """
    return max(3, math.ceil(3 - math.log10(max(spread, NARROWEST))))


def _suggest_edges(grey: np.ndarray) -> Edges:
    """Wrap where the step across the edge is hardly larger than those inside."""
    across, down = ("wrap" if ratio < SEAMLESS_BELOW else "clamp" for ratio in seam_ratios(grey))
    return Edges(across=across, down=down)


def _suggest_even_light(field: HeightField) -> EvenLight:
    """A window wider than the motif, so that only the light is taken out; off where the light is even."""
    across, down = motif(field)
    shorter = min(field.footprint.width, field.footprint.height)
    repeated = [length for length in (across, down) if length]
    window = min(max(1.5 * max(repeated), shorter / 6), shorter) if repeated else shorter / 3
    light = EvenLight(window=float(f"{window:.3g}"))
    found = light.light(field)
    uneven = float(found.std() / max(abs(float(found.mean())), 1e-6))
    return light.model_copy(update={"on": uneven > UNEVEN_ABOVE})


def _suggest_soften(field: HeightField) -> float:
    """Wider the more of the picture is grain.

    The grain is what a difference of second differences leaves (J. Immerkaer 1996, Fast noise variance estimation,
    Computer Vision and Image Understanding 64).
    """
    samples = field.samples
    if min(samples.shape) < 3:
        return 0.0
    seconds = samples[:, 2:] - 2 * samples[:, 1:-1] + samples[:, :-2]
    crossed = seconds[2:] - 2 * seconds[1:-1] + seconds[:-2]
    grain = np.sqrt(np.pi / 2) / 6 * float(np.abs(crossed).mean())
    texels = 0.6 + 6 * grain / max(float(samples.std()), 1e-6)
    return float(f"{min(texels, 2.5) * field.spacing[0]:.3g}")
