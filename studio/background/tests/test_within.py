"""What came from outside is read in a process that ends when it takes too much."""

import time
from unittest import TestCase

import numpy as np

from relief.errors import PictureError
from relief.sources.decode import decode
from studio.background.within import TookTooMuchError, run_within


def ask_for(megabytes: int) -> int:
    return int(np.ones(megabytes << 20, np.uint8)[::4096].sum())


class WithinTests(TestCase):
    def test_what_is_read_comes_back_and_so_does_what_is_wrong_with_it(self):
        data = bytes(range(128))
        np.testing.assert_array_equal(
            run_within(60, 1 << 30, decode, data, "a.r16").pixels, decode(data, "a.r16").pixels
        )
        with self.assertRaisesRegex(PictureError, "empty"):
            run_within(60, 1 << 30, decode, b"", "a.png")

    def test_it_is_ended_when_it_takes_too_long(self):
        with self.assertRaisesRegex(TookTooMuchError, "longer than"):
            run_within(0.2, 1 << 30, time.sleep, 600)

    def test_it_is_ended_when_it_asks_for_too_much_memory(self):
        self.assertEqual(run_within(60, 200 << 20, ask_for, 50), 50 * 256)
        with self.assertRaisesRegex(TookTooMuchError, "memory"):
            run_within(60, 200 << 20, ask_for, 400)
