"""Sets of a shoot: the pictures that were taken in one go."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from ..raw.frame import Exposure
from ..wording import number

MOST_GAP_S = 20 * 60.0
"""Between two pictures of a set. Common practice, no source: a longer break is another place or light."""


def following(taken_utc: Mapping[Path, str], first: Path) -> list[Path]:
    """The pictures taken after `first` without a break, in the order of their taking.

    taken_utc: times like 2026-05-09T06:12:40Z; pictures without a time that can be read belong to no set.
    """
    times = {path: time for path, stamp in taken_utc.items() if (time := time_of(stamp)) is not None}
    if first not in times:
        return []
    last, found = times[first], []
    for path in sorted((p for p in times if (times[p], p.name) > (last, first.name)), key=lambda p: (times[p], p.name)):
        if (times[path] - last).total_seconds() > MOST_GAP_S:
            break
        last = times[path]
        found.append(path)
    return found


def time_of(stamp: str) -> datetime | None:
    """When a stamp like 2026-05-09T06:12:40Z says; None for what is none."""
    try:
        time = datetime.fromisoformat(stamp)
    except ValueError:
        return None
    return time if time.tzinfo else time.replace(tzinfo=UTC)


# ---- sets that are proposed


BURST_GAP_S = 1.0
"""Between two frames of a burst, as far as times tell: most cameras write whole seconds."""
BRACKET_GAP_S, PAIR_GAP_S = 5.0, 30.0
LEAST_STEP_EV, SAME_EV = 0.3, 0.1
LEAST_BURST, LEAST_BRACKET = 3, 3
SAME_FOCAL = 0.02
MOST = 500
"""Pictures of a set."""


@dataclass(frozen=True)
class Proposed:
    """Pictures that belong together, in the order of their taking."""

    kind: str
    """"burst", "bracket", "focus pair", or "set" for one that the photographer made."""
    pictures: tuple[Path, ...]
    steps_EV: tuple[float, ...] = ()
    """Of a bracket: each frame's exposure against the middle one."""

    @property
    def name(self) -> str:
        if self.kind == "bracket":
            steps = " ".join(number(step, 0 if abs(step - round(step)) < 0.05 else 1, signed=True)
                             for step in self.steps_EV)  # fmt: skip
            return f"bracket {steps} EV"
        return self.kind if self.kind == "focus pair" else f"{self.kind} of {len(self.pictures)}"


def proposed_sets(exposures: Mapping[Path, Exposure]) -> list[Proposed]:
    """Bursts, brackets and focus pairs, by what files say of themselves: no picture is in two."""
    known = [(time, path, exposure) for path, exposure in exposures.items()
             if exposure.time_utc and (time := time_of(exposure.time_utc)) is not None]  # fmt: skip
    known.sort(key=lambda each: (each[0], each[1].name))
    out: list[Proposed] = []
    first = 0
    while first < len(known):
        found, count = _from(known[first : first + MOST])
        if found is not None:
            out.append(found)
        first += max(count, 1)
    return out


_Shot = tuple[datetime, Path, Exposure]


def _from(shots: list[_Shot]) -> tuple[Proposed | None, int]:
    """The set that begins with the first shot, and how many it has."""
    row = _row(shots, BRACKET_GAP_S)
    levels = [each[2].light_EV for each in row]
    # as far as each differs from all before it
    count = 1
    while count < len(row) and _differs(levels[: count + 1]):
        count += 1
    if count >= LEAST_BRACKET and row[0][2].f_number == row[count - 1][2].f_number:
        told = [level for level in levels[:count] if level is not None]
        middle = sorted(told)[len(told) // 2]
        steps = tuple(round(level - middle, 2) for level in told)
        return Proposed("bracket", tuple(path for _, path, _ in row[:count]), steps), count
    burst = _row(shots, BURST_GAP_S)
    same = next((n for n, each in enumerate(burst) if not _is_same(burst[0][2], each[2])), len(burst))
    if same >= LEAST_BURST:
        return Proposed("burst", tuple(path for _, path, _ in burst[:same])), same
    pair = _row(shots[:2], PAIR_GAP_S)
    if len(pair) == 2 and _is_same(pair[0][2], pair[1][2]):
        near, far = pair[0][2].focus_m, pair[1][2].focus_m
        if near and far and abs(near - far) > 0.05 * max(near, far):
            return Proposed("focus pair", (pair[0][1], pair[1][1])), 2
    return None, 1


def _row(shots: list[_Shot], gap_s: float) -> list[_Shot]:
    """The first shots as long as each follows the one before closely, through the same lens."""
    row = shots[:1]
    for shot in shots[1:]:
        if (shot[0] - row[-1][0]).total_seconds() > gap_s or not _is_same_lens(row[0][2], shot[2]):
            break
        row.append(shot)
    return row


def _is_same_lens(a: Exposure, b: Exposure) -> bool:
    if a.lens != b.lens or (a.focal_mm is None) != (b.focal_mm is None):
        return False
    return a.focal_mm is None or b.focal_mm is None or abs(a.focal_mm / b.focal_mm - 1.0) <= SAME_FOCAL


def _differs(levels: list[float | None]) -> bool:
    last = levels[-1]
    return last is not None and all(level is not None and abs(level - last) >= LEAST_STEP_EV for level in levels[:-1])


def _is_same(a: Exposure, b: Exposure) -> bool:
    one, other = a.light_EV, b.light_EV
    return one is not None and other is not None and abs(one - other) <= SAME_EV
