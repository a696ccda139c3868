"""Sidecars that somebody deleted while they were in use."""

from collections.abc import Callable
from pathlib import Path

from .loop import Timer

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
