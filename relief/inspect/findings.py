"""Findings: what was measured on the relief and will look wrong, why, and where there is one the mend."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

import numpy as np

from relief.figures import say_length, say_number, say_share
from relief.filters.resample import resample_by_area
from relief.filters.statistics import draw_some
from relief.height import HeightField
from relief.inspect.finding import Finding, Mend
from relief.inspect.readings import SHARPEST_SHARE, Readings, readings
from relief.inspect.repeats import Telltale, telltales
from relief.inspect.source_findings import source_findings
from relief.inspect.thresholds import (
    BANDS_ABOVE,
    CLIFF_ABOVE,
    CLIPPED_ABOVE,
    COMFORTABLE,
    DEEP,
    FEW_TELLTALES,
    FROM_OTHERS,
    HARSH_ABOVE,
    MOST_TERRACES,
    SEAM_ABOVE,
    SEAM_BAND,
    SHALLOW_BELOW,
    STEP_ABOVE,
    STEP_SHARE,
    SWELL_ABOVE,
    TELLTALE_ABOVE,
    UNEVEN_TIMES,
    WEAK_BELOW,
)
from relief.progress import Progress
from relief.recipe.delivery import Depth
from relief.recipe.edits import LAID_AT_FIRST, divide_amount
from relief.recipe.relief import Relief
from relief.run.engine import Engine, Stage
from relief.run.pipeline import Pipeline
from relief.sources.colour import full_scale, grey_of_photo
from relief.sources.facts import few_levels, measure_clipped_light
from relief.sources.picture import Picture
from relief.treat.close_seam import CloseSeam
from relief.treat.even_light import EvenLight
from relief.treat.levels import Levels
from relief.treat.normalise import Normalise
from relief.treat.remove_steps import RemoveSteps
from relief.treat.slope_limit import SlopeLimit


def measure_and_find(
    pipeline: Pipeline, engine: Engine, bits: Depth = 8, progress: Progress | None = None
) -> tuple[Readings, list[Finding]]:
    """The readings of a pipeline's finished height field, and what is found in it.

    Args:
        pipeline: a relief at full size.
        engine: where stages are run.
        bits: those that its normal map is delivered with.
        progress: told how far it is; may cancel meanwhile.

    Raises:
        PictureError: a source cannot be read.
    """
    relief, progress = pipeline.relief, progress or Progress()
    compute = partial(readings, amplitude=relief.amplitude, midlevel=relief.midlevel)
    taking = Stage("Taking readings", compute, [relief.amplitude, relief.midlevel], (pipeline.height(),), reports=True)
    measured, height = engine.run(taking, progress), engine.run(pipeline.height(), progress)
    marks: list[Telltale] = []
    shot, cut = None, 0.0
    if relief.layers[0].source:
        marks = engine.run(Stage("Looking for telltales", telltales_of_tile, None, (pipeline.height(),)), progress)
        shot = engine.run(Stage("Counting grey levels", Shot.of, None, (pipeline.picture(),)))
        cut = engine.run(_cut_off(pipeline))
    found = findings(relief, height, measured, marks, shot, cut, bits)
    return measured, found + (source_findings(pipeline, engine) if shot else [])


@dataclass(frozen=True)
class Shot:
    """What the samples of a picture hold.

    Attributes:
        black, white: share of pixels that are so in all channels.
        levels: its grey levels, 0 to 1, where they are few.
        used: those of them that are there.
        grain: the least step of its numbers, 0 to 1.
        cut: share of pixels at the lowest and at the highest level that come from heights beyond, as far as the levels
            beside them tell.
        span: from the lowest to the highest sample, 0 to 1 of what its numbers hold; 1 for floats.
        uneven: how many times brighter the brightest side is lit than the darkest, 1 where that cannot be told.
    """

    black: float
    white: float
    levels: np.ndarray | None
    used: np.ndarray
    grain: float
    cut: tuple[float, float] = (0.0, 0.0)
    span: float = 1.0
    uneven: float = 1.0

    @classmethod
    def of(cls, picture: Picture) -> Shot:
        """That of a picture."""
        samples = full_scale(picture.pixels if picture.pixels.ndim == 2 else picture.pixels[..., 0])
        span = 1.0 if picture.is_float else float(np.ptp(samples))
        ends = measure_clipped_light(picture.pixels)
        levels = few_levels(picture.pixels)
        used = np.unique(draw_some(samples, MANY)) if levels is not None else np.zeros(0)
        return cls(*ends, levels, used, picture.grain, cut_heights(samples), span, uneven_light(picture))


def cut_heights(samples: np.ndarray) -> tuple[float, float]:
    """The share of heights at the lowest and at the highest level, where they were cut off there; 0 where not.

    Plateaus that are drawn, such as bricks, have hardly anything beside their level; what was cut off goes on up to it.
    """
    low, high = float(samples.min()), float(samples.max())
    reach = BESIDE * (high - low)
    if reach <= 0:
        return 0.0, 0.0
    found = []
    beside = (samples > low) & (samples <= low + reach), (samples < high) & (samples >= high - reach)
    for end, goes_on in zip((low, high), beside, strict=True):
        found.append(float((samples == end).mean()) if goes_on.mean() > GOES_ON * BESIDE else 0.0)
    return found[0], found[1]


def uneven_light(picture: Picture) -> float:
    """How many times brighter the brightest side of a photo is lit than its darkest; 1 where the motif hides that.

    A bent plane is fitted to the logarithm of the mean brightness of blocks; it counts as light where it spans more
    than what is left of the blocks.
    """
    grey = grey_of_photo(picture, "luminance") if not picture.is_float else full_scale(picture.pixels)
    grey = grey if grey.ndim == 2 else grey.mean(axis=2)
    rows, columns = (min(side, BLOCKS) for side in grey.shape)
    means = resample_by_area(np.maximum(grey, 0), rows, columns)
    blocks = np.log(np.maximum(means, max(DARK * float(means.mean()), 1e-6)))
    down, across = np.meshgrid(np.linspace(-1, 1, rows), np.linspace(-1, 1, columns), indexing="ij")
    shapes = np.stack([np.ones_like(across), across, down, across**2, across * down, down**2], axis=-1).reshape(-1, 6)
    fit = shapes @ np.linalg.lstsq(shapes, blocks.ravel(), rcond=None)[0]
    span, left = float(np.ptp(fit)), float((blocks.ravel() - fit).std())
    times = float(np.exp(span))
    return times if span > BEYOND_THE_MOTIF * left and times < MOST_UNEVEN else 1.0


MANY = 4_000_000
"""Samples that are enough to tell which levels are there."""

BESIDE, GOES_ON = 0.02, 0.3
"""Part of the range beside an end, and the part of an even share that heights which go on have there at least."""

MOST_UNEVEN = 12.0
"""Times beyond which it is no light that falls off, but a bright thing before a dark one."""

BLOCKS, BEYOND_THE_MOTIF, DARK = 16, 4.0, 0.1
"""Blocks along a side, how many times the light must span what is left of them, and the part of the mean below which
they are of a dark motif."""


def telltales_of_tile(height: HeightField) -> list[Telltale]:
    """Places which the eye finds again in every repeat; none where nothing repeats."""
    return telltales(height) if all(height.edges.wraps) else []


def findings(
    relief: Relief,
    height: HeightField,
    measured: Readings,
    marks: list[Telltale],
    shot: Shot | None,
    cut: float = 0,
    bits: Depth = 8,
) -> list[Finding]:
    """What is to be said of a finished height field at full size.

    Args:
        relief, height: what is looked at, and its finished height.
        measured, marks: the readings of that, and what stands out in the repeats of a picture.
        shot: what the picture of the ground holds, where it is one.
        cut: share of its samples that levels cut off.
        bits: those that the normal map is delivered with.
    """
    if measured.range == 0:
        return [flat(relief, height)]
    found = [
        harsh(relief, measured),
        weak(relief, measured),
        swell(height, measured),
        seam(relief, measured),
        too_strong(relief, measured),
        bands(relief, measured, bits),
        telltale(marks),
        repeated(relief),
        unlinked(relief),
    ]
    if shot:
        found += [
            clipped(relief, shot, cut), cliffs(relief, measured), shallow(relief, measured, shot),
            unevenly_lit(relief, shot),
        ]  # fmt: skip
    if shot and shot.levels is not None:
        found.append(steps(relief, height, shot.levels, shot.used, shot.grain))
    return [finding for finding in found if finding]


MOST_LINES = 1024
"""Rows and columns that a staircase is looked for in at most."""


def factor_for(angle: float, now: float, factor: float) -> float:
    """The amplitude or strength that brings a steepness of `now` degrees to `angle` degrees; slopes grow with both."""
    return factor * math.tan(math.radians(angle)) / math.tan(math.radians(now))


def harsh(relief: Relief, measured: Readings) -> Finding | None:
    """The steepest 5 % are too steep."""
    if measured.steepest <= HARSH_ABOVE:
        return None
    amplitude = float(f"{factor_for(COMFORTABLE, measured.steepest, relief.amplitude):.3g}")
    return Finding(
        "harsh",
        "Harsh slopes",
        f"The steepest 5 % of the surface exceeds {measured.steepest:.0f}°. Beyond {HARSH_ABOVE:.0f}° grain "
        "glitters and a mesh folds into spikes.",
        Mend(f"Lower amplitude to {say_length(amplitude, 6)}", {"amplitude": amplitude}),
    )


def flat(relief: Relief, height: HeightField) -> Finding:
    """All of the surface lies at one height: as its amplitude is 0, or as the heights themselves are one."""
    if relief.amplitude == 0 and np.ptp(height.samples):
        amplitude = float(f"{BEGUN * min(relief.final_footprint.sides):.2g}")
        mend = Mend(f"Set amplitude to {say_length(amplitude, 6)}", {"amplitude": amplitude})
        return Finding(
            "flat", "No relief", "The amplitude is 0 mm, so nothing stands out and the maps are empty.", mend
        )
    reason = (
        "All of the surface lies at one height, so its maps are empty. The source may be one even colour, or a "
        "treatment takes everything away."
    )
    return Finding("flat", "No relief", reason)


BEGUN = 0.02
"""Amplitude as a part of the shorter side of the footprint that is offered where there is none."""


def weak(relief: Relief, measured: Readings) -> Finding | None:
    """Hardly anything is steep enough to catch light."""
    if measured.steepest >= WEAK_BELOW:
        return None
    angle = measured.sharpest
    if angle >= WEAK_BELOW:
        return None
    reason = f"Hardly any slope is steeper than {say_number(angle, 2)}°, so only raking light shows it."
    if angle == 0:
        return Finding("weak", "Weak relief", reason)
    amplitude = float(f"{factor_for(COMFORTABLE, angle, relief.amplitude):.3g}")
    if amplitude > min(relief.final_footprint.sides):  # the height itself is nearly flat
        return Finding("weak", "Weak relief", reason)
    return Finding(
        "weak", "Weak relief", reason, Mend(f"Raise amplitude to {say_length(amplitude, 6)}", {"amplitude": amplitude})
    )


def clipped(relief: Relief, shot: Shot, cut: float) -> Finding | None:
    """A photo holds places without shades, or its levels make some; plateaus of a height image are meant.

    Both are measured before anything is softened, which hides plateaus and leaves them flat.
    """
    if relief.picture is None:
        return None
    if not relief.picture.is_photo:
        return _clipped_heights(shot)
    low, high = shot.black, shot.white
    if max(low, high) > CLIPPED_ABOVE:
        reason = f"{max(low, high):.0%} of the photo is pure {'black' if low > high else 'white'}."
        return Finding("clipped", "Clipped", f"{reason} It was {'under' if low > high else 'over'}exposed there.")
    levels = _first_levels(relief)
    if levels is None or cut <= CLIPPED_ABOVE or len(relief.layers) > 1:
        return None
    reason = f"The levels cut off {cut:.0%} of the photo, which becomes flat plateaus."
    path = f"layers.0.treatments.{levels[0]}"
    mend = Mend("Open the levels to the whole range", {f"{path}.black": 0, f"{path}.white": 1})
    return Finding("clipped", "Clipped", reason, mend)


def _clipped_heights(shot: Shot) -> Finding | None:
    """A height image whose hills and hollows are both cut off."""
    low, high = shot.cut
    if min(low, high) <= CLIPPED_ABOVE:
        return None
    reason = (
        f"{low:.0%} of the heights are cut off at the bottom and {high:.0%} at the top, which leaves flat plateaus."
    )
    return Finding("clipped", "Clipped", f"{reason} Export the height with a wider range, or as floats.")


def shallow(relief: Relief, measured: Readings, shot: Shot) -> Finding | None:
    """A height image that uses next to nothing of the range it has."""
    if relief.picture is None or relief.picture.reading != "height" or shot.span >= SHALLOW_BELOW or not shot.span:
        return None
    count = "" if shot.levels is None or len(shot.levels) == 256 else f" in {len(shot.levels)} levels"
    reason = f"The heights use {say_share(shot.span)} of their range{count}, so the source is nearly flat."
    if any(isinstance(item, Normalise) and item.on for item in relief.layers[0].treatments):
        return Finding("shallow", "Nearly flat height", f"{reason} Once stretched, its levels show as steps.")
    side = min(relief.final_footprint.sides)
    depth = min(relief.amplitude * shot.span, DEEP * side) if measured.range else DEEP * side
    amplitude = max(float(f"{depth:.2g}"), 0.01)
    mend = Mend("Stretch it to the full range", {"amplitude": amplitude}, first=Normalise())
    return Finding("shallow", "Nearly flat height", f"{reason} It needs far too large an amplitude.", mend)


def unevenly_lit(relief: Relief, shot: Shot) -> Finding | None:
    """A photo that is brighter at one side, which becomes a slope."""
    if relief.picture is None or relief.picture.reading != "photo" or shot.uneven <= UNEVEN_TIMES:
        return None
    treatments = relief.layers[0].treatments
    if any(item.takes_out_light and item.on for item in treatments):
        return None
    place = next((number for number, item in enumerate(treatments) if isinstance(item, EvenLight)), None)
    window = min(relief.footprint.sides) / 3
    switch = {f"layers.0.treatments.{place}.on": True}
    fresh = EvenLight(window=float(f"{window:.3g}"))
    mend = Mend("Even out the light", switch) if place is not None else Mend("Even out the light", first=fresh)
    return Finding("uneven", "Uneven light", say_uneven(shot.uneven), mend)


def say_uneven(times: float) -> str:
    """How unevenly a photo is lit, in words."""
    return (
        f"One side is lit {say_number(times, 2)} times as brightly as the other, which turns into a slope of the "
        "relief."
    )


def _first_levels(relief: Relief) -> tuple[int, Levels] | None:
    """The first levels of the ground that may cut something off, after their place in its list."""
    listed = enumerate(relief.layers[0].treatments)
    return next(((number, item) for number, item in listed if isinstance(item, Levels) and item.on), None)


def _cut_off(pipeline: Pipeline) -> Stage:
    """The share of samples that the first levels cut off, each side for itself, the larger."""
    found = _first_levels(pipeline.relief)
    if not found:
        return Stage("Nothing is cut off", lambda: 0.0)
    number, levels = found
    compute = partial(_beyond, levels.black, levels.white)
    return Stage("What levels cut off", compute, [levels.black, levels.white], (pipeline.treated(number),))


def _beyond(black: float, white: float, field: HeightField) -> float:
    return float(max((field.samples < black).mean(), (field.samples > white).mean()))


def cliffs(relief: Relief, measured: Readings) -> Finding | None:
    """A photo whose edges stand upright, be they less than the steepest 5 %."""
    if relief.picture is None or relief.picture.reading != "photo":
        return None
    angle = measured.sharpest
    if angle <= CLIFF_ABOVE:
        return None
    return Finding(
        "cliffs",
        "Upright edges",
        f"{SHARPEST_SHARE:.1%} of the surface is steeper than {angle:.0f}°. Edges in a photo cause that; real "
        "surfaces are rarely so steep. A mesh tears there and maps glitter.",
        Mend(f"Limit slopes to {HARSH_ABOVE:.0f}°", last=SlopeLimit(angle=HARSH_ABOVE)),
    )


def seam(relief: Relief, measured: Readings) -> Finding | None:
    """The relief is said to repeat, but its edges do not meet."""
    wraps = relief.final_edges.wraps
    ratios = (measured.seam_across, measured.seam_down)
    open_ = [ratio for ratio, wrap in zip(ratios, wraps, strict=True) if wrap and ratio > SEAM_ABOVE]
    if not open_:
        return None
    reason = f"The step across the edge is {max(open_):.1f} times as large as those inside, so repeats show a line."
    if len(relief.layers) > 1:
        return Finding("seam", "Seam", reason)
    footprint = relief.final_footprint
    band = float(f"{SEAM_BAND * min(footprint.width, footprint.height):.2g}")
    return Finding(
        "seam", "Seam", reason, Mend(f"Close the seam over {say_length(band, 6)}", last=CloseSeam(band=band))
    )


def steepest_of_normal_map(relief: Relief, measured: Readings) -> float:
    """The angle that the steepest 5 % of the normal map stand above, degrees; 0 where it is not made of the relief."""
    normal = relief.maps.normal
    if normal.of == "source" and "normal" in relief.companion_roles():
        return 0.0
    return math.degrees(math.atan(abs(normal.strength) * math.tan(math.radians(measured.steepest))))


def too_strong(relief: Relief, measured: Readings) -> Finding | None:
    """The relief is not too steep, but its normal map is."""
    angle = steepest_of_normal_map(relief, measured)
    if measured.steepest > HARSH_ABOVE or angle <= HARSH_ABOVE:
        return None
    strength = relief.maps.normal.strength
    right = float(f"{factor_for(COMFORTABLE, angle, strength):.2g}")
    return Finding(
        "too-strong",
        "Harsh normal map",
        f"At strength {say_number(strength, 6)} the steepest 5 % of the normal map exceeds {angle:.0f}°, against "
        f"{measured.steepest:.0f}° in the relief; light picks out single texels.",
        Mend(f"Set strength to {say_number(right, 6)}", {"maps.normal.strength": right}),
    )


def bands(relief: Relief, measured: Readings, bits: Depth) -> Finding | None:
    """The normal map is so steep that 8 bits are too coarse for it."""
    angle = steepest_of_normal_map(relief, measured)
    if bits != 8 or angle <= BANDS_ABOVE:
        return None
    step = math.degrees(1 / (127 * math.cos(math.radians(angle))))
    reason = (
        f"The steepest 5 % of the normal map exceeds {angle:.0f}°, where one step of 8 bits turns a normal by "
        f"{step:.1f}°."
    )
    return Finding("bands", "Bands", reason, Mend("Deliver it with 16 bits", {"delivery.normal_bits": 16}))


def swell(height: HeightField, measured: Readings) -> Finding | None:
    """Mean and median both lie off midlevel, so the whole surface moves when it is displaced.

    One of them alone does not: a relief that stands on even ground has its mean above it, and is meant to.
    """
    off = sorted((measured.mean, measured.median), key=abs)
    if off[0] * off[1] <= 0 or abs(off[0]) <= SWELL_ABOVE * measured.range:
        return None
    side, verb = ("above", "grow") if measured.mean > 0 else ("below", "shrink")
    mean = float(f"{height.samples.mean(dtype=np.float64):.4f}")
    return Finding(
        "swell",
        "Swell" if measured.mean > 0 else "Sinking",
        f"The mean is {say_length(abs(measured.mean))} {side} midlevel and the median "
        f"{say_length(abs(measured.median))}, so the whole surface would {verb} by about as much.",
        Mend("Set midlevel to mean", {"midlevel": mean}),
    )


def telltale(listed: list[Telltale]) -> Finding | None:
    """A place in a picture that tiles which the eye finds again in every repeat."""
    places = [place for place in listed if place.strength > TELLTALE_ABOVE]
    if not 0 < len(places) <= FEW_TELLTALES:
        return None
    # the highest of many hills stands little above the next; what gives a repeat away has no like
    if len(listed) > len(places) and places[-1].strength < FROM_OTHERS * listed[len(places)].strength:
        return None
    first = places[0]
    where = f"{100 * first.x:.0f} % across and {100 * first.y:.0f} % down"
    more = f", and {len(places) - 1} more" if len(places) > 1 else ""
    return Finding(
        "telltale",
        "A telltale in the repeat",
        f"The place {where}{more} stands out by {first.strength:.0f} times the usual variation, which gives the "
        "repeat away. Heal it in step 2, or lay a wider layer over it.",
    )


def unlinked(relief: Relief) -> Finding | None:
    """A companion does not follow the mapping."""
    for number, item in enumerate(relief.maps.unlinked):
        if item.on and item.role in relief.movable_roles():
            return Finding(
                "unlinked",
                f"{item.role.capitalize()} is unlinked",
                f"It is laid {item.say()}, so it does not match the relief beneath it.",
                Mend("Link it to the relief", {f"maps.unlinked.{number}.on": False}),
            )
    return None


def repeated(relief: Relief) -> Finding | None:
    """A layer repeats over the same size with the amount it had as one."""
    for number, layer in enumerate(relief.layers):
        times = max(layer.layout.counts)
        untouched = layer.amount in (1, LAID_AT_FIRST["picture"][1])
        if not (number and layer.on and layer.content.kind == "picture" and times > 1 and untouched):
            continue
        changed, _ = divide_amount(relief, number, times)
        amount = changed.layers[number].amount
        return Finding(
            "repeats",
            "Repeats make it steeper",
            f"“{layer.name}” repeats {times} times over the same size, so its slopes are {times} times as steep; "
            f"its amount is still {say_number(layer.amount, 6)}.",
            Mend(f"Set its amount to {say_number(amount, 6)}", {f"layers.{number}.amount": amount}),
        )
    return None


def steps(relief: Relief, height: HeightField, levels: np.ndarray, used: np.ndarray, grain: float) -> Finding | None:
    """Single grey levels show as jumps between flats.

    `levels` are those of the source, `used` those that are there, and `grain` the least step of its numbers, all from 0
    to 1.
    """
    texel = min(height.spacing)
    # what is drawn has few terraces; more levels than that are those of a coarse file, however far apart they lie
    many = len(used) > MOST_TERRACES
    step = float(np.median(np.diff(used))) * (height.grain / grain if grain else 1) if many else 0.0
    jump, share, run = stair(height.samples, 1.5 * step)
    if share < STEP_SHARE or jump * relief.amplitude <= STEP_ABOVE * texel:
        return None
    return Finding(
        "steps",
        "Steps",
        f"This source uses {len(used)} grey levels. Each step is {say_length(jump * relief.amplitude)} tall on "
        f"texels {say_length(texel)} wide, so slopes show as staircases.",
        _without_steps(relief, run * texel),
    )


def stair(samples: np.ndarray, level: float = 0) -> tuple[float, float, float]:
    """How much a field is a staircase.

    Args:
        samples: float32 (rows, columns).
        level: jumps up to this are counted in any case.

    Returns:
        The height of a single jump, the part of all changes between neighbours that are a single jump with flats on
        both sides, and the mean length of a flat in texels. Other jumps of more than a sixty-fourth of the range are
        drawn edges, not grey levels.
    """
    jumps, changes, pairs = [], 0, 0
    most = max(float(samples.max() - samples.min()) / 64, level)
    for across in (samples, samples.T):
        # stairs are alike all over, so that of a large field some lines will do
        few = (
            np.random.default_rng(1).permutation(len(across))[:MOST_LINES] if len(across) > MOST_LINES else slice(None)
        )
        difference = np.abs(np.diff(across[few], axis=1))
        changed = difference > 1e-6
        alone = changed[:, 1:-1] & ~changed[:, :-2] & ~changed[:, 2:] & (difference[:, 1:-1] < most)
        jumps.append(difference[:, 1:-1][alone])
        changes += int(np.count_nonzero(changed[:, 1:-1]))
        pairs += changed[:, 1:-1].size
    single = np.concatenate(jumps)
    if not single.size:
        return 0.0, 0.0, 0.0
    return float(np.median(single)), single.size / changes, pairs / changes


def _without_steps(relief: Relief, run: float) -> Mend:
    """Steps removed over the length of a flat, before any other treatment."""
    reach = float(f"{max(run, 0.01):.2g}")
    fresh = RemoveSteps(reach=reach)
    first = relief.layers[0].treatments[:1]
    if first and isinstance(first[0], RemoveSteps):
        reach = max(reach, first[0].reach * 2)
        return Mend(f"Remove steps over {say_length(reach, 6)}", {"layers.0.treatments.0.reach": reach})
    return Mend(f"Remove steps over {say_length(reach, 6)}", first=fresh)
