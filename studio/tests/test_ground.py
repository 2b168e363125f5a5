"""The studio answers its own machine only, lends no page to another site, guards the data folder, and starts and ends
cleanly.
"""

import argparse
import errno
import io
import logging
import socket
import sqlite3
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase as PlainTestCase
from unittest import mock

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError, connection
from django.http import HttpResponse, StreamingHttpResponse
from django.templatetags.static import static
from django.test import RequestFactory, SimpleTestCase, TestCase, override_settings

from relief.errors import Cancelled
from relief.run.engine import Stage
from relief.tests.tags import long
from studio import demo
from studio import settings as settings_module
from studio.environment import read_choice, read_list, read_number
from studio.log import OnlyOurFaults
from studio.middleware import faults_in_words, head_without_body, one_after_the_other
from studio.ready import NOTE, is_ready, note_ready
from studio.shelf.engine import StudioEngine
from studio.web.wanted import TooLongError, answering


class ReadyTests(PlainTestCase):
    """A start looks whether there is something to be made ready only when code, machine or database have changed."""

    def test_it_is_noted_for_the_same_code_and_database(self):
        data = Path(self.enterContext(tempfile.TemporaryDirectory()))
        database = data / "studio.sqlite3"
        self.assertFalse(is_ready(data, database, with_pieces=False), "nothing is there")
        (data / NOTE).write_text(" with demo pieces")
        self.assertFalse(is_ready(data, database, with_pieces=True), "there is no database")
        with sqlite3.connect(database) as rows:
            rows.execute("create table django_migrations (id integer primary key, app text, name text)")
            rows.execute("insert into django_migrations (app, name) values ('shelf', '0001')")
        note_ready(data, database, with_pieces=False)
        self.assertTrue(is_ready(data, database, with_pieces=False))
        self.assertFalse(is_ready(data, database, with_pieces=True), "the demo pieces are missing")
        note_ready(data, database, with_pieces=True)
        self.assertTrue(is_ready(data, database, with_pieces=False))
        with mock.patch("studio.ready.computation_version", lambda: "another"):
            self.assertFalse(is_ready(data, database, with_pieces=True))
        with sqlite3.connect(database) as rows:
            rows.execute("insert into django_migrations (app, name) values ('shelf', '0002')")
        self.assertFalse(is_ready(data, database, with_pieces=True), "an older note of another database")
        for odd in (b"", b"\xff\xfe", b"x" * 10_000):
            (data / NOTE).write_bytes(odd)
            self.assertFalse(is_ready(data, database, with_pieces=False))
        database.write_bytes(b"no database")
        self.assertFalse(is_ready(data, database, with_pieces=False))


class ThisMachineTests(TestCase):
    def test_another_machine_is_refused(self):
        for address in ("192.0.2.7", "2001:db8::1", ""):
            self.assertEqual(self.client.get("/", REMOTE_ADDR=address).status_code, 403, address)
        for address in ("127.0.0.1", "::1"):
            self.assertEqual(self.client.get("/", REMOTE_ADDR=address).status_code, 200, address)

    def test_another_machine_is_answered_once_the_studio_is_opened_and_under_its_names_alone(self):
        with override_settings(OPEN_TO=["relief.example"], ALLOWED_HOSTS=["relief.example"]):
            asked = {"REMOTE_ADDR": "192.0.2.7"}
            self.assertEqual(self.client.get("/", headers={"host": "relief.example"}, **asked).status_code, 200)
            with self.assertLogs("django.security"):
                self.assertEqual(self.client.get("/", headers={"host": "other.example"}, **asked).status_code, 400)

    def test_numbers_of_the_environment_are_whole_and_in_bounds(self):
        for text in ("abc", "0", "-5", "1.5", "9" * 4 + "x"):
            named = mock.patch.dict("os.environ", {"GRAVEL_TEXELS": text})
            with named, self.assertRaisesRegex(SystemExit, "GRAVEL_TEXELS"):
                read_number("GRAVEL_TEXELS", 7)
        with mock.patch.dict("os.environ", {"GRAVEL_TEXELS": " 12 ", "GRAVEL_HOSTS": "a, b,,"}):
            self.assertEqual((read_number("GRAVEL_TEXELS", 7), read_list("GRAVEL_HOSTS")), (12, ["a", "b"]))
        with mock.patch.dict("os.environ", {"GRAVEL_TEXELS": ""}):
            self.assertEqual(read_number("GRAVEL_TEXELS", 7), 7)

    def test_a_word_of_the_environment_that_is_not_known_is_refused_in_one_line(self):
        with mock.patch.dict("os.environ", {"GRAVEL_LOG": "yaml"}), self.assertRaisesRegex(SystemExit, "text or json"):
            read_choice("GRAVEL_LOG", "text", "json")
        with mock.patch.dict("os.environ", {"GRAVEL_LOG": " JSON "}):
            self.assertEqual(read_choice("GRAVEL_LOG", "text", "json"), "json")

    def test_a_borrowed_name_is_refused_for_pages_and_files(self):
        for path in ("/", static("studio/studio.js")):
            with self.assertLogs("django.security"):
                self.assertEqual(self.client.get(path, headers={"host": "studio.example"}).status_code, 400)

    def test_the_policy_allows_no_inline_scripts_and_nothing_from_outside(self):
        policy = self.client.get("/")["Content-Security-Policy"]
        self.assertIn("script-src 'self'", policy)
        self.assertIn("default-src 'none'", policy)
        for word in ("unsafe", "http:", "https:", "*"):
            self.assertNotIn(word, policy)

    def test_an_address_that_does_not_exist_says_so(self):
        self.assertContains(self.client.get("/nowhere"), "There is nothing at this address", status_code=404)


