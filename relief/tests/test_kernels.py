"""Bands of rows: each row once, by several threads, stopped between two bands, and with faults that are heard."""

from __future__ import annotations

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from unittest import TestCase, mock

import numpy as np

from relief import kernels
from relief.errors import Cancelled
from relief.kernels import run_in_bands, thread_count, while_wanted


class BandTests(TestCase):
    def setUp(self):
        self.enterContext(mock.patch.object(kernels, "ASKED_EVERY", 0))

    def test_every_row_is_done_once_however_many_there_are(self):
        for rows in (0, 1, 2, 31, 32, 33, 1000, 4097):
            done = np.zeros(rows, int)

            def note(begin, end, done=done):
                done[begin:end] += 1

            run_in_bands(note, rows)
            self.assertTrue((done == 1).all(), rows)

    def test_it_stops_between_two_bands(self):
        bands, mine = [], threading.get_ident()

        def note(begin, end):
            if threading.get_ident() == mine:
                bands.append(begin)

        self.enterContext(mock.patch.object(kernels, "BANDS", 999))
        with self.assertRaises(Cancelled), while_wanted(lambda: len(bands) < 2):
            while True:  # the pool may have been quicker than this thread
                run_in_bands(note, 999 * thread_count())
        self.assertLessEqual(len(bands), 2)

    def test_nothing_is_asked_once_it_is_over(self):
        with while_wanted(lambda: False):
            pass
        run_in_bands(lambda begin, end: None, 10)

    def test_a_fault_in_any_band_is_raised_when_no_thread_is_at_work_any_more(self):
        at_work = threading.Semaphore(0)

        def fail(begin, end):
            at_work.release()
            if begin <= 500 < end:
                raise ValueError("row 500")

        with self.assertRaisesRegex(ValueError, "row 500"):
            run_in_bands(fail, 1000)
        self.assertLessEqual(threading.active_count(), thread_count() + 3)

    def test_the_fault_of_one_thread_is_raised_after_all_the_others_have_ended(self):
        pool, own = self.enterContext(ThreadPoolExecutor(3)), threading.local()
        numbers = iter(range(3))

        def submit(take_bands):
            def numbered(number):
                own.number = number
                take_bands()

            return pool.submit(numbered, next(numbers))

        self.enterContext(mock.patch.object(kernels, "thread_count", lambda: 4))
        self.enterContext(mock.patch.object(kernels, "_helpers", lambda: mock.Mock(submit=submit)))
        self.enterContext(mock.patch.object(kernels, "BANDS", 1))
        together, ended = threading.Barrier(4), []

        def work(begin, _end):
            together.wait(60)
            if getattr(own, "number", None) == 0:  # the one that is asked for its result first
                raise ValueError("one band")
            time.sleep(0.1)  # who raises at once is ahead of the two others
            ended.append(begin)

        with self.assertRaisesRegex(ValueError, "one band"):
            run_in_bands(work, 4)
        self.assertEqual(len(ended), 3)

    def test_several_callers_at_once_get_all_of_theirs(self):
        sums = np.zeros((8, 2000))

        def call(number):
            def add(begin, end):
                sums[number, begin:end] += number

            run_in_bands(add, 2000)

        threads = [threading.Thread(target=call, args=(number,)) for number in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        np.testing.assert_array_equal(sums, np.arange(8)[:, None] * np.ones(2000))


class CompiledTests(TestCase):
    """A kernel that calls a helper; both are compiled with names of their own, beside those of their module."""

    def test_what_it_calls_stays_as_it_was_written(self):
        helper = kernels.helper(lambda value: value * 3)
        scope = {"helper": helper}
        exec(
            "def thrice(values, out):\n    for row in range(len(values)):\n        out[row] = helper(values[row])",
            scope,
        )
        thrice = kernels.Deferred(scope["thrice"])
        out = np.empty(4)
        thrice(np.arange(4.0), out)
        np.testing.assert_array_equal(out, [0, 3, 6, 9])
        self.assertIs(scope["helper"], helper, "the names of the module are not replaced")

    def test_a_change_in_anything_that_it_calls_gives_it_another_name_in_the_cache(self):
        def kernel_with(factor, code="value * FACTOR"):
            inner = {"FACTOR": factor}
            exec(f"def helper(value):\n    return {code}", inner)
            scope = {"helper": kernels.Deferred(inner["helper"])}
            exec("def loop(value):\n    return helper(value)", scope)
            return kernels.Deferred(scope["loop"])

        once = kernel_with(2).fingerprint
        self.assertEqual(kernel_with(2).fingerprint, once)
        self.assertNotEqual(kernel_with(3).fingerprint, once)
        self.assertNotEqual(kernel_with(2, "FACTOR + value").fingerprint, once)
