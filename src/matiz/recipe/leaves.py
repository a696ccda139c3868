"""What a value of a recipe may be: its kind, unit, limits, default and how it is shown.

The same description validates values, makes the JSON schema and builds the tapes of the window.
"""

import math
from dataclasses import dataclass, field
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np

from ..errors import RecipeError
from .shapes import NO_GRID, NOTHING, Grid, Shape, shapes_at_once


@dataclass(frozen=True)
class Number:
    """A quantity with a unit and hard limits, both included."""

    unit: str
    low: float
    high: float
    default: float
    step: float
    decimals: int
    help: str

    def check(self, path: str, value: Any) -> float:
        if type(value) is float and self.low <= value <= self.high:
            return value
        if isinstance(value, bool) or not isinstance(value, int | float) or not _is_finite(value):
            raise RecipeError(f"{path}: expected a number, got {_shown(value)}")
        if not self.low <= value <= self.high:
            raise RecipeError(f"{path}: {value:g} is outside {self.low:g}..{self.high:g} {self.unit}".rstrip())
        return float(value)

    def schema(self) -> dict[str, Any]:
        return {
            "type": "number",
            "minimum": self.low,
            "maximum": self.high,
            "default": self.default,
            "description": f"{self.help} Unit: {self.unit or 'none'}.",
        }


@dataclass(frozen=True)
class Choice:
    """One of a few words."""

    options: tuple[str, ...]
    default: str
    help: str

    @cached_property
    def options_set(self) -> frozenset[str]:
        return frozenset(self.options)

    def check(self, path: str, value: Any) -> str:
        if not isinstance(value, str) or value not in self.options:
            raise RecipeError(f"{path}: {_shown(value)} is not one of {', '.join(self.options)}")
        return value

    def schema(self) -> dict[str, Any]:
        return {"enum": list(self.options), "default": self.default, "description": self.help}


@dataclass(frozen=True)
class Text:
    """A line of text, such as a name."""

    default: str
    help: str
    most: int = 200

    def check(self, path: str, value: Any) -> str:
        if not isinstance(value, str) or not value.isprintable() or len(value) > self.most:
            raise RecipeError(f"{path}: expected one line of up to {self.most} characters, got {_shown(value)}")
        return value

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "maxLength": self.most, "default": self.default, "description": self.help}


@dataclass(frozen=True)
class Drawn:
    """What a hand has drawn, see `recipe.shapes`; nothing by default."""

    help: str
    most: int = 20_000
    default: Shape = NOTHING

    def check(self, path: str, value: Any) -> Shape:
        if not isinstance(value, Shape):
            try:
                value = Shape.from_json(value)
            except RecipeError as error:
                raise RecipeError(f"{path}: {error}") from None
        if len(value) > self.most:
            raise RecipeError(f"{path}: expected up to {self.most} points, got {len(value)}")
        return value

    def schema(self) -> dict[str, Any]:
        columns = {"type": "integer", "minimum": 2, "maximum": 3}
        points = {"type": "string", "contentEncoding": "base64"}
        named = {"columns": columns, "points": points}
        return {"type": "object", "properties": named, "required": list(named), "description": self.help}


@dataclass(frozen=True)
class Map:
    """A coarse map of the whole frame, see `recipe.shapes`; none by default."""

    help: str
    most: int = 40_000
    default: Grid = NO_GRID

    def check(self, path: str, value: Any) -> Grid:
        if not isinstance(value, Grid):
            try:
                value = Grid.from_json(value)
            except RecipeError as error:
                raise RecipeError(f"{path}: {error}") from None
        if len(value.data) > self.most:
            raise RecipeError(f"{path}: a map has up to {self.most} shares, got {len(value.data)}")
        return value

    def schema(self) -> dict[str, Any]:
        count = {"type": "integer", "minimum": 0}
        named = {"rows": count, "columns": count, "shares": {"type": "string", "contentEncoding": "base64"}}
        return {"type": "object", "properties": named, "required": list(named), "description": self.help}


Points = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class CurvePoints:
    """Two or more points x, y in 0..1, x rising, y never falling."""

    help: str
    default: Points = ((0.0, 0.0), (1.0, 1.0))
    least_gap: float = 0.005

    def check(self, path: str, value: Any) -> Points:
        try:
            points = tuple((float(x), float(y)) for x, y in value)
        except (TypeError, ValueError, OverflowError):
            raise RecipeError(f"{path}: expected a list of [x, y], got {_shown(value)}") from None
        if len(points) < 2:
            raise RecipeError(f"{path}: at least two points are needed, got {len(points)}")
        if not all(0.0 <= v <= 1.0 for point in points for v in point):
            raise RecipeError(f"{path}: points must lie within 0..1, got {_shown(value)}")
        for (x0, y0), (x1, y1) in pairwise(points):
            if x1 - x0 < self.least_gap - 1e-9 or y1 < y0:
                raise RecipeError(
                    f"{path}: x must rise by {self.least_gap:g} or more from point to point and y must not "
                    f"fall; ({x1:g}, {y1:g}) follows ({x0:g}, {y0:g})"
                )
        return points

    def schema(self) -> dict[str, Any]:
        unit = {"type": "number", "minimum": 0, "maximum": 1}
        point = {"type": "array", "items": unit, "minItems": 2, "maxItems": 2}
        default = [list(p) for p in self.default]
        return {"type": "array", "items": point, "minItems": 2, "default": default, "description": self.help}


