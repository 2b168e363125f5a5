"""What comes in is answered file by file, takes no longer in a request than it may, and goes on in the background."""

from __future__ import annotations

import io
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import RequestFactory, override_settings
from django.urls import reverse
from huey.contrib.djhuey import HUEY

from relief.errors import MeshError
from relief.sources.mesh.polygons import MOST_FACES_READ
from relief.sources.mesh.read import read_mesh
from studio.background.carrying import carry_out_once
from studio.middleware import the_artist
from studio.shelf.archives import count_entries
from studio.shelf.intake import keep_source
from studio.shelf.models import Arrival, SeriesTask, Source
from studio.shelf.series import put_together
from studio.shelf.tasks import take_in
from studio.shelf.tests.case import ShelfTestCase, grey, zipped
from studio.shelf.uploads import keep_uploads


def upload(data: bytes, name: str = "many.zip") -> SimpleUploadedFile:
    return SimpleUploadedFile(name, data)


class IntakeTests(ShelfTestCase):
    def keep(self, *files: SimpleUploadedFile) -> dict:
        return self.client.post(reverse("shelf:keep"), {"pictures": files}).json()

    def pictures(self, count: int) -> bytes:
        return zipped({f"wall {number}.png": grey(number) for number in range(count)})

    def test_what_takes_longer_than_a_request_may_goes_on_in_the_background(self):
        with override_settings(INTAKE_AT_ONCE=-1):
            answer = self.keep(upload(self.pictures(7)))
        self.assertEqual((answer["sources"], answer["refused"]), ([], []))
        (address,) = answer["arrivals"]
        self.assertTrue(self.client.get(address).json()["active"])
        self.assertContains(self.client.get(reverse("shelf:shelf")), "many.zip")
        arrival = Arrival.objects.get()
        self.assertTrue(arrival.path.exists())
        self.assertTrue(carry_out_once("shelf.Arrival", arrival.pk))
        told = self.client.get(address).json()
        self.assertEqual((told["active"], len(told["sources"]), told["refused"]), (False, 7, []))
        self.assertFalse(arrival.path.exists(), "it waits no longer")
        self.assertEqual(Source.objects.count(), 7)

    def test_it_goes_on_where_the_request_left_off(self):
        clock = iter([0, 0, 0, 0, *[1000] * 50])
        with mock.patch("studio.shelf.uploads.time", mock.Mock(monotonic=lambda: next(clock))):
            answer = self.keep(upload(self.pictures(5)))
        arrival = Arrival.objects.get()
        self.assertEqual((len(answer["sources"]), arrival.first), (3, 3))
        carry_out_once("shelf.Arrival", arrival.pk)
        arrival.refresh_from_db()
        self.assertEqual(len(arrival.kept), 2)

    @override_settings(LONGEST_INTAKE=-60)
    def test_an_upload_beyond_the_bound_gets_a_sentence_about_the_upload(self):
        arrival = Arrival.objects.create(owner=the_artist(), filename="many.zip")
        arrival.path.parent.mkdir(parents=True)
        arrival.path.write_bytes(self.pictures(3))
        done = take_in(arrival, mock.Mock())
        ((name, reason),) = done["refused"]
        self.assertEqual(name, "many.zip")
        self.assertIn("3 of its 3 files were not imported", reason)

    def test_intake_takes_no_turn_of_those_that_compute(self):
        """Two uploads that take long, and a picture is looked at meanwhile."""
        with mock.patch("studio.turns.Turns.take", side_effect=AssertionError("a turn was taken")):
            self.assertEqual(len(self.keep(upload(grey(3), "a.png"))["sources"]), 1)

    def test_whatever_one_file_does_the_others_are_answered(self):
        def breaks(owner, name, data):
            if name == "b.png":
                raise ZeroDivisionError
            return keep_source(owner, name, data)

        files = {"a.png": grey(1), "b.png": grey(2), "c.png": grey(3)}
        broken = mock.patch("studio.shelf.uploads.keep_source", side_effect=breaks)
        with broken, self.assertLogs("studio.shelf.uploads"):
            answer = self.keep(*(upload(data, name) for name, data in files.items()))
        self.assertEqual((len(answer["sources"]), [name for name, _ in answer["refused"]]), (2, ["b.png"]))

    def test_no_file_is_kept_and_refused_at_once(self):
        with mock.patch("studio.shelf.uploads.swatch_file", side_effect=MeshError("It cannot be drawn.")):
            answer = self.keep(upload(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "a.obj"))
        self.assertEqual((len(answer["sources"]), answer["refused"]), (1, []))

    def test_a_name_that_is_not_utf_8_is_said(self):
        """RFC 7578, 5.1: names are UTF-8 as a rule; Django leaves out a part whose head is not."""
        parts = []
        for name in (b"plain.png", "m\xfcnze.png".encode("latin-1")):
            head = b'Content-Disposition: form-data; name="pictures"; filename="' + name + b'"\r\n'
            parts += [b"--x\r\n", head, b"Content-Type: image/png\r\n\r\n", grey(5), b"\r\n"]
        body = b"".join([*parts, b"--x--\r\n"])
        request = RequestFactory().generic("POST", "/sources", body, "multipart/form-data; boundary=x")
        request.META["wsgi.input"] = request._stream = io.BytesIO(body)  # the server's, which can be read again
        request.artist = the_artist()
        taken = keep_uploads(request)
        self.assertEqual([source.filename for source in taken.kept], ["plain.png"])
        ((_, reason),) = taken.refused
        self.assertIn("Its name could not be read", reason)

    def test_entries_are_counted_as_they_are_taken(self):
        self.assertEqual(count_entries(io.BytesIO(self.pictures(4))), 4)
        self.assertEqual(count_entries(io.BytesIO(b"nothing")), 1)


