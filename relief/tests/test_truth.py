"""The table of the truth: what it prints of a surface whose relief is known, and what it draws."""

from __future__ import annotations

import re

import numpy as np
from PIL import Image

from relief.synthetic.surfaces import SURFACES
from relief.tests.command import CommandTestCase
from relief.tests.tags import long


class TruthTests(CommandTestCase):
    @long
    def test_a_surface_that_is_not_square_is_measured_by_every_way(self):
        code, printed, said = self.run_command("truth", "driftwood-panel", "--size", 128, "--pictures", self.folder)
        self.assertEqual((code, said), (0, ""))
        row = next(line for line in printed.splitlines() if line.startswith("Driftwood panel"))
        angles = [float(angle) for angle in re.findall(r"(\d+\.\d)(?: \(|  )", row)]
        flat, *_, four, eight, sixteen = angles
        self.assertEqual(len(angles), 10)
        self.assertLess(max(four, eight, sixteen), 0.5 * flat, "photos with the light moved measure")
        self.assertEqual(np.asarray(Image.open(self.folder / "driftwood-panel.png")).shape, (96, 7 * 128, 3))
        self.assertIn("Azimuth estimated within 20 degrees, network", printed)
        self.assertIn("Expected and actual error in degrees, by tenths", printed)

    def test_a_surface_that_is_not_known_is_one_line(self):
        code, _, said = self.run_command("truth", "moon")
        self.assertEqual((code, said.count("\n")), (2, 1))
        self.assertIn("beach-pebble", said)

    @long
    def test_every_surface_has_the_width_and_the_two_paints_that_it_says(self):
        for key in ("driftwood-panel", "tin-ceiling", "scallop-tile", "oyster-plaster", "limewash"):
            made = SURFACES[key].make(96)
            self.assertAlmostEqual(made.texel * made.height.shape[1], SURFACES[key].width)
            self.assertEqual(max(made.height.shape), 96)
            self.assertEqual(made.paint.shape, (*made.height.shape, 3))
            self.assertTrue(((made.paint > 0) & (made.paint <= 1)).all())
