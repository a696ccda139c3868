"""The loop of the thread that owns what is open: other threads hand it calls, and it calls back after a time.

The window brings a loop of its own (`ui/kit/loop.py`); without a window a `PlainLoop` is run by hand.
"""

import heapq
import itertools
import threading
import time
from collections.abc import Callable
from typing import Protocol

Call = Callable[[], object]
IDLE_S = 0.05
"""Longest wait of a plain loop before it looks again whether what is waited for has come."""


class Loop(Protocol):
    """The calls of one thread."""

    def is_here(self) -> bool:
        """Whether the calling thread is the loop's own."""
        ...

    def post(self, call: Call) -> None:
        """Have it called on the loop's thread, soon; may be asked by any thread."""
        ...

    def at(self, due_s: float, call: Call) -> None:
        """Have it called at a time of `time.monotonic`; for the loop's thread alone."""
        ...

    def is_alive(self, owner: object) -> bool:
        """Whether the object of a method may still be called: a widget may have been deleted behind Python's back."""
        ...


class Timer:
    """Calls once, `interval_ms` after the last start; for the loop's thread alone."""

    def __init__(self, call: Call, interval_ms: int = 0) -> None:
        self._call, self._interval_ms = call, interval_ms
        self._due: float | None = None

    def start(self, interval_ms: int | None = None) -> None:
        self._interval_ms = self._interval_ms if interval_ms is None else interval_ms
        due = self._due = time.monotonic() + self._interval_ms / 1000.0
        current().at(due, lambda: self._fire(due))

    def stop(self) -> None:
        self._due = None

    def is_active(self) -> bool:
        return self._due is not None

    def remaining_ms(self) -> int:
        return -1 if self._due is None else max(round(1000.0 * (self._due - time.monotonic())), 0)

    def _fire(self, due: float) -> None:
        if self._due == due:
            self._due = None
            self._call()


class Later:
    """Calls that wait for their time."""

    def __init__(self) -> None:
        self._calls: list[tuple[float, int, Call]] = []
        self._count = itertools.count()

    def add(self, due_s: float, call: Call) -> None:
        heapq.heappush(self._calls, (due_s, next(self._count), call))

    def wait_s(self) -> float | None:
        """Until the next one is due; None where none waits."""
        return max(self._calls[0][0] - time.monotonic(), 0.0) if self._calls else None

    def due(self) -> list[Call]:
        """Those whose time has come, in their order; they wait no more."""
        now, calls = time.monotonic(), []
        while self._calls and self._calls[0][0] <= now:
            calls.append(heapq.heappop(self._calls)[2])
        return calls


class PlainLoop:
    """A loop without a window: `run_until` makes its calls, on the thread that made the loop."""

    def __init__(self) -> None:
        self._thread = threading.get_ident()
        self._wake = threading.Condition()
        self._calls: list[Call] = []
        self._later = Later()

    def is_here(self) -> bool:
        return threading.get_ident() == self._thread

    def post(self, call: Call) -> None:
        with self._wake:
            self._calls.append(call)
            self._wake.notify()

    def at(self, due_s: float, call: Call) -> None:
        self._later.add(due_s, call)

    def is_alive(self, owner: object) -> bool:
        return owner is not None

    def run_until(self, is_done: Callable[[], bool], timeout_s: float = 60.0) -> bool:
        """Make calls as they come until something is done; False when it was not in time."""
        until = time.monotonic() + timeout_s
        while not is_done():
            if time.monotonic() > until:
                return False
            for call in self._next():
                call()
        return True

    def _next(self) -> list[Call]:
        with self._wake:
            if not self._calls:
                wait_s = self._later.wait_s()
                self._wake.wait(IDLE_S if wait_s is None else min(wait_s, IDLE_S))
            calls, self._calls = self._calls, []
        return [*calls, *self._later.due()]


class _Current:
    loop: Loop | None = None


def use(loop: Loop) -> None:
    """From now on work belongs to this loop."""
    _Current.loop = loop


def current() -> Loop:
    """The loop in use; without a window a plain one of the first thread that asks."""
    if _Current.loop is None:
        _Current.loop = PlainLoop()
    return _Current.loop
