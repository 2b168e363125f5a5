"""What the tests of the apps share: a studio of its own with one artist, and a piece to work on."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import numpy as np
from django.test import override_settings
from django.urls import reverse

from relief.tests.height_fields import rough
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece
from studio.shelf.tests.case import SignedInTestCase, png

HEIGHTS = np.rint(rough(48, 64) * 65535).astype(np.uint16)


class StudioTestCase(SignedInTestCase):
    """A studio whose files lie in a folder that goes away with the test."""

    def setUp(self):
        super().setUp()
        self.media = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(override_settings(MEDIA_ROOT=self.media))

    def piece(self, data: bytes | None = None, filename: str = "dunes-height.png") -> Piece:
        source = keep_source(the_artist(), filename, png(HEIGHTS) if data is None else data)
        return begin_piece(source, "Dunes")

    def post(self, name: str, piece: Piece, base: int, /, **values):
        """Posts as the bench does, from the relief step."""
        return self.client.post(reverse(name, args=[piece.pk]), {"base": base, "step": "relief", **values})

    def get(self, name: str, piece: Piece, **values):
        return self.client.get(reverse(name, args=[piece.pk]), values)

    def recipe(self, piece: Piece):
        piece.refresh_from_db()
        return Revision.objects.now(piece).read()


def unpacked(answer) -> tuple[dict, dict[str, np.ndarray]]:
    """The header and the arrays of a packet."""
    body = b"".join(answer.streaming_content)
    length = int.from_bytes(body[:4], "little")
    header = json.loads(body[4 : 4 + length])
    arrays = {}
    for name, about in header.pop("arrays").items():
        count = int(np.prod(about["shape"]))
        arrays[name] = np.frombuffer(body, about["type"], count, 4 + length + about["offset"]).reshape(about["shape"])
    return header, arrays
