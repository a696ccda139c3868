"""A thread that answers the latest request and drops the others."""

import contextlib
import logging
import os
import threading
from collections.abc import Callable
from functools import partial
from typing import Any

from .closing import wait_for_thread
from .signals import Signal

log = logging.getLogger(__name__)
NICE = 5
"""Of a thread that yields: the window's own is served first."""


def stand_back(nice: int = NICE) -> None:
    """From now on this thread waits where the window's own computes, or one that stands back less."""
    with contextlib.suppress(OSError, AttributeError):  # where a thread has no priority of its own
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), nice)


class LatestWorker:
    """Calls `answer(request, emit)` on its own thread for the newest request; `answered` arrives on
    the loop's thread. What comes out of `answer` by `emit` may be several answers."""

    answered = Signal()
    """(request, answer)."""
    failed = Signal()
    """(request, message)."""

    def __init__(
        self, answer: Callable[[Any, Callable[[Any], None]], None], name: str, *, yields: bool = False
    ) -> None:
        """yields: whether it stands back where the window's thread, or one that does not yield, computes."""
        self._answer, self._yields = answer, yields
        self._wake = threading.Condition()
        self._request: Any = None
        self._ending = False
        self._busy = False
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def ask(self, request: Any) -> None:
        with self._wake:
            self._request = request
            self._wake.notify()

    def outdated(self) -> bool:
        """True when a newer request waits."""
        return self._request is not None or self._ending

    def outdated_within(self, seconds: float) -> bool:
        """Whether a newer request comes within so many seconds, which are waited for. For `answer` alone."""
        with self._wake:
            return self._wake.wait_for(self.outdated, seconds)

    def is_idle(self) -> bool:
        with self._wake:
            return self._request is None and not self._busy

    def end(self) -> None:
        with self._wake:
            self._ending = True
            self._request = None
            self._wake.notify()
        wait_for_thread(self._thread)

    def _run(self) -> None:
        if self._yields:
            stand_back()
        while True:
            with self._wake:
                self._busy = False
                while self._request is None and not self._ending:
                    self._wake.wait()
                if self._ending:
                    return
                request, self._request, self._busy = self._request, None, True
            try:
                self._answer(request, partial(self.answered.emit, request))
            except Exception as error:  # nothing may end this thread
                log.exception("%s failed", self._thread.name)
                self.failed.emit(request, f"{type(error).__name__}: {error}")
            # while it waits it must not hold what it worked on
            request = None
