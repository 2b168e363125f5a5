"""Quotas: what an artist keeps and has under way is counted over all kinds; what is over is refused in a sentence."""

from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from django.urls import reverse

from studio.background.quotas import count_bytes, count_work
from studio.bench.models import Revision
from studio.bench.tests.case import HEIGHTS, StudioTestCase, png
from studio.deliveries.models import Build, Job, Still
from studio.recipes.models import Series
from studio.shelf.models import Source


class QuotaTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.begun = self.piece()
        self.owner, self.revision = self.begun.owner, Revision.objects.now(self.begun)

    def test_bytes_are_those_of_files_that_are_there(self):
        pictures = len(png(HEIGHTS))
        self.assertEqual(count_bytes(self.owner), pictures)
        job = Job.objects.create(owner=self.owner, revision=self.revision, state="done", size=700)
        self.assertEqual(count_bytes(self.owner), pictures, "its file is not there")
        for row in (job, Still.objects.create(owner=self.owner, revision=self.revision, state="done", size=700)):
            row.path.parent.mkdir(parents=True, exist_ok=True)
            row.path.write_bytes(b"x" * 700)
        self.assertEqual(count_bytes(self.owner), pictures + 1400)
        series = Series.objects.create(owner=self.owner, name="S", recipe={})
        item = series.items.create(number=0, name="a", state="done", facts={"size": 50})
        item.path.parent.mkdir(parents=True)
        item.path.write_bytes(b"x" * 50)
        self.assertEqual(count_bytes(self.owner), pictures + 1450)
        self.assertEqual(count_bytes(get_user_model().objects.create(username="somebody else")), 0)

    def test_no_more_is_taken_in_than_may_be_kept(self):
        with override_settings(QUOTA_BYTES=10):
            files = [SimpleUploadedFile("more-height.png", png(HEIGHTS + 1))]
            told = self.client.post(reverse("shelf:keep"), {"pictures": files}).json()
            self.assertEqual(told["sources"], [])
            self.assertIn("each artist may keep", told["refused"][0][1])
            for name in ("start", "start-build"):
                answer = self.client.post(reverse(f"deliveries:{name}", args=[self.begun.pk]), {"base": 1})
                self.assertContains(answer, "each artist may keep", status_code=422)
        self.assertEqual(Source.objects.count(), 1)

    def test_no_more_work_runs_at_a_time_than_may(self):
        Build.objects.create(owner=self.owner, revision=self.revision)
        self.assertEqual(count_work(self.owner), 1)
        with override_settings(QUOTA_WORK=1):
            answer = self.client.post(reverse("deliveries:start", args=[self.begun.pk]), {"base": 1})
            self.assertContains(answer, "1 of your jobs", status_code=422)
            answer = self.client.post(reverse("rig:start"), {"surface": "beach-pebble", "photos": "4"})
            self.assertEqual(answer.status_code, 422)
            Build.objects.update(state="cancelled")
            self.assertEqual(count_work(self.owner), 0)
