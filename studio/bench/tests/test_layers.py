"""Layers as the bench posts them; what is tried, seen alone and pressed in; and pieces that begin with nothing."""

import json
from pathlib import Path

import numpy as np
from django.urls import reverse

from relief.generate import GENERATORS
from relief.tests.tags import long
from studio.bench.models import Revision
from studio.bench.tests.case import HEIGHTS, StudioTestCase, png, unpacked
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece, read_source
from studio.shelf.sets import gather_sets
from studio.shelf.tests.case import set_files

STROKE = '{"work": "raise", "points": [[0.2, 0.5, 1], [0.8, 0.5, 1]], "radius": 40, "strength": 0.5}'


class LayerTests(StudioTestCase):
    def names(self, piece) -> list[str]:
        return [layer.name for layer in self.recipe(piece).main.layers]

    def add(self, piece, base: int, kind: str = "net"):
        return self.post("bench:layers", piece, base, action="add", kind=kind)

    def test_layers_are_added_named_moved_duplicated_removed_and_undone(self):
        piece = self.piece()
        self.assertContains(self.add(piece, 1), 'data-layer="1" aria-current="true"')
        self.add(piece, 2, "cellular_noise")
        self.post("bench:layers", piece, 3, action="name", number=1, name="Old net")
        self.post("bench:layers", piece, 4, action="move", number=2, to=1)
        self.assertEqual(self.names(piece), ["dunes-height.png", "Cellular noise", "Old net"])
        self.post("bench:layers", piece, 5, action="duplicate", number=2)
        self.post("bench:layers", piece, 6, action="remove", number=1)
        self.assertEqual(self.names(piece), ["dunes-height.png", "Old net", "Old net"])
        for number in range(7, 1, -1):
            self.post("bench:undo", piece, number)
        self.assertEqual(self.names(piece), ["dunes-height.png"])

    def test_what_cannot_be_piled_is_refused(self):
        piece = self.piece()
        for values, words in (
            ({"action": "add", "kind": "magic"}, "no such kind of layer"),
            ({"action": "remove", "number": "0"}, "needs at least one layer"),
            ({"action": "move", "number": "7", "to": "0"}, "no such layer"),
        ):
            self.assertContains(self.post("bench:layers", piece, 1, **values), words, status_code=422)
        for values in ({"action": "dance", "number": 0}, {"action": "name"}, {"action": "source", "from": "source:99"}):
            self.assertEqual(self.post("bench:layers", piece, 1, **values).status_code, 404, values)
        self.assertEqual(Revision.objects.filter(piece=piece).count(), 1)

    def test_treatments_go_to_the_layer_that_is_chosen(self):
        piece = self.piece()
        self.add(piece, 1)
        self.post("bench:treatments", piece, 2, action="add", kind="terrace", layer=1)
        recipe = self.recipe(piece)
        self.assertEqual([treatment.kind for treatment in recipe.main.layers[1].treatments], ["terrace"])
        self.assertEqual(len(recipe.main.layers[0].treatments), 3)
        page = self.client.get(reverse("bench:step", args=[piece.pk, "relief"]), {"layer": "1"})
        self.assertContains(page, "layers.1.treatments.0.count")
        for layer in ("99", "-1", "x", ""):
            answer = self.client.get(reverse("bench:step", args=[piece.pk, "relief"]), {"layer": layer})
            self.assertEqual(answer.status_code, 200)

    @long
    def test_every_kind_of_layer_is_shown_with_its_controls(self):
        piece = self.piece()
        for number, kind in enumerate((*GENERATORS, "imprints", "strokes"), start=1):
            answer = self.add(piece, number, kind)
            self.assertContains(
                answer,
                f'data-owner="layers.{number}.content"'
                if kind in ("imprints", "strokes")
                else f"layers.{number}.mask.source",
            )
        answer = self.get("bench:preview", piece, base=number + 1, longest=64)
        _, arrays = unpacked(answer)
        self.assertEqual(arrays["layers"].shape, (number + 1, 64))

    def test_repeats_offer_to_divide_the_amount(self):
        """Common practice, no source: repeated 2 x 2 over the same size, half the amount keeps the look."""
        piece = self.piece()
        self.add(piece, 1)
        answer = self.post("bench:change", piece, 2, layer=1, **{"layers.1.layout.repeats_across": "2"})
        self.assertContains(answer, "Divide the amount by it")
        self.post("bench:layers", piece, 3, action="halve", number=1)
        self.assertEqual(self.recipe(piece).main.layers[1].amount, 0.1)

    def test_what_was_nudged_is_said(self):
        piece = self.piece()
        self.add(piece, 1, "squares")
        answer = self.post("bench:change", piece, 2, layer=1, **{"layers.1.content.width": "110"})
        self.assertContains(answer, "The field is 100 mm instead of 110 mm, so that 3 fit.")

    def test_a_set_from_the_shelf_becomes_a_layer_with_its_companions(self):
        piece = self.piece()
        sets, _ = gather_sets([keep_source(the_artist(), *file) for file in set_files().items()])
        self.post("bench:layers", piece, 1, action="source", **{"from": f"set:{sets[0].pk}"})
        recipe = self.recipe(piece)
        self.assertEqual(recipe.main.layers[1].content.companions, {"colour": "colour", "normal": "normal"})
        self.assertEqual(set(recipe.sources), {"picture", "colour", "height", "normal"})
        single = keep_source(the_artist(), "stamp.png", png(HEIGHTS[:20, :20].copy()))
        self.post("bench:layers", piece, 2, action="source", **{"from": f"source:{single.pk}"})
        self.assertEqual(self.recipe(piece).main.layers[2].source, "picture 2")


