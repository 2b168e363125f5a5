"""Open air around large ground: a sky down to its horizon, ground beyond the surface, and haze before what is far."""

from __future__ import annotations

import numpy as np

from relief.still.light import GROUND, SKY
from relief.still.tracing import Seen

HORIZON = tuple(1.15 * part for part in SKY)
ZENITH = (0.16, 0.3, 0.62)
BEYOND = tuple(7 * part for part in GROUND)
"""Radiance at the horizon, high above it, and of the ground beyond the surface; as on the stage."""

RISE, FALL = 3.5, 12.0
"""How fast the horizon's light is left behind with the slope of a ray, upwards and downwards; as on the stage."""

VISUAL_RANGE = 100e6
"""mm at which 2 % of the contrast is left: very clear air (common practice, no source)."""

EXTINCTION = 3.912 / VISUAL_RANGE
"""Share of the light that is lost, per mm (Koschmieder 1924: -ln 0.02 over the visual range)."""


def see_through_air(seen: Seen, directions: np.ndarray, up: int) -> Seen:
    """What rays bring through open air.

    Args:
        seen: what they bring without it.
        directions: of the rays, unit length, float32 (rays, 3).
        up: the axis that points up, 1 (y) or 2 (z).
    """
    slope = directions[:, up] / np.maximum(np.hypot(*np.delete(directions, up, axis=1).T), 1e-9)
    near = np.exp(np.where(slope > 0, -RISE, FALL) * slope)[:, None]  # the horizon
    behind = np.where(slope[:, None] > 0, ZENITH, BEYOND) * (1 - near) + np.asarray(HORIZON) * near
    left = np.exp(-EXTINCTION * seen.distance)[:, None]
    through = seen.radiance * left + np.asarray(HORIZON) * (1 - left)
    met = np.isfinite(seen.distance)[:, None]
    return seen._replace(radiance=np.where(met, through, behind).astype(np.float32))
