"""What a delivery holds is chosen, kept as a profile, fetched in parts, and seen as it arrives at the other end."""

import hashlib
import io
import re
import zipfile
from datetime import timedelta

from django.contrib.auth import get_user_model
from django.urls import reverse
from django.utils import timezone
from huey.contrib.djhuey import HUEY
from PIL import Image

from relief.receive.arrive import FAULTS
from relief.tests.tags import long
from studio.bench.models import Revision
from studio.bench.tests.case import StudioTestCase
from studio.deliveries.clearing import clear_away
from studio.deliveries.models import Job, Profile
from studio.shelf.models import Piece


class DeliveryPageTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True

    def act(self, piece, action: str, **values):
        piece.refresh_from_db()
        values |= {"base": piece.position, "step": "deliver", "action": action}
        return self.client.post(reverse("deliveries:change", args=[piece.pk]), values)

    def panel(self, piece) -> str:
        piece.refresh_from_db()
        return self.get("deliveries:panel", piece, base=piece.position).content.decode()

    def delivered(self, piece) -> Job:
        piece.refresh_from_db()
        self.client.post(reverse("deliveries:start", args=[piece.pk]), {"base": piece.position})
        job = Job.objects.first()
        self.assertEqual(job.state, "done", job.message)
        return job

    def fetch(self, name: str, *args, **headers):
        return self.client.get(reverse(f"deliveries:{name}", args=args), headers=headers)

    @long
    def test_maps_are_left_out_and_names_follow_a_pattern(self):
        piece = self.piece()
        self.assertIn("Dunes_bump.png", self.panel(piece))
        self.act(piece, "toggle-map", map="bump")
        self.post("bench:change", piece, 2, step="deliver", **{"delivery.pattern": "{map}-of-{piece}"})
        shown = self.panel(piece)
        self.assertIn("normal-of-Dunes.png", shown)
        self.assertNotIn("bump-of-Dunes.png", shown)
        self.assertRegex(shown, r"About [\d.]+\xa0[kM]B of files, built in about")
        with zipfile.ZipFile(self.delivered(piece).path) as bundle:
            self.assertIn("normal-of-Dunes.png", bundle.namelist())
            self.assertNotIn("bump-of-Dunes.png", bundle.namelist())
        self.act(piece, "toggle-map", map="bump")
        self.assertIn("bump-of-Dunes.png", self.panel(piece))
        self.assertEqual(self.act(piece, "toggle-map", map="glitter").status_code, 422)
        self.assertEqual(self.act(piece, "dance").status_code, 404)
        answer = self.post("bench:change", piece, piece.position, step="deliver", **{"delivery.pattern": "{glitter}"})
        self.assertContains(answer, "File names cannot use", status_code=422)

    @long
    def test_what_is_told_beforehand_is_about_what_comes(self):
        piece = self.piece()
        shown = self.panel(piece)
        told = float(re.search(r"About ([\d.]+)\xa0([kM])B", shown)[1]) * (1e3 if "kB of files" in shown else 1e6)
        with zipfile.ZipFile(self.delivered(piece).path) as bundle:
            size = sum(item.file_size for item in bundle.infolist())
        self.assertAlmostEqual(told / size, 1, delta=0.3)

    @long
    def test_a_profile_is_taken_kept_and_removed(self):
        piece = self.piece()
        self.act(piece, "take-profile", profile="Film close-up")
        self.assertEqual(self.recipe(piece).delivery.data_format, "exr")
        self.assertRegex(self.panel(piece), r"<option selected>Film close-up</option>")
        self.post("bench:change", piece, piece.position, step="deliver", **{"delivery.usd": "false"})
        self.act(piece, "keep-profile", name="  Mine ")
        self.assertEqual(Profile.objects.get().name, "Mine")
        self.assertRegex(self.panel(piece), r"<option selected>Mine</option>")
        self.assertEqual(self.delivered(piece).profile, "Mine")
        for name in ("", "Game tile"):
            self.assertEqual(self.act(piece, "keep-profile", name=name).status_code, 422)
        self.act(piece, "remove-profile", name="Mine")
        self.assertFalse(Profile.objects.exists())
        self.assertEqual(self.act(piece, "take-profile", profile="Mine").status_code, 422)

    def test_what_arrives_wrong_is_found_at_this_step_and_mended(self):
        piece = self.piece()
        changes = {"delivery.displacement_bits": "8", "midlevel": "0.4"}
        self.post("bench:change", piece, 1, step="deliver", **changes)
        found = self.get("bench:measured", piece, base=2, step="deliver")
        self.assertContains(found, "Displacement in 8 bits")
        self.assertNotContains(self.get("bench:measured", piece, base=2, step="relief"), "Displacement in 8 bits")
        self.post("bench:mend", piece, 2, finding="eight-bits")
        self.assertEqual(self.recipe(piece).delivery.displacement_bits, 16)

    @long
    def test_a_download_goes_on_where_it_broke_off_and_single_files_come_out(self):
        """RFC 9110, section 14: 206 and Content-Range for one range, 416 beyond the end, all of it otherwise."""
        job = self.delivered(self.piece())
        whole = b"".join(self.fetch("download", job.pk).streaming_content)
        half = len(whole) // 2
        parts = []
        for asked in (f"bytes=0-{half - 1}", f"bytes={half}-"):
            answer = self.fetch("download", job.pk, range=asked)
            self.assertEqual(answer.status_code, 206)
            parts.append(b"".join(answer.streaming_content))
        self.assertEqual(b"".join(parts), whole)
        self.assertEqual(answer["Content-Range"], f"bytes {half}-{len(whole) - 1}/{len(whole)}")
        self.assertEqual(b"".join(self.fetch("download", job.pk, range="bytes=-5").streaming_content), whole[-5:])
        self.assertEqual(self.fetch("download", job.pk, range=f"bytes={len(whole)}-").status_code, 416)
        for odd in ("bytes=9-3", "lines=1-2", "bytes=0-1,4-5", "bytes=-"):
            self.assertEqual(self.fetch("download", job.pk, range=odd).status_code, 200, odd)
        old = {"range": "bytes=0-3", "if-range": '"another"'}
        self.assertEqual(self.fetch("download", job.pk, **old).status_code, 200)
        self.assertContains(self.fetch("files", job.pk), "Dunes_normal.png")
        sums = b"".join(self.fetch("file", job.pk, "SHA256SUMS.txt").streaming_content).decode()
        one = b"".join(self.fetch("file", job.pk, "Dunes_normal.png").streaming_content)
        self.assertIn(f"{hashlib.sha256(one).hexdigest()}  Dunes_normal.png", sums)
        self.assertEqual(self.fetch("file", job.pk, "other.png").status_code, 404)

    def test_two_download_at_once_and_one_goes_on_while_it_is_cleared_away(self):
        job = self.delivered(self.piece())
        whole = job.path.read_bytes()
        one, other = (self.fetch("download", job.pk).streaming_content for _ in range(2))
        begun = [next(one), next(other)]
        job.path.unlink()
        self.assertEqual(begun[0] + b"".join(one), whole)
        self.assertEqual(begun[1] + b"".join(other), whole)

    def test_old_bundles_are_cleared_away_but_none_that_is_fetched(self):
        piece = self.piece()
        jobs = []
        for amplitude in (3, 4, 5):
            piece.refresh_from_db()
            changes = {"amplitude": str(amplitude), "delivery.mesh": "none"}
            self.post("bench:change", piece, piece.position, **changes)
            jobs.append(self.delivered(piece))
        Job.objects.filter(pk=jobs[0].pk).update(made=timezone.now() - timedelta(days=100), fetched=timezone.now())
        Job.objects.filter(pk=jobs[1].pk).update(made=timezone.now() - timedelta(days=100))
        clear_away(90, 1 << 40)
        self.assertEqual([job.path.exists() for job in jobs], [True, False, True])
        clear_away(900, 10)
        self.assertEqual([job.path.exists() for job in jobs], [True, False, False])
        self.assertContains(self.get("deliveries:deliveries", piece), "Cleared away")
        self.assertContains(self.fetch("receive", jobs[2].pk), "were deleted to free space")

    @long
    def test_a_bundle_that_was_damaged_on_the_disk_is_said_and_built_anew(self):
        piece = self.piece()
        job = self.delivered(piece)
        whole = job.path.read_bytes()
        flipped = bytearray(whole)
        flipped[len(whole) // 2] ^= 255
        for data in (bytes(flipped), whole[:-100], b""):
            job.path.write_bytes(data)
            for name, *args in (("download",), ("file", "recipe.json")):
                answer = self.fetch(name, job.pk, *args)
                self.assertEqual(answer.status_code, 410, name)
                self.assertContains(answer, "Build the bundle again", status_code=410)
            for name, *args in (("files",), ("receive",), ("arrives", "meant")):
                self.assertLess(self.fetch(name, job.pk, *args).status_code, 500, name)
        again = self.delivered(piece)
        self.assertNotEqual(again.pk, job.pk)
        self.assertEqual(b"".join(self.fetch("download", again.pk).streaming_content), again.path.read_bytes())

    def test_the_receiver_shows_what_arrives_set_right_and_wrong(self):
        piece = self.piece()
        self.post("bench:change", piece, 1, midlevel="0.3", **{"surface.level": "1"})
        job = self.delivered(piece)
        self.assertContains(self.fetch("receive", job.pk), "Everything arrives as intended.")
        seen = {}
        for fault in ("", *FAULTS):
            page = self.client.get(reverse("deliveries:receive", args=[job.pk]), {"fault": fault})
            self.assertContains(page, "Heights off")
            if fault:
                self.assertNotContains(page, "Everything arrives as intended.")
            picture = self.client.get(reverse("deliveries:arrives", args=[job.pk, "arrived"]), {"fault": fault})
            seen[fault] = Image.open(io.BytesIO(picture.content)).tobytes()
        for fault in ("green", "eight-bits", "level", "metres"):
            self.assertNotEqual(seen[fault], seen[""], fault)
        address = reverse("deliveries:receive", args=[job.pk])
        own = self.client.get(address, {"midlevel": "0.1", "green": "down", "bits": "8", "fewer_levels": "1"})
        self.assertContains(own, 'value="0.1"')
        self.assertContains(own, "Heights are off by")
        for nonsense in ({"fault": "magic"}, {"scale": "much"}, {"bits": "9"}, {"green": "left"}, {"relief": "other"}):
            self.assertEqual(self.client.get(address, nonsense).status_code, 404, nonsense)

    def test_another_artists_delivery_is_not_found(self):
        job = self.delivered(self.piece())
        other = get_user_model().objects.create(username="somebody-else")
        Job.objects.update(owner=other)
        Piece.objects.update(owner=other)
        for name, *args in (("files",), ("file", "recipe.json"), ("receive",), ("arrives", "meant")):
            self.assertEqual(self.fetch(name, job.pk, *args).status_code, 404, name)
        self.assertEqual(Revision.objects.count(), 1)
