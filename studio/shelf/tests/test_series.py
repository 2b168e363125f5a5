"""Lit series: recognised among what comes in, put together by hand, lit, and measured into a piece."""

from __future__ import annotations

import io

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from huey.contrib.djhuey import HUEY
from PIL import Image
from scipy.ndimage import gaussian_filter

from relief.synthetic.rig import take_series
from relief.tests.tags import long
from studio.bench.models import Revision
from studio.shelf.models import LitSeries, Piece, Source
from studio.shelf.tests.case import ShelfTestCase, png

LIGHTS = [(20 + 72 * number, 40 + 12 * (number % 2)) for number in range(5)]
BALL = (130.0, 84.0, 22.0)


def shots(lights: list[tuple[float, float]] = LIGHTS) -> tuple[np.ndarray, list[np.ndarray]]:
    """A hilly plate, 160 mm wide, and its photos in linear light, a ball in the corner."""
    height = gaussian_filter(np.random.default_rng(8).random((110, 160)), 5) * 90
    paint = np.full((110, 160, 3), 0.6)
    return height, list(take_series(height, 1, paint, lights, BALL))


def jpeg(light: np.ndarray) -> bytes:
    """sRGB with 8 bits (IEC 61966-2-1)."""
    shown = np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)
    data = io.BytesIO()
    Image.fromarray(np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8)).save(data, "JPEG", quality=95)
    return data.getvalue()


