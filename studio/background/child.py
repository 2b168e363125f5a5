"""The other side of work that is carried out apart. It is loaded in a process without Django."""

from __future__ import annotations

import ctypes
import multiprocessing
import os
import pickle
import resource
import signal
import sys
import threading
import time
import traceback
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from relief.progress import Progress

NICENESS = 10
"""How far heavy work stands back behind the bench, which answers a hand."""

BEHIND_HANDS = 5
"""How far reading a file stands back, which somebody waits for but no hand follows."""

SELDOM = 0.1
"""Seconds between two reports."""

DIE_WITH_PARENT = 1
"""PR_SET_PDEATHSIG of Linux's prctl."""


def carry(pipe: Connection) -> None:
    """What the process does: one piece of work after the other, at the back of the queue for the processor, and no
    longer than its worker.
    """
    end_with_starter()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is its parent's to answer
    os.nice(NICENESS)
    while True:
        try:
            work, arguments = pipe.recv()
        except EOFError:
            return
        try:
            pipe.send(("done", work(*arguments, _Sent(pipe))))
        except BaseException as problem:
            problem.add_note(traceback.format_exc())  # where it was raised is not pickled
            pipe.send(("raised", problem))


def carry_within(sending: Connection, memory: int, work: Callable[..., Any], arguments: tuple) -> None:
    """What a process does that may ask for so many bytes more than it begins with: the work, and then nothing more."""
    end_with_starter()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(BEHIND_HANDS)
    if sys.platform == "linux":
        now = int(Path("/proc/self/statm").read_text().split()[0]) * os.sysconf("SC_PAGE_SIZE")
        resource.setrlimit(resource.RLIMIT_AS, (now + memory, now + memory))
    try:
        told: tuple[bool, Any] = (True, work(*arguments))
    except MemoryError:
        return  # nothing is sent, which says it
    except Exception as problem:
        told = False, problem
    send_whole(sending, told)


PIECE = 16 << 20
"""Bytes of an array that are sent at a time: neither side holds it twice."""


def send_whole(sending: Connection, told: Any) -> None:
    """Sends something with large arrays in it (pickle protocol 5, PEP 574: these travel beside it)."""
    buffers: list[pickle.PickleBuffer] = []
    head = pickle.dumps(told, protocol=5, buffer_callback=buffers.append)
    arrays = [buffer.raw() for buffer in buffers]
    sending.send((head, [array.nbytes for array in arrays]))
    for array in arrays:
        for first in range(0, array.nbytes, PIECE):
            sending.send_bytes(array[first : first + PIECE])


def receive_whole(receiving: Connection) -> Any:
    """What `send_whole` sent. Raises EOFError where the other side ended before."""
    head, sizes = receiving.recv()
    arrays = [bytearray(size) for size in sizes]
    for array in arrays:
        for first in range(0, len(array), PIECE):
            receiving.recv_bytes_into(array, first)
    return pickle.loads(head, buffers=arrays)


def end_with_starter() -> None:
    """Has a process that was made by `forking` ended as soon as the one that asked for it is gone, however that ended.

    Its parent is the one it was forked from, which stays for as long as any process that it made.
    """
    starter = multiprocessing.parent_process()

    def wait() -> None:
        assert starter is not None
        starter.join()
        os._exit(1)

    if starter is not None:
        threading.Thread(target=wait, daemon=True).start()


def end_with_parent(parent: int | None) -> None:
    """Has this process ended as soon as the one that started it is gone, however that ended."""
    if sys.platform != "linux":
        return
    ctypes.CDLL(None).prctl(DIE_WITH_PARENT, signal.SIGKILL)
    if parent is not None and os.getppid() != parent:  # it was gone before that was asked for
        os._exit(1)


class _Sent(Progress):
    """Progress that is sent to the parent, a few times a second. The parent cancels by killing."""

    def __init__(self, sending: Connection) -> None:
        self.sending = sending
        self._message, self._at = "", 0.0

    def report(self, fraction: float, message: str) -> None:
        now = time.monotonic()
        if message != self._message or now - self._at > SELDOM:
            self._message, self._at = message, now
            self.sending.send(("report", (fraction, message)))
