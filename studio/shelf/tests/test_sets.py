"""Files that belong together become a set; it is looked at, corrected, and becomes a piece."""

import io

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image

from relief.sources.roles import READING_OF
from studio.bench.beginning import begin_piece, begin_piece_of_set
from studio.bench.models import Revision
from studio.bench.tests.case import unpacked
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece, Source, TextureSet
from studio.shelf.sets import gather_sets
from studio.shelf.tests.case import ShelfTestCase, grey, png, set_files, three_maps, zipped


class SetTestCase(ShelfTestCase):
    def keep(self, files: dict[str, bytes]) -> list[Source]:
        return [keep_source(the_artist(), name, data) for name, data in files.items()]

    def made(self, **more) -> TextureSet:
        """A set whose normal map is read with green up, whatever it was guessed to be."""
        sources = self.keep(set_files(**more))
        Source.objects.update(green="up")
        return gather_sets(Source.objects.filter(pk__in=[source.pk for source in sources]))[0][0]


class GatherTests(SetTestCase):
    def test_files_of_one_name_become_a_set_and_others_stay_alone(self):
        sources = self.keep({**set_files(), "holiday.png": grey(9), "other_height.png": grey(7)})
        sets, alone = gather_sets(sources)
        self.assertEqual([item.name for item in sets], ["Dune"])
        self.assertEqual(set(sets[0].by_role()), {"colour", "height", "normal"})
        self.assertEqual({source.filename for source in alone}, {"holiday.png", "other_height.png"})

    def test_two_pictures_without_a_role_in_their_names_are_no_set(self):
        self.assertEqual(gather_sets(self.keep({"wall 1.png": grey(1), "wall 2.png": grey(2)}))[0], [])

    def test_a_zip_is_kept_in_one_go_and_becomes_one_piece(self):
        upload = SimpleUploadedFile("dune.zip", zipped({**set_files(), "dune_notes.png": b"broken"}))
        answer = self.client.post(reverse("shelf:keep"), {"pictures": [upload]}).json()
        self.assertEqual([name for name, _ in answer["refused"]], ["dune_notes.png"])
        begun = self.client.post(
            reverse("bench:begin"), {"source": answer["sources"]}, headers={"accept": "application/json"}
        )
        piece = Piece.objects.get()
        self.assertEqual(begun.json()["go"], reverse("bench:step", args=[piece.pk, "source"]))
        recipe = Revision.objects.now(piece).read()
        self.assertEqual(
            (recipe.main.layers[0].content.source, set(recipe.sources)), ("height", {"colour", "height", "normal"})
        )


