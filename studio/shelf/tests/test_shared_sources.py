"""What came in twice belongs to both: nothing that was gathered loses a picture to what is gathered later."""

from __future__ import annotations

import numpy as np
from django.urls import reverse

from studio.bench.beginning import begin_piece, begin_piece_of_set
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import LitSeries, Piece, Source, TextureSet
from studio.shelf.series import put_together
from studio.shelf.sets import gather_sets, keep_set
from studio.shelf.tests.case import ShelfTestCase, grey, png, set_files


class SharedSourcesTests(ShelfTestCase):
    def keep(self, files: dict[str, bytes]) -> list[Source]:
        return [keep_source(the_artist(), name, data) for name, data in files.items()]

    def photos(self, count: int = 5) -> list[Source]:
        return self.keep({f"plate_{number}.png": grey(40 + number) for number in range(count)})

    def assert_every_page_opens(self):
        pages = [reverse("shelf:shelf")]
        pages += [reverse("shelf:set", args=[each.pk]) for each in TextureSet.objects.filter(removed=None)]
        pages += [reverse("shelf:series", args=[each.pk]) for each in LitSeries.objects.filter(removed=None)]
        for piece in Piece.objects.all():
            pages += [
                reverse("bench:step", args=[piece.pk, step])
                for step in ("source", "relief", "maps", "surface", "deliver")
            ]
        for page in pages:
            self.assertEqual(self.client.get(page).status_code, 200, page)

    def test_the_same_files_again_are_the_same_set_as_the_artist_left_it(self):
        (first,), _ = gather_sets(self.keep(set_files()))
        member = first.by_role()["height"]
        self.client.post(reverse("shelf:assign", args=[member.pk]), {"role": "mask", "set": first.pk})
        self.client.post(reverse("shelf:tag", args=["set", first.pk]), {"tags": "north"})
        (again,), _ = gather_sets(self.keep(set_files()))
        self.assertEqual(
            (again.pk, again.tags, set(again.by_role())), (first.pk, "north", {"colour", "mask", "normal"})
        )
        begin_piece_of_set(again)
        self.assert_every_page_opens()

    def test_a_second_set_shares_what_the_first_one_has(self):
        (first,), _ = gather_sets(self.keep(set_files()))
        (second,), _ = gather_sets(self.keep(set_files() | {"dune_roughness.png": grey(9)}))
        self.assertEqual((first.members.count(), second.members.count()), (3, 4))
        self.assert_every_page_opens()

    def test_a_set_that_was_removed_comes_back_when_its_files_do(self):
        (first,), _ = gather_sets(self.keep(set_files()))
        self.client.post(reverse("shelf:remove", args=["set", first.pk]))
        (again,), _ = gather_sets(self.keep(set_files()))
        self.assertEqual((again.pk, again.removed), (first.pk, None))

    def test_pages_draw_a_set_whose_members_are_gone(self):
        piece = begin_piece(self.keep({"wall.png": png(np.arange(4096, dtype=np.uint16).reshape(64, 64))})[0], "Wall")
        TextureSet.objects.create(owner=the_artist(), name="Emptied")
        (kept,), _ = gather_sets(self.keep(set_files()))
        for member in kept.present:
            answer = self.client.post(
                reverse("shelf:remove", args=["source", member.pk]), headers={"hx-request": "true"}
            )
            self.assertContains(answer, "“Dune” lacks it until it is put back")
        self.assertTrue(piece.pk)
        self.assert_every_page_opens()
        self.assertNotContains(self.client.get(reverse("shelf:shelf")), "Emptied")

    def test_a_second_identical_series_is_the_first(self):
        photos = self.photos()
        for chosen in (photos, photos, photos[::-1]):
            self.client.post(reverse("shelf:put-together"), {"photo": [photo.pk for photo in chosen]})
        first = LitSeries.objects.get()
        self.assertEqual(len(first.present), 5)
        self.client.post(reverse("shelf:light-series", args=[first.pk]), {"azimuth-0": "33"})
        self.assertEqual(put_together(photos).lights[0][0], 33)

    def test_photos_belong_to_several_series(self):
        photos = self.photos()
        whole, part = put_together(photos), put_together(photos[1:])
        self.assertEqual((len(whole.present), len(part.present)), (5, 4))
        self.assert_every_page_opens()

    def test_lights_stay_with_their_photos_when_one_is_removed(self):
        photos = self.photos()
        series = put_together(photos)
        self.client.post(reverse("shelf:light-series", args=[series.pk]), {"azimuth-3": "111"})
        self.client.post(reverse("shelf:remove", args=["source", photos[0].pk]))
        page = self.client.get(reverse("shelf:series", args=[series.pk]))
        self.assertContains(page, 'name="azimuth-3" value="111.0"')
        self.assertContains(page, "1 photo of this series was removed from the shelf")

    def test_a_number_that_no_row_has_is_no_photo(self):
        for number in ("9223372036854775808", "٣", "-1", "x"):
            answer = self.client.post(reverse("shelf:put-together"), {"photo": [number]})
            self.assertEqual(answer.status_code, 422, number)

    def test_sets_that_are_measured_of_the_same_photos_are_one(self):
        files = self.keep({"plate_height.png": grey(3), "plate_colour.png": grey(4)})
        self.assertEqual(keep_set(files, "Plate, measured"), keep_set(files[::-1], "Plate, measured"))


class SwatchAddressTests(ShelfTestCase):
    def test_a_row_of_the_same_number_with_another_picture_has_another_address(self):
        """A browser that kept swatches for a year must not show them for what another database numbers alike."""
        addresses = set()
        for value in (10, 200):
            source = keep_source(the_artist(), "wall.png", grey(value))
            piece = begin_piece(source, "Wall")
            page = self.client.get(reverse("shelf:shelf")).content.decode()
            addresses.add(page.split(f"{reverse('bench:swatch', args=[piece.pk, 1])}?")[1].split('"')[0])
            piece.revisions.all().delete()
            Piece.objects.all().delete()
            Source.objects.all().delete()
        self.assertEqual(len(addresses), 2)
