"""A shared studio in a real browser: signing in, sharing a piece by name, and what the other artist sees of it."""

from __future__ import annotations

from unittest import skipUnless

from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import SimpleTestCase, override_settings, tag

from browser.driver import BrowserTestCase
from browser.pictures import png16, waves
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.shelf.intake import keep_source
from studio.tests.test_shared import PASSWORD, Launching

REFUSED = "422 (Unprocessable Entity)", "Response Status Error Code 422"


@tag("browser")
class LaunchTests(Launching, SimpleTestCase):
    modules = ("browser.test_shared",)


# a hash that is made to be slow would be most of the time
@override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"])
@skipUnless(settings.SHARED, "only in shared mode")
class SharingTests(BrowserTestCase):
    expected_complaints = (*REFUSED, "404 (Not Found)")

    def setUp(self):
        super().setUp()
        users = get_user_model().objects
        self.ann, self.bob = (users.create_user(name, password=PASSWORD) for name in ("ann", "bob"))
        source = keep_source(self.ann, "waves-height.png", png16(waves()))
        self.piece = begin_piece(source, "Calm water")

    def sign_in(self, name: str, password: str = PASSWORD):
        self.until(lambda: self.all("#id_username"))
        self.run_script("document.getElementById('id_username').value = ''")
        self.type("#id_username", name)
        self.type("#id_password", password + "\n")

    def change_hands(self, name: str):
        """Signs out on the shelf, and somebody else in."""
        self.open("/")
        self.click(".signed-in .button")
        self.sign_in(name)
        self.until(lambda: self.all(".signed-in") and self.text(".signed-in a") == name)

    def share(self, name: str, work: bool):
        self.click("#show-shares")
        self.until(lambda: self.all("#shares [name=name]"))
        self.type("#shares [name=name]", name)
        if work:
            self.click("#shares [name=work]")
        self.click("#shares .strong")

    def amplitude(self) -> float:
        self.piece.refresh_from_db()
        return Revision.objects.now(self.piece).read().main.amplitude

    def test_a_piece_is_shared_looked_at_worked_on_and_kept_from_others(self):
        self.open(f"/piece/{self.piece.pk}/relief/")
        self.sign_in("ann", "wrong")
        self.until(lambda: "enter a correct" in self.text("[role=alert]"))
        self.sign_in("ann")
        self.until(lambda: self.all("#state"), "she is not led to what she asked for")
        self.settled()
        self.assertIn("Calm water", self.text(".piece-title"))
        before = self.amplitude()

        self.share("carl", work=False)
        self.until(lambda: "no other artist called “carl”" in self.text("#share-dialog .notice"))
        self.assertTrue(self.all("#shares"), "the form stays")
        self.run_script("document.querySelector('#shares [name=name]').value = ''")
        self.type("#shares [name=name]", "bob\n")
        self.until(lambda: "bob may look at it" in self.text("#shares"))
        self.assertFalse(self.all("#share-dialog .notice"))

        self.change_hands("bob")
        self.assertIn("by ann", self.text("#list"))
        self.click("#list a[href^='/piece/']")
        self.until(lambda: self.all("#state"))
        self.open(f"/piece/{self.piece.pk}/relief/")
        self.settled()
        self.assertFalse(self.all("#show-shares"))
        self.enter("#section-amplitude", str(before * 2), "change")
        self.until(lambda: "for viewing only" in self.text("#notice"))
        self.assertEqual(self.amplitude(), before)

        self.change_hands("ann")
        self.open(f"/piece/{self.piece.pk}/relief/")
        self.settled()
        self.share("bob", work=True)
        self.until(lambda: "bob may work on it" in self.text("#shares"))

        self.change_hands("bob")
        self.open(f"/piece/{self.piece.pk}/relief/")
        self.settled()
        self.set_number("section-amplitude", str(before * 2))
        self.settled()
        self.assertAlmostEqual(self.amplitude(), before * 2)
        self.click("#copy-piece")
        self.until(lambda: "a copy" in self.text(".piece-title") and self.all("#show-shares"))
        self.settled()

        self.change_hands("ann")
        self.assertEqual(len(self.all("#list .pieces:first-of-type > li")), 1, "the copy is bob's")
        self.open(f"/piece/{self.piece.pk}/relief/")
        self.settled()
        self.assertAlmostEqual(float(self.attribute("#section-amplitude", "value")), before * 2)
        self.click("#show-shares")
        self.until(lambda: self.all("#shares [hx-post$=end]"))
        self.click("#shares [hx-post$=end]")
        self.until(lambda: "Nobody else sees this piece" in self.text("#shares"))

        self.change_hands("bob")
        self.assertNotIn("by ann", self.text("#list"))
        self.open(f"/piece/{self.piece.pk}/relief/")
        self.assertFalse(self.all("#bench"))
