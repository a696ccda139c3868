"""What is too long to be written out: what a hand has drawn, and coarse maps. Packed, and shared by all recipes that
hold them."""

import base64
import binascii
import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..errors import RecipeError

MOST_COLUMNS = 3


@dataclass(frozen=True, repr=False)
class Shape:
    """Points (n, columns), float32: x and y in units of the frame's long side, then pressure 0..1 where it was not full
    all the way. Immutable."""

    columns: int = 2
    data: bytes = b""

    @classmethod
    def of(cls, points: ArrayLike) -> "Shape":
        array = np.ascontiguousarray(points, "<f4")
        if array.ndim != 2 or not 2 <= array.shape[1] <= MOST_COLUMNS or not np.isfinite(array).all():
            raise RecipeError(f"a path has finite points (n, 2..{MOST_COLUMNS}), got shape {array.shape}")
        return cls(array.shape[1], array.tobytes())

    def __repr__(self) -> str:
        return f"Shape({self.key})"

    def __len__(self) -> int:
        return len(self.data) // (4 * self.columns)

    @cached_property
    def key(self) -> str:
        """16 hexadecimal digits that follow from its points."""
        return hashlib.sha256(bytes([self.columns]) + self.data).hexdigest()[:16]

    @cached_property
    def points(self) -> NDArray[np.float32]:
        return np.frombuffer(self.data, "<f4").reshape(-1, self.columns)

    @cached_property
    def _text(self) -> str:
        return base64.b64encode(self.data).decode("ascii")

    def to_json(self) -> dict[str, Any]:
        return {"columns": self.columns, "points": self._text}

    @classmethod
    def from_json(cls, data: Any) -> "Shape":
        """Read what `to_json` wrote. RecipeError when it cannot be."""
        try:
            columns, made = int(data["columns"]), binascii.a2b_base64(data["points"], strict_mode=True)
        except (KeyError, TypeError, ValueError, OverflowError, binascii.Error):
            columns, made = 0, b""
        if not isinstance(data, Mapping) or not 2 <= columns <= MOST_COLUMNS or len(made) % (4 * columns):
            raise RecipeError("its points cannot be read")
        if not np.isfinite(np.frombuffer(made, "<f4")).all():
            raise RecipeError("a point of it is not a number")
        return cls(columns, made)


def shapes_at_once(values: Sequence[Any], most: int) -> list[Shape] | None:
    """Many shapes of what `Shape.to_json` wrote, or shapes as they are; None where one cannot be read, or has more than
    `most` points."""
    out = []
    for value in values:
        if type(value) is Shape:
            out.append(value)
            continue
        try:
            columns, made = value["columns"], binascii.a2b_base64(value["points"], strict_mode=True)
        except (KeyError, TypeError, ValueError, binascii.Error):
            return None
        if type(columns) is not int or not 2 <= columns <= MOST_COLUMNS or len(made) % (4 * columns):
            return None
        shape = object.__new__(Shape)
        shape.__dict__.update(columns=columns, data=made)
        out.append(shape)
    if any(len(shape.data) > 4 * shape.columns * most for shape in out):
        return None
    every = np.frombuffer(b"".join([shape.data for shape in out]), "<f4")
    return out if np.isfinite(every).all() else None


NOTHING = Shape()


@dataclass(frozen=True, repr=False)
class Grid:
    """A coarse map of the whole frame: shares 0..1 in 255 steps, rows from the top. Immutable."""

    rows: int = 0
    columns: int = 0
    data: bytes = b""

    @classmethod
    def of(cls, shares: ArrayLike) -> "Grid":
        array = np.asarray(shares, np.float64)
        if array.ndim != 2 or not array.size or not np.isfinite(array).all():
            raise RecipeError(f"a map has finite shares (rows, columns), got shape {array.shape}")
        rows, columns = array.shape
        return cls(rows, columns, np.rint(np.clip(array, 0.0, 1.0) * 255.0).astype(np.uint8).tobytes())

    def __repr__(self) -> str:
        return f"Grid({self.rows}x{self.columns} {hashlib.sha256(self.data).hexdigest()[:16]})"

    @cached_property
    def shares(self) -> NDArray[np.float32]:
        """(rows, columns), 0..1."""
        codes = np.frombuffer(self.data, np.uint8).reshape(self.rows, self.columns)
        return codes.astype(np.float32) / np.float32(255.0)

    @cached_property
    def _text(self) -> str:
        return base64.b64encode(self.data).decode("ascii")

    def to_json(self) -> dict[str, Any]:
        return {"rows": self.rows, "columns": self.columns, "shares": self._text}

    @classmethod
    def from_json(cls, data: Any) -> "Grid":
        """Read what `to_json` wrote. RecipeError when it cannot be."""
        try:
            rows, columns = int(data["rows"]), int(data["columns"])
            made = base64.b64decode(data["shares"], validate=True)
        except (KeyError, TypeError, ValueError, OverflowError, binascii.Error):
            rows, columns, made = -1, 0, b""
        if rows < 0 or columns < 0 or len(made) != rows * columns:
            raise RecipeError("its map cannot be read")
        return cls(rows, columns, made)


NO_GRID = Grid()
