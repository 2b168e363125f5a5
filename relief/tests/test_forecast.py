"""The cost of a surface, said before it is built."""

import json
from itertools import pairwise
from unittest import mock

import numpy as np
import trimesh
from PIL import Image

from relief.tests.command import CommandTestCase
from relief.tests.height_fields import rough
from relief.tests.tags import long


class SurfaceCommandTestCase(CommandTestCase):
    def setUp(self):
        super().setUp()
        self.picture = self.folder / "hills_height.png"
        Image.fromarray(np.rint(rough(60, 80) * 65535).astype(np.uint16)).save(self.picture)


class ForecastCommandTests(SurfaceCommandTestCase):
    def forecast(self, *options) -> dict:
        code, out, problem = self.run_command("forecast", self.picture, *options)
        self.assertEqual(code, 0, problem)
        return json.loads(out)

    def test_the_ladder_grows_by_four_and_forty_million_faces_build_nothing(self):
        """Common practice: a million faces to begin with, split by 4 and again by 10, are 40 million; each level
        multiplies them by 4."""
        with mock.patch("relief.run.mesh_stages.displace_mesh", side_effect=AssertionError("nothing is built")):
            told = self.forecast("--shape", "plane", "--size", 500, 500, "--segments", 100, "--level", 6)
        faces = [row["faces"] for row in told["ladder"]]
        self.assertEqual([after / before for before, after in pairwise(faces)], [4] * 10)
        self.assertEqual(told["asked"]["faces"], 40_960_000)
        self.assertEqual(told["asked"]["fits"], told["asked"]["peak_memory"] <= told["limit"]["memory"])
        self.assertFalse(told["ladder"][-1]["fits"])

    @long
    def test_it_is_what_is_built(self):
        asked = {
            "level": ("--shape", "torus", "--level", 2),
            "smooth": ("--shape", "box", "--subdivide", "smooth", "--level", 3),
            "budget": ("--shape", "sphere", "--tessellate", "faces:6000"),
            "edge": ("--shape", "plane", "--size", 400, 400, "--tessellate", "edge:8"),
            # rough relief that repeats often: what is still large tells little of it
            "rough": ("--shape", "plane", "--repeats", 3, 3, "--sizing", "fit", "--tessellate", "error:0.5"),
        }
        for name, options in asked.items():
            with self.subTest(name):
                told = self.forecast(*options)["asked"]
                out = self.folder / f"{name}.ply"
                code, printed, _ = self.run_command("mesh", self.picture, "--out", out, *options)
                built = json.loads(printed)
                self.assertEqual(code, 0)
                within = 0.2 if name in ("edge", "rough") else 0.011
                self.assertAlmostEqual(built["faces"] / told["faces"], 1, delta=within)
                if name not in ("edge", "rough"):
                    self.assertAlmostEqual(out.stat().st_size / told["files"]["ply"], 1, delta=0.15)

    def test_a_build_over_the_memory_is_refused_before_it_begins(self):
        options = ("--shape", "plane", "--size", 500, 500, "--segments", 2000, "--level", 9)
        code, _, problem = self.run_command("mesh", self.picture, "--out", self.folder / "x.obj", *options)
        self.assertEqual(code, 2)
        self.assertIn("faces; the limit is 50", problem)
        self.assertFalse((self.folder / "x.obj").exists())


class FacesCommandTests(SurfaceCommandTestCase):
    def mesh(self, *options) -> tuple[dict, trimesh.Trimesh]:
        out = self.folder / "surface.ply"
        code, printed, problem = self.run_command("mesh", self.picture, "--out", out, *options)
        self.assertEqual(code, 0, problem)
        return json.loads(printed), trimesh.load(out, process=False)

    @long
    def test_smooth_with_creases(self):
        """A cube: soft it shrinks towards a ball, sharp above 60 degrees it stays."""
        soft, ball = self.mesh("--shape", "box", "--subdivide", "smooth", "--level", 4, "--amplitude", 0)
        sharp, box = self.mesh(
            "--shape", "box", "--subdivide", "smooth", "--crease", 60, "--level", 4, "--amplitude", 0
        )
        self.assertEqual(soft["faces"], sharp["faces"])
        self.assertAlmostEqual(box.volume / 1e9, 1, places=4)
        self.assertLess(ball.volume, 0.99e9)
        self.assertEqual(soft["surface"]["subdivision"]["kind"], "smooth")

    @long
    def test_what_is_asked_is_what_comes_out(self):
        budget, spent = self.mesh("--shape", "sphere", "--tessellate", "faces:5000")
        self.assertTrue(4900 <= budget["faces"] == len(spent.faces) <= 5000)
        self.assertTrue(trimesh.Trimesh(spent.vertices, spent.faces).is_watertight)
        near, _ = self.mesh("--shape", "plane", "--tessellate", "error:0.4")
        self.assertLessEqual(near["error"]["greatest"], 0.4)
        self.assertLess(near["error"]["rms"], near["error"]["greatest"])
        self.assertTrue(0.9 < near["detail_kept"] < 1)
        _, short = self.mesh("--shape", "plane", "--tessellate", "edge:9", "--most-level", 6)
        self.assertLess(short.edges_unique_length.max(), 9.001)
        self.assertGreater(near["memory"], 0)
        far = ("--camera", 0, -800, 500, "--width", 320)
        seen, _ = self.mesh("--shape", "plane", "--size", 2000, 2000, "--tessellate", "screen:12", *far)
        closer, _ = self.mesh("--shape", "plane", "--size", 2000, 2000, "--tessellate", "screen:6", *far)
        self.assertGreater(closer["faces"], 2.5 * seen["faces"])

    def test_nonsense_gets_one_sentence(self):
        for options, words in (
            (("--tessellate", "magic:3"), "--tessellate takes"),
            (("--tessellate", "error"), "--tessellate takes"),
            (("--tessellate", "error:none"), "Error up to"),
            (("--tessellate", "faces:0"), "Faces must be at least 12"),
            (("--tessellate", "edge:5", "--width", "300"), "--camera and --width go with"),
            (("--crease", "400"), "Sharp above"),
        ):
            with self.subTest(options):
                out = self.folder / "no.ply"
                code, _, problem = self.run_command("mesh", self.picture, "--out", out, "--shape", "plane", *options)
                self.assertEqual((code, problem.count("\n")), (2, 1))
                self.assertIn(words, problem)
