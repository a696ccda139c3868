"""What of a mask part can be held on the picture, and what a drag of it makes: plain geometry, in units of the frame's
long side."""

import math
from collections.abc import Mapping

import numpy as np

from ....colour.types import Array
from ....recipe.places import Ellipse, MaskPart, Ramp

Point = tuple[float, float]
TURN_BEYOND = 1.25
"""Where an ellipse is turned: so far out, in halves of its width."""
STEP_DEG = 15.0
"""To which a turn is held with Shift."""
AROUND = 72
"""Points of an outline."""


def handles(part: MaskPart) -> Mapping[str, Point]:
    """What can be held, by name; nothing of parts that lie nowhere."""
    match part:
        case Ramp():
            middle = (part.x + part.x2) / 2.0, (part.y + part.y2) / 2.0
            return {"full": (part.x, part.y), "gone": (part.x2, part.y2), "middle": middle}
        case Ellipse():
            wide, high = _axes(part)
            at = np.array((part.x, part.y))
            places = {"wide": at + wide, "high": at + high, "turn": at + TURN_BEYOND * wide, "middle": at}
            return {name: (float(x), float(y)) for name, (x, y) in places.items()}
    return {}


def moved(part: MaskPart, handle: str, to: Point, *, held: bool = False) -> dict[str, float]:
    """The values that a part has once a handle lies somewhere else. held: in steps of STEP_DEG, or evenly."""
    match part:
        case Ramp():
            return _moved_ramp(part, handle, to, held)
        case Ellipse():
            return _moved_ellipse(part, handle, to, held)
    return {}


def drawn(part: MaskPart, start: Point, end: Point, *, held: bool = False) -> dict[str, float]:
    """The values of a part that is drawn afresh from one place to another."""
    match part:
        case Ramp():
            x2, y2 = _stepped(start, end) if held else end
            return _rounded(x=start[0], y=start[1], x2=x2, y2=y2)
        case Ellipse():
            w, h = (max(2.0 * abs(b - a), 0.004) for a, b in zip(start, end, strict=True))
            w, h = (max(w, h),) * 2 if held else (w, h)
            return _rounded(x=start[0], y=start[1], w=w, h=h, turn_deg=0.0)
    return {}


def outlines(part: MaskPart) -> tuple[Array, Array]:
    """Up to where a part is full, and where it is gone: points (n, 2) of a line each; none of what lies nowhere."""
    nothing = np.zeros((0, 2))
    match part:
        case Ramp():
            start, end = np.array((part.x, part.y)), np.array((part.x2, part.y2))
            along = end - start
            across = np.array((-along[1], along[0])) / max(float(np.hypot(*along)), 1e-9)
            reach = across * np.linspace(-1.5, 1.5, AROUND)[:, None]
            return start + reach, end + reach
        case Ellipse():
            wide, high = _axes(part)
            turn = np.linspace(0.0, 2.0 * np.pi, AROUND + 1)
            rim = np.outer(np.cos(turn), wide) + np.outer(np.sin(turn), high)
            at = np.array((part.x, part.y))
            return at + rim * (1.0 - part.soft_percent / 100.0), at + rim
    return nothing, nothing


def _axes(part: Ellipse) -> tuple[Array, Array]:
    turn = math.radians(part.turn_deg)
    return (
        np.array((math.cos(turn), math.sin(turn))) * part.w / 2.0,
        np.array((-math.sin(turn), math.cos(turn))) * part.h / 2.0,
    )


def _moved_ramp(part: Ramp, handle: str, to: Point, held: bool) -> dict[str, float]:
    if handle == "full":
        x, y = _stepped((part.x2, part.y2), to) if held else to
        return _rounded(x=x, y=y)
    if handle == "gone":
        x2, y2 = _stepped((part.x, part.y), to) if held else to
        return _rounded(x2=x2, y2=y2)
    dx, dy = to[0] - (part.x + part.x2) / 2.0, to[1] - (part.y + part.y2) / 2.0
    return _rounded(x=part.x + dx, y=part.y + dy, x2=part.x2 + dx, y2=part.y2 + dy)


def _moved_ellipse(part: Ellipse, handle: str, to: Point, held: bool) -> dict[str, float]:
    if handle == "middle":
        return _rounded(x=to[0], y=to[1])
    off = np.array(to) - (part.x, part.y)
    if handle == "turn":
        turn = math.degrees(math.atan2(off[1], off[0]))
        return {"turn_deg": round(round(turn / STEP_DEG) * STEP_DEG if held else turn, 1)}
    wide, high = _axes(part)
    axis, name, other = (wide, "w", "h") if handle == "wide" else (high, "h", "w")
    size = min(max(2.0 * abs(float(off @ axis)) / max(float(np.hypot(*axis)), 1e-9), 0.002), 3.0)
    # evenly: the other side keeps its proportion
    ratio = size / getattr(part, name)
    more = {other: min(max(getattr(part, other) * ratio, 0.002), 3.0)} if held else {}
    return _rounded(**{name: size}, **more)


def _stepped(about: Point, to: Point) -> Point:
    """A place in a direction that is a whole number of steps."""
    far = math.dist(about, to)
    turn = math.radians(round(math.degrees(math.atan2(to[1] - about[1], to[0] - about[0])) / STEP_DEG) * STEP_DEG)
    return about[0] + far * math.cos(turn), about[1] + far * math.sin(turn)


def _rounded(**values: float) -> dict[str, float]:
    places = ("x", "y", "x2", "y2")
    return {name: round(min(max(value, -1.0), 2.0) if name in places else value, 6) for name, value in values.items()}
