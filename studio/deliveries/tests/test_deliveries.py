"""Deliveries are built by the worker: once, watched, stopped, and never left hanging."""

import io
import zipfile
from unittest import mock

from django.contrib.auth import get_user_model
from django.urls import reverse
from huey.contrib.djhuey import HUEY

from relief.errors import Cancelled
from relief.tests.tags import long
from studio.background.carrying import WorkProgress, carry_out_once
from studio.background.models import MOST_ATTEMPTS
from studio.background.tasks import take_up_what_was_left
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.bench.tests.case import HEIGHTS, StudioTestCase, png
from studio.deliveries.models import Job
from studio.shelf.intake import keep_source
from studio.shelf.models import source_path


class DeliveryTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True

    def start(self, piece, base=1):
        return self.client.post(reverse("deliveries:start", args=[piece.pk]), {"base": base})

    @long
    def test_a_bundle_is_built_and_downloaded(self):
        answer = self.start(self.piece())
        self.assertContains(answer, "Download ZIP")
        job = Job.objects.get()
        download = self.client.get(reverse("deliveries:download", args=[job.pk]))
        self.assertIn('filename="Dunes_1.zip"', download["Content-Disposition"])
        with zipfile.ZipFile(io.BytesIO(b"".join(download.streaming_content))) as bundle:
            self.assertIn("Dunes_normal.png", bundle.namelist())

    @long
    def test_the_same_state_is_not_built_twice_but_again_when_its_file_is_gone(self):
        piece = self.piece()
        self.start(piece)
        self.start(piece)
        self.assertEqual(Job.objects.count(), 1)
        Job.objects.get().path.unlink()
        self.assertEqual(self.client.get(reverse("deliveries:download", args=[Job.objects.get().pk])).status_code, 404)
        self.start(piece)
        self.assertEqual(Job.objects.count(), 2)

    def test_cancel_stops_it_between_two_steps(self):
        piece = self.piece()
        job = Job.objects.create(owner=piece.owner, revision=Revision.objects.now(piece))
        job.claim("me")
        progress = WorkProgress(job, "me")
        progress.step(0.1, "Making the height at full size")
        self.assertContains(self.get("deliveries:deliveries", piece), "Making the height at full size")
        answer = self.client.post(reverse("deliveries:cancel", args=[job.pk]))
        self.assertContains(answer, "Cancelled")
        with self.assertRaises(Cancelled):
            progress.step(0.2, "Writing the maps")
        carry_out_once("jobs.Job", job.pk)
        self.assertFalse(job.path.exists())
        job.refresh_from_db()
        self.assertEqual(job.state, Job.State.CANCELLED)

    @long
    def test_a_missing_source_and_a_full_disk_are_said(self):
        piece = self.piece()
        full = mock.patch("os.fsync", side_effect=OSError(28, "No space left on device"))
        with full, self.assertLogs("studio.background.carrying"):
            self.assertContains(self.start(piece), "The disk is full.")
        source_path(self.recipe(piece).sources["picture"].digest).unlink()
        self.assertContains(self.start(piece), "is missing")

    @long
    def test_a_killed_worker_leaves_a_job_that_can_be_built_again(self):
        piece = self.piece()
        values = {"state": Job.State.RUNNING, "attempts": MOST_ATTEMPTS}
        Job.objects.create(owner=piece.owner, revision=Revision.objects.now(piece), **values)
        take_up_what_was_left()
        self.assertContains(self.get("deliveries:deliveries", piece), "Start it again.")
        self.assertContains(self.start(piece), "Download ZIP")

    def test_another_artists_delivery_is_not_found(self):
        other = get_user_model().objects.create(username="somebody-else")
        theirs = begin_piece(keep_source(other, "x.png", png(HEIGHTS)), "Theirs")
        job = Job.objects.create(owner=other, revision=Revision.objects.now(theirs), state=Job.State.DONE)
        self.assertEqual(self.start(theirs).status_code, 404)
        self.assertEqual(self.client.get(reverse("deliveries:download", args=[job.pk])).status_code, 404)
        self.assertEqual(self.client.post(reverse("deliveries:cancel", args=[job.pk])).status_code, 404)
