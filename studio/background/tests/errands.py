"""Small pieces of work that are carried out in a process of their own; they need nothing of Django."""

import os
import signal
import time
from pathlib import Path

from relief.errors import RecipeError
from relief.progress import Progress


def multiply(one: int, other: int, progress: Progress) -> tuple[int, int]:
    """The product, and the number of the process."""
    progress.step(0.5, "Multiplying")
    return one * other, os.getpid()


def never_end(mark: Path, progress: Progress) -> None:
    """Says where its process is, and goes on for ever."""
    mark.write_text(str(os.getpid()))
    progress.step(0.1, "Going on")
    while True:
        time.sleep(1)


def refuse(progress: Progress) -> None:
    """Cannot do it."""
    raise RecipeError("There is no such thing.")


def break_down(progress: Progress) -> None:
    """Has a fault."""
    raise ZeroDivisionError


def be_killed(progress: Progress) -> None:
    """Ends as a process does that takes all the memory."""
    os.kill(os.getpid(), signal.SIGKILL)


def give_up(progress: Progress) -> None:
    """Ends without a word."""
    os._exit(3)
