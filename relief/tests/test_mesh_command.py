"""`relief mesh` and `relief look` on shapes and mesh files, read back by trimesh."""

import hashlib
import json

import numpy as np
import trimesh
from PIL import Image

from relief.tests.command import CommandTestCase
from relief.tests.tags import long


class MeshCommandTests(CommandTestCase):
    def setUp(self):
        super().setUp()
        self.white = self.folder / "white.png"
        Image.fromarray(np.full((20, 30), 255, np.uint8)).save(self.white)

    def mesh(self, *more, picture=None, name="out.obj") -> tuple[trimesh.Trimesh, dict]:
        place = self.folder / name
        flat = ("--as", "height", "--amplitude", 10, "--midlevel", 0, "--footprint", 300, 200)
        code, out, err = self.run_command(
            "mesh", picture or self.white, *(() if picture else flat), "--out", place, *more
        )
        self.assertEqual((code, err), (0, ""))
        read = trimesh.load(place, process=False, maintain_order=True, force="mesh")
        return trimesh.Trimesh(read.vertices, read.faces, visual=read.visual, process=False), json.loads(out)

    @long
    def test_sizes_of_every_shape_are_those_of_a_white_relief_on_it(self):
        expected = {
            ("plane",): (300, 200), ("plane", 500, 400): (500, 400), ("sphere", 400): (420,) * 3,
            ("sphere",): (1020,) * 3, ("cylinder", 300, 700): (320, 720, 320), ("torus", 600, 100): (620, 120, 620),
            ("box", 200, 300, 400): (220, 320, 420),
        }  # fmt: skip
        for (shape, *size), extents in expected.items():
            with self.subTest(shape, size=size):
                mesh, told = self.mesh("--shape", shape, *(("--size", *size) if size else ()), "--level", 2)
                np.testing.assert_allclose(mesh.extents[: len(extents)], extents, atol=0.2)
                self.assertEqual((told["surface"]["shape"]["kind"], told["surface"]["level"]), (shape, 2))

    def test_repeats_shift_turn_and_sizing_reach_the_uv(self):
        plane = ("--shape", "plane", "--size", 600, 400, "--level", 0)
        for more, low, high in (
            ((), (0, 0), (2, 2)),
            (("--sizing", "fit"), (0, 0), (1, 1)),
            (("--sizing", "fit", "--repeats", 3, 5), (0, 0), (3, 5)),
            (("--shift", 0.25, 0.5), (-0.25, 0.5), (1.75, 2.5)),
            (("--sizing", "world"), (-1, -1), (1, 1)),
            (("--mapping", "planar", "--sizing", "world"), (-1, -1), (1, 1)),
            (("--turn", 180), (0, 0), (2, 2)),
        ):
            with self.subTest(more):
                self.mesh(*plane, *more)
                lines = (self.folder / "out.obj").read_text().splitlines()
                uv = np.array([line.split()[1:] for line in lines if line.startswith("vt ")], float)
                np.testing.assert_allclose(uv.min(axis=0), low, atol=1e-5)
                np.testing.assert_allclose(uv.max(axis=0), high, atol=1e-5)

    def test_sampling_is_told_apart_on_a_step(self):
        step = self.folder / "step.png"
        Image.fromarray(np.repeat(np.uint8([[0, 255]]), 2, axis=0).repeat(4, axis=1)).save(step)
        heights = {}
        for sampling in ("nearest", "bilinear", "bicubic"):
            code, _, _ = self.run_command(
                "mesh", step, "--as", "height", "--amplitude", 10, "--midlevel", 0, "--sampling", sampling,
                "--level", 3, "--out", self.folder / "s.ply",
            )  # fmt: skip
            self.assertEqual(code, 0)
            heights[sampling] = trimesh.load(self.folder / "s.ply", process=False).vertices[:, 2]
        self.assertEqual(len(np.unique(np.round(heights["nearest"], 3))), 2)
        self.assertGreater(len(np.unique(np.round(heights["bilinear"], 3))), 10)
        self.assertTrue(heights["bicubic"].max() > 10.1 > heights["bilinear"].max())

    def test_a_mesh_file_carries_the_relief_and_is_looked_at(self):
        ball = trimesh.creation.icosphere(subdivisions=3, radius=50)
        for kind in ("obj", "ply", "stl"):
            place = self.folder / f"ball.{kind}"
            ball.export(place)
            mesh, _ = self.mesh("--shape", place, "--size", 100, "--level", 1)
            np.testing.assert_allclose(mesh.extents, 120, atol=0.5)
            self.assertTrue(trimesh.Trimesh(mesh.vertices, mesh.faces).is_watertight)
            code, out, _ = self.run_command("look", place)
            facts = json.loads(out)[str(place)]
            self.assertEqual((code, facts["faces"], facts["open_edges"], facts["reversed"]), (0, 1280, 0, 0))

    def test_a_recipe_goes_on_another_shape(self):
        picture = self.folder / "rough.png"
        Image.fromarray(np.random.default_rng(2).integers(0, 255, (40, 60), np.uint8)).save(picture)
        layer = {"name": "rough", "content": {"kind": "picture", "source": "picture", "reading": "height"}}
        source = {"digest": hashlib.sha256(picture.read_bytes()).hexdigest(), "filename": "rough.png"}
        recipe = self.folder / "recipe.json"
        reliefs = {"main": {"layers": [layer], "amplitude": 20}}
        recipe.write_text(json.dumps({"version": 4, "sources": {"picture": source}, "reliefs": reliefs}))
        given = ("--source", f"picture={picture}", "--shape", "sphere", "--level", 1)
        mesh, told = self.mesh(*given, picture=recipe)
        self.assertTrue(trimesh.Trimesh(mesh.vertices, mesh.faces).is_watertight)
        self.assertEqual(told["surface"]["shape"]["kind"], "sphere")
        flat, told = self.mesh(*given, "--amplitude", 0, picture=recipe)
        self.assertEqual(told["used"]["amplitude"], 0)
        np.testing.assert_allclose(np.linalg.norm(flat.vertices, axis=1), 500, atol=0.01)

    def test_glb_has_tangents_and_a_material_for_each_part(self):
        """Read as the specification says: the JSON chunk, and the tangents as VEC4 of unit length with w = 1."""
        self.mesh("--shape", "cylinder", "--level", 1, name="c.glb")
        data = (self.folder / "c.glb").read_bytes()
        length = int.from_bytes(data[12:16], "little")
        told = json.loads(data[20 : 20 + length])
        binary = data[28 + length :]
        attributes = told["meshes"][0]["primitives"][0]["attributes"]
        accessor = told["accessors"][attributes["TANGENT"]]
        view = told["bufferViews"][accessor["bufferView"]]
        tangents = np.frombuffer(binary, "<f4", accessor["count"] * 4, view["byteOffset"]).reshape(-1, 4)
        self.assertEqual((accessor["type"], set(tangents[:, 3])), ("VEC4", {1.0}))
        np.testing.assert_allclose(np.linalg.norm(tangents[:, :3], axis=1), 1, atol=1e-5)

    def test_what_is_wrong_is_one_line(self):
        bad = self.folder / "bad.obj"
        bad.write_text("nothing")
        for arguments, words in (
            (("--shape", "teapot"), "There is no shape"), (("--shape", bad), "no vertices and faces"),
            (("--shape", "sphere", "--size", 1, 2), "has 1 sizes"),
            (("--shape", "torus", "--size", 10, 9), "at most half"),
            (("--shape", "box", "--level", 9), "largest level that fits"), (("--size", -5, 5), "at least"),
        ):  # fmt: skip
            with self.subTest(arguments):
                code, out, err = self.run_command("mesh", self.white, "--out", self.folder / "x.obj", *arguments)
                self.assertEqual((code, out), (2, ""))
                self.assertIn(words, err)
                self.assertEqual(len(err.strip().splitlines()), 1)
                self.assertFalse((self.folder / "x.obj").exists())