class LookTests(StudioTestCase):
    def test_a_layer_is_tried_before_it_is_taken_and_seen_alone(self):
        piece = self.piece()
        _, plain = unpacked(self.get("bench:preview", piece, base=1, view="displacement", longest=64))
        _, tried = unpacked(
            self.get("bench:preview", piece, base=1, view="displacement", longest=64, **{"try": "squares"})
        )
        self.assertGreater(np.abs(plain["pixels"].astype(int) - tried["pixels"]).mean(), 2)
        self.assertEqual(len(self.recipe(piece).main.layers), 1)
        self.post("bench:layers", piece, 1, action="add", kind="squares")
        _, alone = unpacked(self.get("bench:preview", piece, base=2, view="displacement", longest=64, layer=1, alone=1))
        self.assertEqual(alone["pixels"].max(), round(0.2 * 255), "as much of it as is laid")
        self.assertEqual(self.get("bench:preview", piece, base=1, **{"try": "magic"}).status_code, 422)

    def test_where_a_layer_is_seen_is_ochre_and_the_rest_blue(self):
        piece = self.piece()
        self.post("bench:layers", piece, 1, action="add", kind="squares")
        changes = {"layers.1.blend": "taller", "layers.1.amount": "2", "layers.1.offset": "-1", "layers.1.passage": "0"}
        self.post("bench:change", piece, 2, **changes)
        header, arrays = unpacked(self.get("bench:preview", piece, base=3, view="seen", layer=1))
        colour = arrays["pixels"].astype(int)
        ochre = (colour[..., 0] > colour[..., 2]).mean()
        self.assertTrue(0.3 < ochre < 0.97)
        self.assertEqual(arrays["contest"].shape, arrays["section"].shape)
        self.assertEqual(header["wraps"], list(self.recipe(piece).main.final_edges.wraps))

    def test_long_drafts_of_strokes_are_posted(self):
        piece = self.piece()
        self.post("bench:layers", piece, 1, action="add", kind="strokes")
        values = {"base": 2, "view": "displacement", "layer": 1, "d.layers.1.content.strokes+": STROKE}
        answer = self.client.post(reverse("bench:preview", args=[piece.pk]), values)
        _, drafted = unpacked(answer)
        _, kept = unpacked(self.get("bench:preview", piece, base=2, view="displacement"))
        self.assertGreater(np.abs(drafted["pixels"].astype(int) - kept["pixels"]).max(), 20)
        self.assertEqual(self.recipe(piece).main.layers[1].content.strokes, ())
        self.assertFalse(any(self.kept_files()), "what is only tried out is not kept")

    def kept_files(self) -> list[Path]:
        """Files that hold a stroke."""
        files = (place for place in self.media.rglob("*") if place.is_file())
        return [place for place in files if place.read_bytes().startswith(b'{"falloff"')]

    def test_a_stroke_is_posted_alone_kept_by_its_hash_and_undone(self):
        piece = self.piece()
        self.post("bench:layers", piece, 1, action="add", kind="strokes")
        for base in (2, 3, 4):
            answer = self.post("bench:change", piece, base, **{"layers.1.content.strokes+": STROKE})
            self.assertEqual(answer.status_code, 200)
        strokes = self.recipe(piece).main.layers[1].content.strokes
        self.assertEqual(len(strokes), 3)
        self.assertEqual(len(self.kept_files()), 1, "the same stroke is kept once")
        self.assertEqual(json.loads(read_source(strokes[0]))["radius"], 40)
        self.assertLess(len(json.dumps(Revision.objects.now(piece).recipe)), 8000)
        height = self.preview_of(piece, 5)
        self.post("bench:undo", piece, 5)
        self.assertEqual(len(self.recipe(piece).main.layers[1].content.strokes), 2)
        self.assertGreater(np.abs(height - self.preview_of(piece, 4)).max(), 0)

    def preview_of(self, piece, base) -> np.ndarray:
        return unpacked(self.get("bench:preview", piece, base=base, view="displacement"))[1]["pixels"].astype(int)

    def test_what_is_no_stroke_is_refused_in_a_sentence(self):
        piece = self.piece()
        self.post("bench:layers", piece, 1, action="add", kind="strokes")
        for item, words in (
            ("[", "could not be read"), ("7", "cannot be set"), ('{"work": "carve"}', "cannot be set"),
            ('{"work": "raise", "points": [], "radius": 4}', "points"),
        ):  # fmt: skip
            answer = self.post("bench:change", piece, 2, **{"layers.1.content.strokes+": item})
            self.assertContains(answer, words, status_code=422)
        answer = self.post("bench:change", piece, 2, **{"layers.1.amount+": "1"})
        self.assertContains(answer, "no parameter", status_code=422)
        self.assertEqual(self.kept_files(), [])

    def test_a_picture_drawn_up_to_its_edge_is_found(self):
        piece = self.piece()
        blank = np.zeros((40, 40), np.uint8)
        blank[10:30, 10:30] = 200
        for number, (pixels, inked) in enumerate(
            ((blank, False), (np.ascontiguousarray(HEIGHTS[:40, :40] >> 8).astype(np.uint8), True))
        ):
            source = keep_source(the_artist(), f"stamp {number}.png", png(pixels))
            base = self.piece_at(piece)
            self.post("bench:layers", piece, base, action="source", **{"from": f"source:{source.pk}"})
            self.post("bench:layers", piece, base + 1, action="add", kind="imprints")
            top = len(self.recipe(piece).main.layers) - 1
            key = self.recipe(piece).main.layers[top - 1].source
            changes = {
                f"layers.{top}.content.source": key,
                f"layers.{top}.content.shape": "picture",
                f"layers.{top}.content.count": "3",
            }
            self.post("bench:change", piece, base + 2, **changes)
            page = self.get("bench:measured", piece, base=base + 3)
            (self.assertContains if inked else self.assertNotContains)(page, "Stamp touches its border")

    def piece_at(self, piece) -> int:
        piece.refresh_from_db()
        return piece.position


