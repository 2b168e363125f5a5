"""The command line: what it writes, what it prints, and one line for what it cannot do."""

import json
import os
import subprocess
import sys
from pathlib import Path
from unittest import mock

import numpy as np
import skimage.data
import tifffile
import trimesh
from PIL import Image

from relief.inspect.start import start_from_nothing
from relief.run.engine import Engine
from relief.tests.command import CommandTestCase
from relief.tests.height_fields import rough
from relief.tests.tags import long


class CommandTests(CommandTestCase):
    def setUp(self):
        super().setUp()
        self.gravel = self.folder / "gravel.png"
        Image.fromarray(skimage.data.gravel()).save(self.gravel)
        self.heights = np.rint(rough(60, 80) * 65535).astype(np.uint16)
        self.scan = self.folder / "scan.png"
        Image.fromarray(self.heights).save(self.scan)

    def test_packed_maps_are_unpacked_as_the_name_or_an_option_says(self):
        parts = [getattr(skimage.data, name)() for name in ("gravel", "brick", "grass")]
        path = self.folder / "quay_orm.png"
        Image.fromarray(np.dstack(parts)).save(path)
        self.assertEqual(self.run_command("maps", path, "--out", self.folder / "out")[0], 0)
        for role, expected in zip(("occlusion", "roughness", "metalness"), parts, strict=True):
            pixels = np.asarray(Image.open(self.folder / "out" / f"quay_orm_{role}.png"))
            np.testing.assert_array_equal(pixels, expected)
        code, out, _ = self.run_command("maps", path, "--out", self.folder / "own", "--unpack", "blue=mask")
        along = [Path(name).name for name in json.loads(out)["files"][4:]]
        self.assertEqual((code, along), (0, ["quay_orm_mask.png"]))
        code, _, err = self.run_command("maps", path, "--out", self.folder / "own", "--unpack", "pink=mask")
        self.assertEqual(code, 2)
        self.assertIn("“pink=mask” does not name a channel", err)

    def test_a_normal_map_with_green_down_is_read_as_the_bench_reads_it(self):
        """OpenGL-style maps hold green up, Direct3D-style ones green down (common practice, no source)."""
        heights = rough(90, 120, seed=3)
        fields = {"up": 1, "down": -1}
        for green, sign in fields.items():
            rise_down, rise_across = np.gradient(heights * 40)
            vectors = np.dstack([-rise_across, sign * rise_down, np.ones_like(heights)])
            vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
            path = self.folder / f"{green}.png"
            Image.fromarray(np.rint((vectors * 0.5 + 0.5) * 255).astype(np.uint8)).save(path)
            for asked in ([], ["--source-green", green], ["--source-green", "auto"]):
                out = self.folder / f"out-{green}-{len(asked)}"
                code, printed, _ = self.run_command("maps", path, "--out", out, "--edges", "clamp", *asked)
                self.assertEqual((code, json.loads(printed)["used"]["source-green"]), (0, green))
                found = tifffile.imread(out / f"{green}_displacement.tif")
                self.assertGreater(np.corrcoef(found.ravel(), heights.ravel())[0, 1], 0.98)
        _, printed, _ = self.run_command("look", self.folder / "down.png")
        self.assertEqual(json.loads(printed)[str(self.folder / "down.png")]["guess"]["green"], "down")
        out = self.folder / "wrong"
        self.run_command("maps", self.folder / "down.png", "--out", out, "--source-green", "up", "--as", "normal")
        found = tifffile.imread(out / "down_displacement.tif")
        self.assertLess(np.corrcoef(found.ravel(), heights.ravel())[0, 1], 0.8)

    def test_maps_of_a_photo(self):
        code, out, _ = self.run_command("maps", self.gravel, "--out", self.folder / "out")
        self.assertEqual(code, 0)
        printed = json.loads(out)
        ends = ("normal.png", "bump.png", "displacement.png", "displacement.tif", "colour.png")
        names = [f"gravel_{end}" for end in ends]
        self.assertEqual([Path(name).name for name in printed["files"]], names)
        self.assertEqual(sorted(path.name for path in (self.folder / "out").iterdir()), sorted(names))
        self.assertEqual(printed["used"]["reading"], "photo")
        self.assertIn("amplitude", printed["suggested"])
        self.assertTrue(10 < printed["readings"]["steepest"] < 40.5)

    def test_maps_packed_into_channels_with_a_test_card(self):
        code, out, _ = self.run_command(
            "maps", self.scan, "--out", self.folder, "--map", "occlusion:reach=9", "--map", "roughness", "--full-range",
            "--pack", "occlusion,roughness,0.5", "--pack", "normal.red,normal.green,normal.blue,displacement",
            "--red", "left", "--calm", 2, "--kernel", "smooth", "--test-card",
        )  # fmt: skip
        self.assertEqual(code, 0, out)
        names = {Path(name).name for name in json.loads(out)["files"]}
        self.assertTrue({"scan_packed.png", "scan_packed_2.png", "scan_test_card_bump.png"} <= names)
        red, green, blue = Image.open(self.folder / "scan_packed.png").split()
        for channel, name in ((red, "occlusion"), (green, "roughness")):
            np.testing.assert_array_equal(np.asarray(channel), np.asarray(Image.open(self.folder / f"scan_{name}.png")))
        self.assertEqual(blue.getextrema(), (128, 128))
        self.assertEqual(Image.open(self.folder / "scan_packed_2.png").mode, "RGBA")
        self.assertEqual(np.asarray(Image.open(self.folder / "scan_bump.png")).min(), 0)

    def test_what_cannot_be_packed_is_said(self):
        for packed, words in (
            ("bump", "three or four"),
            ("bump,x,0", "“x” is not a map"),
            ("bump,0,7", "“7” is not a map"),
        ):
            code, _, err = self.run_command("maps", self.scan, "--out", self.folder, "--pack", packed)
            self.assertEqual(code, 2)
            self.assertIn(words, err)

    def test_a_normal_map_is_turned_as_one(self):
        """A quarter to the left brings what faced right to face up."""
        slope = np.broadcast_to(np.uint8([128 + 90, 128, 218]), (32, 48, 3)).copy()
        slope[:, 24:, 0] = 128 - 90
        source = self.folder / "roof_normal.png"
        Image.fromarray(slope).save(source)
        code, _, err = self.run_command(
            "maps", source, "--out", self.folder / "out", "--made-of", "source", "--treat", "turn:quarters=1"
        )
        self.assertEqual(code, 0, err)
        turned = np.asarray(Image.open(self.folder / "out" / "roof_normal_normal.png")).astype(int)
        self.assertEqual(turned.shape, (48, 32, 3))
        np.testing.assert_allclose(turned[40, 16], [128, 218, 218], atol=2)
        np.testing.assert_allclose(turned[5, 16], [128, 38, 218], atol=2)

    def test_maps_of_a_height_image_with_every_option(self):
        code, out, _ = self.run_command(
            "maps", self.scan, "--out", self.folder, "--as", "height", "--footprint", 160, 120, "--amplitude", 12,
            "--midlevel", 0.5, "--strength", -2, "--kernel", "central", "--green", "down", "--edges", "wrap",
            "--bits", 16,
        )  # fmt: skip
        self.assertEqual(code, 0, out)
        heights = tifffile.imread(self.folder / "scan_displacement.tif")
        np.testing.assert_allclose(heights, self.heights / 65535, atol=1e-6)
        np.testing.assert_array_equal(np.asarray(Image.open(self.folder / "scan_displacement.png")), self.heights)
        data = (self.folder / "scan_normal.png").read_bytes()
        self.assertEqual((data[24], data[25]), (16, 2))
        expected = {"amplitude": 12, "midlevel": 0.5, "strength": -2, "kernel": "central", "green": "down", "bits": 16}
        self.assertLessEqual(expected.items(), json.loads(out)["used"].items())

    def test_grey_maps_are_asked_for_by_kind(self):
        code, out, _ = self.run_command(
            "maps", self.scan, "--out", self.folder, "--as", "height", "--map", "occlusion:reach=5,inverted=yes",
            "--map", "slope",
        )  # fmt: skip
        self.assertEqual(code, 0, out)
        for kind in ("occlusion", "slope"):
            with Image.open(self.folder / f"scan_{kind}.png") as grey:
                self.assertEqual((grey.mode, grey.size), ("L", (80, 60)))
                self.assertGreater(np.ptp(np.asarray(grey)), 20)
        for wrong in ("glitter", "slope:angle=3", "slope:steepest=200"):
            code, _, error = self.run_command("maps", self.scan, "--out", self.folder, "--map", wrong)
            self.assertEqual((code, error.count("\n")), (2, 1), error)

    def test_meshes_in_every_format(self):
        for kind, unit in (("obj", 1), ("ply", 1), ("stl", 1), ("glb", 1000)):
            path = self.folder / f"plane.{kind}"
            code, out, _ = self.run_command(
                "mesh",
                self.scan,
                "--out",
                path,
                "--footprint",
                160,
                120,
                "--segments",
                8,
                "--level",
                2,
                "--amplitude",
                10,
            )
            self.assertEqual(code, 0)
            self.assertEqual((json.loads(out)["faces"], json.loads(out)["vertices"]), (32 * 24, 33 * 25))
            bounds = trimesh.load(path, force="mesh", process=False).bounds * unit
            np.testing.assert_allclose(bounds[:, :2], [[-80, -60], [80, 60]], atol=1e-3)

    def huge_number(self):
        """A profile with a number that Python does not read."""
        place = self.folder / "huge.json"
        place.write_text(f'{{"size": {"9" * 6000}}}')
        return place

    @long
    def test_every_command_that_takes_a_picture_takes_its_edges_and_size(self):
        same = ("--edges", "wrap", "--resolution", 64, "--resample", "lanczos")
        for command in (
            ("maps", self.scan, "--out", self.folder / "maps"), ("forecast", self.scan),
            ("mesh", self.scan, "--level", 1, "--out", self.folder / "mesh.ply"),
            ("deliver", self.scan, "--out", self.folder / "all"),
        ):  # fmt: skip
            code, printed, problem = self.run_command(*command, *same)
            self.assertEqual((code, problem), (0, ""), command[0])
            if command[0] in ("maps", "mesh"):
                used = json.loads(printed)["used"]
                self.assertEqual((used["edges"], used["resolution"]), (["wrap", "wrap"], 64))

    @long
    def test_a_reader_that_has_seen_enough_is_no_error(self):
        """As with `| head -1`; 141 is what a shell says of a closed pipe (POSIX: 128 + SIGPIPE)."""
        reading, writing = os.pipe()
        os.close(reading)
        run = [sys.executable, "-m", "relief", "profiles"]
        ended = subprocess.run(run, stdout=writing, stderr=subprocess.PIPE, timeout=120)
        os.close(writing)
        self.assertEqual((ended.returncode, ended.stderr), (141, b""))

    def test_what_is_wrong_is_one_line_and_leaves_no_file(self):
        broken = self.folder / "broken.png"
        broken.write_bytes(self.gravel.read_bytes()[:5000])
        out = self.folder / "out"
        for arguments, words in (
            (("maps", self.folder / "none.png", "--out", out), "No such file"),
            (("maps", self.folder, "--out", out), "directory"),
            (("maps", broken, "--out", out), "broken or incomplete"),
            (("maps", self.scan, "--out", out, "--amplitude", "tall"), "--amplitude"),
            (("maps", self.scan, "--out", ""), "path is empty"),
            (("maps", self.scan, "--out", out, "--footprint", "1e308", "1e308"), "at most"),
            (("lights", self.scan, self.scan, self.scan, "--ball", "nan", 1, 1, "--out", out), "is not a number"),
            (("rig", "beach-pebble", "--shaken", "-1", "--out", out), "whole number"),
            (("deliver", self.scan, "--profile", self.huge_number(), "--out", out), "not valid JSON"),
            (("maps", self.scan, "--out", out, "--amplitude", "nan"), "is not a number"),
            (("maps", self.scan, "--out", out, "--footprint", "0", "5"), "Width must be at least"),
            (("maps", self.scan, "--out", out, "--kernel", "magic"), "--kernel"),
            (("maps", self.scan, "--out", self.gravel), "gravel.png"),
            (("mesh", self.scan, "--out", out / "x.xyz"), "must end in"),
            (
                ("mesh", self.scan, "--out", out / "x.obj", "--segments", 100, "--level", 9),
                "The largest level that fits is",
            ),
            (("dance",), "invalid choice"),
            ((), "required"),
        ):
            code, printed, complaint = self.run_command(*arguments)
            self.assertEqual((code, printed), (2, ""), arguments)
            self.assertIn(words, complaint)
            self.assertEqual(complaint.count("\n"), 1, complaint)
            self.assertNotIn("Traceback", complaint)
            self.assertFalse(out.exists())

    def test_check_prints_what_is_found_in_pictures_and_folders(self):
        (self.folder / "notes.txt").write_text("no picture")
        (self.folder / "torn.png").write_bytes(self.scan.read_bytes()[:60])
        code, out, _ = self.run_command("check", self.folder)
        printed = json.loads(out)["files"]
        self.assertEqual((code, {Path(name).name for name in printed}), (0, {"gravel.png", "scan.png", "torn.png"}))
        self.assertEqual(printed[str(self.scan)]["role"], "height")
        self.assertIn("problem", printed[str(self.folder / "torn.png")])
        for wrong in (self.folder / "torn.png", self.folder / "none.png", self.folder / "notes.txt"):
            code, _, error = self.run_command("check", wrong)
            self.assertEqual((code, error.count("\n")), (2, 1), error)

    def test_check_says_of_a_recipe_what_is_found_in_it_its_mesh_and_its_delivery(self):
        """The base faces are too coarse for the waves; 256 heights are too few for a displacement (common practice)."""
        recipe = start_from_nothing("waves", lambda _: b"", Engine()).with_changes(
            {
                "amplitude": 40,
                "surface.level": 0,
                "surface.shape.segments": 2,
                "maps.resolution": 64,
                "delivery.displacement_bits": 8,
            }
        )
        place = self.folder / "piece.json"
        place.write_text(recipe.as_text())
        code, out, _ = self.run_command("check", place)
        kinds = {item["kind"] for item in json.loads(out)["reliefs"]["main"]}
        self.assertEqual(code, 0)
        self.assertLessEqual({"blocky", "eight-bits"}, kinds)
        for wrong in ((place, place), (self.folder / "none.json",), (place, "--source", "x=y")):
            code, _, error = self.run_command("check", *wrong)
            self.assertEqual((code, error.count("\n")), (2, 1), error)

    def test_a_full_disk_is_one_line_and_leaves_no_file(self):
        with mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")):
            code, _, complaint = self.run_command("maps", self.scan, "--out", self.folder / "out")
        self.assertEqual(code, 2)
        self.assertIn("The disk is full", complaint)
        self.assertEqual(list((self.folder / "out").iterdir()), [])

    @long
    def test_the_benchmark_prints_its_table(self):
        code, out, _ = self.run_command("bench", "--quick")
        self.assertEqual(code, 0)
        for row in ("normal map", "soften", "strength dragged", "1 000 000 faces"):
            self.assertIn(row, out)
