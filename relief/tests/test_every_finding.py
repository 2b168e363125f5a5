"""Every kind of finding is made by an input that has this fault: those of the table, and one here for each other."""

from __future__ import annotations

import ast
import hashlib
from pathlib import Path
from types import SimpleNamespace
from unittest import TestCase, mock

import numpy as np

from relief.depth.from_light import FROM_DARKNESS, FromLight
from relief.inspect import findings
from relief.inspect.check import check
from relief.inspect.find import find_in_piece
from relief.inspect.sets import set_findings
from relief.inspect.start import DARKNESS_PATHS, GUESSED_PATHS
from relief.recipe import layer_edits, map_edits
from relief.recipe.layer import Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.sources.decode import decode
from relief.tests.height_fields import rough
from relief.tests.tags import long
from relief.tests.test_findings_table import KINDS, begun, encoded, hills, normals, sixteen

IN_LIGHT = {"layers.0.content.reading": "light"}
SET = {"aspect", "size", "unrelated", "gamma", "inverted"}
"""Kinds that are found between the maps of a set."""

CHANGES = {
    "bands": {"maps.normal.strength": 40},
    "eight-bits": {"delivery.displacement_bits": 8},
    "midlevel": {"midlevel": 0.3},
    "above-source": {"delivery.size": 4096},
    "reach": {"surface.reach": 0.5, "amplitude": 10},
    "reversed": {"surface.turned": True},
    "blocky": {"surface.level": 0, "surface.shape.segments": 2},
    "wasteful": {"surface.final_level": 8},
    "join": {"surface.shape": {"kind": "sphere", "diameter": 110}, "surface.mapping.sizing": "real"},
    "pulled": {"surface.shape": {"kind": "box"}, "surface.mapping": {"kind": "planar"}},
    "overlap": {
        "surface.shape": {"kind": "cylinder", "diameter": 30, "height": 300, "caps": False},
        "surface.level": 3,
        "amplitude": 60,
        "midlevel": 1,
    },
    "error": {
        "surface.tessellation": {"kind": "error", "error": 0.01, "most_level": 1},
        "surface.level": 0,
        "amplitude": 20,
    },
}
"""What is wrong with a piece that was begun well, by the kind of finding that says so."""

ELSEWHERE = {
    "evenly-lit": "relief.tests.test_learned, of photos taken under an even sky",
    "lossy": "relief.tests.test_deliver: it is said of a profile as it is read",
}


