"""A short run of the fuzzer over every entrance; what it finds stands in the tests of that entrance from then on."""

import random

from django.test import TestCase

from relief.errors import ReliefError
from relief.inspect.start import start_from_nothing
from relief.run.engine import Engine
from relief.tests.tags import long
from studio.bench.models import Revision
from studio.middleware import the_artist
from tools.fuzz import TARGETS, Target, change_bytes, fuzz

CASES = {"picture": 500, "mesh": 400, "archive": 500, "recipe": 250, "post": 60}


class FuzzTests(TestCase):
    @long
    def test_every_entrance_answers_with_a_sentence(self):
        recipe = start_from_nothing("waves", lambda _: b"", Engine())
        Revision.objects.keep_first(the_artist(), "Waves", recipe)
        self.assertEqual({target.name for target in TARGETS}, set(CASES))
        for target in TARGETS:
            with self.subTest(target.name):
                found = [finding.trace for finding in fuzz(target, 7, CASES[target.name])]
                self.assertEqual(found, [])

    def test_what_is_no_sentence_is_a_finding(self):
        def take(case: int) -> None:
            if case % 2:
                raise ReliefError("A sentence.")
            raise KeyError(case)

        target = Target("numbers", lambda _: iter(range(10)), take)
        self.assertEqual([finding.case for finding in fuzz(target, 1, 6)], [0, 2, 4])

    def test_a_seed_fixes_the_changes(self):
        data = bytes(range(200))
        changes = [[change_bytes(data, random.Random(seed)) for _ in range(3)] for seed in (1, 1, 2)]
        self.assertEqual(changes[0], changes[1])
        self.assertNotEqual(changes[0], changes[2])
