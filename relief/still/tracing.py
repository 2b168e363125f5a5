"""Radiance along rays: from surface to surface, to sun and sky (Kajiya 1986, The rendering equation, SIGGRAPH)."""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

import numpy as np

from relief.still.light import Light
from relief.still.material import DIELECTRIC, Material, dot
from relief.still.scene import Scene

LEAVE = 2e-5
"""Of the radius of the scene: how far from a surface the next ray begins, so that it does not meet it again."""

BENT = -0.1
"""Sine by which a triangle may face away from a sun that its normals still face."""

PER_BOUNCE = 7
"""Numbers that each place needs: two for the sun, two for the lamp, three for where light is looked for."""

AT_CAMERA = 4
"""Numbers that the camera needs: a place within the pixel, and one within its opening."""

BRIGHTEST = 4.0
"""Radiance that a path brings at most after its first place: what few paths find in gloss would stay as dots."""


class Seen(NamedTuple):
    """What rays bring.

    Attributes:
        radiance: float32 (rays, 3).
        albedo, normal: of what is met first, float32 (rays, 3); 0 where nothing is.
        distance: to that, mm, float32 (rays,); infinite where nothing is.
    """

    radiance: np.ndarray
    albedo: np.ndarray
    normal: np.ndarray
    distance: np.ndarray


@cache
def _points(dimensions: int, count: int) -> np.ndarray:
    """Scrambled Sobol' points (Owen 1998; Joe & Kuo 2008), float32 (count, dimensions)."""
    from scipy.stats import qmc  # which takes longer to load than all the rest

    power = max(0, int(np.ceil(np.log2(count))))
    return np.asarray(qmc.Sobol(dimensions, seed=1).random_base2(power)[:count], np.float32)


class Draws:
    """Numbers from 0 to 1 for one sample of some pixels: a Sobol' point, moved round by a number of each pixel's own
    (Cranley & Patterson 1976, Randomization of number theoretic methods, SIAM J. Numerical Analysis 13).
    """

    def __init__(self, pixels: np.ndarray, sample: int, samples: int, bounces: int) -> None:
        self.pixels = pixels.astype(np.uint32)
        self.point = _points(AT_CAMERA + PER_BOUNCE * (bounces + 1), samples)[sample]

    def take(self, dimension: int, chosen: np.ndarray | None = None) -> np.ndarray:
        """The numbers of a dimension, of some of the pixels or all."""
        pixels = self.pixels if chosen is None else self.pixels[chosen]
        moved = _hash(pixels * np.uint32(747796405) + np.uint32(dimension * 2891336453 % 2**32))
        return np.asarray((self.point[dimension] + moved) % 1, np.float32)


def _hash(numbers: np.ndarray) -> np.ndarray:
    """0 to 1 (PCG output permutation: O'Neill 2014; as Jarzynski & Olano 2020 found it best for pictures)."""
    word = ((numbers >> ((numbers >> np.uint32(28)) + np.uint32(4))) ^ numbers) * np.uint32(277803737)
    return np.asarray(((word >> np.uint32(22)) ^ word) / np.float64(2**32))


def trace(
    scene: Scene, light: Light, origins: np.ndarray, directions: np.ndarray, draws: Draws, bounces: int,
    backdrop: np.ndarray | None = None, shine: float = DIELECTRIC,
) -> Seen:  # fmt: skip
    """What rays bring.

    Args:
        scene, light: what they meet, and what lights it.
        origins, directions: float32 (rays, 3).
        draws: numbers for each ray.
        bounces: how often light may go from surface to surface.
        backdrop: radiance where a ray meets nothing; that of sky and ground where it is not given.
        shine: what surfaces that are no metal reflect at right angles.
    """
    count = len(origins)
    radiance = np.zeros((count, 3), np.float32)
    albedo, normal = np.zeros((2, count, 3), np.float32)
    distance = np.full(count, np.inf, np.float32)
    ray = np.arange(count)
    carried = np.ones((count, 3), np.float32)
    leave = np.float32(LEAVE * scene.radius)
    for bounce in range(bounces + 1):
        hits = scene.meet(origins, directions)
        missed = np.ones(len(ray), bool)
        missed[hits.ray] = False
        far = light.surroundings(directions[missed], scene.up) if bounce or backdrop is None else backdrop
        radiance[ray[missed]] += carried[missed] * far
        ray, carried, towards = ray[hits.ray], carried[hits.ray], -directions[hits.ray]
        if bounce == 0:
            albedo[ray], normal[ray], distance[ray] = hits.albedo, hits.normal, hits.distance
        if not len(ray):
            break
        material = Material(hits.normal, towards, hits.albedo, hits.roughness, hits.metalness, shine)
        place, rounded = hits.place + hits.side * leave, hits.round + hits.side * leave
        first = AT_CAMERA + PER_BOUNCE * bounce
        u, v = draws.take(first, ray), draws.take(first + 1, ray)
        if light.sun > 0:
            suns = light.suns(scene.up, u, v)
            lit, answer = _find_lit(scene, material, hits.side, rounded, suns)
            brought = carried[lit] * answer * light.sunlight
            radiance[ray[lit]] += np.minimum(brought, BRIGHTEST) if bounce else brought
        if light.lamp:
            u, v = draws.take(first + 2, ray), draws.take(first + 3, ray)
            lamps, distances, irradiance = light.lamps(scene.middle, rounded, u, v)
            lit, answer = _find_lit(scene, material, hits.side, rounded, lamps, distances)
            brought = carried[lit] * answer * irradiance[lit, None]
            radiance[ray[lit]] += np.minimum(brought, BRIGHTEST) if bounce else brought
        which, u, v = (draws.take(first + number, ray) for number in (4, 5, 6))
        directions, counts = material.draw(which, u, v)
        carried = carried * counts
        going = np.flatnonzero((carried.max(axis=1) > 1e-4) & (dot(hits.side, directions) > 0))
        ray, carried = ray[going], carried[going]
        origins, directions = place[going], directions[going]
        if bounce == bounces:  # what would come from farther surfaces is lost, what comes from far away is not
            open_ = np.flatnonzero(~scene.hides(origins, directions)) if len(ray) else going
            radiance[ray[open_]] += carried[open_] * light.surroundings(directions[open_], scene.up)
    return Seen(radiance, albedo, normal, distance)


def _find_lit(
    scene: Scene, material: Material, side: np.ndarray, places: np.ndarray, towards: np.ndarray,
    distances: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Which places (n, 3) see their light in a direction (n, 3), no farther than a distance (n,), and what they make of
    it: numbers of places, and float32 (those, 3).
    """
    answer = material.answer(towards)
    lit = np.flatnonzero((answer.max(axis=1) > 0) & (dot(side, towards) > BENT))
    if len(lit):
        lit = lit[~scene.hides(places[lit], towards[lit], None if distances is None else distances[lit])]
    return lit, answer[lit]
