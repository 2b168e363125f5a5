"""How a surface answers light: matt by Lambert, shine by GGX, mixed as glTF 2.0 defines metalness and roughness.

Shine: the distribution of Trowbridge & Reitz 1975 as GGX (Walter et al. 2007, Microfacet models for refraction through
rough surfaces), Smith's shadowing that knows heights (Heitz 2014, Understanding the masking-shadowing function),
Schlick's Fresnel (1994). What a single bounce between facets loses comes back by the factor of Turquin 2019 (Practical
multiple scattering compensation for microfacet models), from a table that is integrated here.
"""

from __future__ import annotations

from functools import cache

import numpy as np

DIELECTRIC = 0.04
"""What a surface that is no metal reflects at right angles (glTF 2.0, appendix B)."""

SHINIEST = 0.045
"""The least roughness that is drawn; below, highlights are points that no sample meets."""

GRAZING = 0.04
"""Least cosine to its normal at which a surface is seen."""

STEPS = 32
"""Cosines and roughnesses that the table of lost light has on a side."""


def dot(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """The products of vectors (n, 3) with each other, (n,)."""
    return np.asarray(np.einsum("ij,ij->i", one, other))


def unit(vectors: np.ndarray) -> np.ndarray:
    """Vectors (n, 3) at unit length, float32."""
    length = np.sqrt(dot(vectors, vectors))
    return np.asarray(vectors / np.maximum(length, 1e-20)[:, None], np.float32)


def bases(normals: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two unit vectors at right angles to each normal and each other (Duff et al. 2017, Building an orthonormal basis,
    revisited, J. Computer Graphics Techniques 6), float32 (n, 3) each.
    """
    x, y, z = normals.T
    sign = np.where(z < 0, np.float32(-1), np.float32(1))
    a = -1 / (sign + z)
    b = x * y * a
    one = np.stack([1 + sign * x * x * a, sign * b, -sign * x], axis=1)
    return one.astype(np.float32), np.stack([b, sign + y * y * a, -y], axis=1).astype(np.float32)


def fresnel(at_right_angles: np.ndarray, cosine: np.ndarray) -> np.ndarray:
    """Schlick's reflectance, (n, 3), for cosines (n,) between light and half-way direction."""
    return at_right_angles + (1 - at_right_angles) * np.clip(1 - cosine, 0, 1)[:, None] ** 5


def distribution(cosine: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    """GGX: how many facets face a direction at a cosine to the normal, by solid angle."""
    squared = alpha * alpha
    part = cosine * cosine * (squared - 1) + 1
    return np.asarray(squared / (np.pi * part * part))


def smith(cosine: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    """Smith's Lambda: (1 + Lambda)^-1 of the facets are seen at a cosine to the normal."""
    squared = np.maximum(cosine * cosine, 1e-9)
    return np.asarray((np.sqrt(1 + alpha * alpha * (1 - squared) / squared) - 1) / 2)


def visible_facets(towards: np.ndarray, alpha: np.ndarray, u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Facets as they are seen from a direction in the frame of the normal (z), drawn by two numbers each (Heitz 2018,
    Sampling the GGX distribution of visible normals, J. Computer Graphics Techniques 7): (n, 3).
    """
    stretched = np.stack([alpha * towards[:, 0], alpha * towards[:, 1], towards[:, 2]], axis=1)
    stretched = unit(stretched)
    flat = stretched[:, 0] ** 2 + stretched[:, 1] ** 2
    scale = 1 / np.sqrt(np.maximum(flat, 1e-12))
    upright = flat < 1e-12
    one = np.stack([-stretched[:, 1] * scale, stretched[:, 0] * scale, np.zeros_like(scale)], axis=1)
    one[upright] = (1, 0, 0)
    other = np.cross(stretched, one)
    out, turn = np.sqrt(u), 2 * np.pi * v
    first, second = out * np.cos(turn), out * np.sin(turn)
    share = (1 + stretched[:, 2]) / 2
    second = (1 - share) * np.sqrt(np.maximum(1 - first * first, 0)) + share * second
    third = np.sqrt(np.maximum(1 - first * first - second * second, 0))
    facet = first[:, None] * one + second[:, None] * other + third[:, None] * stretched
    facet = np.stack([alpha * facet[:, 0], alpha * facet[:, 1], np.maximum(facet[:, 2], 1e-6)], axis=1)
    return unit(facet)


@cache
def kept_light() -> np.ndarray:
    """The share of light that one bounce between facets keeps, float32 (STEPS, STEPS) by cosine and by roughness."""
    cosines, roughness = (np.arange(STEPS) + 0.5) / STEPS, (np.arange(STEPS) + 0.5) / STEPS
    u, v = ((each.ravel() + 0.5) / 64 for each in np.mgrid[:64, :64])
    out = np.empty((STEPS, STEPS), np.float32)
    for row, cosine in enumerate(cosines):
        seen = np.tile([np.sqrt(1 - cosine * cosine), 0, cosine], (len(u), 1))
        for column, rough in enumerate(roughness):
            alpha = np.full(len(u), max(rough, SHINIEST) ** 2)
            facet = visible_facets(seen, alpha, u, v)
            light = 2 * dot(seen, facet)[:, None] * facet - seen
            up = np.clip(light[:, 2], 0, 1)
            ours = smith(np.full(len(u), cosine), alpha)
            weight = np.where(up > 0, (1 + ours) / (1 + ours + smith(up, alpha)), 0)
            out[row, column] = weight.mean()
    return out


def compensation(at_right_angles: np.ndarray, cosine: np.ndarray, roughness: np.ndarray) -> np.ndarray:
    """By what the shine is multiplied so that light between facets is not lost, (n, 3)."""
    places = [np.clip(each * STEPS - 0.5, 0, STEPS - 1.001) for each in (cosine, roughness)]
    (row, down), (column, right) = ((place.astype(int), place % 1) for place in places)
    table = kept_light()
    one = table[row, column] * (1 - right) + table[row, column + 1] * right
    two = table[row + 1, column] * (1 - right) + table[row + 1, column + 1] * right
    kept = np.maximum(one * (1 - down) + two * down, 0.05)
    return np.asarray(1 + at_right_angles * (1 / kept - 1)[:, None], np.float32)


class Material:
    """The surface at some places, seen from some directions.

    Args:
        normal: unit vectors (n, 3).
        towards: where it is seen from, unit vectors (n, 3).
        albedo: linear, (n, 3).
        roughness, metalness: (n,), 0 to 1.
        shine: what a surface that is no metal reflects at right angles; 0 for one that is matt.
    """

    def __init__(
        self, normal: np.ndarray, towards: np.ndarray, albedo: np.ndarray, roughness: np.ndarray, metalness: np.ndarray,
        shine: float = DIELECTRIC,
    ) -> None:  # fmt: skip
        # a normal that is smoothed or mapped may face away from where its triangle is seen from: it is bent back
        away = np.maximum(GRAZING - dot(normal, towards), 0)[:, None]
        self.normal, self.towards = unit(normal + away * towards), towards
        self.roughness = np.clip(roughness, SHINIEST, 1).astype(np.float32)
        self.alpha = self.roughness**2
        metal = metalness[:, None]
        self.straight = np.float32(shine) * (1 - metal) + albedo * metal
        self.matt = albedo * (1 - metal)
        self.seen = np.clip(dot(self.normal, towards), GRAZING / 2, 1)
        self.more = compensation(self.straight, self.seen, self.roughness)
        self.hidden = smith(self.seen, self.alpha)
        reflected = fresnel(self.straight, self.seen)
        around = reflected.mean(1)
        dull = ((1 - reflected) * self.matt).mean(1)
        share = around / np.maximum(around + dull, 1e-6)
        self.shine_share = np.where(dull < 1e-6, 1.0, np.where(around < 1e-6, 0.0, np.clip(share, 0.25, 0.75)))

    def answer(self, light: np.ndarray) -> np.ndarray:
        """How much of the radiance from a direction (n, 3) is sent on, with the cosine to the normal: (n, 3)."""
        cosine = dot(self.normal, light)
        half = unit(light + self.towards)
        reflected = fresnel(self.straight, np.clip(dot(half, light), 0, 1))
        above = np.clip(cosine, 1e-4, 1)
        facets = distribution(np.clip(dot(self.normal, half), 0, 1), self.alpha)
        seen = 1 / (1 + self.hidden + smith(above, self.alpha))
        shine = (facets * seen / (4 * self.seen * above))[:, None] * reflected * self.more
        out = ((1 - reflected) * self.matt / np.pi + shine) * above[:, None]
        return np.asarray(np.where(cosine[:, None] > 0, out, 0), np.float32)

    def draw(self, which: np.ndarray, u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Directions that light is looked for in, by three numbers each, and what it counts: (n, 3) each."""
        one, other = bases(self.normal)
        shiny = which < self.shine_share
        out, turn = np.sqrt(u), 2 * np.pi * v
        local = np.stack([out * np.cos(turn), out * np.sin(turn), np.sqrt(np.maximum(1 - u, 0))], axis=1)
        seen = np.stack([dot(each, self.towards) for each in (one, other, self.normal)], axis=1)
        seen[:, 2] = np.maximum(seen[:, 2], 1e-4)
        facet = visible_facets(seen, self.alpha, u, v)
        local = np.where(shiny[:, None], 2 * dot(seen, facet)[:, None] * facet - seen, local)
        light = local[:, :1] * one + local[:, 1:2] * other + local[:, 2:] * self.normal
        up = np.clip(local[:, 2], 1e-4, 1)
        half = unit(light + self.towards)
        reflected = fresnel(self.straight, np.clip(dot(half, light), 0, 1))
        bright = reflected * self.more * ((1 + self.hidden) / (1 + self.hidden + smith(up, self.alpha)))[:, None]
        dull = (1 - reflected) * self.matt
        counts = np.where(
            shiny[:, None],
            bright / np.maximum(self.shine_share, 1e-6)[:, None],
            dull / np.maximum(1 - self.shine_share, 1e-6)[:, None],
        )
        counts = np.where(local[:, 2:] > 0, counts, 0)
        return light.astype(np.float32), counts.astype(np.float32)
