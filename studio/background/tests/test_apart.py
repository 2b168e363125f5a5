"""Heavy work runs in a process of its own: it reports, is cancelled at once, and may die alone."""

import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase, mock

from relief.errors import Cancelled, RecipeError
from relief.progress import Progress
from studio.background import apart as apart_module
from studio.background.apart import Apart, run_apart
from studio.background.models import WorkError
from studio.background.tests import errands


class Heard(Progress):
    def __init__(self, wanted=lambda: True):
        self.messages, self.wanted = [], wanted

    def report(self, fraction, message):
        self.messages.append((fraction, message))

    def cancelled(self):
        return not self.wanted()


def is_gone(process: int) -> bool:
    """Whether a process has ended, also where nobody has asked how."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True


class ApartTests(TestCase):
    def test_it_is_done_elsewhere_and_says_how_far_it_is(self):
        heard = Heard()
        product, process = run_apart(errands.multiply, (6, 7), heard)
        self.assertEqual((product, heard.messages), (42, [(0.5, "Multiplying")]))
        self.assertNotEqual(process, os.getpid())

    def test_one_process_does_several_works_and_another_takes_its_place_when_it_ends(self):
        with Apart() as apart:
            first, second = (apart.run(errands.multiply, (6, number), Progress())[1] for number in (7, 8))
            self.assertEqual(first, second)
            with self.assertRaisesRegex(RecipeError, "no such thing"):
                apart.run(errands.refuse, (), Progress())
            self.assertEqual(apart.run(errands.multiply, (1, 1), Progress()), (1, first), "a refusal ends nothing")
            with self.assertRaises(WorkError):
                apart.run(errands.be_killed, (), Progress())
            third = apart.run(errands.multiply, (2, 2), Progress())[1]
            self.assertNotEqual(third, first)
            with mock.patch.object(apart_module, "MOST_WORKS", 1):
                self.assertNotEqual(apart.run(errands.multiply, (2, 3), Progress())[1], third)
            os.kill(apart._process.pid, signal.SIGKILL)
            apart._process.join()
            with self.assertRaises(WorkError):
                apart.run(errands.multiply, (2, 4), Progress())
            self.assertEqual(apart.run(errands.multiply, (2, 4), Progress())[0], 8)

    def test_it_is_ended_when_it_is_no_longer_wanted(self):
        mark = Path(self.enterContext(tempfile.TemporaryDirectory()), "mark")
        with self.assertRaises(Cancelled):
            run_apart(errands.never_end, (mark,), Heard(wanted=lambda: not mark.exists()))
        with self.assertRaises(ProcessLookupError):
            os.kill(int(mark.read_text()), 0)

    def test_it_does_not_outlive_the_worker(self):
        mark = Path(self.enterContext(tempfile.TemporaryDirectory()), "mark")
        work = "import django; django.setup(); from pathlib import Path; from relief.progress import Progress; "
        work += "from studio.background.apart import run_apart; from studio.background.tests import errands; "
        work += f"run_apart(errands.never_end, (Path({str(mark)!r}),), Progress())"
        environment = os.environ | {"DJANGO_SETTINGS_MODULE": "studio.settings"}
        with subprocess.Popen([sys.executable, "-c", work], env=environment) as worker:
            self.wait_for(lambda: mark.exists() and mark.read_text())
            worker.kill()
        process = int(mark.read_text())
        self.wait_for(lambda: is_gone(process))

    def wait_for(self, condition):
        for _ in range(1200):
            if condition():
                return
            time.sleep(0.1)
        self.fail("what was waited for did not come")

    def test_what_it_raises_is_raised_here(self):
        with self.assertRaisesRegex(RecipeError, "no such thing"):
            run_apart(errands.refuse, (), Progress())
        with self.assertRaises(ZeroDivisionError) as caught:
            run_apart(errands.break_down, (), Progress())
        self.assertIn("break_down", "".join(caught.exception.__notes__))

    def test_that_it_was_killed_is_said_and_that_it_broke_is_told_apart(self):
        with self.assertRaisesRegex(WorkError, "ran out of memory"):
            run_apart(errands.be_killed, (), Progress())
        with self.assertRaisesRegex(RuntimeError, "give_up ended with 3"):
            run_apart(errands.give_up, (), Progress())
