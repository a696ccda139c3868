"""Threads that work off what they are given: what is urgent first, the rest in its order."""

import heapq
import itertools
import logging
import threading
import time
from collections.abc import Callable

log = logging.getLogger(__name__)
IDLE_S = 10.0
"""A thread without work ends after this time."""


class Pool:
    """At most so many threads, begun as they are needed; none keeps the process alive."""

    def __init__(self, threads: int = 1, name: str = "pool") -> None:
        self._most, self._name = threads, name
        self._changed = threading.Condition()
        self._waiting: list[tuple[int, int, Callable[[], None]]] = []
        self._count = itertools.count()
        self._threads = self._idle = self._at_work = 0

    def start(self, run: Callable[[], None], *, urgent: bool = False) -> None:
        """Have it run by a thread. urgent: before all that wait and are not."""
        with self._changed:
            heapq.heappush(self._waiting, (0 if urgent else 1, next(self._count), run))
            if self._idle < len(self._waiting) and self._threads < self._most:
                self._threads += 1
                threading.Thread(target=self._work, name=self._name, daemon=True).start()
            self._changed.notify_all()

    def clear(self) -> None:
        """Drop all that has not begun."""
        with self._changed:
            self._waiting.clear()
            self._changed.notify_all()

    def wait(self, seconds: float | None = None) -> bool:
        """Wait until nothing is at work and nothing waits; False when it was not so in time."""
        with self._changed:
            return self._changed.wait_for(lambda: not self._waiting and not self._at_work, seconds)

    def _work(self) -> None:
        while True:
            with self._changed:
                run = self._next()
                if run is None:
                    self._threads -= 1
                    return
                self._at_work += 1
            try:
                run()
            except Exception:  # nothing may end this thread
                log.exception("%s failed", self._name)
            finally:
                # while it waits it must not hold what it worked on
                del run
                with self._changed:
                    self._at_work -= 1
                    self._changed.notify_all()

    def _next(self) -> Callable[[], None] | None:
        until = time.monotonic() + IDLE_S
        while not self._waiting:
            self._idle += 1
            self._changed.wait(max(until - time.monotonic(), 0.0))
            self._idle -= 1
            if not self._waiting and time.monotonic() >= until:
                return None
        return heapq.heappop(self._waiting)[2]
