"""Harbour Stores, a supplier of textures: a small simulated stand-in for an outside service.

It answers as such a service does: in pieces, sometimes slowly, and sometimes it hangs up, so that waiting and trying
again are real. Nothing is fetched from anywhere; the surfaces are drawn on demand.
"""

from __future__ import annotations

import io
import itertools
import threading
import time
import zipfile
from collections.abc import Callable, Iterator
from functools import lru_cache

import numpy as np

from relief.deliver.dates import LONG_AGO
from relief.deliver.images import png
from relief.progress import Progress
from relief.synthetic.textures import MAPS, SIZES, TEXTURES, Texture, maps

SLOW = 1.5
"""Seconds that a slow answer takes."""

EVERY_SLOW, EVERY_FAILED = 7, 5
"""Every seventh preview is slow; every fifth package breaks off half way, and goes through when asked for again."""


class SupplierError(Exception):
    """The supplier did not deliver; the message is a sentence. Trying again may help."""


class Supplier:
    """The service. `moods` switches slow and failing answers off; `pause` is how slow ones are waited for."""

    def __init__(self, moods: bool = True, pause: Callable[[float], None] = time.sleep) -> None:
        self.moods, self.pause = moods, pause
        self._previews = itertools.count(1)
        self._packages = itertools.count(1)
        self._lock = threading.Lock()

    def search(self, word: str = "", family: str = "") -> list[Texture]:
        """The surfaces in which all words are found, and of a colour where one is asked for."""
        return [texture for texture in TEXTURES.values() if texture.matches(word, family)]

    def preview(self, key: str, role: str, size: int) -> np.ndarray:
        """One map of a surface, at most 1024 texels wide.

        Raises:
            SupplierError: there is no such surface or map.
        """
        texture = self._known(key)
        if role not in MAPS or not 16 <= size <= 1024:
            raise SupplierError("The supplier has no such map.")
        if self.moods and next(self._previews) % EVERY_SLOW == 0:
            self.pause(SLOW)
        return _draw_preview(texture.key, size)[role]

    def package(self, key: str, size: int, progress: Progress) -> bytes:
        """All maps of a surface as a ZIP.

        Raises:
            SupplierError: there is no such surface or size, or the supplier hung up.
            Cancelled: somebody asked for that.
        """
        texture = self._known(key)
        if size not in SIZES:
            raise SupplierError(f"The supplier delivers {', '.join(map(str, SIZES))} px.")
        with self._lock:
            breaks_off = self.moods and next(self._packages) % EVERY_FAILED == 0
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as archive:
            for number, (role, data) in enumerate(self._files(texture, size, progress)):
                if breaks_off and number == 2:
                    raise SupplierError("The supplier broke off half way. Nothing was kept; try again.")
                archive.writestr(zipfile.ZipInfo(f"{key}_{role}_{size}.png", LONG_AGO), data)
        return packed.getvalue()

    def _files(self, texture: Texture, size: int, progress: Progress) -> Iterator[tuple[str, bytes]]:
        """Each map as a file; progress is reported while it is drawn and packed."""
        done = itertools.count()
        made = maps(texture, size, tell=lambda role: progress.step(0.08 * next(done), f"Waiting for {role}"))
        for number, role in enumerate(MAPS):
            progress.step(0.5 + 0.1 * number, f"Receiving {role}")
            yield role, png(made.pop(role))

    def _known(self, key: str) -> Texture:
        if key not in TEXTURES:
            raise SupplierError("The supplier has no such surface.")
        return TEXTURES[key]


@lru_cache(maxsize=64)
def _draw_preview(key: str, size: int) -> dict[str, np.ndarray]:
    return maps(TEXTURES[key], size)
