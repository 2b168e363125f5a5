"""The tasks in the queue: one for all kinds of work, and one that looks after what was left."""

from __future__ import annotations

from huey import crontab
from huey.contrib.djhuey import db_periodic_task, db_task, on_startup

from work import carrying


@db_task()
def carry_out(label: str, pk: int) -> None:
    """Carries out one piece of work, named by its model's label and its key."""
    carrying.carry_out_once(label, pk)


@db_periodic_task(crontab(minute="*"))
def look_after() -> None:
    """Every minute: what was left is taken up."""
    carrying.take_up_what_was_left()


@on_startup()
def look_after_at_once() -> None:
    """A worker that was killed may have left something; what another one is at stays its own."""
    carrying.take_up_what_was_left()
