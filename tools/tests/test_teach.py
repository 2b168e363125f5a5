"""The teaching of the networks: a short course of each, and what is written of it for the application."""

from __future__ import annotations

import os
from itertools import islice
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

import cv2
import numpy as np

from relief.depth.learned import LINEAR_SHARE
from relief.tests.tags import long
from tools.learn import examples

EXAMPLES, STEPS = 20, 8
NARROW = (8, 12, 16)
"""A narrow network of few levels is taught as the whole one is; most of the time goes into compiling its levels."""


@long
class TeachTests(TestCase):
    @classmethod
    def setUpClass(cls):
        folder = TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        # most of the time would go into making programs fast that run for a second
        os.environ.setdefault("XLA_FLAGS", "--xla_backend_optimization_level=0")
        import jax

        # the second half of a course finds what the first has compiled
        jax.config.update("jax_compilation_cache_dir", str(cls.folder / "compiled"))
        cls.addClassCleanup(jax.config.update, "jax_compilation_cache_dir", None)
        with mock.patch.object(examples, "TOGETHER", EXAMPLES):
            examples.make_examples(cls.folder / "examples", 7_000_000, EXAMPLES, 1)

    def test_a_short_course_lowers_what_is_wrong_and_the_file_tells_the_same_as_the_numbers(self):
        import jax

        from tools.learn import export, network, teach

        for module in (network, export):
            self.enterContext(mock.patch.object(module, "WIDTHS", NARROW))
        with mock.patch.multiple(teach, HELD=4, BATCH=2):
            course = teach.relief_course(self.folder / "examples")
            numbers = self.follow(course, STEPS)
        path = self.folder / "relief.onnx"
        export.export_relief(numbers, path)
        given = np.random.default_rng(0).normal(size=(1, 96, 160, network.GIVEN)).astype(np.float32)
        told = np.array(jax.jit(network.run)(numbers, given))
        told[..., :2] -= LINEAR_SHARE * given[..., network.OF_PHOTO :]
        quarters = self.told_by_file(path, given)[0]
        parts = quarters.reshape(2, 2, network.TOLD, 48, 80).transpose(3, 0, 4, 1, 2)
        np.testing.assert_allclose(parts.reshape(1, 96, 160, network.TOLD), told, atol=1e-4)

    def test_a_short_course_of_the_light_as_well(self):
        import jax

        from tools.learn import export, lamp, network

        self.enterContext(mock.patch.object(network, "WIDTHS", NARROW))
        self.enterContext(mock.patch.object(lamp, "LEVELS", len(NARROW)))
        with mock.patch.multiple(lamp, HELD=4, BATCH=16):
            course = lamp.light_course(self.folder / "examples")
            numbers = self.follow(course, 2 * STEPS)
        path = self.folder / "light.onnx"
        export.export_light(numbers, path)
        given = np.random.default_rng(1).normal(size=(1, 48, 112, network.OF_PHOTO)).astype(np.float32)
        told = np.asarray(jax.jit(lamp.run)(numbers, given))
        np.testing.assert_allclose(self.told_by_file(path, given).reshape(told.shape), told, atol=1e-4)

    def test_both_files_are_named_with_their_sums(self):
        from tools.learn import lamp, network
        from tools.learn.export import export_light, export_relief

        folder = self.folder / "written"
        folder.mkdir()
        export_relief(network.begin(0), folder / "relief.onnx")
        few = np.random.default_rng(0).normal(size=(4, 48, 48, network.OF_PHOTO)).astype(np.float32)
        export_light(lamp.begin(0, few), folder / "light.onnx")
        export_relief(network.begin(1), folder / "relief.onnx")
        lines = (folder / "SHA256SUMS").read_text().splitlines()
        self.assertEqual([line.split("  ")[1] for line in lines], ["light.onnx", "relief.onnx"])
        self.assertLess(sum(path.stat().st_size for path in folder.iterdir()), 4.5e6)

    def follow(self, course, steps: int):
        """The numbers after a short course that is stopped in the middle and gone on with; the loss has fallen."""
        import jax

        from tools.learn.teach import follow, restore

        checkpoint = self.folder / f"{course.loss.__module__}.npz"
        half = course._replace(batches=lambda rng: islice(course.batches(rng), steps // 2))
        follow(half, checkpoint, 30, steps)
        self.assertEqual(restore(checkpoint)[1], steps // 2)
        follow(course, checkpoint, 30, steps)
        numbers, taken = restore(checkpoint)
        self.assertEqual(taken, steps)
        batch = next(course.batches(np.random.default_rng(1)))
        loss = jax.jit(course.loss)
        self.assertLess(float(loss(numbers, *batch)), float(loss(course.begin(0), *batch)))
        return numbers

    def told_by_file(self, path: Path, given: np.ndarray) -> np.ndarray:
        """What OpenCV tells of photos (photos, rows, columns, channels) by a file."""
        network = cv2.dnn.readNetFromONNX(str(path))
        network.setInput(np.ascontiguousarray(given.transpose(0, 3, 1, 2)))
        return network.forward()
