"""A recipe takes changes by path, refuses what is out of bounds with a sentence, and reads back what it wrote."""

import json
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from relief.errors import RecipeError
from relief.maps import COMPANION_MAPS
from relief.parameters import control, controls
from relief.recipe import map_edits, treatment_edits
from relief.recipe.layer import Layer, Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.treat import TREATMENTS
from relief.treat.levels import Levels
from relief.treat.soften import Soften


def recipe(**values) -> Recipe:
    layer = Layer(name="x", content=Picture(source="picture"), treatments=(Levels(), Soften(on=False)))
    source = SourceReference(digest="0" * 64, filename="x.png")
    return Recipe.of(Relief(layers=(layer,), **values), {"picture": source})


class ChangeTests(TestCase):
    def test_text_from_a_form_becomes_the_value(self):
        changed = recipe().with_changes({"amplitude": "7.5", "layers.0.treatments.1.on": "true", "surface.level": "3"})
        self.assertEqual((changed.main.amplitude, changed.surface.level), (7.5, 3))
        self.assertTrue(changed.main.layers[0].treatments[1].on)

    def test_what_is_wrong_is_said_with_label_bound_and_unit(self):
        for path, value, sentence in (
            ("amplitude", "1e9", "Amplitude must be at most 10000000 mm."),
            ("amplitude", "-1", "Amplitude must be at least 0 mm."),
            ("amplitude", "tall", "Amplitude must be a number."),
            ("amplitude", "", "Amplitude must be a number."),
            ("midlevel", "nan", "Midlevel must be a number."),
            ("midlevel", "inf", "Midlevel must be a number."),
            ("surface.level", "2.5", "Subdivision level must be a whole number."),
            ("surface.level", "11", "Subdivision level must be at most 10."),
            ("layers.0.treatments.1.radius", "-2", "Radius must be at least 0 mm."),
            ("layers.0.treatments.0.white", "0", "The white point must lie above the black point."),
            ("maps.normal.kernel", "magic", "Kernel cannot be set to that."),
            ("edges.across", "", "Edges across cannot be set to that."),
            ("layers.0.content.source", "x", "A layer is made of a picture that the piece does not have."),
        ):
            with self.assertRaises(RecipeError) as caught:
                recipe().with_changes({path: value})
            self.assertEqual(str(caught.exception), sentence)

    def test_what_is_no_parameter_cannot_be_changed(self):
        for path in (
            "depth", "version", "sources.picture.digest", "layers.0.name", "layers.9.name",
            "layers.0.treatments.0.kind", "suggested", "__class__", "layers.-1.content.grey", "maps.normal", "", ".",
        ):  # fmt: skip
            with self.assertRaisesRegex(RecipeError, "no parameter"):
                recipe().with_changes({path: "1"})

    def test_aspect_is_kept_until_it_is_unlocked(self):
        wide = recipe().with_changes({"footprint.keep_aspect": False}).with_changes({"footprint.height": 150})
        self.assertEqual((wide.main.footprint.width, wide.main.footprint.height), (300, 150))
        locked = wide.with_changes({"footprint.keep_aspect": True}).with_changes({"footprint.width": 100})
        self.assertEqual((locked.main.footprint.width, locked.main.footprint.height), (100, 50))
        with self.assertRaisesRegex(RecipeError, "Height must be at least 0.1"):
            locked.with_changes({"footprint.width": 0.1})

    def test_suggested_lengths_follow_the_footprint_and_chosen_ones_stay(self):
        suggested = recipe(amplitude=6, suggested=("amplitude",))
        self.assertEqual(suggested.with_changes({"footprint.width": 600}).main.amplitude, 12)
        chosen = suggested.with_changes({"amplitude": 5})
        self.assertEqual(chosen.main.suggested, ())
        self.assertEqual(chosen.with_changes({"footprint.width": 600}).main.amplitude, 5)

    def test_differences_are_said_in_words(self):
        changed = recipe().with_changes(
            {"amplitude": 8, "maps.normal.green": "down", "layers.0.treatments.0.on": False}
        )
        self.assertEqual(
            recipe().differences(changed),
            ["Levels: On on to off", "Amplitude 5 mm to 8 mm", "Green direction Green up to Green down"],
        )


class ReadingTests(TestCase):
    @given(st.floats(0, 1e5), st.floats(-1e6, 1e6), st.sampled_from(["central", "sobel", "scharr"]), st.booleans())
    def test_what_was_written_is_read_back(self, amplitude, midlevel, kernel, on):
        written = recipe().with_changes(
            {"amplitude": amplitude, "midlevel": midlevel, "maps.normal.kernel": kernel, "layers.0.treatments.1.on": on}
        )
        self.assertEqual(Recipe.read(json.loads(written.as_text())), written)

    def test_other_versions_and_other_things_are_refused(self):
        for data in (None, [], {}, "recipe"):
            with self.assertRaisesRegex(RecipeError, "not a recipe"):
                Recipe.read(data)
        with self.assertRaisesRegex(RecipeError, "version 99; this app reads version 1"):
            Recipe.read({**recipe().as_data(), "version": 99})
        with self.assertRaises(RecipeError):
            Recipe.read({**recipe().as_data(), "depth": 3})


class ParameterTests(TestCase):
    def test_every_parameter_says_what_it_does_and_starts_within_its_bounds(self):
        whole = recipe()
        self.assertGreater(len(whole.paths()), 20)
        for path in whole.paths():
            known = whole.control(path)
            self.assertRegex(known.help, r"^[A-Z0-9“].*\.$", path)
            self.assertTrue(known.label, path)
            if known.kind == "number":
                self.assertLessEqual(known.low, known.slider[0])
                self.assertLess(known.slider[0], known.slider[1])
                self.assertLessEqual(known.slider[1], known.high)
                self.assertFalse(known.logarithmic and known.slider[0] <= 0)

    def test_every_choice_and_switch_can_be_sent_as_text(self):
        """What a list or a box on the page posts is text, also where the choice is a number."""
        whole = recipe().main
        for kind in TREATMENTS:
            whole, _ = treatment_edits.add_treatment(whole, kind)
        for kind in COMPANION_MAPS:
            whole, _ = map_edits.add_map(whole, kind)
        whole, _ = map_edits.add_pack(whole, "empty")
        tried = 0
        for path in whole.paths():
            known = whole.control(path)
            words = {"choice": [str(value) for value in known.names or ()], "switch": ["true", "false"]}
            for word in words.get(known.kind, []):
                if path.endswith("content.source") or "unpacked" in path:
                    continue
                changed = whole.with_changes({path: word}).value(path)
                self.assertIn(str(changed).lower(), word.lower(), path)
                tried += 1
        self.assertGreater(tried, 100)

    def test_controls_come_from_the_model(self):
        self.assertEqual([item.name for item in controls(Soften)], ["on", "radius"])
        radius = control(Soften, "radius")
        self.assertEqual((radius.unit, radius.low, radius.high), ("mm", 0, 100_000_000))
        self.assertEqual(control(TREATMENTS["levels"], "gamma").say(1.5), "1.5")
