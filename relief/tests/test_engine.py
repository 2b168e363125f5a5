"""The engine computes a stage once, for all threads, within its room, and stops when asked."""

import threading
import weakref
from dataclasses import replace
from unittest import TestCase, mock

import numpy as np

from relief.errors import Cancelled
from relief.generate import GENERATORS
from relief.generate.generator import Grid
from relief.generate.noise import Noise
from relief.height import Edges, Footprint, HeightField
from relief.maps import COMPANION_MAPS
from relief.progress import Progress
from relief.run.engine import Engine, Stage
from relief.tests.height_fields import rough
from relief.treat import TREATMENTS


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

    def test_waiting_for_somebody_else_can_be_cancelled(self):
        class Stop(Progress):
            def cancelled(self):
                return True

        engine, begun, go = Engine(), threading.Event(), threading.Event()

        def slow():
            begun.set()
            go.wait(20)
            return 5

        thread = threading.Thread(target=lambda: engine.run(Stage("slow", slow)))
        thread.start()
        begun.wait(20)
        with self.assertRaises(Cancelled):
            engine.run(Stage("slow", slow), Stop())
        go.set()
        thread.join(20)

    def test_a_stage_that_reports_is_told_how_far_the_whole_is_and_cancelled_within(self):
        heard = []

        class Heard(Progress):
            def report(self, fraction, message):
                heard.append((fraction, message))

            def cancelled(self):
                return len(heard) >= 4

        def long_one(below, progress):
            for part in range(10):
                progress.step(part / 10, f"part {part}")
            return below

        stage = Stage("long", long_one, inputs=(Stage("short", Counted(2)),), reports=True)
        with self.assertRaises(Cancelled):
            Engine().run(stage, Heard())
        self.assertEqual(heard, [(0, "short"), (0.5, "long"), (0.5, "part 0"), (0.55, "part 1")])

    def test_what_a_run_needs_is_held_until_then_however_little_room_there_is(self):
        """A chain whose every stage looks at the ground too: each is computed once although nothing is kept."""
        engine = Engine(capacity=100)
        ground = Counted(np.zeros(1000, np.uint8))
        stage = below = Stage("ground", ground)
        works = []
        for number in range(12):
            works.append(Counted(np.zeros(1000, np.uint8)))
            stage = Stage(str(number), works[-1], inputs=(stage, below))
        engine.run(stage)
        self.assertEqual([work.calls for work in (ground, *works)], [1] * 13)
        self.assertEqual(engine.kept_bytes, 0)

    def test_what_is_no_longer_needed_is_let_go_within_a_run(self):
        engine, alive = Engine(capacity=100), []

        class Watched:
            def __init__(self):
                self.samples = np.zeros(1000, np.uint8)
                alive.append(weakref.ref(self))

        stage = Stage("0", Watched)
        for number in range(1, 8):
            stage = Stage(str(number), lambda _below: Watched(), inputs=(stage,))
        result = engine.run(stage)
        self.assertEqual([ref() is not None for ref in alive], [False] * 7 + [True])
        self.assertIs(alive[-1](), result)

    def test_a_chain_of_thousands_of_stages_runs(self):
        stage = Stage("0", lambda: 0)
        for number in range(1, 5000):
            stage = Stage(str(number), lambda below: below + 1, inputs=(stage,))
        self.assertEqual(Engine().run(stage), 4999)

    def test_a_buffer_that_several_results_share_is_counted_once_and_what_is_kept_is_frozen(self):
        engine, samples = Engine(), np.zeros((10, 100), np.float32)
        field = HeightField(samples, Footprint(), Edges())
        stage = Stage("field", Counted(field))
        engine.run(Stage("view", Counted(samples[:, 5:20]), inputs=(stage,)))
        engine.run(Stage("again", Counted(replace(field, amplitude=4.0)), inputs=(stage,)))
        self.assertEqual(engine.kept_bytes, 4000)
        with self.assertRaises(ValueError):
            engine.run(stage).samples[0, 0] = 1
        engine.capacity = 10
        engine.run(Stage("small", Counted(np.zeros(10, np.uint8))))
        self.assertEqual(engine.kept_bytes, 10)


class Stopped(Progress):
    """Asks to stop at the third step."""

    def __init__(self):
        self.steps = 0

    def cancelled(self):
        self.steps += 1
        return self.steps > 2


class LongWorkTests(TestCase):
    """What takes seconds at full size can be cancelled within."""

    def test_treatments_and_maps_that_are_slow(self):
        here = HeightField(rough(96, 96).astype(np.float32), Footprint(), Edges(), amplitude=300.0)
        slow = [model for model in TREATMENTS.values() if model.slow]
        self.assertTrue(slow)
        for model in slow:
            treatment = model(radius=20) if "radius" in model.model_fields else model()
            with mock.patch("relief.treat.median.BAND", 16), self.assertRaises(Cancelled):
                treatment.treat_slowly(here, Stopped())
        for model in [model for model in COMPANION_MAPS.values() if model.slow]:
            with mock.patch("relief.maps.horizons.AT_ONCE", 16), self.assertRaises(Cancelled):
                model().draw_slowly(here, 10, Stopped())

    def test_noises_and_patterns(self):
        for kind in GENERATORS.keys() - {"test_card"}:  # which is drawn at once
            generator = GENERATORS[kind].create()
            if isinstance(generator, Noise):
                generator = generator.model_copy(update={"octaves": 4})
            with (
                self.subTest(kind),
                mock.patch("relief.generate.generator.BAND", 16),
                self.assertRaises(Cancelled),
            ):
                generator.draw_slowly(Grid(96, 96, Footprint()), Stopped())
