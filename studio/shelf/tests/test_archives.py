"""Archives are read entry by entry; what is not a picture, a trap or broken is passed over or said."""

import io
import stat
import zipfile
from unittest import TestCase

import numpy as np

from relief.errors import PictureError
from studio.shelf.archives import incoming
from studio.shelf.tests.case import grey, png, zipped

NOISE = png(np.random.default_rng(0).integers(0, 255, (40, 40, 3), np.uint8))


def came(data: bytes, name: str = "things.zip") -> dict[str, bytes | str]:
    """What comes in, errors as their sentence."""
    return {
        key: str(item) if isinstance(item, PictureError) else item for key, item in incoming(name, io.BytesIO(data))
    }


class ArchiveTests(TestCase):
    def test_a_picture_is_itself_and_an_archive_its_pictures(self):
        self.assertEqual(came(grey(), "a.png"), {"a.png": grey()})
        files = {
            "maps/a.png": grey(),
            "maps/READ-ME.txt": b"x",
            "__MACOSX/._a.png": b"x",
            ".b.png": b"x",
            "b.TIF": b"y",
            "meshes/post.obj": b"z",
        }
        self.assertEqual(came(zipped(files)), {"a.png": grey(), "b.TIF": b"y", "post.obj": b"z"})

    def test_names_that_lead_elsewhere_are_cut_to_their_last_part(self):
        files = {"../../etc/evil.png": grey(1), "/absolute.png": grey(2), "..\\windows.png": grey(3)}
        self.assertEqual(set(came(zipped(files))), {"evil.png", "absolute.png", "windows.png"})

    def test_links_are_passed_over(self):
        data = io.BytesIO()
        with zipfile.ZipFile(data, "w") as archive:
            link = zipfile.ZipInfo("link.png")
            link.external_attr = (stat.S_IFLNK | 0o777) << 16
            archive.writestr(link, "/etc/passwd")
            archive.writestr("a.png", grey())
        self.assertEqual(came(data.getvalue()), {"a.png": grey()})

    def test_ten_thousand_entries_and_no_picture_are_refused(self):
        self.assertIn("10000 entries", came(zipped({f"{number}.png": b"" for number in range(10_000)}))["things.zip"])
        self.assertIn("no picture", came(zipped({"a.txt": b"x"}))["things.zip"])

    def test_a_thousandfold_expansion_is_refused_before_it_is_unpacked(self):
        bomb = zipped({"bomb.bmp": bytes(30_000_000), "a.png": grey()}, zipfile.ZIP_DEFLATED)
        self.assertLess(len(bomb), 60_000)
        self.assertEqual(came(bomb), {"bomb.bmp": "It expands too much to be a picture.", "a.png": grey()})

    def test_an_entry_that_lies_about_its_size_is_broken(self):
        data = bytearray(zipped({"a.png": NOISE, "b.png": grey()}))
        for mark in (b"PK\x03\x04", b"PK\x01\x02"):
            place = data.index(mark) + (22 if mark[2] == 3 else 24)
            data[place : place + 4] = (len(NOISE) + 5000).to_bytes(4, "little")
        self.assertIn("broken", came(bytes(data))["a.png"])

    def test_broken_and_locked_archives(self):
        whole = zipped({"a.png": NOISE, "b.png": grey()})
        self.assertNotIn("a.png", came(whole[: len(whole) // 2]))
        damaged = bytearray(whole)
        damaged[60:70] = b"0123456789"
        found = came(bytes(damaged))
        self.assertEqual((found["a.png"], found["b.png"]), ("It is broken inside the archive.", grey()))
        locked = bytearray(whole)
        for mark, step in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
            locked[locked.index(mark) + step] |= 1
        self.assertIn("password", came(bytes(locked))["a.png"])

    def test_names_that_are_no_text_or_empty_and_an_archive_of_several_disks(self):
        stored = zipped({"a.png": NOISE, "b\u00e9.png": NOISE})
        self.assertIn("broken", str(came(stored.replace("b\u00e9.png".encode(), b"b\xe9\xff.png"))["things.zip"]))
        end = stored.rfind(b"PK\5\6")
        disks = stored[: end + 4] + b"\3\0\2\0" + stored[end + 8 :]
        self.assertTrue(came(disks))  # pictures, or a sentence
        central = bytearray(stored)
        place = central.find(b"PK\1\2")
        central[place + 28 : place + 30] = b"\0\0"  # a name of no letters, found by the fuzzer
        self.assertTrue(came(bytes(central)))