class FromNothingTests(StudioTestCase):
    @long
    def test_a_piece_begins_with_noise_and_goes_through_every_step(self):
        answer = self.client.post(reverse("bench:from-nothing"), {"kind": "cellular_noise"})
        piece = Piece.objects.get()
        self.assertRedirects(answer, reverse("bench:step", args=[piece.pk, "relief"]))
        for step in ("source", "relief", "maps", "surface", "deliver"):
            self.assertEqual(self.client.get(reverse("bench:step", args=[piece.pk, step])).status_code, 200)
        for name in ("measured", "preview", "mesh", "repeats"):
            self.assertEqual(self.get(f"bench:{name}", piece, base=1).status_code, 200, name)
        self.assertContains(self.get("bench:measured", piece, base=1), "Steepest 5 %")
        self.assertEqual(self.client.post(reverse("bench:from-nothing"), {"kind": "magic"}).status_code, 404)

    def test_the_gallery_shows_every_noise_and_pattern_in_one_light(self):
        for kind in GENERATORS:
            self.assertEqual(self.client.get(reverse("bench:gallery", args=[kind]))["Content-Type"], "image/png")
            self.assertEqual(len(self.client.get(reverse("bench:gallery-section", args=[kind])).json()["heights"]), 64)
        self.assertEqual(self.client.get(reverse("bench:gallery", args=["magic"])).status_code, 404)

    def test_a_hint_is_closed_for_good(self):
        piece = self.piece()
        Piece.objects.update(guide="Drag this, watch that.")
        address = reverse("bench:step", args=[piece.pk, "relief"])
        self.assertContains(self.client.get(address), "watch that")
        self.client.post(reverse("bench:close-guide", args=[piece.pk]))
        self.assertNotContains(self.client.get(address), "watch that")


class MaskPictureTests(StudioTestCase):
    def test_a_picture_of_the_shelf_is_chosen_as_a_mask(self):
        piece = self.piece()
        self.post("bench:layers", piece, 1, action="add", kind="net")
        self.post("bench:change", piece, 2, **{"layers.1.mask.source": "picture"})
        spread = np.zeros((40, 60), np.uint8)
        spread[:, :30] = 255
        source = keep_source(the_artist(), "spread.png", png(spread))
        page = self.client.get(reverse("bench:step", args=[piece.pk, "relief"]), {"layer": 1}).content.decode()
        self.assertIn(f'value="shelf:{source.pk}"', page)
        self.post("bench:change", piece, 3, **{"layers.1.mask.picture": f"shelf:{source.pk}"})
        recipe = self.recipe(piece)
        self.assertEqual(recipe.sources[recipe.main.layers[1].mask.picture].digest, source.digest)
        self.assertIn(piece, source.users)
        answer = self.post("bench:change", piece, 4, **{"layers.1.mask.picture": "shelf:999999"})
        self.assertEqual(answer.status_code, 404)
