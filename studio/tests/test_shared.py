"""A shared studio: artists sign in, each has a shelf of their own, and everything of others is not found."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import skipUnless

from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import SimpleTestCase, override_settings
from django.urls import URLPattern, URLResolver, get_resolver

from relief.tests.tags import long
from studio.bench.beginning import begin_piece
from studio.bench.models import Proof, Revision
from studio.bench.tests.case import HEIGHTS, StudioTestCase, png
from studio.deliveries.models import Build, Job, Still
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece

PASSWORD = "harbour wall 1887"
HOUSE = Path(__file__).parents[2]


@skipUnless(not settings.SHARED, "this is the process that is launched")
class Launching:
    """Settings are read once, so tests of the shared mode have a process of their own: those of some modules."""

    modules: tuple[str, ...]

    def manage(self, *words: str, **environment: str) -> str:
        """Runs a management command in shared mode with an empty data folder; gives what it said."""
        with tempfile.TemporaryDirectory() as folder:
            shared = os.environ | {"GRAVEL_SHARED": "yes", "GRAVEL_DATA": folder} | environment
            run = [sys.executable, "manage.py", *words]
            done = subprocess.run(run, cwd=HOUSE, env=shared, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stderr

    @long
    def test_shared_mode_in_a_process_of_its_own(self):
        self.assertNotIn("Ran 0 tests", self.manage("test", "--noinput", *self.modules))


class LaunchTests(Launching, SimpleTestCase):
    modules = ("studio.tests.test_shared",)

    @long
    def test_it_is_ready_to_be_deployed(self):
        self.manage("check", "--deploy", "--fail-level", "WARNING", GRAVEL_HTTPS="yes")


# a hash that is made to be slow would be most of the time
@override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"])
@skipUnless(settings.SHARED, "only in shared mode")
class SharedTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.client.logout()
        users = get_user_model().objects
        self.ann, self.bob = (users.create_user(name, password=PASSWORD) for name in ("ann", "bob"))

    def sign_in(self, name="ann", password=PASSWORD, **more):
        return self.client.post("/sign-in/", {"username": name, "password": password, **more})

    def piece_of_ann(self) -> Piece:
        return begin_piece(keep_source(self.ann, "dunes-height.png", png(HEIGHTS)), "Dunes")

    def test_nobody_sees_anything_before_they_sign_in(self):
        piece = self.piece_of_ann()
        for address in ("/", f"/piece/{piece.pk}/", f"/piece/{piece.pk}/preview", "/rig/", "/catalogue/"):
            answer = self.client.get(address)
            self.assertEqual((answer.status_code, answer["Location"][:15]), (302, "/sign-in/?next="), address)
        part = self.client.get(f"/piece/{piece.pk}/measured", headers={"HX-Request": "true"})
        self.assertEqual((part.status_code, part["HX-Redirect"]), (204, "/sign-in/"))
        self.assertEqual(self.client.post(f"/piece/{piece.pk}/change", {"base": 1}).status_code, 302)

    def test_health_says_figures_to_staff_only(self):
        told = self.client.get("/health")
        self.assertEqual(set(told.json()), {"well"})
        self.sign_in()
        self.assertEqual(set(self.client.get("/health").json()), {"well"})
        self.ann.is_staff = True
        self.ann.save()
        self.assertIn("workers", self.client.get("/health").json())

    def test_each_has_a_shelf_of_their_own(self):
        self.piece_of_ann()
        self.assertRedirects(self.sign_in(), "/")
        self.assertContains(self.client.get("/"), "Dunes")
        self.client.post("/sign-out/")
        self.assertEqual(self.client.get("/").status_code, 302)
        self.sign_in("bob")
        self.assertNotContains(self.client.get("/"), "Dunes")

    def test_everything_of_somebody_else_is_not_found(self):
        piece = self.piece_of_ann()
        revision = Revision.objects.now(piece)
        Proof.objects.create(revision=revision, name="Calm")
        for kind in (Job, Build, Still):
            kind.objects.create(owner=self.ann, revision=revision, state="done")
        self.sign_in("bob")
        asked = 0
        for address in addresses(get_resolver()):
            if "<" in address:  # what needs more than a number
                continue
            for answer in (self.client.get(address), self.client.post(address, {"base": 1})):
                self.assertIn(answer.status_code, (404, 405), address)
                asked += 1
        self.assertGreater(asked, 80)
        piece.refresh_from_db()
        self.assertEqual((piece.removed, piece.position), (None, 1))

    def share(self, piece, name, **values):
        return self.client.post(f"/piece/{piece.pk}/share", {"name": name, **values})

    def test_a_piece_is_shared_to_look_at(self):
        piece = self.piece_of_ann()
        still = Still.objects.create(owner=self.ann, revision=Revision.objects.now(piece), state="done")
        self.sign_in()
        self.assertContains(self.client.get(f"/piece/{piece.pk}/relief/"), "show-shares")
        for nobody in ("", "carl", "ann", "x" * 500):
            self.assertEqual(self.share(piece, nobody).status_code, 422, nobody)
        self.assertContains(self.share(piece, "bob"), "may look at it")
        self.client.post("/sign-out/")
        self.sign_in("bob")
        self.assertContains(self.client.get("/"), "by ann")
        for step in ("source", "relief", "maps", "surface", "deliver"):
            self.assertEqual(self.client.get(f"/piece/{piece.pk}/{step}/").status_code, 200, step)
        for part in ("measured", "facts", "preview", "proofs", "revisions", "deliveries", "stills/list"):
            self.assertEqual(self.client.get(f"/piece/{piece.pk}/{part}", {"base": 1}).status_code, 200, part)
        for post in ("change", "undo", "treatments", "layers", "deliveries/start", "stills/start", "proofs/keep"):
            answer = self.client.post(f"/piece/{piece.pk}/{post}", {"base": 1, "amplitude": 9})
            self.assertContains(answer, "for viewing only", status_code=422)
        for post in ("share", "share/end"):
            self.assertEqual(self.client.post(f"/piece/{piece.pk}/{post}", {"name": "bob"}).status_code, 404)
        self.assertEqual(self.client.get(f"/piece/{piece.pk}/shares").status_code, 404)
        self.assertEqual(self.client.post(f"/shelf/piece/{piece.pk}/remove").status_code, 404, "it stays ann's")
        self.assertEqual(self.client.post(f"/still/{still.pk}/cancel").status_code, 404)
        piece.refresh_from_db()
        self.assertEqual(piece.position, 1)

        copy = self.client.post(f"/piece/{piece.pk}/copy")
        mine = Piece.objects.get(owner=self.bob)
        self.assertEqual((copy["HX-Redirect"], mine.title), (f"/piece/{mine.pk}/", "Dunes, a copy"))
        self.assertEqual(mine.sources.get().owner, self.bob)
        answer = self.client.post(f"/piece/{mine.pk}/change", {"base": 1, "step": "relief", "amplitude": 9})
        self.assertEqual(answer.status_code, 200)

    def test_a_piece_is_shared_to_work_on_until_it_is_not(self):
        piece = self.piece_of_ann()
        self.sign_in()
        self.assertContains(self.share(piece, "bob", work="1"), "may work on it")
        self.client.post("/sign-out/")
        self.sign_in("bob")
        answer = self.client.post(f"/piece/{piece.pk}/change", {"base": 1, "step": "relief", "amplitude": 9})
        self.assertEqual(answer.status_code, 200)
        piece.refresh_from_db()
        self.assertEqual((piece.position, Revision.objects.now(piece).read().main.amplitude), (2, 9))
        self.client.post("/sign-out/")
        self.sign_in()
        share = piece.shares.get()
        self.assertContains(self.share(piece, "bob"), "may look at it")
        self.client.post(f"/piece/{piece.pk}/share/end", {"share": share.pk})
        self.assertEqual(piece.shares.count(), 0)
        self.client.post("/sign-out/")
        self.sign_in("bob")
        self.assertEqual(self.client.get(f"/piece/{piece.pk}/relief/").status_code, 404)
        self.assertNotContains(self.client.get("/"), "Dunes")

    def test_a_session_is_new_after_signing_in_and_leads_nowhere_else(self):
        self.client.get("/sign-in/")
        session = self.client.session
        session["planted"] = 1
        session.save()
        before = session.session_key
        answer = self.sign_in(next="https://elsewhere.example/")
        self.assertEqual(answer["Location"], "/")
        self.assertNotEqual(self.client.session.session_key, before)
        self.assertEqual(self.client.get("/", headers={"host": "elsewhere.example"}).status_code, 400)

    def test_guessing_ends_after_some_attempts(self):
        for _ in range(settings.AXES_FAILURE_LIMIT - 1):
            self.assertContains(self.sign_in(password="wrong"), "Please enter a correct")
        self.assertEqual(self.sign_in(password="wrong").status_code, 429)
        answer = self.sign_in()
        self.assertContains(answer, "wrong too often", status_code=429)
        self.sign_in("bob")
        self.assertEqual(self.client.get("/").status_code, 200, "somebody else may")

    def test_a_password_is_changed_by_the_rules(self):
        self.sign_in()
        values = {"old_password": PASSWORD, "new_password1": "12345678", "new_password2": "12345678"}
        self.assertContains(self.client.post("/password/", values), "too common")
        values |= {"new_password1": "another quay 42", "new_password2": "another quay 42"}
        self.assertRedirects(self.client.post("/password/", values), "/")
        self.client.post("/sign-out/")
        self.assertEqual(self.sign_in(password="another quay 42").status_code, 302)

    def test_who_runs_the_studio_sees_pieces_and_their_owners(self):
        self.piece_of_ann()
        self.sign_in("bob")
        self.assertEqual(self.client.get("/admin/shelf/piece/").status_code, 302)
        self.client.post("/sign-out/")
        get_user_model().objects.create_superuser("op", password=PASSWORD)
        self.sign_in("op")
        page = self.client.get("/admin/shelf/piece/")
        for words in ("Dunes", "ann"):
            self.assertContains(page, words)
        self.assertEqual(self.client.get("/admin/jobs/still/").status_code, 200)
        self.assertNotContains(self.client.get("/"), "Dunes", msg_prefix="on the shelf it is as for others")

    @override_settings(SESSION_COOKIE_SECURE=True)
    def test_its_cookie_is_for_the_server_alone(self):
        self.sign_in()
        cookie = self.client.cookies["sessionid"]
        self.assertTrue(cookie["httponly"] and cookie["secure"])
        self.assertEqual(cookie["samesite"], "Strict")


def addresses(resolver: URLResolver, before: str = "/") -> list[str]:
    """All addresses that take one number, with 1 in its place."""
    found = []
    for pattern in resolver.url_patterns:
        here = before + str(pattern.pattern)
        if isinstance(pattern, URLResolver):
            if not here.startswith("/admin"):
                found += addresses(pattern, here)
        elif isinstance(pattern, URLPattern) and "<int:pk>" in here:
            found.append(here.replace("<int:pk>", "1").replace("<step:name>", "maps").replace("<kind:kind>", "source"))
    return found