class LitSeriesTests(ShelfTestCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True

    def drop(self, names: list[str], files: list[bytes]):
        uploads = [SimpleUploadedFile(name, data) for name, data in zip(names, files, strict=True)]
        return self.client.post(reverse("bench:begin"), {"pictures": uploads})

    def series(self) -> tuple[np.ndarray, LitSeries]:
        height, photos = shots()
        answer = self.drop([f"plate_{number}.jpg" for number in range(1, 6)], [jpeg(photo) for photo in photos])
        made = LitSeries.objects.get()
        self.assertRedirects(answer, reverse("shelf:series", args=[made.pk]))
        return height, made

    def test_photos_that_are_counted_become_one_series_and_no_pieces(self):
        _, made = self.series()
        self.assertEqual((made.name, len(made.lights), Piece.objects.count()), ("Plate", 5, 0))
        names = [photo.source.filename for photo in made.present]
        self.assertEqual(names, [f"plate_{number}.jpg" for number in range(1, 6)])
        page = self.client.get(reverse("shelf:shelf"))
        self.assertContains(page, "Lit series")
        self.assertContains(page, "5 photos, the light moved")

    def test_photos_of_several_sizes_or_too_few_become_pieces_as_ever(self):
        _, photos = shots()
        files = [jpeg(photos[0]), jpeg(photos[1]), jpeg(photos[2][:80])]
        self.drop(["a_1.jpg", "a_2.jpg", "a_3.jpg"], files)
        self.assertEqual((LitSeries.objects.count(), Piece.objects.count()), (0, 3))
        self.assertContains(self.client.get(reverse("shelf:shelf")), "Put photos together as a lit series")
        chosen = [str(pk) for pk in Source.objects.values_list("pk", flat=True)]
        for photos_chosen, words in ((chosen, "the same size"), (chosen[:2], "3 to 24 photos")):
            answer = self.client.post(reverse("shelf:put-together"), {"photo": photos_chosen})
            self.assertContains(answer, words, status_code=422)
        self.drop(["b.jpg"], [jpeg(photos[3])])
        alike = [str(source.pk) for source in Source.objects.all() if source.facts.rows == 110]
        self.client.post(reverse("shelf:put-together"), {"photo": alike})
        self.assertEqual(LitSeries.objects.get().photos.count(), 3)

    @long
    def test_lights_are_read_from_the_ball_and_the_plate_is_measured_in_mm(self):
        height, made = self.series()
        ball = dict(zip(("ball-x", "ball-y", "ball-radius"), BALL, strict=True))
        self.client.post(reverse("shelf:light-series", args=[made.pk]), {**ball, "read": "1"})
        made.refresh_from_db()
        for found, asked in zip(made.lights, LIGHTS, strict=True):
            self.assertAlmostEqual(found[0], asked[0], delta=7)
            self.assertAlmostEqual(found[1], asked[1], delta=7)
        answer = self.client.post(reverse("bench:measure-series", args=[made.pk]), {**ball, "width": 160})
        piece = Piece.objects.get()
        self.assertRedirects(answer, reverse("bench:step", args=[piece.pk, "relief"]))
        relief = Revision.objects.now(piece).read().main
        self.assertEqual((relief.footprint.width, relief.picture.reading), (160, "height"))
        self.assertEqual(set(relief.picture.companions), {"colour", "normal"})
        self.assertAlmostEqual(relief.amplitude / np.ptp(height), 1, delta=0.5)

    def test_what_cannot_be_is_said(self):
        _, made = self.series()
        lights, measured = (reverse(name, args=[made.pk]) for name in ("shelf:light-series", "bench:measure-series"))
        for address, values, words in (
            (lights, {"azimuth-0": "x"}, "must be a number"), (lights, {"elevation-1": "120"}, "between 1 and 90"),
            (lights, {"read": "1"}, "Mark the ball"),
            (lights, {"estimate": "1"}, "needs 6 or more photos"), (measured, {"width": "-3"}, "The width in mm"),
            (lights, {"ball-x": "9000", "ball-y": "9", "ball-radius": "9", "read": "1"}, "between 0 and 160"),
            (lights, {"ball-x": "90", "ball-y": "9", "ball-radius": "100000", "read": "1"}, "between 2 and 80"),
            (lights, {"ball-y": "9", "read": "1"}, "x must be a number"),
            (lights, {"ball-x": "nan", "ball-y": "9", "ball-radius": "9"}, "between 0 and 160"),
            (measured, {"lamps": "near"}, "must be a number"),
            (measured, {"lamps": "near", "distance": "nan"}, "between 1 and"),
            (measured, {"lamps": "near", "distance": "-4"}, "between 1 and"),
            (measured, {"lamps": "near", "distance": "20", "width": "160"}, "or more from the middle"),
        ):  # fmt: skip
            self.assertContains(self.client.post(address, values), words, status_code=422)
        self.client.post(lights, {"azimuth-0": "300", "turn": "1"})
        made.refresh_from_db()
        self.assertEqual(made.lights[0][0], 120)
        flat = {f"elevation-{number}": 90 for number in range(5)}
        self.assertContains(self.client.post(measured, {**flat, "width": 10}), "coplanar", status_code=422)
        made.photos.first().delete()
        self.assertContains(self.client.post(measured, {"width": 10}), "were removed", status_code=422)

    @long
    def test_lights_of_the_ball_hold_there_and_lamps_stand_as_told(self):
        _, made = self.series()
        ball = {name: str(value) for name, value in zip(("ball-x", "ball-y", "ball-radius"), BALL, strict=True)}
        self.client.post(reverse("shelf:light-series", args=[made.pk]), {**ball, "read": "1"})
        made.refresh_from_db()
        self.assertTrue(made.lights_at_ball)
        for values, distance in (({"lamps": "far"}, 0), ({"lamps": "near", "distance": "900"}, 900), ({}, None)):
            self.client.post(reverse("bench:measure-series", args=[made.pk]), {**values, "width": 160})
            self.assertEqual(made.tasks.first().distance, distance)
        self.client.post(reverse("shelf:light-series", args=[made.pk]), {"azimuth-0": "12"})
        made.refresh_from_db()
        self.assertFalse(made.lights_at_ball, "a light that was set by hand is seen from the middle")

    def test_both_answers_of_estimated_lights_are_shown_and_change_places(self):
        _, photos = shots([(20 + 60 * number, 40 + 12 * (number % 2)) for number in range(6)])
        self.drop([f"plate_{number}.jpg" for number in range(6)], [jpeg(photo) for photo in photos])
        made = LitSeries.objects.get()
        page = reverse("shelf:series", args=[made.pk])
        self.client.post(reverse("shelf:light-series", args=[made.pk]), {"estimate": "1"})
        one, other = made.tasks.first().answers
        self.assertNotEqual(one, other)
        self.assertContains(self.client.get(page), "data:image/png;base64,", count=2)
        self.client.post(reverse("shelf:light-series", args=[made.pk]), {"turn": "1"})
        self.assertEqual(made.tasks.first().answers, [other, one])

    def test_grey_pictures_whose_names_say_what_they_are_stay_what_they_are(self):
        self.drop(
            [f"wall_height_{number}.png" for number in range(3)], [png(np.full((9, 9), v, np.uint8)) for v in (1, 2, 3)]
        )
        self.assertEqual(LitSeries.objects.count(), 0)
