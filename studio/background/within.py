"""Work on what came from outside, in a process of its own that is ended when it takes too long or too much memory: a
small file may ask for more of both than any picture needs.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from huey.contrib.djhuey import HUEY

from relief.errors import ReliefError
from studio.background.child import carry_within, receive_whole
from studio.background.forking import forking


class TookTooMuchError(ReliefError):
    """The work was ended as it took too long, or too much memory."""


def run_within(seconds: float, memory: int, work: Callable[..., Any], *arguments: Any) -> Any:
    """What a function returns that is called in a process of its own; in this one where the queue is immediate.

    Args:
        seconds: after which it is ended.
        memory: bytes that it may ask for, beyond what its process begins with.
        work: called with the arguments. All of these, the result, and what it raises can be pickled.

    Raises:
        TookTooMuchError: it was ended.
        Exception: what the work raised.
    """
    if HUEY.immediate:
        return work(*arguments)
    context = forking()
    receiving, sending = context.Pipe(duplex=False)
    process = context.Process(target=carry_within, args=(sending, memory, work, arguments), daemon=True)
    process.start()
    sending.close()
    try:
        if not receiving.poll(seconds):
            raise TookTooMuchError(f"Reading it took longer than {seconds:.0f} s and was stopped.")
        done, told = receive_whole(receiving)
    except EOFError:
        raise TookTooMuchError("Reading it took too much memory and was stopped.") from None
    finally:
        process.kill()
        process.join()
        receiving.close()
    if done:
        return told
    raise told