class HeadTests(TestCase):
    def test_head_says_what_get_would_and_sends_no_body(self):
        """RFC 9110, 9.3.2: otherwise the next answer on a kept connection is read from the middle of this one."""
        for path in ("/", "/nowhere", "/gallery/dots.png", "/gallery/dots.json", "/rig/", "/catalogue/"):
            whole, head = self.client.get(path), self.client.head(path)
            self.assertEqual(head.status_code, whole.status_code, path)
            self.assertEqual(head.headers.get("Content-Type"), whole.headers.get("Content-Type"), path)
            self.assertEqual(int(head["Content-Length"]) > 0, bool(whole.content), path)
            self.assertEqual(head.content, b"", path)

    def test_a_stream_is_not_sent_for_head(self):
        stream = StreamingHttpResponse(iter([b"much"]), headers={"Content-Length": "4"})
        answer = head_without_body(lambda _: stream)(RequestFactory().head("/x"))
        self.assertEqual((b"".join(answer.streaming_content), answer["Content-Length"]), (b"", "4"))

    def test_the_length_of_what_get_sends_is_said(self):
        answer = head_without_body(lambda _: HttpResponse(b"12345"))(RequestFactory().head("/x"))
        self.assertEqual((answer.content, answer["Content-Length"]), (b"", "5"))
        answer = head_without_body(lambda _: HttpResponse(b"12345"))(RequestFactory().get("/x"))
        self.assertEqual(answer.content, b"12345")


class LogTests(SimpleTestCase):
    def written(self, name: str, **more) -> str:
        """What a record with a traceback becomes."""
        try:
            raise ValueError("inside")
        except ValueError:
            record = logging.LogRecord(name, logging.ERROR, "x.py", 1, "No good", (), sys.exc_info())
        vars(record).update(more)
        self.assertTrue(OnlyOurFaults().filter(record))
        return logging.Formatter().format(record)

    def test_a_request_that_was_no_good_leaves_one_line(self):
        self.assertEqual(self.written("django.security.DisallowedHost", status_code=400), "No good")
        self.assertEqual(self.written("django.request", status_code=400), "No good")
        self.assertIn("inside", self.written("django.request", status_code=500))
        self.assertIn("inside", self.written("studio.background.carrying"))

    def test_what_is_sent_wrongly_is_answered_and_leaves_no_traceback(self):
        for values in (
            {"headers": {"host": "elsewhere.example"}},
            {"content_type": "multipart/form-data; boundary=", "data": b"x"},
            {"content_type": "application/x-www-form-urlencoded; charset=nonsense", "data": b"%ff=%fe"},
        ):
            with self.assertLogs("django", "WARNING") as logged:
                answer = self.client.generic("POST", "/pieces", **values)
                logging.getLogger("django.request").warning("at least one line")
            self.assertLess(answer.status_code, 500, values)
            for record in logged.records:
                OnlyOurFaults().filter(record)
                self.assertNotIn("Traceback", logging.Formatter().format(record))


class LockedTests(TestCase):
    def test_a_database_that_is_locked_for_long_gets_a_sentence(self):
        locked = mock.patch("studio.shelf.views.search.sources", side_effect=OperationalError("database is locked"))
        with locked, self.assertLogs("studio.middleware"):
            answer = self.client.get("/")
        self.assertContains(answer, "database is busy", status_code=503)


