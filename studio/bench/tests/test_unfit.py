"""A change is checked as a whole before it becomes a state; a piece that no longer fits opens all the same."""

from django.urls import reverse

from relief.deliver.plan import plan
from relief.deliver.plan_maps import apply_delivery
from relief.recipe.map_edits import add_map, add_pack
from relief.recipe.relief import MOST_PACKS
from studio.bench.models import Revision
from studio.bench.pages.steps import BY_NAME
from studio.bench.tests.case import StudioTestCase


class UnfitTests(StudioTestCase):
    def packed(self, presets: list[str]):
        piece = self.piece()
        for number, preset in enumerate(presets, start=1):
            Revision.objects.edit_relief(piece, number, lambda relief, preset=preset: add_pack(relief, preset))
        return piece

    def pages(self, piece):
        return [self.client.get(reverse("bench:step", args=[piece.pk, name])) for name in BY_NAME]

    def test_a_change_that_no_delivery_could_be_made_of_is_refused_and_not_kept(self):
        piece = self.packed(["empty"] * MOST_PACKS)
        for name, values in (
            ("bench:change", {"delivery.pack": "gltf"}),
            ("deliveries:change", {"action": "take-profile", "profile": "Game tile"}),
        ):
            answer = self.post(name, piece, MOST_PACKS + 1, **values)
            self.assertContains(answer, "at most 8 packed pictures", status_code=422)
        self.assertEqual(piece.revisions.count(), MOST_PACKS + 1)
        self.assertEqual({page.status_code for page in self.pages(piece)}, {200})

    def test_a_piece_that_no_longer_fits_opens_says_why_and_goes_back(self):
        """Such a state was kept by earlier versions of the app."""
        piece = self.packed(["empty"] * MOST_PACKS)
        revision = Revision.objects.now(piece)
        recipe = revision.read().with_changes({"delivery.pack": "gltf"})
        Revision.objects.create(
            piece=piece, number=10, parent=revision.number, recipe=recipe.as_data(), label="Extra packing"
        )
        type(piece).objects.filter(pk=piece.pk).update(position=10)
        for page in self.pages(piece):
            self.assertContains(page, "at most 8 packed pictures")
            self.assertContains(page, f"Go back to state {revision.number}")
        self.assertEqual(self.get("deliveries:panel", piece).status_code, 200)
        self.assertEqual(self.get("bench:measured", piece, base=10, step="relief").status_code, 200)
        piece.refresh_from_db()
        self.assertEqual(self.post("bench:change", piece, 10, amplitude="7").status_code, 200, "it can be worked on")
        self.client.post(reverse("bench:go-to-fitting", args=[piece.pk]))
        piece.refresh_from_db()
        self.assertEqual(piece.position, revision.number)

    def test_a_state_that_cannot_be_read_offers_the_last_one_that_can(self):
        piece = self.piece()
        Revision.objects.change(piece, 1, {"amplitude": 7})
        for data in ({"version": 99}, {}, [], {"version": 4, "reliefs": {}}, None):
            Revision.objects.filter(piece=piece, number=2).update(recipe=data if data is not None else "x")
            for page in self.pages(piece):
                self.assertContains(page, "Go back to state 1")
            self.assertEqual(self.client.get(reverse("shelf:shelf")).status_code, 200)
            self.assertEqual(self.get("bench:revisions", piece).status_code, 200)
            swatch = self.client.get(reverse("bench:swatch", args=[piece.pk, 2]))
            self.assertEqual(swatch.status_code, 404)
        answer = self.client.post(reverse("bench:go-to-fitting", args=[piece.pk]), follow=True)
        self.assertEqual(answer.status_code, 200)
        piece.refresh_from_db()
        self.assertEqual(piece.position, 1)

    def test_a_profile_does_not_pack_a_second_time_what_the_piece_packs(self):
        piece = self.piece()
        Revision.objects.edit_relief(piece, 1, lambda relief: add_map(relief, "occlusion"))
        Revision.objects.edit_relief(piece, 2, lambda relief: add_pack(relief, "gltf"))
        self.post("deliveries:change", piece, 3, action="take-profile", profile="Game tile")
        recipe = self.recipe(piece)
        self.assertEqual(recipe.delivery.pack, "gltf")
        packed = [file.filename for file in plan(apply_delivery(recipe), "Dunes") if file.name.startswith("pack-")]
        self.assertEqual(packed, ["Dunes_occlusion_roughness_metalness_2048.png"])
