"""Sidecars that somebody deleted while they were in use."""

from collections.abc import Callable
from pathlib import Path

from .jobs import Job
from .loop import Timer
from .session_parts import OpenWork

TOGETHER_MS = 1000
"""Sidecars that are deleted within this time are asked about at once."""


class Deleted:
    """Gathers them, and calls `ask` with those of about the same time; with each of them once."""

    def __init__(self, ask: Callable[[tuple[Path, ...]], None]) -> None:
        self._ask = ask
        self._new: list[Path] = []
        self._asked_about: set[Path] = set()
        self._soon = Timer(self._ask_now, TOGETHER_MS)

    def add(self, path: Path) -> None:
        if path not in self._asked_about:
            self._new.append(path)
            self._soon.start()

    def end(self) -> None:
        self._soon.stop()

    def _ask_now(self) -> None:
        paths, self._new = tuple(sorted(set(self._new))), []
        self._asked_about.update(paths)
        self._ask(paths)


def discard_edits(session: OpenWork, paths: tuple[Path, ...]) -> None:
    """Delete the sidecars of pictures and forget their edits. Aside, since another window may be writing there."""
    if session.path in paths:
        session.cancel_edit()

    def discard(_: Job) -> None:
        for path in paths:
            session.desk.discard(path)

    session.do_aside(discard, "discard edits", lambda _: session.show_changed(paths), of_shoot=True)
