"""Figures that the documents state of the code are those of the code.

What was measured is not among them: it changes with the machine, and the sentence says what was measured.
"""

from __future__ import annotations

import re
from pathlib import Path

from django.conf import settings
from django.test import SimpleTestCase

from relief import cost
from relief.displace import forecast
from relief.maps import horizons
from relief.recipe.migrations import VERSION
from relief.sources import high_range, picture
from relief.sources.mesh import polygons
from relief.surface.mapping.spherical import SphericalMapping
from relief.surface.tessellation import tessellation
from relief.synthetic.textures import SIZES, TEXTURES
from studio import demo
from studio.bench.pixels import previews, stage
from studio.deliveries import clearing
from studio.shelf import archives

ROOT = Path(__file__).parents[2]
MILLION, MB, GB = 1_000_000, 1 << 20, 1 << 30
WORDS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")


def millions(count: int) -> str:
    return f"{count // MILLION:,} million".replace(",", " ")


STATED = {
    "README.md": [f"thirty surfaces at {SIZES[0]} to {SIZES[-1]} px"],
    "docs/architecture.md": [f"Recipe (version {VERSION})"],
    "docs/how-it-works.md": [
        f"drawn at up to {stage.SHARPEST} texels",
        f"beyond {horizons.ENOUGH} texels {horizons.NEAR} are sampled one by one",
        f"`pole_fade`, {SphericalMapping().pole_fade:.0f} degrees by default",
        f"at most {WORDS[tessellation.STEEPEST]} times its length",
        f"rise in {previews.HORIZONS} directions",
    ],
    "docs/load-and-bad-input.md": [
        f"{millions(settings.ENGINE_TEXELS)} for a page (`GRAVEL_TEXELS`), {millions(cost.BUDGET)} on the command line",
        f"{millions(forecast.PREVIEW.faces)} faces to look at, {millions(forecast.final_limit().faces)} to build",
        f"{millions(picture.MOST_PIXELS)} pixels, {picture.MOST_ON_A_SIDE // 1000} 000 on a side",
        f"of OpenEXR {millions(high_range.MOST_SAMPLES)} samples",
        f"{settings.LARGEST_UPLOAD // MB} MB and {settings.DATA_UPLOAD_MAX_NUMBER_FILES} files in one request",
        f"positions up to {polygons.FARTHEST:g}".replace("e+", "e"),
        f"{archives.MOST_ENTRIES} entries, {archives.LARGEST_WHOLE // GB} GB unpacked, {archives.MOST_EXPANSION} times",
        f"answers after {WORDS[settings.INTAKE_AT_ONCE]} seconds at most",
        f"{settings.LONGEST_READING} seconds and {settings.MOST_TO_READ // GB} GB",
        f"longer than {settings.LONGEST_REQUEST} seconds",
        f"{settings.COMPUTING_AND_WAITING} may wait",
        f"{WORDS[demo.PATCHES[0]]} times in a minute at most",
    ],
    "docs/studio.md": [
        f"Uploads need {settings.LARGEST_UPLOAD // MB} MB",
        f"after {settings.DELIVERIES_DAYS} days or beyond {settings.DELIVERIES_BYTES // GB} GB",
        f"the {WORDS[clearing.KEPT_BUILDS]} newest stay, of its stills the {WORDS[clearing.KEPT_STILLS]} newest",
    ],
}


class FigureTests(SimpleTestCase):
    def test_what_documents_state_of_the_code(self):
        for name, sentences in STATED.items():
            text = re.sub(r"\s+", " ", (ROOT / name).read_text())
            for sentence in sentences:
                self.assertIn(sentence, text, name)

    def test_the_supplier_has_as_many_surfaces_as_the_readme_says(self):
        self.assertEqual(len(TEXTURES), 30)
