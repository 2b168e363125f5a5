"""What lies between two states of a piece: in words, and measured on their height fields."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from relief.filters.resample import resample
from relief.filters.statistics import percentiles
from relief.height import HeightField
from relief.maps.displacement import displacement
from relief.maps.normal import vectors
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run.stages import resample_vectors


@dataclass(frozen=True)
class Difference:
    """How far two states are from each other.

    Attributes:
        angle: the mean angle between their normals as the normal map has them, degrees.
        high_angle: the angle that 95 % stay below, degrees.
        height: root mean square of the difference between their distances from the base surface, mm.
    """

    angle: float
    high_angle: float
    height: float


def difference(
    reliefs: tuple[Relief, Relief],
    fields: tuple[HeightField, HeightField],
    along: tuple[np.ndarray | None, np.ndarray | None] = (None, None),
) -> Difference:
    """Measures two states on the grid of the first.

    Args:
        reliefs, fields: both states and their finished height fields.
        along: for each, the vectors of the normal map that came along, where its own is made of it.
    """
    fields = _on_one_grid(fields)
    apart, angles = height_difference(reliefs, fields), angles_apart(reliefs, fields, along)
    return Difference(
        float(angles.mean(dtype=np.float64)),
        percentiles(angles, 95)[0],
        float(np.sqrt(np.square(apart).mean(dtype=np.float64))),
    )


def angles_apart(
    reliefs: tuple[Relief, Relief],
    fields: tuple[HeightField, HeightField],
    along: tuple[np.ndarray | None, np.ndarray | None] = (None, None),
) -> np.ndarray:
    """The angles between the normals of two states, degrees: float32 (rows, columns). Takes what `difference` takes."""
    fields = _on_one_grid(fields)
    first, second = (
        vectors(
            field, relief.amplitude, relief.maps.normal, None if beside is None else resample_vectors(beside, field)
        )
        for relief, field, beside in zip(reliefs, fields, along, strict=True)
    )
    # of two nearly equal vectors the cosine says nothing in float32, but the length of what lies between them does
    half_chord = np.linalg.norm(first - second, axis=2) / 2
    return np.degrees(2 * np.arcsin(np.clip(half_chord, 0, 1)))


def height_difference(reliefs: tuple[Relief, Relief], fields: tuple[HeightField, HeightField]) -> np.ndarray:
    """The first state's distance from the base surface less the second's, mm: float32 (rows, columns)."""
    one, other = (
        displacement(field.samples, relief.amplitude, relief.midlevel)
        for relief, field in zip(reliefs, _on_one_grid(fields), strict=True)
    )
    return one - other


def _on_one_grid(fields: tuple[HeightField, HeightField]) -> tuple[HeightField, HeightField]:
    """Both on the grid of the first; its footprint stretches over the first's."""
    one, other = fields
    samples = resample(other.samples, *one.size, "area", other.edges.wraps)
    return one, HeightField(samples, other.footprint, other.edges)


def in_words(one: Recipe, other: Recipe) -> list[str]:
    """What the other recipe has otherwise: what was put in or taken out, else each parameter, from what to what."""
    before, after = one.shown, other.shown
    lists = [
        (
            "Layers",
            _titles(layer.name for layer in before.layers),
            _titles(layer.name for layer in after.layers),
            "layers.",
        ),
        (
            "Maps",
            _titles(grey.title for grey in before.maps.more),
            _titles(grey.title for grey in after.maps.more),
            "maps.more.",
        ),
    ]
    for number, pair in enumerate(zip(before.layers, after.layers, strict=False)):
        name = "Treatments" if number == 0 else f"{pair[1].name}: treatments"
        owner = f"layers.{number}.treatments."
        here, there = (_titles(treatment.title for treatment in layer.treatments) for layer in pair)
        lists.append((name, here, there, owner))
    words: list[str] = []
    told: list[str] = []
    for name, here, there, owner in lists:
        if here != there and not owner.startswith(tuple(told)):
            words.append(f"{name} {here} to {there}")
            told.append(owner)
    # parameters of a list that differs stand at other places in it, so only those outside can be set side by side
    return words + one.differences(other, apart_from=tuple(told))


def _titles(names: Iterable[str]) -> str:
    return ", ".join(names) or "none"
