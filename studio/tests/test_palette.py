"""One palette and one light: styles, scripts, stills and the pages that go with a delivery have the same."""

from __future__ import annotations

import json
import re

from django.test import SimpleTestCase

from relief.deliver import palette
from relief.still import air, light
from relief.still.scene import CLAY
from studio.environment import HOUSE

STATIC = HOUSE / "studio" / "static" / "studio"
NAMES = {
    "PAPER": "sheet", "INK": "ink", "MUTE": "mute", "HAIRLINE": "hairline", "DATUM": "datum", "ABOVE": "above",
    "BELOW": "below",
}  # fmt: skip
"""What the colours of a delivery are called in the styles."""


class LightTests(SimpleTestCase):
    def test_the_stage_and_stills_have_the_same_light(self):
        text = (STATIC / "daylight.js").read_text()
        numbers = {name: json.loads(value) for name, value in re.findall(r"export const (\w+) = ([^;]+);", text)}
        for name in ("SUN", "SKY", "GROUND"):
            self.assertEqual(tuple(numbers[name]), getattr(light, name), name)
        self.assertEqual(tuple(numbers["CLAY"]), CLAY)
        self.assertEqual(numbers["SUNLIGHT"], light.SUNLIGHT)
        self.assertAlmostEqual(numbers["SKYLIGHT"] * numbers["AMBIENT"], light.SKYLIGHT)

    def test_the_stage_and_stills_have_the_same_air(self):
        text = (HOUSE / "studio" / "bench" / "static" / "bench" / "stage" / "outlook.js").read_text()
        numbers = {name: json.loads(value) for name, value in re.findall(r"const (\w+) = ([-\d.e\[\], ]+);", text)}
        self.assertEqual(tuple(numbers["ZENITH"]), air.ZENITH)
        self.assertEqual(tuple(numbers["BRIGHT"] * part for part in light.SKY), air.HORIZON)
        self.assertEqual(tuple(numbers["LIT"] * part for part in light.GROUND), air.BEYOND)
        self.assertAlmostEqual(numbers["CONTRAST"] / numbers["VISUAL_RANGE"], air.EXTINCTION)
        self.assertEqual(re.findall(r"exp\((-?[\d.]+) \* above\)", text), [str(-air.RISE), str(air.FALL)])


class PaletteTests(SimpleTestCase):
    def test_pages_scripts_and_styles_have_the_same_colours(self):
        light = (STATIC / "studio.css").read_text().partition("@media")[0]
        styles = dict(re.findall(r"--([\w-]+): (#[0-9a-f]{6});", light))
        for name, style in NAMES.items():
            self.assertEqual(getattr(palette, name), styles[style], name)
        self.assertEqual(styles["drag"], styles["datum"])
        drawn = dict(re.findall(r"export const (\w+) = 0x([0-9a-f]{6});", (STATIC / "palette.js").read_text()))
        self.assertGreater(len(drawn), 4)
        for name, colour in drawn.items():
            self.assertEqual(f"#{colour}", getattr(palette, name), name)

    def test_no_style_or_script_writes_one_of_them_out(self):
        written = re.compile(r"(?:#|0x)(?:15252c|b3105f|b9791a|2a6a98|f1f5f4)")
        places = [
            path
            for kind in ("css", "js")
            for path in (HOUSE / "studio").glob(f"**/static/**/*.{kind}")
            if "vendor" not in path.parts and path.name not in ("studio.css", "palette.js")
        ]
        self.assertGreater(len(places), 30)
        for path in places:
            self.assertIsNone(written.search(path.read_text()), path)
