"""What the stage asks for beside a view: a part at full size, the value at a place, the test card; packed maps."""

import io
import json
import re

import numpy as np
from django.urls import reverse
from PIL import Image
from scipy.interpolate import PchipInterpolator

from relief.inspect.probe import probe
from relief.maps.normal import vectors
from relief.maps.slopes import steepness
from relief.run.finished import finish_map
from relief.run.pipeline import Pipeline
from relief.tests.tags import long
from studio.bench.beginning import begin_piece_of_set
from studio.bench.models import Revision
from studio.bench.tests.case import HEIGHTS, StudioTestCase, png, unpacked
from studio.middleware import the_artist
from studio.shelf.engine import get_engine
from studio.shelf.intake import keep_source
from studio.shelf.models import Source, read_source
from studio.shelf.sets import gather_sets


class CurveTests(StudioTestCase):
    def test_the_line_that_is_drawn_is_the_one_that_is_computed(self):
        """Against SciPy's PCHIP (Fritsch & Butland 1984), `numpy.interp`, and steps that hold until the next stop."""
        stops = ((0.1, 0.2), (0.3, 0.25), (0.55, 0.9), (0.9, 0.4))
        expected = {
            "smooth": PchipInterpolator(*np.array(stops).T),
            "straight": lambda x: np.interp(x, *np.array(stops).T),
            "stepped": lambda x: np.array(stops)[np.searchsorted([0.1, 0.3, 0.55, 0.9], x, side="right") - 1, 1],
        }
        for passage, rule in expected.items():
            answer = self.client.get(reverse("bench:curve"), {"stops": json.dumps(stops), "passage": passage})
            numbers = np.array(re.findall(r"-?[\d.]+", answer.json()["line"]), float).reshape(-1, 2) / 100
            inside = (numbers[:, 0] > 0.101) & (numbers[:, 0] < 0.899)
            places = numbers[inside, 0] + (1e-5 if passage == "stepped" else 0)
            apart = np.abs(1 - numbers[inside, 1] - rule(places))
            # on a step the line runs upright, from the height before to the height after
            self.assertLess(np.sort(apart)[: -len(stops)].max(), 1e-3, passage)
            self.assertEqual((numbers[0, 0], numbers[-1, 0]), (0, 1))

    def test_stops_that_are_none_are_refused_in_a_sentence(self):
        for stops in ("", "[]", "[[0,0]]", "[[0,0],[0,1]]", "nonsense", "[[0,NaN],[1,1]]"):
            answer = self.client.get(reverse("bench:curve"), {"stops": stops, "passage": "smooth"})
            self.assertEqual(answer.status_code, 422, stops)
            self.assertTrue(answer.json()["message"].endswith("."))


class ValueTests(StudioTestCase):
    def test_it_is_what_the_maps_hold_at_that_texel(self):
        """At the corners, at an edge and inside, whether or not the edges meet."""
        piece = self.piece()
        Revision.objects.change(piece, 1, {"maps.normal.soften": 3, "maps.normal.strength": -1.5})
        for number, edge in ((3, "wrap"), (4, "clamp")):
            Revision.objects.change(piece, number - 1, {"edges.across": edge, "edges.down": edge})
            piece.refresh_from_db()
            recipe = self.recipe(piece)
            height = get_engine().run(Pipeline.of(recipe, read_source).height())
            normals, angles = (
                vectors(height, recipe.main.amplitude, recipe.main.maps.normal),
                steepness(height, recipe.main.amplitude),
            )
            for row, column in ((0, 0), (47, 63), (0, 30), (20, 0), (24, 31), (46, 62)):
                place = {"x": (column + 0.5) / 64, "y": (row + 0.5) / 48, "base": piece.position}
                read = self.get("bench:value", piece, **place).json()
                self.assertEqual((read["column"], read["row"]), (column, row))
                self.assertAlmostEqual(read["height"], float(height.samples[row, column]), places=6)
                expected = recipe.main.amplitude * (float(height.samples[row, column]) - recipe.main.midlevel)
                self.assertAlmostEqual(read["distance"], expected, places=4)
                self.assertAlmostEqual(read["slope"], float(angles[row, column]), places=3)
                np.testing.assert_allclose(read["normal"], normals[row, column], atol=1e-5)

    def test_a_normal_map_that_came_along_is_read_too(self):
        roof = np.broadcast_to(np.uint8([218, 128, 218]), (48, 64, 3)).copy()
        roof[:, :32, 0] = 38  # the left half leans the other way
        piece = self.piece(png(roof), "roof-normal.png")
        Revision.objects.change(piece, 1, {"maps.normal.of": "source", "maps.normal.detail": 1})
        read = probe(Pipeline.of(self.recipe(piece), read_source), get_engine(), 0.75, 0.5)
        np.testing.assert_allclose(read.normal, [2**-0.5, 0, 2**-0.5], atol=0.01)
        self.assertEqual((read.column, read.row), (48, 24))

    def test_what_is_no_place_is_not_found(self):
        piece = self.piece()
        for place in ({"x": "2", "y": "0"}, {"x": "nan", "y": "0"}, {"x": "0.5"}, {"x": "a", "y": "b"}):
            self.assertEqual(self.get("bench:value", piece, base=1, **place).status_code, 404, place)


