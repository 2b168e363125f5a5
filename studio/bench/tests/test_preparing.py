"""A new studio gets ready in the background, and the pages say how far it is."""

from __future__ import annotations

import threading
import time
from unittest import mock

from django.test import TestCase
from huey.contrib.djhuey import HUEY

from relief.errors import Cancelled, ReliefError
from studio.bench import demo_pieces, preparing, tasks
from studio.bench.preparing import begin_preparation
from studio.middleware import the_artist
from studio.shelf.models import Piece, Preparation


def put_there(artist, name):
    """A piece without anything in it, as far as the shelf is concerned."""
    Piece.objects.create(owner=artist, title=name, demo=name)


def fails(artist, name):
    raise ReliefError("There was no sand.")


class PreparingTests(TestCase):
    def setUp(self):
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True
        self.artist = the_artist()
        pieces = {"First piece": put_there, "Second piece": fails, "Third piece": put_there}
        self.enterContext(mock.patch.object(demo_pieces, "PIECES", pieces))
        self.warm_up = self.enterContext(mock.patch.object(tasks, "warm_up"))
        self.enterContext(mock.patch.object(tasks, "measure_machine"))
        self.keep_rates = self.enterContext(mock.patch.object(tasks, "keep_rates"))
        self.note = self.enterContext(mock.patch.object(preparing, "_note"))()
        self.note.exists.return_value = False
        self.note.write_text.side_effect = lambda text: self.note.read_text.configure_mock(return_value=text)

    def compiled(self) -> set[int]:
        """The halves of the kernels that were compiled, each once."""
        halves = [half for call in self.warm_up.call_args_list for half in call.kwargs["halves"]]
        self.assertEqual(len(halves), len(set(halves)))
        return set(halves)

    def test_compiling_beside_the_pieces_ends_when_that_is_cancelled(self):
        started, heard = threading.Event(), []

        def compile_until_told(progress, halves):
            started.set()
            while not progress.cancelled():
                time.sleep(0.01)
            heard.append(halves)
            raise Cancelled

        def be_cancelled(*_):
            started.wait()
            raise Cancelled

        self.warm_up.side_effect = compile_until_told
        with mock.patch.object(demo_pieces, "PIECES", {"First piece": be_cancelled}):
            begin_preparation(self.artist, with_pieces=True)
        self.assertEqual(heard, [(1,)])
        self.note.write_text.assert_not_called()

    def test_pieces_are_made_once_and_one_that_fails_does_not_stop_the_others(self):
        done = begin_preparation(self.artist, with_pieces=True)
        done.refresh_from_db()
        self.assertEqual((done.state, done.message), ("done", "“Second piece” could not be made. There was no sand."))
        made = Piece.objects.order_by("pk").values_list("demo", flat=True)
        self.assertEqual(list(made), ["first-piece", "third-piece"])
        self.assertEqual(self.compiled(), {0, 1})

    def test_nothing_is_begun_when_all_is_there_or_somebody_is_at_it(self):
        begin_preparation(self.artist, with_pieces=False)
        self.note.exists.return_value = True
        self.assertIsNone(begin_preparation(self.artist, with_pieces=False))
        Preparation.objects.create(owner=self.artist)
        self.assertIsNone(begin_preparation(self.artist, with_pieces=True))

    def test_an_empty_studio_compiles_its_kernels_alone(self):
        begin_preparation(self.artist, with_pieces=False)
        self.assertEqual(Piece.objects.count(), 0)
        self.assertEqual(self.compiled(), {0, 1})
        self.keep_rates.assert_called_once()

    def test_the_page_says_how_far_it_is_and_renews_its_list_when_a_piece_was_made(self):
        row = Preparation.objects.create(
            owner=self.artist, state="running", progress=0.4, message="Making the demo piece “First piece”"
        )
        put_there(self.artist, "one")
        page = self.client.get("/")
        self.assertContains(page, "Making the demo piece “First piece”")
        self.assertContains(page, "/preparing?pieces=1")
        self.assertNotIn("HX-Trigger", self.client.get("/preparing?pieces=1"))
        self.assertEqual(self.client.get("/preparing?pieces=0")["HX-Trigger"], "shelf-grew")
        self.assertEqual(self.client.get("/preparing?pieces=x%00")["HX-Trigger"], "shelf-grew")
        row.advance(state="done")
        self.assertNotContains(self.client.get("/"), "Making the demo piece")