class LookTests(SetTestCase):
    def test_reversed_green_is_found_and_mended_with_one_click(self):
        one = self.made(green="down")
        page = self.client.get(reverse("shelf:set", args=[one.pk]))
        self.assertContains(page, "Green is reversed")
        mended = self.client.post(reverse("shelf:mend", args=[one.pk]), {"finding": "green"})
        self.assertNotContains(mended, "Green is reversed")
        self.assertEqual(one.by_role()["normal"].green, "down")
        self.assertNotContains(self.client.post(reverse("shelf:mend", args=[one.pk]), {"finding": "x"}), "reversed")

    def test_a_display_curve_in_the_height_is_said_and_mended_in_the_piece(self):
        files = set_files(green="up")
        linear = np.asarray(Image.open(io.BytesIO(files["dune_height.png"]))) / 65535
        bent = np.rint(linear ** (1 / 2.2) * 65535).astype(np.uint16)
        one = gather_sets(self.keep(files | {"dune_height.png": png(bent)}))[0][0]
        page = self.client.post(reverse("shelf:mend", args=[one.pk]), {"finding": "gamma"}, follow=True)
        self.assertContains(page, "Display gamma in the height")
        self.assertFalse(one.by_role()["height"].inverted)
        piece = begin_piece_of_set(one)
        self.assertContains(
            self.client.get(reverse("bench:measured", args=[piece.pk]), {"base": 1}), "Remove the display"
        )
        values = {"base": 1, "step": "source", "finding": "gamma"}
        self.client.post(reverse("bench:mend", args=[piece.pk]), values)
        self.assertEqual(Revision.objects.get(piece=piece, number=2).read().main.layers[0].content.transfer, "srgb")
        page = self.client.get(reverse("bench:measured", args=[piece.pk]), {"base": 2})
        self.assertNotContains(page, "Display gamma")

    def test_a_role_is_corrected_and_nonsense_is_not_found(self):
        one = self.made()
        member = one.by_role()["height"]
        self.client.post(reverse("shelf:assign", args=[member.pk]), {"role": "mask"})
        self.assertEqual(set(one.by_role()), {"colour", "mask", "normal"})
        for values in ({"role": "poem"}, {"green": "sideways"}):
            self.assertEqual(self.client.post(reverse("shelf:assign", args=[member.pk]), values).status_code, 404)

    def test_every_map_is_seen_as_it_is_by_channel_and_lit(self):
        one = self.made(green="up")
        for role, member in one.by_role().items():
            for view in ("picture", "lit", *member.facts.channels):
                answer = self.client.get(reverse("shelf:pixels", args=[member.pk]), {"view": view})
                _, arrays = unpacked(answer)
                self.assertEqual(arrays["pixels"].shape[:2], (64, 64), (role, view))
            self.assertEqual(self.client.get(reverse("shelf:swatch", args=[member.pk])).status_code, 200)
        wrong = self.client.get(reverse("shelf:pixels", args=[member.pk]), {"view": "mud"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("no channel “mud”", wrong.json()["message"])

    def test_height_and_normal_map_of_one_relief_are_lit_alike(self):
        members = self.made(green="up").by_role()
        lit = []
        for role in ("height", "normal"):
            _, arrays = unpacked(self.client.get(reverse("shelf:pixels", args=[members[role].pk]), {"view": "lit"}))
            lit.append(arrays["pixels"][4:-4, 4:-4, :2].astype(float).ravel())
        self.assertGreater(np.corrcoef(*lit)[0, 1], 0.95)


class PieceOfASetTests(SetTestCase):
    def test_a_set_without_height_gets_one_from_its_normal_map(self):
        files = set_files(green="up")
        height = files.pop("dune_height.png")
        one = gather_sets(self.keep(files))[0][0]
        piece = begin_piece_of_set(one)
        content = Revision.objects.now(piece).read().main.layers[0].content
        self.assertEqual((content.source, content.reading), ("normal", READING_OF["normal"]))
        _, arrays = unpacked(
            self.client.get(reverse("bench:preview", args=[piece.pk]), {"base": 1, "view": "displacement"})
        )
        expected = np.asarray(Image.open(io.BytesIO(height)))
        self.assertGreater(np.corrcoef(arrays["pixels"].ravel(), expected.ravel())[0, 1], 0.98)

    def test_height_is_taken_from_another_map_or_channel_of_the_set(self):
        piece = begin_piece_of_set(self.made())
        page = self.client.get(reverse("bench:step", args=[piece.pk, "source"]))
        self.assertContains(page, "Colour: dune_colour.png")
        values = {"base": 1, "step": "source", "layers.0.content.source": "colour"}
        answer = self.client.post(reverse("bench:change", args=[piece.pk]), values)
        self.assertContains(answer, 'data-revision="2"')
        values = {"base": 2, "step": "source", "layers.0.content.channel": "blue"}
        self.client.post(reverse("bench:change", args=[piece.pk]), values)
        _, arrays = unpacked(self.client.get(reverse("bench:preview", args=[piece.pk]), {"base": 3, "view": "grey"}))
        np.testing.assert_array_equal(arrays["pixels"], 40)
        # a picture with other channels starts without what was set for these
        for base, values in enumerate(
            ({"layers.0.content.unpacked.red": "mask"}, {"layers.0.content.source": "height"}), start=3
        ):
            self.client.post(reverse("bench:change", args=[piece.pk]), {"base": base, "step": "source", **values})
        content = Revision.objects.get(piece=piece, number=5).read().main.layers[0].content
        self.assertEqual((content.source, content.channel, content.unpacked.roles()), ("height", "", {}))
        self.assertEqual(self.client.get(reverse("bench:preview", args=[piece.pk]), {"base": 5}).status_code, 200)

    def test_a_packed_picture_brings_what_its_name_says_of_its_channels(self):
        """`orm` is occlusion, roughness, metalness in red, green, blue (common practice, no source)."""
        parts = three_maps()
        files = set_files() | {"dune_orm.png": png(np.dstack(parts)), "dune_roughness.png": png(parts[2])}
        sets, alone = gather_sets(self.keep(files))
        self.assertEqual((len(sets), alone, sets[0].by_role()["packed"].filename), (1, [], "dune_orm.png"))
        piece = begin_piece_of_set(sets[0])
        for role, expected in (("occlusion", parts[0]), ("metalness", parts[2]), ("roughness", parts[2])):
            preview = reverse("bench:preview", args=[piece.pk])
            answer = self.client.get(preview, {"base": 1, "view": f"along-{role}", "longest": 64})
            np.testing.assert_array_equal(unpacked(answer)[1]["pixels"], expected, role)
        page = self.client.get(reverse("bench:step", args=[piece.pk, "source"]))
        self.assertContains(page, '<option value="packed" selected>Packed: dune_orm.png</option>')
        # the height is taken from elsewhere; what was unpacked stays, as it is another picture still
        values = {"base": 1, "step": "source", "layers.0.content.source": "colour"}
        self.client.post(reverse("bench:change", args=[piece.pk]), values)
        content = Revision.objects.get(piece=piece, number=2).read().main.layers[0].content
        self.assertEqual((content.source, content.unpacked.source), ("colour", "packed"))

    def test_a_packed_picture_alone_is_unpacked_at_once(self):
        parts = three_maps()
        source = keep_source(the_artist(), "quay_rma.png", png(np.dstack(parts)))
        recipe = Revision.objects.now(begin_piece(source, "Quay")).read()
        self.assertEqual(recipe.main.layers[0].content.reading, "height")
        held = {"roughness": "red", "metalness": "green", "occlusion": "blue"}
        self.assertEqual(recipe.main.layers[0].content.unpacked.roles(), held)

    def test_a_set_with_a_packed_picture_lies_on_another_relief(self):
        parts = three_maps()
        sets, _ = gather_sets(self.keep(set_files() | {"dune_orm.png": png(np.dstack(parts))}))
        piece = begin_piece_of_set(sets[0])
        values = {"base": 1, "step": "relief", "action": "source", "from": f"set:{sets[0].pk}"}
        self.client.post(reverse("bench:layers", args=[piece.pk]), values)
        beside = Revision.objects.get(piece=piece, number=2).read().main.layers[1].companions
        self.assertEqual(beside["roughness"], ("packed 2", "green"))

    def test_an_inverted_height_starts_inverted(self):
        one = self.made()
        Source.objects.filter(role="height").update(inverted=True)
        recipe = Revision.objects.now(begin_piece_of_set(one)).read()
        self.assertTrue(recipe.main.layers[0].treatments[2].on)
