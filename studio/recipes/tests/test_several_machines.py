"""The board on Debian's redis-server: claims, leases, reports, and a series of twelve with a helper that is killed."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from unittest import mock, skipUnless

from django.test import override_settings
from huey.contrib.djhuey import HUEY

from relief.errors import Cancelled, ReliefError
from relief.progress import Progress
from relief.tests.tags import long
from studio.background import elsewhere
from studio.background import tasks as tasks_of_background
from studio.background.models import WorkError
from studio.deliveries.models import Build, Job, Still
from studio.recipes import handing_out, tasks
from studio.recipes.models import SeriesItem
from studio.recipes.tests.test_recipes import RecipesTestCase
from studio.remote import helper as helping
from studio.remote.board import MOST_ATTEMPTS, Board, Report, name_of_board

HOUSE = Path(__file__).parents[3]
LEASE, PATIENT = 1.0, 120.0


@skipUnless(shutil.which("redis-server"), "redis-server is not installed")
class BoardTestCase(RecipesTestCase):
    """A Redis server of its own, on a socket in a folder."""

    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        socket = self.folder / "redis"
        run = ["redis-server", "--port", "0", "--unixsocket", str(socket), "--save", "", "--dir", str(self.folder)]
        server = subprocess.Popen(run, stdout=subprocess.DEVNULL)
        self.addCleanup(server.wait)
        self.addCleanup(server.kill)
        self.address = f"unix://{socket}"
        self.board = Board(self.address, name_of_board(self.media), LEASE)
        for _ in range(100):
            try:
                self.board.helpers()
                break
            except ReliefError:
                time.sleep(0.1)
        self.enterContext(override_settings(REDIS=self.address, REDIS_LEASE=LEASE))

    def series_of(self, many: int):
        HUEY.immediate = False
        return self.start(self.keep(), self.sources(many))


class BoardTests(BoardTestCase):
    def claim(self, helper: str = "a"):
        return self.board.claim(helper, 0.05)

    def test_work_is_claimed_once_and_let_go_when_it_is_reported(self):
        self.board.post("1-1-x", {"title": "T"})
        self.board.post("1-1-x", {"title": "again"})
        self.assertEqual(self.claim(), ("1-1-x", {"title": "T"}))
        self.assertIsNone(self.claim("b"))
        self.assertTrue(self.board.renew("1-1-x", "a"))
        self.assertFalse(self.board.renew("1-1-x", "b"))
        self.board.report(Report("1-1-x", "a", {"size": 3}))
        self.assertEqual(self.board.reports("1"), [Report("1-1-x", "a", {"size": 3}, "")])
        self.assertEqual(self.board.reports("1"), [])

    def test_work_whose_helper_was_lost_is_put_up_again_and_given_up_in_the_end(self):
        self.board.lease = 0.05
        self.board.post("1-2-x", {})
        for attempt in range(MOST_ATTEMPTS):
            self.assertEqual(self.claim(f"helper {attempt}")[0], "1-2-x")
            self.assertEqual(self.board.put_up_again(), [], "it is still claimed") if attempt == 0 else None
            time.sleep(0.12)
            given_up = self.board.put_up_again()
        self.assertEqual(given_up, ["1-2-x"])
        self.assertIsNone(self.claim())

    def test_work_whose_helper_is_between_taking_it_and_claiming_it_is_not_put_up_again(self):
        for before in ("never claimed", "claimed and lost before"):
            with self.subTest(before):
                self.board.post("1-4-x", {})
                if before != "never claimed":
                    self.board.lease = 0.05
                    self.assertIsNotNone(self.claim("lost"))
                    time.sleep(0.12)
                    self.assertEqual(self.board.put_up_again(), [])
                self.board.lease = LEASE
                waiting, claimed = (f"{self.board._name}:{name}" for name in ("waiting", "claimed"))
                self.assertEqual(self.board._redis.lmove(waiting, claimed), "1-4-x")
                self.assertEqual(self.board.put_up_again(), [])
                self.assertIsNone(self.claim("b"), "it is the other one's")
                self.board.withdraw("1-4-x")

    def test_two_studios_share_a_server_without_taking_each_other_s_work(self):
        other = Board(self.address, name_of_board(self.folder / "another"), LEASE)
        self.board.post("1-1-x", {})
        other.sign("b")
        self.assertIsNone(other.claim("b", 0.05))
        self.assertEqual((self.board.helpers(), other.helpers()), ([], ["b"]))
        self.assertEqual(name_of_board(self.media), name_of_board(self.media))

    def test_withdrawn_work_is_nobody_s(self):
        self.board.post("1-3-x", {})
        self.claim()
        self.board.withdraw("1-3-x")
        self.assertFalse(self.board.renew("1-3-x", "a"))
        time.sleep(LEASE * 1.1)
        self.assertEqual((self.board.put_up_again(), self.claim()), ([], None))

    def test_nothing_stays_of_work_that_is_withdrawn_while_it_is_put_up_again(self):
        kept = lambda: set(self.board._redis.keys(f"{self.board._name}:*1-5-x"))  # noqa: E731
        self.board.lease = 0.05
        self.board.post("1-5-x", {})
        self.claim()
        self.assertTrue(kept())
        time.sleep(0.12)
        do = self.board._do

        def withdrawn_meanwhile(what, *arguments, **options):
            done = do(what, *arguments, **options)
            if what == "incr":
                self.board.withdraw("1-5-x")
            return done

        with mock.patch.object(self.board, "_do", withdrawn_meanwhile):
            self.assertEqual(self.board.put_up_again(), [])
        self.assertIsNone(self.claim())
        self.assertEqual(kept(), set())

    def test_what_others_write_on_it_breaks_nothing(self):
        for text in ("", "{", "[1]", "[1,2,3,4]", "null", '["a","b",{},""]'):
            self.board._redis.rpush(f"{self.board._name}:reports:a", text)
        self.assertEqual(len(self.board.reports("a")), 1)
        for text in ("", "{", "[1]", "null", '["a", 1]'):
            self.board._redis.set(f"{self.board._name}:progress:a-1", text)
            self.assertIsNone(self.board.heard("a-1"))
        for report in (Report("", "", {}), Report("a-b-c", "x", {}), Report("1-99999-x", "../../etc", {}, "no")):
            self.assertFalse(handing_out.take_report(report))

    def test_a_server_that_does_not_answer_is_a_sentence_and_series_go_on_here(self):
        with self.assertRaisesRegex(ReliefError, "does not answer"):
            Board("unix:///nowhere/at/all", "x").helpers()
        with override_settings(REDIS="unix:///nowhere/at/all"), self.assertLogs("studio.background"):
            self.assertIsNone(elsewhere.open_board())
        self.assertIsNone(elsewhere.open_board(), "nobody helps")


class ResultTests(BoardTestCase):
    def result(self, item, helper: str, data: bytes = b"zip"):
        results = helping.results_of(item.series.folder, handing_out.name_work(item), helper)
        results.mkdir(parents=True, exist_ok=True)
        place = results / "delivery.zip"
        place.write_bytes(data)
        (results / "picture.png").write_bytes(b"png")
        facts = {"sha256": handing_out.checksum(place), "size": len(data), "seconds": 1.0, "findings": []}
        return Report(handing_out.name_work(item), helper, facts), place

    def test_a_result_that_comes_twice_is_taken_once(self):
        item = self.series_of(1).items.get()
        (one, _), (other, left) = self.result(item, "a", b"first"), self.result(item, "b", b"second")
        self.assertTrue(handing_out.take_report(one))
        self.assertFalse(handing_out.take_report(other))
        item.refresh_from_db()
        self.assertEqual((item.state, item.path.read_bytes(), left.exists()), ("done", b"first", False))

    def test_a_damaged_or_missing_result_fails_the_item_alone(self):
        first, second = self.series_of(2).items.all()
        report, place = self.result(first, "a")
        place.write_bytes(b"cut")
        handing_out.take_report(report)
        report, place = self.result(second, "a")
        place.unlink()
        handing_out.take_report(report)
        states = list(SeriesItem.objects.values_list("state", flat=True))
        self.assertEqual(states, ["failed", "failed"])

    def test_a_helper_writes_nowhere_but_in_the_media_folder(self):
        self.board.post("9-9-x", {"does": "item", "folder": "../outside", "title": "T", "recipe": {}})
        helping.do_work(self.board, "a", self.media, *self.board.claim("a"))
        (report,) = self.board.reports("9")
        self.assertIn("outside the media folder", report.problem)
        self.assertFalse((self.media.parent / "outside").exists())

    def test_stopping_withdraws_what_is_handed_out(self):
        series = self.series_of(3)
        self.board.sign("nobody in fact")
        stopped = mock.Mock(spec=Progress, step=mock.Mock(side_effect=Cancelled))
        with self.assertRaises(Cancelled):
            handing_out.hand_out(series, self.board, stopped)
        self.assertIsNone(self.board.claim("a", 0.05))
        self.assertEqual(series.count()["planned"], 3)


class ElsewhereTests(BoardTestCase):
    """Deliveries, final meshes and stills by a helper; what it reports decides."""

    def setUp(self):
        super().setUp()
        HUEY.immediate = True
        self.board.lease = PATIENT  # however busy the machine is, nobody is taken for lost
        self.enterContext(override_settings(REDIS_LEASE=PATIENT))
        self.begun = self.piece()
        self.ended = threading.Event()
        self.board.sign("a")

    def begin_helper(self):
        self.board.sign("a")
        helper = threading.Thread(target=self.help_on, daemon=True)
        helper.start()
        self.addCleanup(helper.join)
        self.addCleanup(self.ended.set)

    def help_on(self):
        while not self.ended.is_set():
            self.board.sign("a")
            if claimed := self.board.claim("a", 0.05):
                helping.do_work(self.board, "a", self.media, *claimed)

    @long
    def test_a_helper_makes_deliveries_final_meshes_and_stills(self):
        self.begin_helper()
        revision = self.begun.revisions.get()
        order = {"width": 64, "height": 40, "samples": 2, "plain": True}
        rows = [
            Job(revision=revision), Build(revision=revision, ending="ply"), Still(revision=revision, asked=order),
        ]  # fmt: skip
        with mock.patch.object(elsewhere, "run_apart", side_effect=AssertionError("it was made here")):
            for row in rows:
                row.owner = self.begun.owner
                row.save()
                tasks_of_background.begin(row)
                row.refresh_from_db()
                self.assertEqual((row.state, row.message), ("done", ""))
                self.assertTrue(row.is_there)
        folders = [place.name for place in self.media.rglob(".*") if place.is_dir()]
        self.assertEqual(folders, [], "nothing else is left of it")

    def test_what_a_helper_could_not_do_is_said(self):
        self.begin_helper()
        asked = {"recipe": {"version": 999}, "title": "T", "stills": {}}
        with self.assertRaisesRegex(WorkError, "has version 999"), self.made_of(asked):
            pass

    def test_what_goes_wrong_on_a_helper_is_a_sentence(self):
        for problem, said in (
            (OSError(28, "No space left"), "disk .* is full"), (OSError(5, "Input/output error"), "read or write"),
            (MemoryError(), "memory"), (KeyError("recipe"), "Something went wrong on"),
        ):  # fmt: skip
            self.board.post("9-1-x", {"does": "item", "folder": "series"})
            with mock.patch.dict(helping.WORKS, {"item": mock.Mock(side_effect=problem)}):
                helping.do_work(self.board, "a", self.media, *self.board.claim("a"))
            (report,) = self.board.reports("9")
            self.assertRegex(report.problem, said)
            self.board.withdraw("9-1-x")

    def test_work_that_hangs_is_let_go(self):
        self.board.lease = LEASE
        self.board.post("9-1-x", {"does": "item", "folder": "series"})
        hung, again = threading.Event(), None
        hanging = mock.patch.dict(helping.WORKS, {"item": lambda *_: hung.wait() and {}})
        with hanging, mock.patch.object(helping, "MOST_SILENCE", 0.5):
            claimed = self.board.claim("a")
            helper = threading.Thread(target=helping.do_work, args=(self.board, "a", self.media, *claimed))
            helper.start()
            self.addCleanup(helper.join)
            self.addCleanup(hung.set)
            while again is None:
                self.assertEqual(self.board.put_up_again(), [])
                again = self.board.claim("b", 0.05)
        self.assertEqual(again[0], "9-1-x")

    def test_helpers_that_are_lost_each_time_are_said_and_without_any_it_is_made_here(self):
        lost = mock.patch.object(Board, "put_up_again", lambda board: [next(iter(self.posted()))])
        with lost, self.assertRaisesRegex(WorkError, "3 helpers were lost"), self.made_of({}):
            pass
        with mock.patch.object(elsewhere, "run_apart", return_value={"size": 1}) as here:
            self.board._redis.delete(f"{self.board._name}:helper:a")
            with self.made_of({}) as (facts, results):
                self.assertEqual((facts, results.is_dir()), ({"size": 1}, True))
            self.assertFalse(results.exists())
            self.board.sign("b")
            with mock.patch.object(Board, "helpers", side_effect=[["b"], []]), self.made_of({}) as (facts, _):
                self.assertEqual(facts, {"size": 1}, "the last helper went while it was waited for")
        self.assertEqual(here.call_count, 2)
        self.assertEqual(self.posted(), [], "it is withdrawn")

    def test_cancelled_it_is_withdrawn(self):
        stopped = mock.Mock(spec=Progress, step=mock.Mock(side_effect=Cancelled))
        with self.assertRaises(Cancelled), self.made_of({}, stopped):
            pass
        self.assertEqual(self.posted(), [])

    def made_of(self, asked: dict, progress: Progress | None = None):
        return elsewhere.make_somewhere(
            "delivery", "delivery7", self.media / "deliveries", asked, progress or Progress()
        )

    def posted(self) -> list[str]:
        begun = f"{self.board._name}:work:"
        return [key.removeprefix(begun) for key in self.board._redis.keys(f"{begun}*")]


class TwoHelpersTests(BoardTestCase):
    def begin_helper(self, name: str) -> subprocess.Popen:
        """A helper in a folder of its own, that cannot even import Django, so that it opens no database."""
        folder = self.folder / name
        folder.mkdir()
        code = (
            "import sys; sys.modules['django'] = None; sys.modules['sqlite3'] = None;"
            "from studio.remote.helper import main; sys.exit(main(sys.argv[1:]))"
        )
        environment = {key: value for key, value in os.environ.items() if not key.startswith("GRAVEL_")}
        run = [sys.executable, "-c", code, "--redis", self.address, "--media", str(self.media), "--lease", str(LEASE)]
        process = subprocess.Popen(
            run, cwd=folder, env=environment | {"PYTHONPATH": str(HOUSE)}, stdout=subprocess.DEVNULL
        )
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    @long
    def test_a_series_of_twelve_with_one_killed_in_the_middle(self):
        series = self.series_of(12)
        helpers = [self.begin_helper(name) for name in ("one", "two")]
        for _ in range(600):
            if len(self.board.helpers()) == 2:
                break
            time.sleep(0.1)
        names = {int(name.split("-")[-2]): name for name in self.board.helpers()}
        killed = helpers[0]

        def kill_at_work() -> None:
            redis = self.board._redis
            while names[killed.pid] not in [redis.get(key) for key in redis.keys(f"{self.board._name}:lease:*")]:
                time.sleep(0.01)
            killed.kill()

        watching = threading.Thread(target=kill_at_work, daemon=True)
        watching.start()
        tasks.run_series(series.run, Progress())
        watching.join(60)
        self.assertEqual(killed.wait(60), -signal.SIGKILL, "it was killed while it was at work")
        self.assertEqual(series.count(), {"planned": 0, "done": 12, "failed": 0, "out": 0})
        self.assertTrue(all(item.is_there and item.has_picture for item in series.items.all()))
        left = [place.name for place in series.folder.iterdir() if names[helpers[1].pid] in place.name]
        self.assertEqual(left, [], "every result was taken")


del RecipesTestCase
