"""The engine computes a stage once, for all threads, within its room, and stops when asked."""

import threading
from unittest import TestCase

import numpy as np

from relief.errors import Cancelled
from relief.run.engine import Engine, Progress, Stage


class Counted:
    """A computation that counts its calls."""

    def __init__(self, result=1.0):
        self.calls = 0
        self.result = result

    def __call__(self, *inputs):
        self.calls += 1
        return self.result


class EngineTests(TestCase):
    def test_the_same_stage_is_computed_once(self):
        engine, first, second = Engine(), Counted(), Counted()
        for _ in range(3):
            engine.run(Stage("b", second, {"x": 1}, (Stage("a", first),)))
        self.assertEqual((first.calls, second.calls), (1, 1))

    def test_a_change_computes_only_what_depends_on_it(self):
        engine, first, second = Engine(), Counted(), Counted()
        for x in (1, 2, 1):
            engine.run(Stage("b", second, {"x": x}, (Stage("a", first),)))
        self.assertEqual((first.calls, second.calls), (1, 2))

    def test_keys_tell_name_parameters_and_inputs_apart(self):
        other = Stage("a", Counted(), [1])
        stages = [
            Stage("a", Counted()), Stage("b", Counted()), other, Stage("a", Counted(), [2]),
            Stage("a", Counted(), [1], (other,)),
        ]  # fmt: skip
        self.assertEqual(len({stage.key for stage in stages}), len(stages))

    def test_room_is_bounded_in_bytes_and_the_oldest_goes_first(self):
        engine = Engine(capacity=3000)
        works = [Counted(np.zeros(1000, np.uint8)) for _ in range(4)]
        for number, work in enumerate(works):
            engine.run(Stage(str(number), work))
        self.assertLessEqual(engine.kept_bytes, 3000)
        engine.run(Stage("3", works[3]))
        engine.run(Stage("0", works[0]))
        self.assertEqual([work.calls for work in works], [2, 1, 1, 1])
        engine.run(Stage("large", Counted(np.zeros(9000, np.uint8))))
        self.assertLessEqual(engine.kept_bytes, 3000)

    def test_what_is_made_again_in_a_moment_takes_no_room(self):
        engine, work, below = Engine(), Counted(np.zeros(1000, np.uint8)), Counted(np.zeros(10, np.uint8))
        for _ in range(2):
            engine.run(Stage("quick", work, inputs=(Stage("slow", below),), keep=False))
        self.assertEqual((work.calls, below.calls, engine.kept_bytes), (2, 1, 10))

    def test_threads_that_want_the_same_wait_for_one(self):
        engine, begun, go = Engine(), threading.Event(), threading.Event()
        calls, results = [], []

        def slow():
            calls.append(1)
            begun.set()
            go.wait(20)
            return 5

        threads = [threading.Thread(target=lambda: results.append(engine.run(Stage("slow", slow)))) for _ in range(4)]
        for thread in threads:
            thread.start()
        begun.wait(20)
        go.set()
        for thread in threads:
            thread.join(20)
        self.assertEqual((len(calls), results), (1, [5] * 4))

    def test_a_failure_is_not_kept_and_does_not_block_the_next(self):
        engine = Engine()

        def failing():
            raise ValueError("broken")

        for _ in range(2):
            with self.assertRaises(ValueError):
                engine.run(Stage("x", failing))
        self.assertEqual(engine.run(Stage("x", Counted(7))), 7)

    def test_cancel_stops_between_two_stages(self):
        class Stop(Progress):
            def cancelled(self):
                return first.calls > 0

        engine, first, second = Engine(), Counted(), Counted()
        with self.assertRaises(Cancelled):
            engine.run(Stage("b", second, None, (Stage("a", first),)), Stop())
        self.assertEqual((first.calls, second.calls), (1, 0))
