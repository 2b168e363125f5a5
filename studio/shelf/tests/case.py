"""What the shelf's tests share: a media folder that goes away with the test, and pictures."""

from __future__ import annotations

import io
import tempfile
import zipfile

import numpy as np
from django.conf import settings
from django.test import TestCase, override_settings
from PIL import Image

from relief.maps.normal import Normal, normal_map
from relief.tests.height_fields import WRAP, field, rough
from studio.middleware import the_artist


def png(pixels: np.ndarray) -> bytes:
    """Pixels as the bytes of a PNG."""
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "PNG")
    return data.getvalue()


def grey(value: int = 0) -> bytes:
    """A small grey picture."""
    return png(np.full((4, 6), value, np.uint8))


def zipped(files: dict[str, bytes], packing: int = zipfile.ZIP_STORED) -> bytes:
    """Files as a ZIP."""
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", packing) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return data.getvalue()


def set_files(green: str = "down") -> dict[str, bytes]:
    """A texture set of one relief."""
    heights = rough(64, 64)
    colour = np.dstack(
        [np.full((64, 64), 190, np.uint8), np.full((64, 64), 120, np.uint8), np.full((64, 64), 40, np.uint8)]
    )
    return {
        "dune_colour.png": png(colour),
        "dune_height.png": png(np.rint(heights * 65535).astype(np.uint16)),
        "dune_normal.png": png(normal_map(field(heights, edges=WRAP), 6, Normal(green=green))),
    }


def three_maps() -> list[np.ndarray]:
    """Three grey pictures of 64 x 64 that have nothing to do with each other, as they are packed into channels."""
    return [np.rint(rough(64, 64, seed) * 255).astype(np.uint8) for seed in range(3)]


class SignedInTestCase(TestCase):
    """In a shared studio the artist is signed in whose things the tests make, so that they run there as well."""

    def setUp(self):
        super().setUp()
        if settings.SHARED:
            self.client.force_login(the_artist())


class ShelfTestCase(SignedInTestCase):
    def setUp(self):
        super().setUp()
        media = self.enterContext(tempfile.TemporaryDirectory())
        # however busy the machine is, nothing goes on in the background but where a test asks for it
        self.enterContext(override_settings(MEDIA_ROOT=media, INTAKE_AT_ONCE=600))
