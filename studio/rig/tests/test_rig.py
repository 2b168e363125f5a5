"""The rig: a surface is photographed slowly and becomes a lit series whose ball tells where the lamp stood."""

import tempfile
from unittest import mock

import numpy as np
from django.contrib.auth import get_user_model
from django.test import TestCase, override_settings
from django.urls import reverse
from huey.contrib.djhuey import HUEY

from relief.depth.light import Ball, Light
from relief.depth.series import lights_of, photos_of
from relief.errors import Cancelled, ReliefError
from relief.sources.decode import decode
from relief.synthetic.rig import ball_beside, lights_around, photograph_surface
from relief.synthetic.surfaces import SURFACES
from relief.tests.tags import long
from studio.background.carrying import WorkProgress
from studio.middleware import the_artist
from studio.rig import tasks
from studio.rig.models import Shoot
from studio.shelf.models import LitSeries, Source
from studio.shelf.tests.case import SignedInTestCase


class PhotographTests(TestCase):
    def test_photos_differ_in_grain_and_a_shaken_camera_moves(self):
        def photos(seed: int, shaken: bool) -> list[np.ndarray]:
            made = photograph_surface("beach-pebble", 3, 96, seed, shaken)
            return [decode(data, name).pixels.astype(float) / 65535 for name, data in made]

        steady, again, other = photos(1, False), photos(1, False), photos(2, False)
        np.testing.assert_array_equal(steady, again)
        self.assertEqual(steady[0].shape, (96, 96, 3))
        grain = np.abs(np.array(steady) - np.array(other)).mean()
        moved = np.abs(np.array(steady) - np.array(photos(1, True))).mean(axis=(1, 2, 3))
        self.assertLess(moved[0], 1e-9, "the first photo lies where it should")
        self.assertGreater(min(moved[1:]), 2 * grain)

    @long
    def test_a_ball_tells_the_lights_of_a_steady_camera_and_of_a_shaken_one(self):
        for shaken, most in ((False, 0.5), (True, 4)):
            photos = photos_of(
                [decode(data, name) for name, data in photograph_surface("roughcast", 5, 512, 7, shaken)]
            )
            lights = lights_of(photos, Ball(*ball_beside(512, 512)))
            for light, (azimuth, elevation) in zip(lights, lights_around(5), strict=True):
                off = np.degrees(np.arccos(min(1, light.direction @ Light(azimuth, elevation).direction)))
                self.assertLess(off, most)

    def test_what_it_cannot_take_is_said(self):
        for photos, size in ((2, 512), (25, 512), (8, 32), (8, 4096)):
            with self.assertRaisesRegex(ReliefError, "A rig takes"):
                photograph_surface("hex-floor", photos, size, 0, False)


class ShootTests(SignedInTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(override_settings(MEDIA_ROOT=self.enterContext(tempfile.TemporaryDirectory())))
        self.enterContext(mock.patch.multiple(tasks, SETTLING=0, SIZE=256))
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True

    def start(self, **values):
        return self.client.post(reverse("rig:start"), {"surface": "beach-pebble", "photos": "4", **values})

    @long
    def test_a_surface_becomes_a_lit_series_whose_lights_its_ball_tells(self):
        self.assertContains(self.client.get(reverse("rig:rig")), "Beach pebble")
        self.assertContains(self.start(), "Mark its ball")
        made = LitSeries.objects.get()
        self.assertEqual((made.photos.count(), made.width), (4, SURFACES["beach-pebble"].width))
        self.assertContains(self.client.get(reverse("shelf:series", args=[made.pk])), f'value="{made.width:g}"')
        ball = dict(zip(("ball-x", "ball-y", "ball-radius"), ball_beside(256, 256), strict=True))
        answer = self.client.post(reverse("shelf:light-series", args=[made.pk]), {**ball, "read": "1"})
        self.assertEqual(answer.status_code, 302, answer.content.decode()[:3000])
        made.refresh_from_db()
        for (azimuth, elevation), (asked, height) in zip(made.lights, lights_around(4), strict=True):
            self.assertLess(abs((azimuth - asked + 180) % 360 - 180), 4)
            self.assertLess(abs(elevation - height), 4)
        self.start()
        self.assertEqual((LitSeries.objects.count(), Source.objects.count()), (2, 8), "each shoot has its own grain")

    def test_a_shoot_is_watched_and_cancelled_and_keeps_nothing(self):
        one = Shoot.objects.create(owner=the_artist(), key="hex-floor", photos=3)
        one.claim("me")
        progress = WorkProgress(one, "me")
        progress.step(0.3, "Photo 1 of 3")
        page = self.client.get(reverse("rig:shoots"))
        self.assertContains(page, "Photo 1 of 3")
        self.assertContains(page, "hx-trigger")
        self.assertContains(self.client.post(reverse("rig:cancel", args=[one.pk])), "Cancelled")
        with self.assertRaises(Cancelled):
            tasks.shoot(one, progress)
        self.assertEqual(Source.objects.count(), 0)

    def test_what_is_not_there_is_said(self):
        wrong = ({"surface": "moon"}, {"photos": "2"}, {"photos": "25"}, {"photos": "many"}, {"photos": "9" * 5000})
        for values in wrong:
            with self.subTest(values):
                self.assertEqual(self.start(**values).status_code, 422)
        self.assertEqual(Shoot.objects.count(), 0)
        other = Shoot.objects.create(owner=get_user_model().objects.create(username="else"), key="limewash", photos=3)
        self.assertEqual(self.client.post(reverse("rig:cancel", args=[other.pk])).status_code, 404)
        self.assertNotContains(self.client.get(reverse("rig:shoots")), "Limewash")
