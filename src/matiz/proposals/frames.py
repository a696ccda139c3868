"""Frames for a picture: its subject on a crossing and whole, bright things at the border left out, most of it kept.

That a subject on a crossing of thirds or of the golden ratio sits well is common practice, no source.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import product

from ..mend.frame import Rect, crossings
from ..wording import counted, number, percent

MOST = 5
LEAST_KEPT = 0.2
"""Of the picture: a tighter frame is another picture."""
ROOM = 0.03
"""Around the subject, of the frame's long side."""
ALIKE = 0.85
"""The overlap from which two frames are one."""
CUT = 0.08
"""What it counts for that a bright thing is left out, in shares of the picture kept."""
OFF, ON, MOST_OFF = 4.0, 0.005, 0.1
"""What a share of the long side counts for by which the subject is off its crossing; up to which it is on it; and from
which a frame is not proposed."""
SHRINK = 0.96
NAMES = ("left", "right"), ("upper", "lower")


Box = tuple[float, float, float, float]
"""Left, top, width, height."""


@dataclass(frozen=True)
class SubjectBox:
    """Px of the picture."""

    x: float
    y: float
    box: Box


@dataclass(frozen=True)
class ProposedCrop:
    """A crop, and why."""

    rect: Rect
    reasons: tuple[str, ...]


def frames(
    whole: tuple[float, float], ratio: float, subject: SubjectBox | None, blobs: Sequence[Box]
) -> tuple[ProposedCrop, ...]:
    """Up to five frames of a ratio (width over height), the best first. whole: the picture, px; blobs: boxes of bright
    things at its border, (left, top, width, height)."""
    if subject is None and not blobs:
        return ()
    found: list[tuple[float, ProposedCrop]] = []
    for kind in ("thirds", "golden") if subject is not None else ("centre",):
        for n in range(4 if subject is not None else 1):
            for avoid in ((), tuple(blobs)) if blobs else ((),):
                judged = [
                    _judged(whole, rect, subject, kind, n, blobs)
                    for rect in _each(whole, ratio, subject, kind, n)
                    if not any(_touches(rect, box) for box in avoid)
                ]
                found += [max(judged, key=lambda each: each[0])] if judged else []
    found.sort(key=lambda each: -each[0])
    kept: list[ProposedCrop] = []
    for _, frame in found:
        if len(kept) < MOST and not any(_overlap(frame.rect, other.rect) > ALIKE for other in kept):
            kept.append(frame)
    return tuple(kept)


def _each(whole: tuple[float, float], ratio: float, subject: SubjectBox | None, kind: str, n: int) -> Iterator[Rect]:
    """Frames of all sizes whose n-th crossing is the subject, or as near to it as keeps it whole."""
    width = min(whole[0], whole[1] * ratio)
    while width * width / ratio >= LEAST_KEPT * whole[0] * whole[1]:
        height = width / ratio
        if subject is None:
            spare = whole[0] - width, whole[1] - height
            for across, down in product((0.5, 0.0, 1.0), repeat=2):
                yield Rect(spare[0] * across, spare[1] * down, width, height)
        else:
            x, y = crossings(kind, Rect(0.0, 0.0, width, height))[n]
            room = ROOM * max(width, height)
            left = _held(subject.x - x, subject.box[0], subject.box[2], width, whole[0], room)
            top = _held(subject.y - y, subject.box[1], subject.box[3], height, whole[1], room)
            if left is not None and top is not None:
                off = math.hypot(subject.x - x - left, subject.y - y - top)
                if off <= MOST_OFF * max(width, height):
                    yield Rect(left, top, width, height)
        width *= SHRINK


def _held(start: float, low: float, length: float, size: float, whole: float, room: float) -> float | None:
    """Where a frame of a size begins that is to begin at `start`, holds a stretch with some room, or with as much as
    there is, and lies within 0..whole; None where it cannot."""
    first = max(0.0, min(low + length + room, whole) - size)
    last = min(max(low - room, 0.0), whole - size)
    return min(max(start, first), last) if first <= last + 1e-6 else None


def _judged(
    whole: tuple[float, float], rect: Rect, subject: SubjectBox | None, kind: str, n: int, blobs: Sequence[Box]
) -> tuple[float, ProposedCrop]:
    kept = rect.w * rect.h / (whole[0] * whole[1])
    cut = sum(not _touches(rect, box) for box in blobs)
    reasons, off = [f"{percent(kept, 0)} kept"], 0.0
    if subject is not None:
        x, y = crossings(kind, rect)[n]
        off = math.hypot(subject.x - x, subject.y - y) / max(rect.w, rect.h)
        where = "subject on" if off < ON else f"subject {percent(off, 0)} of the long side off"
        reasons.insert(0, f"{where} the {NAMES[1][n // 2]} {NAMES[0][n % 2]} crossing of {kind}")
    if blobs:
        reasons.append(f"{number(cut, 0)} of {counted(len(blobs), 'bright thing')} at the border left out")
    return kept + CUT * cut - OFF * off, ProposedCrop(rect, tuple(reasons))


def _touches(rect: Rect, box: Box) -> bool:
    x, y, w, h = box
    return rect.x < x + w and x < rect.x + rect.w and rect.y < y + h and y < rect.y + rect.h


def _overlap(one: Rect, other: Rect) -> float:
    """The area of both in that of either."""
    w = min(one.x + one.w, other.x + other.w) - max(one.x, other.x)
    h = min(one.y + one.h, other.y + other.h) - max(one.y, other.y)
    both = max(w, 0.0) * max(h, 0.0)
    return both / (one.w * one.h + other.w * other.h - both) if not math.isclose(both, 0.0) else 0.0
