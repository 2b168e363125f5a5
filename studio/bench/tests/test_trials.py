"""Trial sheets: what can be tried, the values of a range, and each picture with its readings."""

import base64
import io
import re

import numpy as np
from django.urls import reverse
from PIL import Image

from studio.bench.models import Revision
from studio.bench.tests.case import StudioTestCase


class TrialTests(StudioTestCase):
    def ask(self, name: str, piece, **values):
        return self.client.get(reverse(f"bench:{name}", args=[piece.pk]), {"base": 1, "step": "maps", **values})

    def values(self, piece, **asked) -> list[tuple[str, ...]]:
        """The values of each trial of a sheet, in their order."""
        page = self.ask("trial-sheet", piece, **asked).content.decode()
        trials = re.findall(r'hx-get="[^"]*\?([^"]*)base=1"', page)
        return [tuple(re.findall(r"d\.[\w.]+=([-\d.e]+)", trial)) for trial in trials]

    def test_the_numbers_of_the_step_are_offered_with_a_range(self):
        form = self.ask("trial-choose", self.piece())
        self.assertContains(form, '<option value="maps.normal.strength" selected>')
        self.assertContains(form, 'name="from" value="0.25"')
        self.assertContains(form, 'name="to" value="4"')
        self.assertNotContains(form, "maps.normal.kernel")

    def test_a_range_is_spread_evenly_by_factors_or_over_two_parameters(self):
        piece = self.piece()
        strength = {"path": "maps.normal.strength", "from": "0.25", "to": "4", "count": "5"}
        self.assertEqual(self.values(piece, **strength), [("0.25",), ("0.5",), ("1.0",), ("2.0",), ("4.0",)])
        level = {"path": "midlevel", "from": "0", "to": "1", "count": "3"}
        self.assertEqual(self.values(piece, **level), [("0.0",), ("0.5",), ("1.0",)])
        two = strength | {"count": "2", "path2": "midlevel", "from2": "0", "to2": "1", "count2": "2"}
        expected = [("0.0", "0.25"), ("0.0", "4.0"), ("1.0", "0.25"), ("1.0", "4.0")]
        self.assertEqual(self.values(piece, **two), expected, "the first across, the second down")

    def test_ranges_stay_within_bounds_and_whole_numbers_whole(self):
        piece = self.piece()
        wide = {"path": "maps.normal.strength", "from": "-9999", "to": "9999", "count": "99"}
        tried = self.values(piece, **wide)
        self.assertEqual((tried[0], tried[-1], len(tried)), (("-100.0",), ("100.0",), 7))
        sizes = {"path": "maps.resolution", "from": "1", "to": "3", "count": "7"}
        self.assertEqual(self.values(piece, **sizes), [("1",), ("2",), ("3",)])

    def test_a_trial_shows_its_picture_and_readings_and_changes_nothing(self):
        piece = self.piece()
        lit = [self.ask("trial", piece, **{"d.maps.normal.strength": value}) for value in (1, 3)]
        pictures = [re.search(r"base64,([^\"]+)", answer.content.decode())[1] for answer in lit]
        self.assertNotEqual(*pictures)
        self.assertContains(lit[0], "as it is")
        self.assertContains(lit[1], "Strength 3")
        # the suggested start stands at 40 degrees, which the map's Scharr kernel calms to 39; atan(3 tan 39) is 68
        self.assertContains(lit[0], "steepest 39°")
        self.assertContains(lit[1], "steepest 68°")
        self.assertEqual(Revision.objects.filter(piece=piece).count(), 1)

    def test_a_grey_map_is_shown_as_itself(self):
        """How far the sky is hidden: with a longer reach hollows are darker."""
        piece = self.piece()
        self.post("bench:change-maps", piece, 1, step="maps", action="add", kind="occlusion")
        page = self.get("bench:trial-choose", piece, base=2, step="maps", path="maps.more.0.reach")
        self.assertContains(page, '<option value="maps.more.0.reach" selected')
        self.assertContains(page, '<option value="maps.more.0.soften"')
        near, far = (self.picture(piece, 2, **{"d.maps.more.0.reach": reach}).mean() for reach in (1, 100))
        self.assertGreater(near, far + 4)

    def test_what_displaces_is_shown_as_itself(self):
        """A soften of its own is not to be seen on the lit relief; heights far apart come closer."""
        piece = self.piece()
        sharp, soft = (np.ptp(self.picture(piece, 1, **{"d.maps.displacement.soften": mm})) for mm in (0, 300))
        self.assertGreater(sharp, soft + 20)

    def picture(self, piece, base: int, **draft) -> np.ndarray:
        """The pixels of one trial."""
        answer = self.get("bench:trial", piece, base=base, step="maps", **draft)
        data = base64.b64decode(re.search(r"base64,([^\"]+)", answer.content.decode())[1])
        return np.asarray(Image.open(io.BytesIO(data)), float)

    def test_what_cannot_be_tried_is_said_or_not_found(self):
        piece = self.piece()
        self.assertContains(self.ask("trial", piece, **{"d.amplitude": "-3"}), "Amplitude")
        for wrong in ({}, {"path": "maps.normal.kernel", "from": 0, "to": 1, "count": 2}):
            self.assertEqual(self.ask("trial-sheet", piece, **wrong).status_code, 404)
        for end in ("nan", "inf", "x", ""):
            asked = {"path": "midlevel", "from": end, "to": 1, "count": 2}
            self.assertEqual(self.ask("trial-sheet", piece, **asked).status_code, 404, end)