class DatabaseTests(TestCase):
    def test_it_writes_ahead_and_waits_for_others(self):
        with connection.cursor() as cursor:
            self.assertEqual(cursor.execute("PRAGMA journal_mode").fetchone()[0], "wal")
            self.assertEqual(cursor.execute("PRAGMA busy_timeout").fetchone()[0], 20_000)


class HeadersTests(TestCase):
    def test_no_other_site_may_load_or_hold_what_is_answered(self):
        for path in ("/", static("studio/studio.js"), "/nowhere"):
            answer = self.client.get(path)
            self.assertEqual(answer["Cross-Origin-Resource-Policy"], "same-origin", path)
            self.assertEqual(answer["Cross-Origin-Opener-Policy"], "same-origin", path)


class StaticTests(TestCase):
    """Scripts and styles are kept by browsers; what has changed is at another address."""

    def test_a_script_is_kept_for_a_year_at_its_address(self):
        answer = self.client.get(static("studio/studio.js"))
        self.assertEqual(answer.status_code, 200)
        self.assertIn("max-age=31536000", answer["Cache-Control"])

    def test_a_page_that_stayed_open_finds_its_scripts_where_they_are_now(self):
        for before in ("/static/studio/studio.js", "/static/0123abcd/studio/studio.js"):
            self.assertRedirects(self.client.get(before), static("studio/studio.js"))
        for nowhere, told in (
            ("/static/studio/none.js", 404), (static("studio/none.js"), 404), ("/static/0123abcd/studio/", 404),
            ("/static/%00", 404), ("/static/" + "a" * 5000, 404),
            ("/static/0123abcd/../settings.py", 400), ("/static//elsewhere.example/a.js", 400),
        ):  # fmt: skip
            with self.subTest(nowhere[:40]):
                self.assertEqual(self.client.get(nowhere, follow=True).status_code, told)

    def test_the_address_changes_with_any_file(self):
        now = settings_module._fingerprint_of_static()
        self.assertIn(now, settings.STATIC_URL)
        read = Path.read_bytes
        with mock.patch.object(Path, "read_bytes", lambda path: read(path) + b" " * (path.name == "studio.css")):
            self.assertNotEqual(settings_module._fingerprint_of_static(), now)


class TurnsTests(TestCase):
    """Requests that compute take turns; the shelf and files are answered meanwhile."""

    def test_computing_waits_the_shelf_does_not_and_too_many_are_told_so(self):
        with override_settings(COMPUTING_AT_ONCE=1, COMPUTING_AND_WAITING=1):
            asked = []

            def page(request):
                asked.append(request.path_info)
                if len(asked) == 1:  # while the first one computes
                    self.assertEqual(answer(self.request("/piece/2/relief/")).status_code, 503)
                    self.assertEqual(answer(self.request("/")).status_code, 200)
                return HttpResponse()

            answer = one_after_the_other(page)
            self.assertEqual(answer(self.request("/piece/1/preview")).status_code, 200)
        self.assertEqual(asked, ["/piece/1/preview", "/"])

    def test_a_page_that_has_gone_is_not_computed_for(self):
        computed = []
        first = Stage("first", lambda: computed.append("first"))
        then = Stage("then", lambda _: computed.append("then"), inputs=(first,))
        request = self.request("/piece/1/preview")
        request.META["waitress.client_disconnected"] = lambda: bool(computed)
        with answering(request), self.assertRaises(Cancelled):
            StudioEngine().run(then)
        self.assertEqual(computed, ["first"])
        self.assertEqual(faults_in_words(None).process_exception(request, Cancelled()).status_code, 204)

    def test_what_takes_longer_than_a_request_may_is_given_up_with_a_sentence(self):
        request = self.request("/piece/1/preview")
        with override_settings(LONGEST_REQUEST=-1), answering(request), self.assertRaises(TooLongError) as raised:
            StudioEngine().run(Stage("any", lambda: 1))
        said = faults_in_words(None).process_exception(request, raised.exception)
        self.assertContains(said, "was stopped", status_code=422)

    def request(self, path: str):
        return RequestFactory().get(path)


