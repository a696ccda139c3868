"""The crop as a hand holds it: a rectangle on a picture, its handles, its ratio, and lines to compose by."""

import math
from dataclasses import dataclass

from .straight import RATIOS

HANDLES = ("nw", "n", "ne", "e", "se", "s", "sw", "w", "inside")
GUIDES = ("thirds", "golden", "diagonals", "centre")
GOLDEN = 2.0 / (1.0 + 5.0**0.5)
LEAST_PX = 32.0

Point = tuple[float, float]
Line = tuple[Point, Point]


@dataclass(frozen=True)
class Rect:
    """Px of a picture."""

    x: float
    y: float
    w: float
    h: float

    @property
    def middle(self) -> Point:
        return self.x + self.w / 2.0, self.y + self.h / 2.0

    def at(self, across: float, down: float) -> Point:
        """A place by shares of its width and height."""
        return self.x + across * self.w, self.y + down * self.h

    def holds(self, x: float, y: float) -> bool:
        return self.x <= x <= self.x + self.w and self.y <= y <= self.y + self.h


def handle_at(rect: Rect, x: float, y: float, reach: float) -> str | None:
    """The handle within `reach` px of a point; corners before sides, sides before the inside."""
    near_left, near_right = abs(x - rect.x) <= reach, abs(x - rect.x - rect.w) <= reach
    near_top, near_bottom = abs(y - rect.y) <= reach, abs(y - rect.y - rect.h) <= reach
    along_x = rect.x - reach <= x <= rect.x + rect.w + reach
    along_y = rect.y - reach <= y <= rect.y + rect.h + reach
    down = "n" if near_top and along_x else "s" if near_bottom and along_x else ""
    across = "w" if near_left and along_y else "e" if near_right and along_y else ""
    return down + across or ("inside" if rect.holds(x, y) else None)


def ratio_of(name: str, rect: Rect, whole: tuple[float, float]) -> float | None:
    """Width over height that a named ratio asks for; lying or standing as the rectangle does. None for any."""
    if name == "free":
        return None
    ratio = RATIOS.get(name, max(whole) / min(whole))
    return ratio if rect.w >= rect.h else 1.0 / ratio


def dragged(rect: Rect, handle: str, by: Point, whole: tuple[float, float], ratio: float | None) -> Rect:
    """A rectangle after one of its handles was dragged `by` px, held within (0, 0, *whole) and to a ratio."""
    if handle == "inside":
        return _inside(Rect(rect.x + by[0], rect.y + by[1], rect.w, rect.h), whole)
    left, top, right, bottom = rect.x, rect.y, rect.x + rect.w, rect.y + rect.h
    if "w" in handle:
        left = min(max(left + by[0], 0.0), right - LEAST_PX)
    if "e" in handle:
        right = max(min(right + by[0], whole[0]), left + LEAST_PX)
    if "n" in handle:
        top = min(max(top + by[1], 0.0), bottom - LEAST_PX)
    if "s" in handle:
        bottom = max(min(bottom + by[1], whole[1]), top + LEAST_PX)
    if ratio is None:
        return Rect(left, top, right - left, bottom - top)
    width, height = right - left, bottom - top
    if len(handle) == 2:
        width = max(width, height * ratio)
        # as much room as there is between the corner that stays and the border
        fixed_x = rect.x + rect.w if "w" in handle else rect.x
        fixed_y = rect.y + rect.h if "n" in handle else rect.y
        room_x = fixed_x if "w" in handle else whole[0] - fixed_x
        room_y = fixed_y if "n" in handle else whole[1] - fixed_y
        width = min(width, room_x, room_y * ratio)
        height = width / ratio
        return Rect(fixed_x - width if "w" in handle else fixed_x, fixed_y - height if "n" in handle else fixed_y,
                    width, height)  # fmt: skip
    # a side: the other two give way evenly about their middle
    middle_x, middle_y = rect.middle
    if handle in ("w", "e"):
        height = min(width / ratio, 2.0 * min(middle_y, whole[1] - middle_y))
        width = height * ratio
        return Rect(right - width if handle == "w" else left, middle_y - height / 2.0, width, height)
    width = min(height * ratio, 2.0 * min(middle_x, whole[0] - middle_x))
    height = width / ratio
    return Rect(middle_x - width / 2.0, bottom - height if handle == "n" else top, width, height)


def shaped(rect: Rect, ratio: float | None, whole: tuple[float, float]) -> Rect:
    """The rectangle of a ratio about the same middle that covers as much and lies within (0, 0, *whole)."""
    if ratio is None:
        return rect
    width = math.sqrt(rect.w * rect.h * ratio)
    share = min(1.0, whole[0] / width, whole[1] / (width / ratio))
    width, height = width * share, width * share / ratio
    return _inside(Rect(rect.middle[0] - width / 2.0, rect.middle[1] - height / 2.0, width, height), whole)


def _inside(rect: Rect, whole: tuple[float, float]) -> Rect:
    x, y = min(max(rect.x, 0.0), whole[0] - rect.w), min(max(rect.y, 0.0), whole[1] - rect.h)
    return Rect(x, y, rect.w, rect.h)


def guide_lines(kind: str, rect: Rect) -> list[Line]:
    """Lines to compose by: "thirds", "golden", "diagonals" (those of the corners and of the squares) or "centre"."""
    if kind in ("thirds", "golden"):
        near = 1.0 / 3.0 if kind == "thirds" else 1.0 - GOLDEN
        places = (near, 1.0 - near)
        return [(rect.at(p, 0.0), rect.at(p, 1.0)) for p in places] + [
            (rect.at(0.0, p), rect.at(1.0, p)) for p in places
        ]
    if kind == "centre":
        return [(rect.at(0.5, 0.0), rect.at(0.5, 1.0)), (rect.at(0.0, 0.5), rect.at(1.0, 0.5))]
    side = min(rect.w, rect.h)
    across, down = side / rect.w, side / rect.h
    corners = (((0.0, 0.0), (across, down)), ((1.0, 0.0), (1.0 - across, down)),
               ((0.0, 1.0), (across, 1.0 - down)), ((1.0, 1.0), (1.0 - across, 1.0 - down)))  # fmt: skip
    return [(rect.at(*a), rect.at(*b)) for a, b in corners]


def crossings(kind: str, rect: Rect) -> list[Point]:
    """Where the lines of a guide cross inside."""
    if kind in ("thirds", "golden"):
        near = 1.0 / 3.0 if kind == "thirds" else 1.0 - GOLDEN
        return [rect.at(x, y) for y in (near, 1.0 - near) for x in (near, 1.0 - near)]
    if kind == "centre":
        return [rect.middle]
    lines = guide_lines(kind, rect)
    found = [_crossing(a, b) for n, a in enumerate(lines) for b in lines[n + 1 :]]
    return [point for point in found if point is not None and rect.holds(*point)]


def _crossing(one: Line, other: Line) -> Point | None:
    (ax, ay), (bx, by) = one
    (cx, cy), (dx, dy) = other
    across = (bx - ax) * (dy - cy) - (by - ay) * (dx - cx)
    if abs(across) < 1e-9:
        return None
    share = ((cx - ax) * (dy - cy) - (cy - ay) * (dx - cx)) / across
    return ax + share * (bx - ax), ay + share * (by - ay)


def off_crossing(kind: str, rect: Rect, x: float, y: float) -> float:
    """Distance of a place from the nearest crossing of a guide, as a share of the rectangle's long side."""
    return min(math.hypot(x - cx, y - cy) for cx, cy in crossings(kind, rect)) / max(rect.w, rect.h)
