"""A texture set held against itself: do its maps lie on each other, and do they say the same?"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from relief.filters.resample import resample_by_area, shrink
from relief.inspect.finding import SetFinding, SetMend
from relief.inspect.thresholds import AGREE, BENT_BY, STRETCHED
from relief.maps.height_from_normals import slopes_of_normals
from relief.sources.colour import full_scale, linear_from_srgb, srgb_from_linear
from relief.sources.picture import Picture
from relief.sources.roles import ROLE_NAMES, Green, green_of

LOOKED_AT = 512
"""Texels on the long side that are compared."""


def set_findings(pictures: Mapping[str, Picture], green: Green = "up", inverted: bool = False) -> list[SetFinding]:
    """What does not fit in a texture set.

    Args:
        pictures: the maps by their role.
        green: which way the green of the normal map is taken to face.
        inverted: whether the height is already read the other way round.
    """
    return [*_sizes(pictures), *_directions(pictures, green, inverted)]


def _sizes(pictures: Mapping[str, Picture]) -> list[SetFinding]:
    """The maps of a set differ in shape or in size."""
    found = []
    sizes = {role: (picture.columns, picture.rows) for role, picture in pictures.items()}
    aspects = [columns / rows for columns, rows in sizes.values()]
    if aspects and max(aspects) > min(aspects) * (1 + STRETCHED):
        listed = _list_sizes(sizes)
        reason = f"The maps have different aspect ratios: {listed}."
        found.append(SetFinding("aspect", "Aspect ratios differ", reason))
    elif len(set(sizes.values())) > 1:
        reason = f"They align, but detail is lost where a map is smaller: {_list_sizes(sizes)}."
        found.append(SetFinding("size", "Sizes differ", reason))
    return found


def _list_sizes(sizes: Mapping[str, tuple[int, int]]) -> str:
    return ", ".join(f"{ROLE_NAMES[role].lower()} {columns} x {rows}" for role, (columns, rows) in sizes.items())


def _directions(pictures: Mapping[str, Picture], green: Green, inverted: bool) -> list[SetFinding]:
    """Whether the normal map's green and the height's direction agree."""
    normal, height = pictures.get("normal"), pictures.get("height")
    if normal is None or not normal.is_colour:
        return []
    if height is None:
        judged = green_of(normal)
        return [_green_finding(judged, "its slopes are consistent only")] if judged != green else []
    samples, normals = full_scale(np.ascontiguousarray(height.channel(""))), _small(normal)
    across, up = agreement(samples, normals, green)
    if inverted:
        across, up = -across, -up
    if min(abs(across), abs(up)) < AGREE:
        reason = "Their slopes do not agree. One of them may belong to another set."
        return [SetFinding("unrelated", "Height and normal map do not match", reason)]
    found = _bent(samples, normals, green)
    if across < 0:
        reason = "Where the normal map rises the height falls, so joints would stand out."
        found.append(
            SetFinding("inverted", "Height is inverted", reason, SetMend("Invert the height", "height", "invert"))
        )
    if (across < 0) != (up < 0):
        found.append(_green_finding("down" if green == "up" else "up", "against the height it fits only"))
    return found


def _bent(samples: np.ndarray, normals: np.ndarray, green: Green) -> list[SetFinding]:
    """Whether the heights went through a display curve once too often, or once too seldom, judged by the normal map."""
    if samples.min() < 0 or samples.max() > 1:
        return []
    as_it_is, taken_off, put_on = (
        float(np.abs(agreement(curved, normals, green)).mean())
        for curved in (samples, linear_from_srgb(samples), srgb_from_linear(samples))
    )
    if max(taken_off, put_on) < as_it_is + BENT_BY:
        return []
    curve = linear_from_srgb if taken_off > put_on else srgb_from_linear
    done = "removed" if taken_off > put_on else "applied again"
    reason = (
        f"With the display curve {done} its slopes match the normal map to {max(taken_off, put_on):.2f}, as it "
        f"is only to {as_it_is:.2f}. Its mean is {samples.mean():.2f} and should be {curve(samples).mean():.2f}."
    )
    title = "Display gamma in the height"
    if taken_off > put_on:
        return [SetFinding("gamma", title, reason, SetMend("Remove the display curve", "height", "gamma"))]
    return [SetFinding("gamma", title, reason)]


def _green_finding(right: Green, why: str) -> SetFinding:
    """The green of a normal map is read the wrong way, judged by its own slopes or by the height of its set."""
    reason = (
        f"The green of the normal map is read the wrong way: {why} with green {right}. The wrong way looks almost "
        "right."
    )
    return SetFinding("green", "Green is reversed", reason, SetMend(f"Read it with green {right}", "normal", "green"))


def _small(normal: Picture) -> np.ndarray:
    """The pixels of a normal map as few as are compared, at full scale."""
    return shrink(full_scale(normal.pixels), LOOKED_AT)


def agreement(samples: np.ndarray, normals: np.ndarray, green: Green) -> tuple[float, float]:
    """Correlation of the slopes of heights and of a normal map, across and up: 1 the same, -1 reversed.

    Args:
        samples: heights, float32 (rows, columns).
        normals: pixels of the normal map at full scale, float32 (rows, columns, 3).
        green: which way its green points.
    """
    samples = shrink(samples, LOOKED_AT)
    rows, columns = min(samples.shape[0], normals.shape[0]), min(samples.shape[1], normals.shape[1])
    if min(rows, columns) < 3:
        return 0.0, 0.0
    across, up = slopes_of_normals(_at_size(normals, rows, columns), green)
    rise_down, rise_across = np.gradient(_at_size(samples, rows, columns))
    return _correlation(rise_across, across), _correlation(-rise_down, up)


def _at_size(samples: np.ndarray, rows: int, columns: int) -> np.ndarray:
    return resample_by_area(samples, rows, columns)


def _correlation(one: np.ndarray, other: np.ndarray) -> float:
    one, other = one - one.mean(), other - other.mean()
    length = float(np.sqrt((one**2).sum() * (other**2).sum()))
    return float((one * other).sum()) / length if length > 1e-12 else 0.0
