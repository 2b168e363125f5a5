"""The queue: work is begun, carried out, and taken up again when its worker was lost. One task for all kinds of it."""

from __future__ import annotations

import logging
import sqlite3
from datetime import timedelta

from django.apps import apps
from django.dispatch import receiver
from django.utils import timezone
from huey import crontab
from huey.contrib.djhuey import db_periodic_task, db_task, on_startup

from studio.background.carrying import CARRIERS, carry_out_once
from studio.background.models import MOST_ATTEMPTS, Work, ended
from studio.background.queue import is_broken
from studio.web.refusals import is_full_disk

logger = logging.getLogger(__name__)

PATIENCE = timedelta(minutes=5)
"""How long work waits before it is put in the queue once more: the first time may not have come through."""

IDLE_PATIENCE = timedelta(seconds=20)
"""The same for heavy work while nobody is at any: what it waited for may have been lost with its worker."""


@db_task()
def carry_out(label: str, pk: int) -> None:
    """Carries out one piece of work, named by its model's label and its key."""
    carry_out_once(label, pk)


def begin(work: Work) -> None:
    """Puts work in the queue; what cannot be put there has failed, and says so."""
    try:
        try:
            carry_out(work._meta.label, work.pk)
        except sqlite3.DatabaseError as problem:
            if not is_broken(problem):
                raise
            carry_out(work._meta.label, work.pk)  # the broken queue was made anew
    except Exception as problem:
        logger.exception("Work could not be queued")
        reason = "The disk is full." if is_full_disk(problem) else "It could not be put in the queue."
        work.advance(state=Work.State.FAILED, message=f"{reason} Start it again.")


@receiver(ended)
def begin_next_heavy(sender: type[Work], **_more: object) -> None:
    """After the end of heavy work, puts the heavy work in the queue that has waited longest."""
    if not sender.heavy:
        return
    waiting = [kind.objects.filter(state=Work.State.WAITING).order_by("made").first() for kind in Work.heavy_kinds()]
    following = min((work for work in waiting if work), key=lambda work: work.made, default=None)
    if following:
        begin(following)


def take_up_what_was_left() -> None:
    """Work of workers that were lost, and what waits for longer than it should, is put in the queue again."""
    for label in CARRIERS:
        kind = apps.get_model(label)
        kind.release_from_the_dead()
        for work in kind.left():
            if work.attempts < MOST_ATTEMPTS:
                begin(work)
            else:
                work.advance(
                    state=Work.State.FAILED, message="The worker was stopped before it finished. Start it again."
                )
        idle = kind.heavy and not Work.heavy_is_carried_out()
        patience = IDLE_PATIENCE if idle else PATIENCE
        for work in kind.objects.filter(state=Work.State.WAITING, made__lt=timezone.now() - patience):
            begin(work)


@db_periodic_task(crontab(minute="*"))
def look_after() -> None:
    """Every minute: what was left is taken up."""
    take_up_what_was_left()


@on_startup()
def look_after_at_once() -> None:
    """A worker that was killed may have left something; what another one is at stays its own."""
    take_up_what_was_left()
