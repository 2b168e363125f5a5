"""Raw arrays on their way to the browser: a length, a JSON header, then the bytes of each array.

No picture is encoded while a hand moves. The header names each array's type, shape and place; places are multiples of
eight, so that the browser lays typed arrays over the bytes without copying.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from django.http import StreamingHttpResponse

ALIGNMENT = 8
PIECE = 1 << 20
"""Bytes that are handed on at a time."""


def packet(arrays: Mapping[str, np.ndarray], **header: Any) -> StreamingHttpResponse:
    """The answer that carries some arrays and what is to be known of them."""
    described, parts, place = {}, [], 0
    for name, array in arrays.items():
        data = np.ascontiguousarray(array)
        padding = -data.nbytes % ALIGNMENT
        described[name] = {"type": data.dtype.name, "shape": data.shape, "offset": place}
        parts += [memoryview(data).cast("B") if data.size else b"", b"\0" * padding]
        place += data.nbytes + padding
    text = json.dumps({**header, "arrays": described}).encode()
    text += b" " * (-(len(text) + 4) % ALIGNMENT)
    begun = len(text).to_bytes(4, "little") + text
    answer = StreamingHttpResponse(_pieces(begun, parts), content_type="application/octet-stream")
    answer["Content-Length"] = len(begun) + place
    answer["Cache-Control"] = "no-store"
    return answer


def _pieces(begun: bytes, parts: list[memoryview | bytes]) -> Iterator[memoryview | bytes]:
    """The bytes of a packet, a little at a time: what is sent is never copied as a whole."""
    yield begun
    for part in parts:
        for first in range(0, len(part), PIECE):
            yield part[first : first + PIECE]
