"""What the stage shows for each view: the computation's results as raw pixels."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from relief.deliver import palette
from relief.filters.resample import resample
from relief.height import HeightField
from relief.inspect.differences import angles_apart, height_difference
from relief.inspect.swatch import in_light
from relief.maps.displacement import displacement, displacement_range
from relief.maps.normal import Normal
from relief.maps.packing import at_depth
from relief.maps.slopes import slopes, steepness
from relief.maps.vectors import of_slopes
from relief.recipe.layer import Picture
from relief.recipe.relief import Relief
from relief.run.finished import finish_map, horizons, normals, titles, vectors_along
from relief.run.pipeline import Pipeline
from relief.sources.colour import linear_from_srgb
from studio.bench.requests import whole_number
from studio.shelf.engine import get_engine

GROUND, ABOVE, BELOW = (
    np.array(palette.rgb(colour), np.float32) for colour in (palette.PAPER, palette.ABOVE, palette.BELOW)
)
SHADES = 256
HORIZONS = 24
"""Directions in which the browser knows the horizon."""

APART = ("apart-heights", "apart-angles")
"""Views of the difference between a state and a proof."""


def _ramp(low: np.ndarray, middle: np.ndarray, high: np.ndarray) -> np.ndarray:
    """uint8 (256, 3) colours from one over a second to a third."""
    place = np.linspace(-1, 1, SHADES, dtype=np.float32)[:, None]
    colours = np.where(place < 0, middle + (low - middle) * -place, middle + (high - middle) * place)
    return np.rint(colours).astype(np.uint8)


HEIGHT_RAMP = _ramp(BELOW * 0.55, GROUND, ABOVE * 0.62)
SLOPE_RAMP = _ramp(GROUND, np.array([0xB3, 0xC1, 0xC3], np.float32), np.array([0x15, 0x25, 0x2C], np.float32))


def _height(pipeline: Pipeline) -> HeightField:
    return get_engine().run(pipeline.height())


def _lit(pipeline: Pipeline) -> np.ndarray:
    """Normals true to amplitude and footprint, 16 bit, green up."""
    return get_engine().run(normals(pipeline, Normal(), 16))


def _horizons(pipeline: Pipeline) -> np.ndarray:
    """How high the horizon stands around each texel, as `find_horizons` has it: what the browser casts shadows from."""
    return get_engine().run(horizons(pipeline, HORIZONS))


def _shade(pipeline: Pipeline) -> np.ndarray:
    """The normal map as a program sees it that reads it right: 16 bit, always red right and green up."""
    return get_engine().run(normals(pipeline, pipeline.relief.maps.normal.facing_right_and_up(), 16))


def _tangent(pipeline: Pipeline) -> np.ndarray:
    """The same with 8 bits, to be laid on the surface."""
    return get_engine().run(normals(pipeline, pipeline.relief.maps.normal.facing_right_and_up(), 8))


def _whole(pipeline: Pipeline) -> np.ndarray:
    return get_engine().run(pipeline.colour())


def _grey(pipeline: Pipeline) -> np.ndarray:
    return _eight_bit(get_engine().run(pipeline.untreated()).samples)


def _colour_height(pipeline: Pipeline) -> np.ndarray:
    """Ochre above the base surface, blue below."""
    relief = pipeline.relief
    return _colour_by_sign(displacement(_height(pipeline).samples, relief.amplitude, relief.midlevel))


def apart(how: str, now: Pipeline, proof: Pipeline) -> tuple[np.ndarray, float]:
    """Where a state differs from a proof, and by how much at most.

    Args:
        how: one of `APART`. Heights are ochre where the surface stands out farther than in the proof and blue where
            less far, up to some mm; angles between normals are the darker the larger, up to some degrees.
    """
    reliefs, fields = (now.relief, proof.relief), (_height(now), _height(proof))
    if how == "apart-heights":
        difference = height_difference(reliefs, fields)
        return _colour_by_sign(difference), float(np.abs(difference).max())
    angles = angles_apart(reliefs, fields, tuple(vectors_along(state, get_engine()) for state in (now, proof)))
    most = float(angles.max())
    return SLOPE_RAMP[np.rint(angles * ((SHADES - 1) / max(most, 1e-9))).astype(np.uint8)], most


def _colour_by_sign(distance: np.ndarray) -> np.ndarray:
    """Ochre above zero, blue below; the strongest colour at the farthest of both."""
    farthest = max(float(np.abs(distance).max()), 1e-9)
    return HEIGHT_RAMP[np.rint((distance / farthest * 0.5 + 0.5) * (SHADES - 1)).astype(np.uint8)]


def _photo_of(pipeline: Pipeline) -> Picture:
    """What the ground is made of.

    Raises:
        KeyError: the ground is no picture, so that there is no such view of it.
    """
    if pipeline.relief.picture is None:
        raise KeyError("picture")
    return pipeline.relief.picture


def _paint(pipeline: Pipeline) -> np.ndarray:
    """What was taken for paint: middle grey at its mean, the ends a quarter and four times as bright."""
    paint = get_engine().run(pipeline.photo().paint())
    return np.rint(np.clip(paint / (2 * math.log(4)) + 0.5, 0, 1) * (SHADES - 1)).astype(np.uint8)


def _certain(pipeline: Pipeline) -> np.ndarray:
    """How far the depth of each place can be trusted: ochre where it can, blue where it is filled in."""
    _photo_of(pipeline)
    told = get_engine().run(pipeline.photo().certain())
    return HEIGHT_RAMP[np.rint(told * (SHADES - 1)).astype(np.uint8)]


def _light(pipeline: Pipeline) -> np.ndarray:
    """The light that the first switched-on treatment takes out, dark to bright."""
    for number, treatment in enumerate(pipeline.relief.layers[0].treatments):
        if treatment.takes_out_light and treatment.on:
            light = treatment.light(get_engine().run(pipeline.treated(number)))
            return _eight_bit(light / max(float(light.max()), 1e-6))
    return np.full((1, 1), SHADES // 2, np.uint8)


def show_cover(pipeline: Pipeline, layer: int) -> np.ndarray:
    """Where a layer is laid most, in ochre over the lit relief, and where only what lies below is, in blue."""
    seen = get_engine().run(pipeline.cover(layer)) if layer else np.ones_like(_height(pipeline).samples)
    height = _height(pipeline)
    if seen.shape != height.samples.shape:
        seen = resample(seen, *height.samples.shape, "area", height.edges.wraps)
    part = np.clip(seen / max(float(seen.max()), 1e-6), 0, 1)[..., None]
    colour = (BELOW + (ABOVE - BELOW) * part) * 0.55 + GROUND * 0.45
    return in_light(of_slopes(slopes(height, pipeline.relief.amplitude)), linear_from_srgb(colour / 255))


def _slope(pipeline: Pipeline) -> np.ndarray:
    """Steepness, 0 to 90 degrees, from light to dark."""
    angles = steepness(_height(pipeline), pipeline.relief.amplitude)
    return SLOPE_RAMP[np.rint(angles * ((SHADES - 1) / 90)).astype(np.uint8)]


def bump_span(pipeline: Pipeline) -> float:
    """The real length in mm from black to white of the bump map, which a surface is bumped by."""
    relief = pipeline.relief
    return relief.maps.bump.range(_height(pipeline).samples, relief.midlevel).amplitude(relief.amplitude)


def _eight_bit(samples: np.ndarray) -> np.ndarray:
    """Heights as the grey of an 8-bit displacement map, uint8."""
    return displacement_range(samples).encode(samples, 8)


def has_view(name: str, relief: Relief) -> bool:
    """Whether a state can be looked at in this way."""
    return name in (*VIEWS, *APART, "seen") or name in titles(relief)


def pixels_of(name: str, pipeline: Pipeline, layer: int) -> np.ndarray:
    """The pixels of a view by its name.

    Raises:
        KeyError: there is no such view.
    """
    if name == "seen":
        return show_cover(pipeline, layer)
    return VIEWS[name](pipeline) if name in VIEWS else draw_finished_map(name, pipeline)


def draw_finished_map(name: str, pipeline: Pipeline) -> np.ndarray:
    """A finished map with 8 bits in each channel, as a screen shows it.

    Raises:
        KeyError: there is no such map.
    """
    return at_depth(get_engine().run(finish_map(pipeline, name, 8)), 8)


def read_before_curve(pipeline: Pipeline, number: int) -> np.ndarray:
    """A grey map as it goes into its tone curve: float32 0 to 1.

    Raises:
        KeyError: there is no such map.
    """
    if number >= len(pipeline.relief.maps.more):
        raise KeyError(number)
    path = f"maps.more.{number}"
    straight = {f"{path}.stops": ((0, 0), (1, 1)), f"{path}.passage": "smooth", f"{path}.inverted": False}
    plain = replace(pipeline, relief=pipeline.relief.with_changes(straight))
    pixels = draw_finished_map(f"more-{number}", plain)
    return (pixels if pixels.ndim == 2 else pixels[..., 0]).astype(np.float32) / 255


def only(state: Pipeline, layer: int, until: str | None, alone: bool) -> Pipeline:
    """The state for a tool that sets a layer's next treatment, or for looking at one layer alone."""
    if until is None and not alone:
        return state
    relief = state.relief.with_layers([layer])
    if until is not None:
        kept = list(range(len(relief.layers[0].treatments)))[: whole_number(until, least=0)]
        relief = relief.with_treatments(kept)
    return replace(state, relief=relief)


VIEWS: dict[str, Callable[[Pipeline], np.ndarray]] = {
    "whole": _whole,
    "grey": _grey,
    "lit": _lit,
    "horizons": _horizons,
    "height": _colour_height,
    "slope": _slope,
    "light": _light,
    "paint": _paint,
    "certain": _certain,
    "shaded": _shade,
    "tangent": _tangent,
}
"""The views beside the finished maps: uint8 grey or colour, or uint16 normals to be lit in the browser."""
