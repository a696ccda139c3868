"""Sets of a shoot: the pictures that were taken in one go."""

from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path

MOST_GAP_S = 20 * 60.0
"""Between two pictures of a set. Common practice, no source: a longer break is another place or light."""


def following(taken_utc: Mapping[Path, str], first: Path) -> list[Path]:
    """The pictures taken after `first` without a break, in the order of their taking.

    taken_utc: times like 2026-05-09T06:12:40Z; pictures without a time that can be read belong to no set.
    """
    times = {path: time for path, stamp in taken_utc.items() if (time := _time(stamp)) is not None}
    if first not in times:
        return []
    last, found = times[first], []
    for path in sorted((p for p in times if (times[p], p.name) > (last, first.name)), key=lambda p: (times[p], p.name)):
        if (times[path] - last).total_seconds() > MOST_GAP_S:
            break
        last = times[path]
        found.append(path)
    return found


def _time(stamp: str) -> datetime | None:
    try:
        time = datetime.fromisoformat(stamp)
    except ValueError:
        return None
    return time if time.tzinfo else time.replace(tzinfo=UTC)
