"""Tangents: against the thesis read face by face, and against what a normal map on a known surface must give."""

from unittest import TestCase

import numpy as np

from relief.height import Footprint
from relief.surface.mesh import Mesh
from relief.surface.reverse import turn_faces
from relief.surface.shapes.box import Box
from relief.surface.shapes.cylinder import Cylinder
from relief.surface.shapes.sphere import Sphere
from relief.surface.shapes.torus import Torus
from relief.surface.tangents import with_tangents
from relief.tests.height_fields import field, rough
from relief.tests.surfaces import displace

FOOTPRINT = Footprint(width=70, height=45)


def by_hand(mesh: Mesh) -> np.ndarray:
    """Mikkelsen 2008, section 2.3, one triangle and one corner after the other, in Python's own numbers."""
    total = [np.zeros(3) for _ in mesh.positions]
    for triangle in mesh.corners[mesh.triangles()]:
        p, uv = mesh.positions[triangle].astype(float), mesh.uv[triangle].astype(float)
        (s1, t1), (s2, t2) = uv[1] - uv[0], uv[2] - uv[0]
        area = s1 * t2 - t1 * s2
        if area == 0:
            continue
        tangent = ((p[1] - p[0]) * t2 - (p[2] - p[0]) * t1) / area
        for corner in range(3):
            vertex, normal = triangle[corner], mesh.normals[triangle[corner]].astype(float)
            laid = [v - normal * (v @ normal) for v in (tangent, p[corner - 2] - p[corner], p[corner - 1] - p[corner])]
            along, one, two = (v / (np.linalg.norm(v) or 1) for v in laid)
            total[vertex] += along * np.arccos(np.clip(one @ two, -1, 1))
    return np.array([v / (np.linalg.norm(v) or 1) for v in total])


class TangentTests(TestCase):
    def test_against_the_thesis_read_face_by_face(self):
        hills = field(rough(32, 48, seed=2), width=70, height=45)
        for shape in (Sphere(diameter=60, segments=10), Torus(diameter=90, thickness=30, segments=9), Box(segments=2)):
            with self.subTest(shape.kind):
                mesh = displace(shape, hills, 5, 0.5)
                split, found = with_tangents(mesh)
                expected = by_hand(split)
                there = np.linalg.norm(expected, axis=1) > 0.5
                self.assertGreater(there.mean(), 0.99)
                np.testing.assert_allclose(found[there, :3], expected[there], atol=1e-5)
                np.testing.assert_allclose((found[:, :3] * split.normals).sum(axis=1), 0, atol=1e-5)
                np.testing.assert_allclose(np.linalg.norm(found[:, :3], axis=1), 1, atol=1e-5)
                self.assertEqual(set(found[:, 3]), {1})

    def test_around_a_cylinder_they_run_around_it(self):
        split, found = with_tangents(Cylinder(caps=False, segments=48).mesh(FOOTPRINT, 0))
        x, _, z = split.normals.T
        np.testing.assert_allclose(found[:, :3], np.stack([z, 0 * x, -x], axis=1), atol=2e-3)
        up = found[:, 3:] * np.cross(split.normals, found[:, :3])
        np.testing.assert_allclose(up, np.tile([0, 1, 0], (len(up), 1)), atol=2e-3)

    def test_mirrored_places_have_the_other_sign_and_no_vertex_has_both(self):
        mesh = Sphere(segments=12).mesh(FOOTPRINT, 0)
        mirrored = turn_faces(mesh)
        self.assertEqual(set(with_tangents(mirrored)[1][:, 3]), {-1})
        u = np.abs(mesh.uv[:, :1] - 0.5)  # the left half mirrors the right one
        object.__setattr__(mesh, "uv", np.concatenate([u, mesh.uv[:, 1:]], axis=1))
        split, found = with_tangents(mesh)
        self.assertEqual(set(found[:, 3]), {1, -1})
        self.assertGreater(len(split.positions), len(mesh.cut_at_seams().positions))
        side = np.sign(split.positions[split.corners].reshape(-1, 3)[:, 0])
        away = np.abs(split.positions[split.corners][:, 0]) > 1
        np.testing.assert_array_equal(found[split.corners, 3][away], side[away])
