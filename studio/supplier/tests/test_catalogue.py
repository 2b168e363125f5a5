"""The supplier: thirty surfaces that tile, found, looked at and taken; its failures are said and tried again."""

import io
import tempfile
import zipfile
from unittest import mock

import numpy as np
from django.contrib.auth import get_user_model
from django.test import TestCase, override_settings
from django.urls import reverse
from huey.contrib.djhuey import HUEY
from PIL import Image

from relief.errors import Cancelled
from relief.inspect.sets import set_findings
from relief.progress import Progress
from relief.sources.colour import full_scale
from relief.sources.facts import mean_colour
from relief.sources.picture import Picture
from relief.synthetic.textures import MAPS, TEXTURES, maps
from relief.tests.tags import long
from studio.background.carrying import WorkProgress
from studio.middleware import the_artist
from studio.shelf.models import TextureSet
from studio.shelf.search import FAMILIES, colour_family
from studio.shelf.tests.case import SignedInTestCase
from studio.supplier import tasks
from studio.supplier.models import Order
from studio.supplier.supplier import EVERY_FAILED, Supplier, SupplierError


def picture(pixels: np.ndarray) -> Picture:
    return Picture(pixels, pixels.dtype.itemsize * 8, "PNG")


class SurfaceTests(TestCase):
    def test_there_are_surfaces_of_every_colour(self):
        self.assertEqual({texture.family for texture in TEXTURES.values()}, set(FAMILIES))

    @long
    def test_each_has_the_colour_it_says_its_maps_agree_and_it_tiles(self):
        for key, texture in TEXTURES.items():
            made = {role: picture(pixels) for role, pixels in maps(texture, 256).items()}
            self.assertEqual(colour_family(*mean_colour(made["colour"])), texture.family, key)
            self.assertEqual(set_findings(made), [], key)
            # moved by half, no column or row of steps stands out where the edges now meet
            height = full_scale(made["height"].pixels)
            for axis in (0, 1):
                steps = np.abs(np.diff(np.roll(height, 128, axis), axis=axis)).mean(axis=1 - axis)
                self.assertLess(steps[127], max(2 * np.median(steps), np.percentile(steps, 99)) + 1e-6, (key, axis))

    def test_a_surface_is_the_same_at_every_size(self):
        for key in ("boiler-house-brick", "beach-pebble", "limewash", "fish-basket"):
            small, large = (full_scale(maps(TEXTURES[key], size, ("height",))["height"]) for size in (256, 512))
            averaged = large.reshape(256, 2, 256, 2).mean(axis=(1, 3))
            self.assertLess(np.abs(averaged - small).mean(), 0.02, key)


class SupplierTests(TestCase):
    def test_found_by_word_and_colour(self):
        supplier = Supplier(moods=False)
        self.assertIn("Fish basket", [texture.name for texture in supplier.search("weave willow")])
        self.assertEqual({texture.family for texture in supplier.search("", "blue")}, {"blue"})
        self.assertEqual(supplier.search("spaceship"), [])

    @long
    def test_every_fifth_package_breaks_off_and_goes_through_when_asked_for_again(self):
        supplier = Supplier()
        for number in range(1, EVERY_FAILED + 2):
            if number % EVERY_FAILED == 0:
                with self.assertRaisesRegex(SupplierError, "try again"):
                    supplier.package("limewash", 512, Progress())
            else:
                data = supplier.package("limewash", 512, Progress())
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            self.assertEqual(archive.namelist(), [f"limewash_{role}_512.png" for role in MAPS])
            height = np.asarray(Image.open(archive.open("limewash_height_512.png")))
        self.assertEqual((height.shape, height.dtype), ((512, 512), np.uint16))

    def test_what_it_does_not_have_is_said(self):
        supplier = Supplier(moods=False)
        for ask in (
            lambda: supplier.preview("nothing", "height", 256),
            lambda: supplier.preview("limewash", "poem", 256),
            lambda: supplier.package("limewash", 8192, Progress()),
        ):
            with self.assertRaises(SupplierError):
                ask()


class OrderTests(SignedInTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(override_settings(MEDIA_ROOT=self.enterContext(tempfile.TemporaryDirectory())))
        self.enterContext(mock.patch.object(tasks, "SUPPLIER", Supplier(moods=False)))
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True

    def take(self, key="hex-floor", size="512"):
        return self.client.post(reverse("supplier:take", args=[key]), {"size": size})

    def test_a_surface_is_taken_to_the_shelf_as_a_set(self):
        self.assertContains(self.take(), "Look at the set")
        one = TextureSet.objects.get()
        self.assertEqual((one.name, set(one.by_role())), ("Hex floor, 512", set(MAPS)))
        self.assertEqual(one.by_role()["colour"].facts.columns, 512)
        self.take()
        self.assertEqual(TextureSet.objects.count(), 1, "taken twice it is there once")

    def test_a_supplier_that_hangs_up_is_said_and_tried_again(self):
        with mock.patch.object(tasks.SUPPLIER, "package", side_effect=SupplierError("The supplier hung up half way.")):
            answer = self.take()
        self.assertContains(answer, "hung up half way")
        self.assertContains(answer, "Try again")
        self.assertEqual(TextureSet.objects.count(), 0)
        self.assertContains(self.take(), "Look at the set")

    def test_an_order_is_watched_and_cancelled(self):
        order = Order.objects.create(owner=the_artist(), key="hex-floor", size=512)
        order.claim("me")
        progress = WorkProgress(order, "me")
        progress.step(0.3, "Waiting for colour")
        self.assertContains(self.client.get(reverse("supplier:orders", args=["hex-floor"])), "Waiting for colour")
        self.assertContains(self.client.post(reverse("supplier:cancel", args=[order.pk])), "Cancelled")
        with self.assertRaises(Cancelled):
            progress.step(0.4, "Receiving colour")

    @long
    def test_pages_and_what_is_not_there(self):
        self.assertContains(self.client.get(reverse("supplier:catalogue")), "Surfaces")
        found = self.client.get(reverse("supplier:catalogue"), {"q": "cloth"}, headers={"hx-request": "true"})
        self.assertContains(found, "Deckchair canvas")
        self.assertNotContains(found, "Hex floor")
        self.assertContains(self.client.get(reverse("supplier:texture", args=["hex-floor"])), "turning surface")
        for role in MAPS:
            self.assertEqual(self.client.get(reverse("supplier:preview", args=["limewash", role])).status_code, 200)
        self.assertEqual(self.client.get(reverse("supplier:small", args=["limewash"]))["Content-Type"], "image/png")
        self.assertEqual(self.client.get(reverse("supplier:preview", args=["limewash", "poem"])).status_code, 422)
        self.assertEqual(self.client.get(reverse("supplier:texture", args=["spaceship"])).status_code, 404)
        for size in ("8192", "x", "-512", ""):
            self.assertEqual(self.take(size=size).status_code, 404)
        other = get_user_model().objects.create(username="somebody-else")
        order = Order.objects.create(owner=other, key="hex-floor", size=512)
        self.assertEqual(self.client.post(reverse("supplier:cancel", args=[order.pk])).status_code, 404)