@dataclass(frozen=True)
class FramePoints:
    """Up to `most` points x, y of the frame: x right, y down, in units of its long side; none by default."""

    help: str
    most: int
    default: Points = ()

    def check(self, path: str, value: Any) -> Points:
        if not isinstance(value, list | tuple) or len(value) > self.most:
            raise RecipeError(f"{path}: expected up to {self.most} points [x, y], got {_shown(value)}")
        each = Number("", 0.0, 1.0, 0.0, 0.01, 4, "")
        points = []
        for n, point in enumerate(value):
            if not isinstance(point, list | tuple) or len(point) != 2:
                raise RecipeError(f"{path}[{n}]: expected a point [x, y], got {_shown(point)}")
            points.append((each.check(f"{path}[{n}].x", point[0]), each.check(f"{path}[{n}].y", point[1])))
        return tuple(points)

    def schema(self) -> dict[str, Any]:
        unit = {"type": "number", "minimum": 0, "maximum": 1}
        point = {"type": "array", "items": unit, "minItems": 2, "maxItems": 2}
        return {"type": "array", "items": point, "maxItems": self.most, "default": [], "description": self.help}


Values = tuple[float, ...]


@dataclass(frozen=True)
class Box:
    """Left, top, width and height in units of the frame's long side; none by default."""

    help: str
    default: Values = ()
    least: float = 0.01

    def check(self, path: str, value: Any) -> Values:
        if not isinstance(value, list | tuple) or len(value) not in (0, 4):
            raise RecipeError(f"{path}: expected [left, top, width, height] or [], got {_shown(value)}")
        place, side = Number("", -1.0, 2.0, 0.0, 0.01, 4, ""), Number("", self.least, 3.0, 1.0, 0.01, 4, "")
        parts = zip(("left", "top", "width", "height"), (place, place, side, side), value, strict=False)
        return tuple(each.check(f"{path}.{name}", part) for name, each, part in parts)

    def schema(self) -> dict[str, Any]:
        number = {"type": "number", "minimum": -1, "maximum": 3}
        return {"type": "array", "items": number, "maxItems": 4, "default": [], "description": self.help}


@dataclass(frozen=True)
class Numbers:
    """A fixed count of quantities of one kind, each within the same limits."""

    each: Number
    count: int

    @property
    def default(self) -> Values:
        return (self.each.default,) * self.count

    @property
    def help(self) -> str:
        return self.each.help

    def check(self, path: str, value: Any) -> Values:
        if not isinstance(value, list | tuple):
            raise RecipeError(f"{path}: expected {self.count} numbers, got {_shown(value)}")
        if len(value) != self.count:
            raise RecipeError(f"{path}: expected {self.count} numbers, got {len(value)}")
        return tuple(self.each.check(f"{path}[{n}]", each) for n, each in enumerate(value))

    def schema(self) -> dict[str, Any]:
        return {
            "type": "array",
            "items": self.each.schema(),
            "minItems": self.count,
            "maxItems": self.count,
            "default": list(self.default),
            "description": self.help,
        }


Leaf = Number | Choice | Text | Drawn | Map | CurvePoints | FramePoints | Box | Numbers


def at_once(leaf: Any, values: list[Any]) -> list[Any] | None:
    """Many values of one kind as `check` gives them; None where one may not be right, or the kind is not known here."""
    match leaf:
        case Number():
            if not set(map(type, values)) <= {float, int}:
                return None
            try:
                array = np.array(values, np.float64)
            except OverflowError:
                return None
            return array.tolist() if ((array >= leaf.low) & (array <= leaf.high)).all() else None
        case Choice():
            return values if set(map(type, values)) == {str} and leaf.options_set.issuperset(values) else None
        case Drawn():
            return shapes_at_once(values, leaf.most)
    return None


def described(spec: Leaf) -> Any:
    """A dataclass field that carries its description."""
    return field(default=spec.default, metadata={"spec": spec})


def _is_finite(value: float) -> bool:
    try:
        return math.isfinite(value)
    except OverflowError:
        return False


def _shown(value: Any) -> str:
    """A value in a message, cut to what can be read."""
    try:
        text = repr(value)
    except (ValueError, RecursionError):
        text = type(value).__name__
    return text if len(text) <= 80 else f"{text[:77]}..."
