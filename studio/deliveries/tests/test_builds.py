"""Final meshes are forecast, built by the worker one at a time, kept for deliveries, and cleared away."""

import io
import zipfile
from unittest import mock

import trimesh
from django.contrib.auth import get_user_model
from django.urls import reverse
from django.utils import timezone
from huey.contrib.djhuey import HUEY

from relief.errors import Cancelled
from relief.tests.tags import long
from relief.version import computation_version
from studio.background import carrying, tasks
from studio.background.models import Work
from studio.bench.models import Revision
from studio.bench.tests.case import StudioTestCase
from studio.deliveries.forecast import forecast_build
from studio.deliveries.models import Build, Job, builds_folder
from studio.shelf.models import Piece


class BuildTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True

    def change(self, piece, **values):
        piece.refresh_from_db()
        answer = self.post(
            "bench:change", piece, piece.position, **{name.replace("__", "."): v for name, v in values.items()}
        )
        self.assertEqual(answer.status_code, 200)
        piece.refresh_from_db()

    def build(self, piece):
        piece.refresh_from_db()
        return self.client.post(reverse("deliveries:start-build", args=[piece.pk]), {"base": piece.position})

    def download(self, build, name):
        answer = self.client.get(reverse("deliveries:download-build", args=[build.pk, name]))
        return b"".join(answer.streaming_content) if answer.status_code == 200 else answer.status_code

    def test_it_is_forecast_built_and_downloaded(self):
        piece = self.piece()
        self.change(piece, surface__level="2", delivery__mesh_format="ply")
        told = self.get("deliveries:builds", piece, base=piece.position)
        self.assertContains(told, "Build the final mesh")
        self.assertContains(told, "3\N{NO-BREAK SPACE}072")
        self.assertContains(self.build(piece), "Dunes_2.ply")
        build = Build.objects.get()
        self.assertEqual((build.facts["faces"], build.state), (3072, "done"))
        mesh = trimesh.load(io.BytesIO(self.download(build, "Dunes_2.ply")), file_type="ply", process=False)
        self.assertEqual(len(mesh.faces), 2 * 3072, "the quads as triangles")
        self.assertEqual(self.download(build, "other.ply"), 404)
        self.build(piece)
        self.assertEqual(Build.objects.count(), 1, "it is not built twice")

    def test_what_is_too_much_is_refused_and_what_fits_is_a_click_away(self):
        piece = self.piece()
        self.change(piece, surface__final_level="7")
        with mock.patch.dict("os.environ", GRAVEL_MEMORY_SHARE="0.02"):
            told = self.get("deliveries:builds", piece, base=piece.position)
            self.assertContains(told, "The largest level that fits is")
            self.assertContains(told, "Use level")
            self.assertNotContains(told, "Build the final mesh")
            self.build(piece)
        self.assertFalse(Build.objects.exists())

    @long
    def test_a_tessellation_that_is_too_much_offers_what_fits(self):
        piece = self.piece()
        for kind, path, value in (("faces", "faces", 9_000_000), ("edge", "edge", 0.35), ("error", "error", 0.003)):
            with self.subTest(kind):
                piece.refresh_from_db()
                self.post("bench:change-surface", piece, piece.position, action="tessellation", kind=kind)
                self.change(piece, **{f"surface__tessellation__{path}": str(value)})
                with mock.patch.dict("os.environ", GRAVEL_MEMORY_SHARE="0.02"):
                    told = forecast_build(Revision.objects.now(piece))
                    self.assertIn("the limit is", told.problem)
                    label, changes = told.offer
                    self.assertIn("Use ", label)
                    self.change(piece, **{name.replace(".", "__"): str(value) for name, value in changes.items()})
                    self.assertEqual(forecast_build(Revision.objects.now(piece)).problem, "")

    @long
    def test_a_delivery_takes_the_mesh_that_was_built(self):
        piece = self.piece()
        self.change(piece, surface__final_level="3", surface__residual="256", delivery__mesh_format="ply")
        self.build(piece)
        never = mock.patch("relief.run.mesh_stages.split_detail", side_effect=AssertionError("it is there already"))
        with never:
            self.client.post(reverse("deliveries:start", args=[piece.pk]), {"base": piece.position})
        job = Job.objects.get()
        self.assertEqual(job.state, "done", job.message)
        build = Build.objects.get()
        with zipfile.ZipFile(job.path) as bundle:
            self.assertEqual(bundle.read("Dunes_plane.ply"), self.download(build, "Dunes_2.ply"))
            self.assertEqual(bundle.read("Dunes_residual.png"), self.download(build, "Dunes_2_residual.png"))
            self.assertIn("MikkTSpace", bundle.read("READ-ME.txt").decode())

    @long
    def test_a_broken_build_is_made_again(self):
        piece = self.piece()
        self.change(piece, surface__level="1")
        self.build(piece)
        (kept,) = builds_folder().glob("*.npz")
        kept.write_bytes(kept.read_bytes()[:1000])
        self.client.post(reverse("deliveries:start", args=[piece.pk]), {"base": piece.position})
        self.assertEqual(Job.objects.get().state, "done")

    @long
    def test_older_builds_are_cleared_away(self):
        piece = self.piece()
        for level in range(4):
            self.change(piece, surface__level=str(level))
            self.build(piece)
        kept = [bool(build.files) for build in Build.objects.order_by("pk")]
        self.assertEqual(kept, [False, True, True, True])
        self.assertEqual(len(list(builds_folder().glob("*.npz"))), 3)
        self.assertContains(self.get("deliveries:list-builds", piece), "were deleted to make room")

    @long
    def test_builds_that_share_a_mesh_keep_it_as_long_as_one_needs_it(self):
        """The same surface in two formats, and again under another revision, is kept once."""
        piece = self.piece()
        self.build(piece)
        self.change(piece, delivery__mesh_format="ply")
        self.build(piece)
        self.assertEqual(len(list(builds_folder().glob("*.npz"))), 1)
        for level in (1, 2, 3):
            self.change(piece, surface__level=str(level))
            self.build(piece)
        self.assertEqual(
            [bool(build.files) for build in Build.objects.order_by("pk")], [False, False, True, True, True]
        )
        self.assertEqual(len(list(builds_folder().glob("*.npz"))), 3, "the one that both shared is gone with them")

    def test_what_another_version_of_the_computation_made_is_made_anew(self):
        piece = self.piece()
        self.change(piece, surface__level="1")
        self.build(piece)
        start = reverse("deliveries:start", args=[piece.pk])
        self.client.post(start, {"base": piece.position})
        self.client.post(start, {"base": piece.position})
        self.assertEqual((Build.objects.count(), Job.objects.count()), (1, 1))
        (old,) = builds_folder().glob("*.npz")
        computation_version.cache_clear()
        self.addCleanup(computation_version.cache_clear)
        with mock.patch("relief.version.LIBRARIES", ("numpy",)):
            self.build(piece)
            self.client.post(start, {"base": piece.position})
        self.assertEqual((Build.objects.count(), Job.objects.count()), (2, 2))
        self.assertEqual(Job.objects.filter(state="done").count(), 2)
        (new,) = builds_folder().glob("*.npz")
        self.assertNotEqual(old.name, new.name)
        self.assertEqual(old.name.partition("-")[0], new.name.partition("-")[0])

    def test_one_that_was_cancelled_or_failed_leaves_nothing_and_can_be_run_again(self):
        piece = self.piece()
        full = mock.patch("studio.background.elsewhere.run_apart", side_effect=OSError(28, "full"))
        with full, self.assertLogs("studio.background.carrying"):
            self.assertContains(self.build(piece), "The disk is full.")

        def change_their_mind(*_):
            Build.objects.get(state=Build.State.RUNNING).cancel()
            raise Cancelled

        with mock.patch("studio.background.elsewhere.run_apart", side_effect=change_their_mind):
            self.build(piece)
        self.assertFalse(list(builds_folder().glob("*")))
        self.assertContains(self.build(piece), "Dunes_1.obj")
        waiting = Build.objects.create(owner=piece.owner, revision=Revision.objects.now(piece), ending="obj")
        self.assertContains(self.client.post(reverse("deliveries:cancel-build", args=[waiting.pk])), "Cancelled")

    def test_of_heavy_work_one_piece_is_carried_out_at_a_time(self):
        piece = self.piece()
        revision = Revision.objects.now(piece)
        first, second = (Build.objects.create(owner=piece.owner, revision=revision, ending=e) for e in ("obj", "ply"))
        delivery = Job.objects.create(owner=piece.owner, revision=revision)
        done = []

        def carry(work, progress):
            done.append(work)
            if work == first:  # while it is carried out the others wait
                self.assertFalse(second.claim("other") or delivery.claim("another"))
            return {}

        self.enterContext(mock.patch.dict(carrying.CARRIERS, {"jobs.Build": carry, "jobs.Job": carry}))
        tasks.begin(first)
        self.assertEqual(done, [first, second, delivery], "and are begun one after the other when it ends")
        Build.objects.filter(pk=first.pk).update(state=Work.State.RUNNING, leased_until=timezone.now())
        Job.objects.update(state=Work.State.WAITING)
        self.assertTrue(delivery.claim("other"), "a worker that was lost holds nothing up")

    def test_another_artists_build_is_not_found(self):
        piece = self.piece()
        self.build(piece)
        build = Build.objects.get()
        other = get_user_model().objects.create(username="somebody-else")
        Build.objects.update(owner=other)
        Piece.objects.update(owner=other)
        self.assertEqual(self.download(build, "Dunes_1.obj"), 404)
        self.assertEqual(self.client.post(reverse("deliveries:cancel-build", args=[build.pk])).status_code, 404)
