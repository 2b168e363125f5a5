"""Pictures and commands at the edge of what is allowed end in a relief, or in a sentence."""

import io
import os
import tempfile
from pathlib import Path
from unittest import TestCase, mock

import numpy as np
import OpenEXR
import tifffile

from relief.errors import PictureError
from relief.inspect.find import measure_and_find
from relief.inspect.start import content_of_picture, first_recipe
from relief.recipe.layer import SourceReference
from relief.run.engine import Engine
from relief.run.finished import finish_map, list_delivered
from relief.run.pipeline import Pipeline
from relief.sources import high_range
from relief.sources.decode import decode
from relief.tests.command import CommandTestCase


def tiff(samples: np.ndarray) -> bytes:
    file = io.BytesIO()
    tifffile.imwrite(file, samples)
    return file.getvalue()


class PictureTests(TestCase):
    def test_strips_and_huge_floats_become_a_relief(self):
        chance = np.random.default_rng(1)
        pictures = {
            "one row": chance.integers(0, 255, (1, 9000), np.uint8),
            "one column": chance.integers(0, 255, (9000, 1), np.uint8),
            "huge": (chance.random((30, 22)) * 1e14).astype(np.float32),
            "huge both ways": ((chance.random((30, 22)) - 0.5) * 2e14).astype(np.float32),
            "tiny": (chance.random((30, 22)) * 1e-30).astype(np.float32),
        }
        for name, samples in pictures.items():
            data, reference = tiff(samples), SourceReference(digest="0" * 64, filename="edge.tif")
            for role in ("photo", "height"):
                with self.subTest(name, role=role):
                    engine = Engine()
                    content = content_of_picture("edge.tif", role, "up")
                    recipe = first_recipe({"picture": reference}, content, lambda _, data=data: data, engine)
                    pipeline = Pipeline.of(recipe, lambda _, data=data: data)
                    measure_and_find(pipeline, engine)
                    for made in list_delivered(recipe.main):
                        self.assertTrue(np.isfinite(engine.run(finish_map(pipeline, made, 16))).all(), made)


class OpenExrTests(TestCase):
    def write(self, *parts: dict[str, np.ndarray]) -> bytes:
        window = (np.zeros(2, np.int32), np.array([7, 7], np.int32))
        about = {"type": OpenEXR.scanlineimage, "compression": OpenEXR.ZIP_COMPRESSION, "displayWindow": window}
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder, "parts.exr")
            named = [OpenEXR.Part(dict(about), part, f"part {number}") for number, part in enumerate(parts)]
            OpenEXR.File(named).write(str(place))
            return place.read_bytes()

    def test_every_part_and_channel_counts_before_any_is_decoded(self):
        small = {"Y": np.ones((4, 6), np.float32)}
        many = {f"c{number}": np.zeros((10, 10), np.float32) for number in range(40)}
        with mock.patch.object(high_range, "MOST_SAMPLES", 3000):
            self.assertEqual(decode(self.write(small)).pixels.shape, (4, 6))
            with self.assertRaisesRegex(PictureError, "samples in all of its parts"):
                decode(self.write(many))
            with self.assertRaisesRegex(PictureError, "samples in all of its parts"):
                decode(self.write(small, {"Y": np.zeros((60, 60), np.float32)}))
        with self.assertRaisesRegex(PictureError, "33000 x 1 pixels"):
            decode(self.write(small, {"Y": np.zeros((1, 33000), np.float16)}))


class CommandEdgeTests(CommandTestCase):
    def setUp(self):
        super().setUp()
        self.picture = self.folder / "grey.tif"
        self.picture.write_bytes(tiff(np.random.default_rng(3).integers(0, 255, (16, 12), np.uint8)))

    def test_a_name_that_is_no_text(self):
        place = Path(os.fsdecode(os.fsencode(self.folder) + b"/wall-\xe9\xff.tif"))
        place.write_bytes(self.picture.read_bytes())
        for command in (("maps", place, "--out", self.folder / "out"), ("check", place), ("look", place)):
            self.assertEqual(self.run_command(*command)[0], 0, command[0])

    def test_more_than_a_recipe_holds_is_one_line(self):
        for option, values, words in (
            ("--map", "occlusion", "at most 16 more maps"),
            ("--pack", "bump,bump,bump", "at most 8 packed pictures"),
            ("--treat", "soften", "at most 64 treatments"),
        ):
            many = [part for _ in range(80) for part in (option, values)]
            code, _, said = self.run_command("maps", self.picture, "--out", self.folder / "out", *many)
            self.assertEqual((code, said.count("\n")), (2, 1))
            self.assertIn(words, said)

    def test_ctrl_c_is_one_line_and_130(self):
        with mock.patch("relief.commands.look.decode", side_effect=KeyboardInterrupt):
            code, _, said = self.run_command("look", self.picture)
        self.assertEqual((code, said.count("\n")), (130, 1))

    def test_a_full_disk_is_called_so_and_leaves_no_half_set(self):
        """The system's own words for ENOSPC, when the second file is written."""
        out, sync, calls = self.folder / "out", os.fsync, []

        def fill(number: int) -> None:
            calls.append(number)
            if len(calls) == 2:
                raise OSError(28, os.strerror(28))
            sync(number)

        with mock.patch("relief.deliver.files.os.fsync", fill):
            code, _, said = self.run_command("maps", self.picture, "--out", out)
        self.assertEqual((code, list(out.iterdir())), (2, []))
        self.assertIn("The disk is full", said)

    def test_one_file_that_cannot_be_read_does_not_end_a_check_of_a_folder(self):
        (self.folder / "broken.png").write_bytes(b"\x89PNG\r\n\x1a\nxxxx")
        (self.folder / "strip.tif").write_bytes(tiff(np.zeros((1, 5000), np.uint8)))
        code, told, _ = self.run_command("check", self.folder)
        self.assertEqual(code, 0)
        for name in ("grey.tif", "broken.png", "strip.tif"):
            self.assertIn(name, told)
