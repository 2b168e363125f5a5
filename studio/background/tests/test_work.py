"""Work is one worker's at a time, always comes to an end that is said, and survives the loss of who was at it."""

from datetime import timedelta
from unittest import mock

from django.utils import timezone
from huey.contrib.djhuey import HUEY

from relief.errors import Cancelled, PictureError
from studio.background import carrying, tasks
from studio.background.carrying import Lease, WorkProgress, carry_out_once
from studio.background.models import MOST_ATTEMPTS, WorkError
from studio.background.tasks import begin, take_up_what_was_left
from studio.bench.models import Revision
from studio.bench.tests.case import StudioTestCase
from studio.deliveries.models import Build, Job


class WorkTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True
        piece = self.piece()
        self.job = Job.objects.create(owner=piece.owner, revision=Revision.objects.now(piece))
        self.carried = []
        self.carry(lambda job, progress: self.carried.append(job.pk) or {"size": 7})

    def carry(self, carrier):
        self.enterContext(mock.patch.dict(carrying.CARRIERS, {"jobs.Job": carrier}))

    def state(self) -> tuple[str, str]:
        self.job.refresh_from_db()
        return self.job.state, self.job.message

    def lose(self, attempts: int = 1):
        """As if the worker that had claimed it were killed a while ago."""
        long_ago = timezone.now() - timedelta(minutes=10)
        values = {"state": Job.State.RUNNING, "worker": "killed", "leased_until": long_ago, "attempts": attempts}
        Job.objects.filter(pk=self.job.pk).update(**values)

    def test_it_is_carried_out_once_however_often_it_is_queued(self):
        begin(self.job)
        begin(self.job)
        self.assertEqual((self.carried, self.state(), self.job.size), ([self.job.pk], ("done", ""), 7))

    def test_of_two_workers_one_gets_it_and_the_other_writes_nothing(self):
        self.assertEqual([self.job.claim("one"), self.job.claim("other")], [True, False])
        self.assertFalse(self.job.held("other", progress=0.9))
        self.assertTrue(self.job.held("one", progress=0.4))
        self.job.refresh_from_db()
        self.assertEqual((self.job.worker, self.job.progress, self.job.attempts), ("one", 0.4, 1))

    def test_a_worker_that_starts_leaves_what_another_is_at(self):
        self.job.claim("one")
        tasks.look_after_at_once()
        take_up_what_was_left()
        self.assertEqual((self.carried, self.state()[0], self.job.worker), ([], "running", "one"))

    def test_what_a_killed_worker_left_is_taken_up_a_few_times_and_then_said(self):
        self.lose()
        take_up_what_was_left()
        self.assertEqual((self.carried, self.state()[0], self.job.attempts), ([self.job.pk], "done", 2))
        self.lose(attempts=MOST_ATTEMPTS)
        take_up_what_was_left()
        state, message = self.state()
        self.assertEqual((len(self.carried), state), (1, "failed"))
        self.assertIn("Start it again", message)

    def test_a_worker_whose_lease_went_to_another_stops(self):
        self.job.claim("slow")
        progress = WorkProgress(self.job, "slow")
        progress.step(0.1, "Reading")
        self.lose()
        self.assertTrue(Job.objects.get().claim("quick"))
        with self.assertRaises(Cancelled):
            progress.step(0.2, "Writing")

    def test_work_whose_row_is_gone_stops(self):
        progress = WorkProgress(self.job, "one")
        Job.objects.all().delete()
        with self.assertRaises(Cancelled):
            progress.step(0.2, "Writing")

    def test_every_end_is_said(self):
        for problem, words in (
            (WorkError("The supplier hung up."), "hung up"), (PictureError("It is missing."), "missing"),
            (OSError(28, "No space"), "disk is full"), (ZeroDivisionError(), "Something went wrong"),
        ):  # fmt: skip
            Job.objects.update(state=Job.State.WAITING)
            self.carry(mock.Mock(side_effect=problem))
            quiet = isinstance(problem, WorkError | PictureError)
            with self.assertNoLogs("studio.background") if quiet else self.assertLogs("studio.background"):
                carry_out_once("jobs.Job", self.job.pk)
            state, message = self.state()
            self.assertEqual(state, "failed")
            self.assertIn(words, message)

    def test_whatever_ends_heavy_work_begins_what_waited_for_it(self):
        """A worker that finds other heavy work under way drops the order; so the end of that has to bring it back."""
        ends = {
            "it is done": lambda build: build.held("one", state=Build.State.DONE),
            "it failed": lambda build: build.held("one", state=Build.State.FAILED),
            "it was cancelled": lambda build: build.cancel(),
            "its worker was killed too often": self.give_up_for_lost,
        }
        for way, end in ends.items():
            with self.subTest(way):
                Job.objects.update(state=Job.State.WAITING)
                self.carried.clear()
                build = Build.objects.create(owner=self.job.owner, revision=self.job.revision, ending="obj")
                self.assertTrue(build.claim("one"))
                begin(self.job)
                self.assertEqual(self.carried, [], "it waits")
                end(build)
                self.assertEqual((self.carried, self.state()[0]), ([self.job.pk], "done"))

    def give_up_for_lost(self, build):
        long_ago = timezone.now() - timedelta(minutes=10)
        Build.objects.filter(pk=build.pk).update(leased_until=long_ago, attempts=MOST_ATTEMPTS)
        take_up_what_was_left()

    def test_heavy_work_whose_order_was_lost_does_not_wait_long_while_nobody_is_at_any(self):
        Job.objects.update(made=timezone.now() - timedelta(seconds=30))
        build = Build.objects.create(owner=self.job.owner, revision=self.job.revision, ending="obj")
        self.assertTrue(build.claim("one"))
        take_up_what_was_left()
        self.assertEqual(self.carried, [])
        Build.objects.all().delete()
        take_up_what_was_left()
        self.assertEqual(self.carried, [self.job.pk])

    def test_what_cannot_be_queued_has_failed_and_says_so(self):
        with mock.patch.object(HUEY, "enqueue", side_effect=OSError("full")), self.assertLogs("studio.background"):
            begin(self.job)
        state, message = self.state()
        self.assertEqual(state, "failed")
        self.assertIn("could not be put in the queue", message)

    def test_what_waits_too_long_is_queued_once_more(self):
        take_up_what_was_left()
        self.assertEqual(self.carried, [])
        Job.objects.update(made=timezone.now() - timedelta(hours=1))
        take_up_what_was_left()
        self.assertEqual((self.carried, self.state()[0]), ([self.job.pk], "done"))

    def test_cancelled_work_is_neither_begun_nor_ended(self):
        self.job.advance(state=Job.State.CANCELLED)
        carry_out_once("jobs.Job", self.job.pk)
        self.assertEqual((self.carried, self.state()[0]), ([], "cancelled"))

        def cancels(job, progress):
            job.advance(state=Job.State.CANCELLED)
            progress.step(0.5, "Writing")

        Job.objects.update(state=Job.State.WAITING)
        self.carry(cancels)
        carry_out_once("jobs.Job", self.job.pk)
        self.assertEqual(self.state()[0], "cancelled")

    def test_a_lease_ends_with_its_work(self):
        with Lease(self.job, "me") as lease:
            self.assertTrue(lease._thread.is_alive())
        self.assertFalse(lease._thread.is_alive())
