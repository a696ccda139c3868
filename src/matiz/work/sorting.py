"""Decisions about many pictures at once: keep, hold or drop, rank, caption, keywords."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from ..errors import Cancelled
from ..shoot.desk import Desk
from .jobs import Job

READ_AT_ONCE = 20
"""Sidecars that the window's thread reads itself; more are read aside first."""


class SortWork(Protocol):
    """Whose pictures they are: the session."""

    desk: Desk

    def show_sorted(self, changed: tuple[Path, ...]) -> None: ...
    def do_aside(
        self, work: Callable[[Job], Any], name: str, then: Callable[[Any], None], *, of_shoot: bool
    ) -> Job: ...


def sort_pictures(session: SortWork, paths: tuple[Path, ...], decision: dict[str, Any]) -> None:
    """Set fields of the documents of pictures. decision: `sorted_as`, `rank`, `caption` or `keywords`, by name."""
    desk = session.desk
    unread = [path for path in paths if not desk.is_known(path)]

    def sort() -> None:
        session.show_sorted(tuple(path for path in paths if desk.change(path, **decision)))

    if len(unread) <= READ_AT_ONCE:
        sort()
        return

    def read(job: Job) -> None:
        for n, path in enumerate(unread):
            if not job.progress(n / len(unread)):
                raise Cancelled("stopped")
            desk.document(path)

    session.do_aside(read, "read sidecars", lambda _: sort(), of_shoot=True)
