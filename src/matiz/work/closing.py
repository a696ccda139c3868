"""How long a window that closes waits for what is still at work.

Everything that was decided is on the disk by then, and whatever goes on works for nobody: the program ends without it.
"""

import threading
import time

from .pool import Pool

CLOSE_S = 1.5
"""Of all waiting together."""
OTHERWISE_S = 20.0


class _State:
    """Of the one window that closes."""

    until: float | None = None
    is_left: bool = False


def begin() -> None:
    """A window closes: from now on all waiting together takes CLOSE_S at most."""
    _State.until = time.monotonic() + CLOSE_S


def is_left_behind() -> bool:
    """Whether something was still at work when the patience was over."""
    return _State.is_left


def wait_for_pool(pool: Pool, *, drops: bool = True) -> None:
    """Wait for what a pool works on. drops: what has not begun is dropped while a window closes."""
    if _State.until is not None and drops:
        pool.clear()
    _note(pool.wait(_left_s()))


def wait_for_thread(thread: threading.Thread) -> None:
    """Wait for a thread that was asked to end."""
    thread.join(_left_s())
    _note(not thread.is_alive())


def _left_s() -> float:
    return OTHERWISE_S if _State.until is None else max(_State.until - time.monotonic(), 0.01)


def _note(has_ended: bool) -> None:
    if not has_ended:
        _State.is_left = True