def kinds() -> set[str]:
    """The first argument of each finding that a file of the findings makes."""
    found = set()
    for path in Path(findings.__path__[0]).glob("*/*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ("Finding", "SetFinding"):
                assert isinstance(node.args[0], ast.Constant), path
                found.add(node.args[0].value)
    return found


class EveryFindingTests(TestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.engine = Engine()
        recipe, cls.files = begun("rough_height.png", encoded(sixteen(rough(200, 240, 1))))
        cls.recipe = recipe.with_changes({"midlevel": 0.5})

    def found(self, recipe: Recipe, files: dict[str, bytes] | None = None) -> set[str]:
        _, found = find_in_piece(recipe, (files or self.files).__getitem__, self.engine)
        return {item.kind for item in found}

    def test_every_kind_is_asked_for_somewhere(self):
        here = {*CHANGES, *SET, "tagged", "repeats", "unlinked", "inked", "networks"}
        self.assertEqual(kinds() - KINDS - here - ELSEWHERE.keys(), set())

    @long
    def test_a_piece_that_is_set_wrong(self):
        well = self.found(self.recipe)
        for kind, changes in CHANGES.items():
            self.assertNotIn(kind, well)
            data = self.recipe.as_data()
            for path, value in changes.items():
                if isinstance(value, dict):  # another shape, mapping or tessellation
                    data["surface"][path.rpartition(".")[2]] = value
            plain = {path: value for path, value in changes.items() if not isinstance(value, dict)}
            self.assertIn(kind, self.found(Recipe.read(data).with_changes(plain)), kind)

    def test_between_the_maps_of_a_set(self):
        heights, wall = decode(encoded(sixteen(rough(220, 256, 1))), ""), decode(encoded(normals(1)), "")
        other = decode(encoded(normals(2)), "")
        small = decode(encoded(np.zeros((110, 128), np.uint8)), "")
        upside = decode(encoded(sixteen(1 - rough(220, 256, 1))), "")
        bent = decode(encoded(sixteen(rough(220, 256, 1) ** 2.4)), "")
        for kind, pictures in {
            "size": {"height": heights, "roughness": small},
            "aspect": {"height": heights, "roughness": decode(encoded(np.zeros((128, 128), np.uint8)), "")},
            "unrelated": {"height": heights, "normal": other},
            "inverted": {"height": upside, "normal": wall},
            "gamma": {"height": bent, "normal": wall},
        }.items():
            self.assertEqual([item.kind for item in set_findings(pictures)], [kind])
        self.assertEqual(set_findings({"height": heights, "normal": wall}), [])

    def test_a_tag_of_a_data_picture(self):
        import PIL.ImageCms

        profile = PIL.ImageCms.ImageCmsProfile(PIL.ImageCms.createProfile("sRGB")).tobytes()
        data = encoded(sixteen(rough(220, 256, 1)).astype(np.uint8), icc_profile=profile)
        self.assertIn("tagged", [item.kind for item in check({"wall_rough.png": data}).files["wall_rough.png"]])

    def test_layers_and_companions(self):
        reference = {"picture": SourceReference(digest="a" * 64, filename="dent.png")}
        content = Picture(source="picture", reading="height")
        files = self.files | {"a" * 64: encoded(sixteen(hills(1, 9)))}
        laid, _ = layer_edits.add_picture(self.recipe, "Dents", reference, content)
        self.assertNotIn("repeats", self.found(laid, files))
        twice = laid.with_changes({"layers.1.layout.repeats_across": 2, "layers.1.layout.repeats_down": 2})
        self.assertIn("repeats", self.found(twice, files))
        brought, key = layer_edits.source_brought(self.recipe, "stamp", reference["picture"])
        pressed = brought.with_relief(layer_edits.add_layer(brought.main, "imprints")[0])
        pressed = pressed.with_changes({"layers.1.content.shape": "picture", "layers.1.content.source": key})
        self.assertIn("inked", self.found(pressed, files))
        colour = encoded(np.dstack([sixteen(rough(200, 240, 1)) // 256] * 3).astype(np.uint8))
        digest = hashlib.sha256(colour).hexdigest()
        data = self.recipe.as_data()
        data["sources"]["colour"] = {"digest": digest, "filename": "rough_colour.png"}
        data["reliefs"]["main"]["layers"][0]["content"]["companions"] = {"colour": "colour"}
        beside = Recipe.read(data)
        unlinked, _ = map_edits.unlink_companion(beside.main, "colour")
        both = self.files | {digest: colour}
        self.assertNotIn("unlinked", self.found(beside, both))
        self.assertIn("unlinked", self.found(beside.with_relief(unlinked), both))

    def test_a_photo_in_light_without_the_networks(self):
        lit = self.recipe.with_changes(IN_LIGHT)
        self.assertNotIn("networks", self.found(lit))
        with mock.patch("relief.depth.networks.are_there", return_value=False):
            self.assertIn("networks", self.found(lit))

    def test_a_photo_that_a_network_calls_evenly_lit(self):
        from relief.inspect.findings.source import evenly_lit

        for even, suggested, light, expected in (
            (0.95, GUESSED_PATHS, FromLight(), "Read from darkness"),
            (0.5, GUESSED_PATHS, FromLight(), None),
            (0.95, (), FromLight(), None),
            (0.0, GUESSED_PATHS + DARKNESS_PATHS, FromLight(**FROM_DARKNESS), "Read it by its light"),
            (0.0, GUESSED_PATHS, FromLight(**FROM_DARKNESS), None),
        ):
            engine = SimpleNamespace(run=lambda _, even=even: SimpleNamespace(even=even))
            relief = SimpleNamespace(suggested=suggested)
            pipeline = SimpleNamespace(photo=lambda: SimpleNamespace(guessed=lambda: None), relief=relief)
            content = SimpleNamespace(reading="light", light=light)
            found = evenly_lit.find(SimpleNamespace(content=content, engine=engine, pipeline=pipeline))
            self.assertEqual(found and (found.kind, found.mend.label), expected and ("evenly-lit", expected))
