"""What a recipe field may hold: its kind, unit, limits, default and how it is shown.

The same description validates values, makes the JSON schema and builds the tapes of the window.
"""

import math
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

from ..errors import RecipeError


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
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            raise RecipeError(f"{path}: expected a number, got {value!r}")
        if not self.low <= value <= self.high:
            raise RecipeError(f"{path}: {value:g} is outside {self.low:g}..{self.high:g} {self.unit}".rstrip())
        return float(value)

    def parse(self, path: str, text: str) -> float:
        """A typed number, with or without its unit, comma or point, true or plain minus."""
        bare = text.replace("\u2212", "-").replace("\u2009", "").replace("\u202f", "").replace(",", ".").strip()
        if self.unit and bare.lower().endswith(self.unit.lower()):
            bare = bare[: -len(self.unit)].strip()
        try:
            number = float(bare)
        except ValueError:
            raise RecipeError(f"{path}: {text!r} is not a number in {self.unit or 'plain units'}") from None
        return self.check(path, number)

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

    def check(self, path: str, value: Any) -> str:
        if value not in self.options:
            raise RecipeError(f"{path}: {value!r} is not one of {', '.join(self.options)}")
        return str(value)

    def parse(self, path: str, text: str) -> str:
        return self.check(path, text.strip())

    def schema(self) -> dict[str, Any]:
        return {"enum": list(self.options), "default": self.default, "description": self.help}


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
        except (TypeError, ValueError):
            raise RecipeError(f"{path}: expected a list of [x, y], got {value!r}") from None
        if len(points) < 2:
            raise RecipeError(f"{path}: at least two points are needed, got {len(points)}")
        if not all(0.0 <= v <= 1.0 for point in points for v in point):
            raise RecipeError(f"{path}: points must lie within 0..1, got {value!r}")
        for (x0, y0), (x1, y1) in pairwise(points):
            if x1 - x0 < self.least_gap - 1e-9 or y1 < y0:
                raise RecipeError(
                    f"{path}: x must rise by {self.least_gap:g} or more from point to point and y must not "
                    f"fall; ({x1:g}, {y1:g}) follows ({x0:g}, {y0:g})"
                )
        return points

    def parse(self, path: str, text: str) -> Points:
        import json

        try:
            return self.check(path, json.loads(text))
        except json.JSONDecodeError:
            raise RecipeError(f"{path}: expected [[x, y], ...], got {text!r}") from None

    def schema(self) -> dict[str, Any]:
        unit = {"type": "number", "minimum": 0, "maximum": 1}
        point = {"type": "array", "items": unit, "minItems": 2, "maxItems": 2}
        default = [list(p) for p in self.default]
        return {
            "type": "array",
            "items": point,
            "minItems": 2,
            "default": default,
            "description": self.help,
        }


Values = tuple[float, ...]


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
        if isinstance(value, str) or not hasattr(value, "__iter__"):
            raise RecipeError(f"{path}: expected {self.count} numbers, got {value!r}")
        values = tuple(value)
        if len(values) != self.count:
            raise RecipeError(f"{path}: expected {self.count} numbers, got {len(values)}")
        return tuple(self.each.check(f"{path}[{n}]", each) for n, each in enumerate(values))

    def parse(self, path: str, text: str) -> Values:
        """A JSON list, or numbers separated by commas."""
        parts = text.strip().strip("[]").split(",")
        return self.check(path, [self.each.parse(f"{path}[{n}]", part) for n, part in enumerate(parts)])

    def schema(self) -> dict[str, Any]:
        return {
            "type": "array",
            "items": self.each.schema(),
            "minItems": self.count,
            "maxItems": self.count,
            "default": list(self.default),
            "description": self.help,
        }


Spec = Number | Choice | CurvePoints | Numbers


def described(spec: Spec) -> Any:
    """A dataclass field that carries its description."""
    return field(default=spec.default, metadata={"spec": spec})
