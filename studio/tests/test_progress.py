"""How far a request is, asked for by the name that its page gave it."""

from django.test import RequestFactory

from studio.shelf.tests.case import SignedInTestCase
from studio.web.wanted import UNDER_WAY, answering, progress_of_request


class ProgressTests(SignedInTestCase):
    def request(self, name: str):
        return RequestFactory().get("/", headers={"X-Request": name})

    def test_a_request_says_how_far_it_is_until_it_ends(self):
        with answering(self.request("abcdefgh1")):
            self.assertIn("Waiting", self.client.get("/progress/abcdefgh1").json()["message"])
            progress_of_request().step(0.25, "Measuring level 2")
            told = self.client.get("/progress/abcdefgh1")
            self.assertEqual(told.json(), {"fraction": 0.25, "message": "Measuring level 2"})
            self.assertEqual(told["Cache-Control"], "no-store")
        self.assertEqual(self.client.get("/progress/abcdefgh1").status_code, 204)
        self.assertEqual(UNDER_WAY, {})

    def test_names_that_are_none_are_not_kept(self):
        for name in ("", "short", "a" * 41, "ABCDEFGHI", "abc def gh", "../../etc/x"):
            with answering(self.request(name)):
                self.assertEqual(UNDER_WAY, {}, name)

    def test_of_two_with_one_name_the_end_of_the_first_leaves_the_other(self):
        with answering(self.request("abcdefgh1")):
            with answering(self.request("abcdefgh1")) as second:
                pass
            with answering(self.request("abcdefgh1")) as second:
                self.assertIs(UNDER_WAY["abcdefgh1"], second)
        self.assertEqual(UNDER_WAY, {})
