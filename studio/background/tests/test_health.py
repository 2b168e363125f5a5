"""How the studio is doing: workers that live and die, work that waits too long, a disk that fills, and its logs."""

from __future__ import annotations

import io
import json
import logging
import os
import sys
import time
from collections import namedtuple
from contextlib import redirect_stdout
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.core.management import call_command
from django.test import override_settings
from django.utils import timezone

from studio.background import health
from studio.bench.models import Revision
from studio.bench.tests.case import StudioTestCase
from studio.deliveries.models import Job
from studio.log import OneLineOfJson

Usage = namedtuple("Usage", "total used free")


class HealthTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(override_settings(DATA=self.media))

    def asked(self) -> tuple[int, dict]:
        answer = self.client.get("/health")
        self.assertEqual(answer["Cache-Control"], "no-store")
        return answer.status_code, answer.json()

    def test_without_a_worker_it_is_not_well_and_says_what_to_do(self):
        status, told = self.asked()
        self.assertEqual((status, told["well"], told["workers"]), (503, False, 0))
        self.assertIn("gravel worker", told["problems"][0])

    def test_a_worker_counts_as_long_as_it_gives_signs_of_life(self):
        sign = health.give_sign()
        status, told = self.asked()
        self.assertEqual((status, told["well"], told["workers"], told["problems"]), (200, True, 1, []))
        os.utime(sign, (time.time() - 300,) * 2)
        self.assertEqual(self.asked()[0], 503)
        self.assertTrue(sign.exists(), "it may only be slow")
        os.utime(sign, (time.time() - 2 * 24 * 3600,) * 2)
        self.asked()
        self.assertFalse(sign.exists())

    def test_work_that_waits_too_long(self):
        health.give_sign()
        piece = self.piece()
        job = Job.objects.create(owner=piece.owner, revision=Revision.objects.now(piece))
        status, told = self.asked()
        self.assertEqual((status, told["waiting"], told["running"]), (200, 1, 0))
        Job.objects.filter(pk=job.pk).update(made=timezone.now() - timedelta(hours=2))
        status, told = self.asked()
        self.assertEqual(status, 503)
        self.assertIn("Work has waited for 2\xa0h", told["problems"][0])

    def test_a_disk_that_is_nearly_full(self):
        health.give_sign()
        with mock.patch("shutil.disk_usage", return_value=Usage(100 << 30, 99 << 30, 300 << 20)):
            status, told = self.asked()
        self.assertEqual(status, 503)
        self.assertIn("are left on the disk", told["problems"][0])

    def test_the_command_tells_the_same_and_ends_with_1_when_something_is_wrong(self):
        out = io.StringIO()
        with self.assertRaises(SystemExit) as ended:
            call_command("health", stdout=out)
        self.assertEqual((ended.exception.code, json.loads(out.getvalue())["well"]), (1, False))
        health.give_sign()
        out = io.StringIO()
        with redirect_stdout(sys.stderr):
            call_command("health", stdout=out)
        self.assertTrue(json.loads(out.getvalue())["well"])

    def test_signs_are_kept_up_by_a_thread(self):
        with mock.patch("time.sleep", side_effect=[None, SystemExit]), mock.patch("threading.Thread") as thread:
            health.keep_giving_signs()
            go_on = thread.call_args.kwargs["target"]
            self.assertRaises(SystemExit, go_on)
        self.assertEqual(len([*Path(self.media, "workers").iterdir()]), 1)


class LogTests(StudioTestCase):
    def test_an_event_is_one_line_of_json_with_its_traceback(self):
        try:
            raise ValueError("line one\nline two")
        except ValueError:
            record = logging.LogRecord("studio", logging.ERROR, __file__, 1, "It broke: %s", ("so",), sys.exc_info())
        line = OneLineOfJson().format(record)
        self.assertNotIn("\n", line)
        told = json.loads(line)
        self.assertEqual((told["level"], told["logger"], told["message"]), ("error", "studio", "It broke: so"))
        self.assertIn("ValueError: line one", told["traceback"])
