"""The detail split: a coarse mesh with its residual normal map has the normals of the true surface."""

from __future__ import annotations

import json

import numpy as np
import trimesh
from PIL import Image
from scipy.ndimage import map_coordinates

from relief.surface.edges import find_edges
from relief.surface.tangents import with_tangents
from relief.tests.command import CommandTestCase
from relief.tests.height_fields import rough
from relief.tests.tags import long
from relief.tests.test_own_mesh import CUBE
from relief.tests.test_tessellate import TessellateTestCase


class SplitTests(TessellateTestCase):
    @long
    def test_together_they_have_the_normals_of_a_mesh_of_a_million_faces(self):
        """On a plane whose relief is not square, in 20 000 random places: 95 % under 2 degrees, in 16 bits."""
        surface = {"shape": {"kind": "plane", "width": 700, "height": 410, "segments": 7}}
        coarse = self.pipeline("scallops", {"amplitude": 4}, longest=512, level=2, **surface)
        surface["shape"]["segments"] = 1100
        fine = self.engine.run(self.pipeline("scallops", {"amplitude": 4}, longest=512, level=0, **surface).displaced())
        split = self.engine.run(coarse.split(512))
        framed, tangents = with_tangents(split.mesh)
        triangles = framed.corners.reshape(-1, 3)
        rng = np.random.default_rng(4)
        chosen = rng.integers(0, len(triangles), 20_000)
        shares = rng.dirichlet((1, 1, 1), len(chosen))
        at = lambda values: np.einsum("ij,ijk->ik", shares, values[triangles[chosen]])  # noqa: E731
        normal, frame, uv, place = at(framed.normals), at(tangents), at(framed.uv), at(framed.positions)
        sign = np.sign(frame[:, 3:])
        held = np.stack(
            [
                map_coordinates(
                    split.residual[..., channel] / 65_535 * 2 - 1,
                    ((1 - uv[:, 1]) * 512 - 0.5, uv[:, 0] * 512 - 0.5), order=1, mode="nearest",
                )
                for channel in range(3)
            ]
        )  # fmt: skip
        bitangent = sign * np.cross(normal, frame[:, :3])
        shaded = held[0][:, None] * frame[:, :3] + held[1][:, None] * bitangent + held[2][:, None] * normal
        true = self.normals_of_grid(fine, place)
        angles = {name: angle_between(part, true) for name, part in (("mesh", normal), ("both", shaded))}
        self.assertGreater(np.percentile(angles["mesh"], 95), 10, "the mesh alone is far off")
        self.assertLess(np.percentile(angles["both"], 95), 2)
        # what is printed is measured in the same way, at other places
        self.assertAlmostEqual(split.off_before[0] / angles["mesh"].mean(), 1, delta=0.1)
        self.assertAlmostEqual(split.off_after[0], angles["both"].mean(), delta=0.4)

    def normals_of_grid(self, fine, place: np.ndarray) -> np.ndarray:
        """The normals of a plane of very many quads at places, from the heights of the quad around each."""
        xs, ys = np.unique(fine.positions[:, 0]), np.unique(fine.positions[:, 1])
        heights = fine.positions[np.lexsort((fine.positions[:, 0], fine.positions[:, 1])), 2].reshape(len(ys), len(xs))
        rise_up, rise_across = np.gradient(heights.astype(float), ys, xs)
        at = (
            (place[:, 1] - ys[0]) / (ys[-1] - ys[0]) * (len(ys) - 1),
            (place[:, 0] - xs[0]) / (xs[-1] - xs[0]) * (len(xs) - 1),
        )
        slopes = [map_coordinates(part, at, order=1) for part in (rise_across, rise_up)]
        return np.stack([-slopes[0], -slopes[1], np.ones(len(place))], axis=1)

    @long
    def test_parts_have_places_of_their_own(self):
        split = self.engine.run(
            self.pipeline(
                "net", shape={"kind": "box", "width": 300, "height": 200, "depth": 500},
                tessellation={"kind": "faces", "faces": 4000},
            ).split(256)
        )  # fmt: skip
        mesh = split.mesh
        taken = np.zeros((256, 256), int)
        for part in range(6):
            uv = mesh.uv[np.unique(mesh.uv_corners[np.repeat(mesh.parts == part, 3)])]
            left, low = np.floor(uv.min(axis=0) * 256).astype(int)
            right, high = np.ceil(uv.max(axis=0) * 256).astype(int)
            taken[low:high, left:right] += 1
        self.assertEqual(taken.max(), 1, "no part lies on another")
        self.assertTrue((find_edges(mesh.corners, mesh.offsets).counts == 2).all())
        self.assertLess(split.off_after[0], split.off_before[0], "although a map of 256 is too small for its knots")


def angle_between(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Degrees between vectors, row by row."""
    unit = [part / np.linalg.norm(part, axis=1, keepdims=True) for part in (one, other)]
    return np.degrees(np.arccos(np.clip(np.einsum("ij,ij->i", *unit), -1, 1)))


class SplitCommandTests(CommandTestCase):
    def test_the_map_is_written_beside_the_mesh(self):
        picture = self.folder / "hills_height.png"
        Image.fromarray(np.rint(rough(60, 80) * 65535).astype(np.uint16)).save(picture)
        out = self.folder / "coarse.glb"
        code, printed, _ = self.run_command("mesh", picture, "--out", out, "--level", 1, "--split", 256)
        told = json.loads(printed)
        self.assertEqual(code, 0)
        self.assertEqual(told["files"], [str(out), str(self.folder / "coarse_residual.png")])
        self.assertLess(told["normals_off"]["with_residual"]["under_95_percent"], 2)
        self.assertGreater(told["normals_off"]["geometry_only"]["mean_degrees"], 5)
        with Image.open(self.folder / "coarse_residual.png") as picture_:
            self.assertEqual(picture_.size, (256, 256))
        (mesh,) = trimesh.load(out, process=False).geometry.values()
        self.assertEqual(len(mesh.faces), told["faces"])
        self.assertTrue((mesh.visual.uv.min() >= 0) and (mesh.visual.uv.max() <= 1))
        code, _, problem = self.run_command("mesh", picture, "--out", out, "--split", 3)
        self.assertEqual(code, 2)
        self.assertIn("Residual normal map", problem)

    def test_a_mesh_whose_places_lie_over_each_other_is_refused(self):
        """All walls of this cube lie on the whole of the map, as meshes made for tiles have it (common practice)."""
        picture, cube = self.folder / "hills_height.png", self.folder / "cube.obj"
        Image.fromarray(np.rint(rough(60, 80) * 65535).astype(np.uint16)).save(picture)
        cube.write_text(CUBE)
        out = ("--out", self.folder / "cube.ply", "--shape", cube, "--size", 300)
        code, _, problem = self.run_command("mesh", picture, *out, "--level", 2, "--split", 256)
        self.assertEqual((code, problem.count("\n")), (2, 1))
        self.assertIn("UVs overlap", problem)
        self.assertEqual(self.run_command("mesh", picture, *out, "--level", 2)[0], 0)