class PartTests(StudioTestCase):
    def test_a_part_is_cut_out_of_the_map_at_full_size(self):
        piece = self.piece()
        values = {"base": 1, "view": "normal", "longest": 16}
        header, arrays = unpacked(self.get("bench:preview", piece, part="0.25,0.5,0.5,0.75", **values))
        whole = get_engine().run(finish_map(Pipeline.of(self.recipe(piece), read_source), "normal"))
        np.testing.assert_array_equal(arrays["pixels"], whole[24:36, 16:32])
        self.assertEqual((header["window"], header["full"]), ([0.25, 0.5, 0.5, 0.75], [48, 64]))

    def test_what_is_no_part_is_not_found(self):
        piece = self.piece()
        for part in ("0,0,0,1", "0.5,0.5,0.4,0.6", "0,0,1", "0,0,2,2", "x"):
            self.assertEqual(self.get("bench:preview", piece, base=1, part=part).status_code, 404, part)


class TestCardTests(StudioTestCase):
    @long
    def test_it_stands_in_place_of_the_piece_made_with_its_settings(self):
        piece = self.piece()
        Revision.objects.change(piece, 1, {"maps.normal.green": "down"})
        _, arrays = unpacked(self.get("bench:preview", piece, base=2, view="normal", card=1, longest=256))
        pixels = arrays["pixels"]
        self.assertEqual(pixels.shape, (256, 256, 3))
        self.assertLess(pixels[40, 64, 1], 105)  # the upper flank of the dome, dark with green down
        for view in ("bump", "lit", "more-3", "pack-0"):
            asked = {"base": 2, "view": view, "card": 1, "longest": 64}
            self.assertEqual(self.get("bench:preview", piece, **asked, **{"else": "shaded"}).status_code, 200)
            self.assertEqual(self.get("bench:preview", piece, **asked).status_code, 404 if "-" in view else 200)
        self.assertEqual(self.get("bench:mesh", piece, base=2, card=1).status_code, 200)
        side = self.recipe(piece).main.final_footprint.width
        top = self.get("bench:value", piece, base=2, card=1, x=0.25, y=0.25).json()
        self.assertAlmostEqual(top["distance"], 0.06 * side, delta=0.001 * side)