class RefusalTests(TestCase):
    def test_a_full_disk_is_called_so_wherever_it_shows(self):
        """SQLite's own words for SQLITE_FULL, and the system's for ENOSPC."""
        problems = [OSError(errno.ENOSPC, "x"), OperationalError("database or disk is full")]
        wrapped = ValueError()
        wrapped.__cause__ = problems[0]
        for problem in (*problems, wrapped):
            for headers in ({"hx-request": "true"}, {"accept": "application/json"}, {"accept": "text/html"}):
                request = RequestFactory().post("/piece/1/change", headers=headers)
                with self.assertLogs("studio"):
                    answer = faults_in_words(None).process_exception(request, problem)
                self.assertContains(answer, "The disk is full", status_code=507)
        self.assertIsNone(faults_in_words(None).process_exception(request, KeyError()))

    def test_too_many_files_or_values_are_refused_in_words(self):
        many = {"pictures": [SimpleUploadedFile(f"{number}.png", b"x") for number in range(300)]}
        with self.assertLogs("django.security"):
            self.assertContains(self.client.post("/sources", many), "more files than", status_code=400)
        with self.assertLogs("django.security"):
            values = {f"d.{number}": "1" for number in range(1200)}
            self.assertContains(self.client.post("/pieces", values), "more values than", status_code=400)


class StartingTests(PlainTestCase):
    """What starting the studio refuses, in one line, before it touches anything."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_a_used_port(self):
        with socket.socket() as other:
            other.bind((demo.HOST, 0))
            other.listen()
            with self.assertRaisesRegex(demo.CannotStartError, "is taken"):
                demo.refuse_used_port(other.getsockname()[1])

    def test_a_folder_that_another_studio_holds(self):
        refused = self.assertRaisesRegex(demo.CannotStartError, "Another studio")
        with demo.hold_data(self.folder), refused, demo.hold_data(self.folder):
            self.fail("it was held twice")
        with demo.hold_data(self.folder):
            pass  # it is free again

    def test_a_file_in_place_of_a_folder(self):
        place = self.folder / "file"
        place.write_text("x")
        with self.assertRaisesRegex(demo.CannotStartError, "is a file"), demo.hold_data(place):
            self.fail("it was held")

    def test_a_port_that_is_none(self):
        for text in ("0", "99999", "-1", "9" * 5000, "port"):
            with self.assertRaises(argparse.ArgumentTypeError):
                demo._port(text)
        self.assertEqual(demo._port("8000"), 8000)

    def test_only_what_a_studio_made_is_removed_and_own_pieces_are_asked_about(self):
        photo = self.folder / "holiday.jpg"
        photo.write_text("x")
        (self.folder / "media" / "sources").mkdir(parents=True)
        (self.folder / "secret-key").write_text("x")
        with sqlite3.connect(self.folder / demo.DATABASE) as database:
            database.execute("create table shelf_piece (demo text)")
            database.execute("insert into shelf_piece values ('dunes'), ('')")
        database.close()
        with mock.patch("sys.stdin", io.StringIO()), self.assertRaisesRegex(demo.CannotStartError, "1 piece of your"):
            demo.empty_folder(self.folder, sure=False)
        self.assertTrue((self.folder / "media").exists())
        demo.empty_folder(self.folder, sure=True)
        self.assertEqual([place.name for place in self.folder.iterdir()], ["holiday.jpg"])
        demo.empty_folder(self.folder / "not-there-yet", sure=False)

    def test_a_part_that_was_killed_is_started_again_unless_it_happens_too_often(self):
        with mock.patch.object(demo.subprocess, "Popen") as start:
            start.return_value.poll.return_value = None
            running = demo.Running(8000)
            self.assertTrue(running.mend())
            self.assertEqual(start.call_count, 2)
            start.return_value.poll.return_value = -9
            with mock.patch("sys.stderr", io.StringIO()):
                self.assertTrue(running.mend())
                self.assertEqual(start.call_count, 4)
                for _ in range(4):
                    running.mend()
                self.assertFalse(running.mend())


class EndingTests(PlainTestCase):
    @long
    def test_children_end_with_a_parent_that_is_killed(self):
        """Linux's PR_SET_PDEATHSIG: a child of a process that gets SIGKILL is gone too."""
        child = "import os, time; from studio.background.child import end_with_parent; end_with_parent(os.getppid()); "
        child += "print(os.getpid(), flush=True); time.sleep(600)"
        parent = f"import subprocess, sys, time; subprocess.Popen([sys.executable, '-c', {child!r}]); time.sleep(600)"
        process = subprocess.Popen([sys.executable, "-c", parent], cwd=demo.HOUSE, stdout=subprocess.PIPE)
        number = int(process.stdout.readline())
        process.kill()
        process.wait()
        while Path(f"/proc/{number}").exists():
            time.sleep(0.05)
        process.stdout.close()
