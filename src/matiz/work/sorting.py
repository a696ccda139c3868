"""Decisions about many pictures at once: keep, hold or drop, rank, caption, keywords."""

from pathlib import Path
from typing import Any

from ..errors import Cancelled
from .jobs import Job
from .session_parts import OpenWork

READ_AT_ONCE = 20
"""Sidecars that the window's thread reads itself; more are read aside first."""


def sort_pictures(session: OpenWork, paths: tuple[Path, ...], decision: dict[str, Any]) -> None:
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