class MapTests(StudioTestCase):
    def test_maps_are_named_and_packed_and_the_left_side_shows_it(self):
        piece = self.piece()
        self.post("bench:change-maps", piece, 1, step="maps", action="add", kind="height")
        answer = self.post("bench:change-maps", piece, 2, step="maps", action="name-map", number=0, name="Glow")
        self.assertContains(answer, 'value="Glow"')
        answer = self.post("bench:change-maps", piece, 3, step="maps", action="pack", kind="height_in_alpha")
        self.assertContains(answer, 'id="pack-0"')
        self.assertContains(answer, "8 bits keep 256 heights")
        self.post("bench:change", piece, 4, step="maps", **{"maps.packs.0.blue": "more-0"})
        self.assertEqual(self.recipe(piece).main.maps.packs[0].blue, "more-0")
        self.assertEqual(self.get("bench:preview", piece, base=5, view="pack-0", longest=64).status_code, 200)
        page = self.client.get(f"/piece/{piece.pk}/deliver/")
        self.assertContains(page, "<dt>Glow</dt>")
        self.post("bench:change-maps", piece, 5, step="maps", action="remove-pack", number=0)
        self.assertEqual(self.recipe(piece).main.maps.packs, ())
        for values in ({"action": "melt"}, {"action": "name-map", "number": "x"}, {}):
            self.assertEqual(self.post("bench:change-maps", piece, 6, **values).status_code, 404)

    def test_the_graph_of_a_maps_curve_stands_over_its_own_tones(self):
        piece = self.piece()
        self.post("bench:change-maps", piece, 1, step="maps", action="add", kind="height")
        self.post("bench:change", piece, 2, step="maps", **{"maps.more.0.stops": "[[0, 0.5], [1, 0.5]]"})
        drawn = self.get("bench:histogram", piece, base=3, map=0).json()
        self.assertGreater(len(set(drawn["outline"].split("V"))), 30)
        self.assertEqual(self.get("bench:histogram", piece, base=3, map=1).status_code, 404)

    def test_channels_are_unpacked_at_the_first_step(self):
        data = io.BytesIO()
        Image.fromarray(np.dstack([(HEIGHTS >> 8).astype(np.uint8)] * 4), "RGBA").save(data, "PNG")
        piece = self.piece(data.getvalue(), "packed-height.png")
        page = self.client.get(f"/piece/{piece.pk}/source/")
        self.assertContains(page, "Packed channels")
        self.assertContains(page, "Alpha holds")
        self.post("bench:change", piece, 1, step="source", **{"layers.0.content.unpacked.green": "roughness"})
        answer = self.get("bench:preview", piece, base=2, view="along-roughness", longest=64)
        np.testing.assert_array_equal(unpacked(answer)[1]["pixels"], HEIGHTS >> 8)
        self.assertNotContains(self.client.get(f"/piece/{self.piece().pk}/source/"), "Packed channels")
        # a picture that lies on another can be unpacked too
        dunes = self.piece()
        source = Source.objects.get(filename="packed-height.png")
        self.post("bench:layers", dunes, 1, **{"action": "source", "from": f"source:{source.pk}"})
        page = self.client.get(f"/piece/{dunes.pk}/relief/?layer=1")
        self.assertContains(page, "Alpha holds")
        self.post("bench:change", dunes, 2, **{"layers.1.content.unpacked.alpha": "roughness"})
        self.assertEqual(self.recipe(dunes).main.companion_roles(), ["roughness"])
        answer = self.get("bench:preview", dunes, base=3, view="along-roughness", longest=64)
        self.assertGreater(np.ptp(unpacked(answer)[1]["pixels"]), 10)

    def test_a_set_brings_its_normal_map_along(self):
        heights = png(HEIGHTS)
        normal = png(np.broadcast_to(np.uint8([128, 128, 255]), (48, 64, 3)).copy())
        files = {"hull_height.png": heights, "hull_normal.png": normal}
        sets, _ = gather_sets([keep_source(the_artist(), name, data) for name, data in files.items()])
        piece = begin_piece_of_set(sets[0])
        self.assertContains(self.client.get(f"/piece/{piece.pk}/maps/"), "The set&#x27;s normal map")
        own, both = (
            unpacked(self.get("bench:preview", piece, base=1, view="normal", longest=64, **draft))[1]["pixels"]
            for draft in ({}, {"d.maps.normal.of": "both"})
        )
        self.assertLessEqual(np.abs(own.astype(int) - both).max(), 1)  # laid on the relief, flat changes nothing