class MeshFileTests(ShelfTestCase):
    def refuse(self, data: bytes, name: str, words: str):
        with self.assertRaisesRegex(MeshError, words):
            read_mesh(data, name)

    def ply(self, faces: str, count: int, kind: str = "int") -> bytes:
        head = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
        rest = f"property list {kind} {kind} vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n{faces}\n"
        return f"{head}element face {count}\n{rest}".encode()

    def test_numbers_that_cannot_be_get_a_sentence(self):
        self.refuse(self.ply("-3 0 1 2", 1), "a.ply", "cannot be read|negative number")
        self.refuse(self.ply("3 0 1 4294967298", 1), "a.ply", "not in it")
        self.refuse(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4294967299\n", "a.obj", "not in it")
        self.refuse(b"v -1e308 0 0\nv 1e308 0 0\nv 0 1e308 0\nf 1 2 3\n", "a.obj", "reaches farther")
        self.refuse(b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "a.obj", "not numbers")
        self.refuse(self.glb('{"scale": [' + "9" * 400 + ", 1, 1]}"), "a.glb", "cannot be read")
        self.refuse(self.glb('{"scale": ["x", {}, null]}'), "a.glb", "cannot be read")

    def glb(self, node: str) -> bytes:
        text = f'{{"asset": {{"version": "2.0"}}, "scenes": [{{"nodes": [0]}}], "nodes": [{node}]}}'.encode()
        text += b" " * (-len(text) % 4)
        size = (len(text)).to_bytes(4, "little")
        return b"glTF" + (2).to_bytes(4, "little") + (20 + len(text)).to_bytes(4, "little") + size + b"JSON" + text

    def test_all_solids_of_an_stl_are_read_in_one_go(self):
        facet = "facet normal 0 0 1\nouter loop\nvertex {0} 0 0\nvertex {0} 1 0\nvertex {0} 0 1\nendloop\nendfacet\n"
        text = "".join(f"solid s{n}\n{facet.format(n)}endsolid\n" for n in range(2500))
        mesh = read_mesh(text.encode(), "a.stl")  # 17 s where each was read by itself, 0.01 now
        self.assertEqual((mesh.faces, mesh.positions[:, 0].max()), (2500, 2499))
        self.refuse(text[: len(text) // 2].encode() + b"vertex 1 2\n", "a.stl", "cut off")

    def test_a_binary_stl_that_begins_as_text_does_is_read(self):
        """80 bytes of head, a count, 50 bytes a facet (common practice, no source)."""
        facets = np.zeros(2, [("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
        facets["corners"][0] = [[0, 0, 0], [1, 0, 0], [0, 1, 0]]
        facets["corners"][1] = [[0, 0, 5], [1, 0, 5], [0, 1, 5]]
        data = b"solid of another program".ljust(80) + (2).to_bytes(4, "little") + facets.tobytes()
        self.assertEqual((read_mesh(data, "a.stl").faces, read_mesh(data, "a.stl").positions[3, 2]), (2, 5))
        self.refuse(data[:-9], "a.stl", "cut off")

    def test_what_has_too_many_faces_is_refused_before_it_is_taken_apart(self):
        many = b"v 0 0 0\n" + b"f 1 1 1\n" * (MOST_FACES_READ + 1)
        with mock.patch("relief.sources.mesh.obj._faces", side_effect=AssertionError("it was taken apart")):
            self.refuse(many, "a.obj", "at most 1000000")
        self.refuse(self.ply("", MOST_FACES_READ + 1), "a.ply", "at most 1000000")

    def test_polygons_of_a_binary_ply_are_read_whatever_their_number_of_corners(self):
        """Triangles and quads in turns, with a colour for each face, both byte orders; against what was written."""
        rng = np.random.default_rng(4)
        positions = rng.normal(size=(500, 3)).astype(np.float32)
        faces = [rng.choice(500, 3 + number % 3, replace=False) for number in range(4000)]
        for order, mark in (("little", "<"), ("big", ">")):
            head = (
                f"ply\nformat binary_{order}_endian 1.0\nelement vertex 500\nproperty float x\nproperty float y\n"
                "property float z\nelement face 4000\nproperty uchar red\nproperty list uchar int vertex_indices\n"
                "property ushort flags\nend_header\n"
            ).encode()
            rows = [b"\x07" + bytes([len(face)]) + face.astype(f"{mark}i4").tobytes() + b"\0\1" for face in faces]
            mesh = read_mesh(head + positions.astype(f"{mark}f4").tobytes() + b"".join(rows), "a.ply")
            np.testing.assert_array_equal(mesh.corners, np.concatenate(faces))
            np.testing.assert_array_equal(np.diff(mesh.offsets), [len(face) for face in faces])
            self.refuse(head + positions.tobytes() + b"".join(rows)[:-3], "a.ply", "cut off")


class SeriesTaskTests(ShelfTestCase):
    def test_what_is_done_to_a_series_waits_in_the_background_and_can_be_cancelled(self):
        self.assertFalse(HUEY.immediate)
        photos = [
            Source.objects.get(pk=pk)
            for pk in self.client.post(
                reverse("shelf:keep"), {"pictures": [upload(grey(40 + n), f"p_{n}.png") for n in range(7)]}
            ).json()["sources"]
        ]
        series = put_together(photos)
        for _ in range(2):
            self.client.post(reverse("shelf:light-series", args=[series.pk]), {"estimate": "1"})
        task = SeriesTask.objects.get()
        self.assertEqual(task.state, "waiting")
        page = self.client.get(reverse("shelf:series", args=[series.pk]))
        self.assertContains(page, "Estimating the lights")
        self.client.post(reverse("shelf:cancel-task", args=[task.pk]))
        task.refresh_from_db()
        self.assertEqual(task.state, "cancelled")
