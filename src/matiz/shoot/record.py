"""The record of a shoot: what was decided for each picture, how long it took, at which station, when all is done.

Times come from the log: what lies between two steps counts for the picture of the later one, but for pauses.
"""

import csv
import io
import json
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from statistics import median

from ..errors import MatizError
from ..recipe.document import Document
from ..wording import counted, number
from .folder import pictures_in
from .log import Event, Log
from .sidecar import load_document

PAUSE_S = 120.0
"""Longer than this between two steps is a pause and counts for none."""
ORDINARY_S, SPECIAL_S = 60.0, 180.0
"""Budget of a picture, and of one with a rank of SPECIAL_RANK or more. Common practice, no source."""
SPECIAL_RANK = 4
WORKED_STEPS = 1


@dataclass(frozen=True)
class Entry:
    """One picture."""

    picture: str
    sorted_as: str
    rank: int
    steps: int
    seconds: float
    by_station: dict[str, float] = field(default_factory=dict)
    """Seconds by the station whose values moved, as far as steps tell."""
    last_utc: str = ""
    deliveries: int = 0

    @property
    def budget_s(self) -> float:
        return SPECIAL_S if self.rank >= SPECIAL_RANK else ORDINARY_S


@dataclass(frozen=True)
class ShootPlan:
    """When a shoot is done at the pace so far."""

    left: int
    """Pictures that are not dropped and that nothing was decided for yet."""
    pace_s: float | None
    """Median seconds of those that something was; None before any."""

    @property
    def seconds(self) -> float | None:
        return None if self.pace_s is None else self.pace_s * self.left


def entries(folder: Path) -> list[Entry]:
    """Every picture of a folder. FileError when its log cannot be read."""
    log = Log(folder)
    try:
        events = log.events()
    finally:
        log.close()
    documents = {}
    for path in pictures_in(folder):
        try:
            documents[path.name] = load_document(path)
        except MatizError:
            documents[path.name] = Document()
    return entries_of(documents, events)


def entries_of(documents: dict[str, Document], events: Sequence[Event]) -> list[Entry]:
    """The same of what was read. events: oldest first."""
    seconds: dict[str, float] = defaultdict(float)
    stations: dict[str, dict[str, float]] = defaultdict(lambda: defaultdict(float))
    steps: dict[str, int] = defaultdict(int)
    delivered: dict[str, int] = defaultdict(int)
    last: dict[str, str] = {}
    before: datetime | None = None
    for event in events:
        now = _time(event.at_utc)
        if event.kind == "deliver":
            # written in the background
            delivered[event.picture] += 1
            continue
        took = (now - before).total_seconds() if now is not None and before is not None else 0.0
        if 0.0 < took <= PAUSE_S:
            seconds[event.picture] += took
            for station in _stations(event):
                stations[event.picture][station] += took
        before = now or before
        last[event.picture] = event.at_utc
        steps[event.picture] += event.kind == "change"
    return [
        Entry(name, document.sorted_as, document.rank, steps[name], round(seconds[name], 1),
              {station: round(s, 1) for station, s in stations[name].items()}, last.get(name, ""), delivered[name])
        for name, document in documents.items()
    ]  # fmt: skip


def plan_of(found: Iterable[Entry]) -> ShootPlan:
    found = list(found)
    worked = [entry.seconds for entry in found if entry.steps >= WORKED_STEPS and entry.seconds > 0.0]
    left = sum(entry.sorted_as != "drop" and entry.steps < WORKED_STEPS for entry in found)
    return ShootPlan(left, median(worked) if worked else None)


def by_station(found: Iterable[Entry]) -> dict[str, float]:
    """Seconds of all pictures by station, the longest first."""
    total: dict[str, float] = defaultdict(float)
    for entry in found:
        for station, seconds in entry.by_station.items():
            total[station] += seconds
    return dict(sorted(total.items(), key=lambda item: -item[1]))


# ---- as text

COLUMNS = ("picture", "sorted as", "rank", "steps", "seconds", "budget s", "deliveries", "last step, UTC")


def _row(entry: Entry) -> tuple[str, ...]:
    return (entry.picture, entry.sorted_as, str(entry.rank), str(entry.steps), f"{entry.seconds:.1f}",
            f"{entry.budget_s:.0f}", str(entry.deliveries), entry.last_utc)  # fmt: skip


def as_csv(found: Iterable[Entry]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows(_row(entry) for entry in found)
    return out.getvalue()


def as_markdown(found: Iterable[Entry]) -> str:
    found = list(found)
    lines = [f"| {' | '.join(COLUMNS)} |", f"|{'---|' * len(COLUMNS)}"]
    lines += [f"| {' | '.join(cell.replace('|', '/') for cell in _row(entry))} |" for entry in found]
    return "\n".join([*lines, "", *sentences(found), ""])


def sentences(found: Iterable[Entry]) -> list[str]:
    """The shoot in sentences."""
    found = list(found)
    plan, over = plan_of(found), [entry for entry in found if entry.seconds > entry.budget_s]
    said = [f"{counted(len(found), 'picture')}, {number(sum(entry.steps > 0 for entry in found), 0)} worked on."]
    if plan.pace_s is not None:
        said.append(f"Half of them took up to {number(plan.pace_s, 0, 's')}.")
        if plan.seconds:
            minutes = number(plan.seconds / 60.0, 0, "min")
            said.append(f"{counted(plan.left, 'picture')} left: about {minutes} at this pace.")
    if over:
        said.append(f"Over their budget: {', '.join(entry.picture for entry in over)}.")
    spent = by_station(found)
    if spent:
        said.append("Time by station: " + ", ".join(f"{name} {number(s, 0, 's')}" for name, s in spent.items()) + ".")
    return said


def _stations(event: Event) -> set[str]:
    try:
        items = json.loads(event.detail) if event.detail else []
        return {str(path).partition(".")[0] for path, *_ in items}
    except (ValueError, TypeError):
        return set()


def _time(stamp: str) -> datetime | None:
    try:
        return datetime.fromisoformat(stamp)
    except ValueError:
        return None
