"""Pictures are dropped: each becomes a piece, and a bad one is said without stopping the others."""

from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from relief.tests.tags import long
from studio.bench.beginning import begin_piece
from studio.bench.tests.case import HEIGHTS, StudioTestCase, png
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece, Source


class BeginTests(StudioTestCase):
    def drop(self, *files: tuple[str, bytes]):
        pictures = [SimpleUploadedFile(name, data) for name, data in files]
        return self.client.post(reverse("bench:begin"), {"pictures": pictures})

    def test_one_picture_opens_the_bench_at_its_source(self):
        answer = self.drop(("dunes height.png", png(HEIGHTS)))
        piece = Piece.objects.get()
        self.assertRedirects(answer, reverse("bench:step", args=[piece.pk, "source"]))
        self.assertEqual(piece.title, "dunes height")

    def test_several_go_to_the_shelf_and_a_broken_one_is_said(self):
        self.assertRedirects(self.drop(("a.png", png(HEIGHTS)), ("b.png", png(HEIGHTS // 2))), "/")
        answer = self.drop(("c.png", png(HEIGHTS // 3)), ("broken.png", png(HEIGHTS)[:300]), ("empty.png", b""))
        self.assertContains(answer, "broken or incomplete", status_code=422)
        self.assertContains(answer, "The file is empty.", status_code=422)
        self.assertEqual(Piece.objects.count(), 3)

    def test_names_are_shown_as_text_and_cut_to_length(self):
        answer = self.drop(("<script>alert(1)</script>.png", b"no picture"))
        self.assertNotContains(answer, "<script>alert", status_code=422)
        self.drop(("x" * 500 + ".png", png(HEIGHTS)))
        self.assertEqual(len(Source.objects.get().filename), 200)
        self.assertEqual(len(Piece.objects.get().title), 120)

    def test_nothing_chosen(self):
        self.assertContains(self.client.post(reverse("bench:begin")), "Choose a picture", status_code=422)

    def test_a_full_disk_keeps_nothing_and_says_so(self):
        with mock.patch("studio.shelf.models.write_whole", side_effect=OSError(28, "No space left on device")):
            answer = self.drop(("a.png", png(HEIGHTS)))
        self.assertContains(answer, "The disk is full", status_code=422)
        self.assertEqual((Piece.objects.count(), Source.objects.count()), (0, 0))

    def test_an_upload_over_the_limit_is_refused_before_it_is_read(self):
        noise = png(np.random.default_rng(0).integers(0, 255, (80, 80, 3), np.uint8))
        with self.settings(LARGEST_UPLOAD=10_000):
            answer = self.drop(("large.png", noise))
        self.assertContains(answer, "It is too large.", status_code=422)
        self.assertEqual(Source.objects.count(), 0)

    @long
    def test_a_constant_and_a_one_pixel_picture_become_pieces_that_can_be_looked_at(self):
        for name, pixels in (("flat.png", np.full((9, 9), 70, np.uint8)), ("dot.png", np.zeros((1, 1), np.uint8))):
            self.drop((name, png(pixels)))
            piece = Piece.objects.latest("pk")
            for path in ("bench:measured", "bench:facts", "bench:preview", "bench:mesh"):
                self.assertEqual(self.get(path, piece, base=1).status_code, 200, (name, path))

    def test_one_picture_that_becomes_no_piece_does_not_stop_the_others(self):
        """It is said by its name, whatever went wrong with it."""
        made = [keep_source(the_artist(), f"{name}.png", png(HEIGHTS + number)) for number, name in enumerate("abc")]

        def begin(source, title):
            if source == made[1]:
                raise ZeroDivisionError
            return begin_piece(source, title)

        numbers = ",".join(str(source.pk) for source in made)
        with mock.patch("studio.bench.pages.views.begin_piece", begin), self.assertLogs("studio.bench"):
            answer = self.client.post("/pieces", {"source": numbers}, headers={"accept": "application/json"})
        self.assertEqual(Piece.objects.count(), 2)
        (name, reason), *others = answer.json()["refused"]
        self.assertEqual((name, others), ("b.png", []))
        self.assertIn("kept on the shelf", reason)

    def test_what_is_not_known_of_a_generated_ground_or_a_long_number_is_not_found(self):
        self.client.post("/pieces/from-nothing", {"kind": "waves"})
        piece = Piece.objects.get()
        self.assertEqual(self.client.get(f"/piece/{piece.pk}/facts").status_code, 404)
        digits = "9" * 5000
        for address in (
            f"/piece/{digits}/",
            f"/piece/{piece.pk}/preview?base=1&view=more-{digits}",
            f"/?size={digits}",
        ):
            self.assertIn(self.client.get(address).status_code, (200, 404))
