"""Who has the next turn at the processors."""

import threading
from unittest import TestCase

from studio.turns import Turns


class TurnsTests(TestCase):
    def waiting(self, turns: Turns, *can_wait: float) -> tuple[list[float], list[threading.Thread]]:
        """Some that wait, one begun after the other; their turns are listed as they come, and given back at once."""
        had: list[float] = []

        def wait(seconds):
            if turns.take(seconds, lambda: False):
                had.append(seconds)
                turns.give_back()

        threads = [threading.Thread(target=wait, args=(seconds,)) for seconds in can_wait]
        for number, thread in enumerate(threads):
            thread.start()
            while turns.waiting <= number and thread.is_alive():
                pass
        return had, threads

    def test_those_that_follow_a_hand_go_first_and_else_who_came_first(self):
        turns = Turns(1)
        self.assertTrue(turns.take(0, lambda: False))
        had, threads = self.waiting(turns, 3000, 0, 2000, 0.001, 1000)
        turns.give_back()
        for thread in threads:
            thread.join()
        self.assertEqual(had, [0, 0.001, 1000, 2000, 3000])

    def test_one_that_can_wait_has_its_turn_when_its_time_has_come(self):
        """What comes later than that goes behind it, however hurried: nobody waits for ever."""
        turns = Turns(1)
        turns.take(0, lambda: False)
        had, threads = self.waiting(turns, -1, 0)
        turns.give_back()
        for thread in threads:
            thread.join()
        self.assertEqual(had, [-1, 0])

    def test_one_that_has_gone_leaves_its_place_to_the_others(self):
        turns = Turns(1)
        turns.take(0, lambda: False)
        self.assertFalse(turns.take(0, lambda: True))
        self.assertEqual(turns.waiting, 0)
        turns.give_back()
        self.assertTrue(turns.take(0, lambda: True), "a free turn is taken whoever asks")
