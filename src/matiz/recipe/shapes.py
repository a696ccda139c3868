"""Shapes: the points of strokes and outlines, kept once in a document however often its recipes name them."""

import base64
import hashlib
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..errors import RecipeError

MOST_COLUMNS = 8


@dataclass(frozen=True)
class Shape:
    """Points (n, columns), float32; the first two columns are x and y in units of the frame's long side."""

    columns: int
    data: bytes

    @classmethod
    def of(cls, points: ArrayLike) -> "Shape":
        array = np.ascontiguousarray(points, "<f4")
        if array.ndim != 2 or not 2 <= array.shape[1] <= MOST_COLUMNS or not np.isfinite(array).all():
            raise RecipeError(f"shape: expected finite points (n, 2..{MOST_COLUMNS}), got shape {array.shape}")
        return cls(array.shape[1], array.tobytes())

    @cached_property
    def key(self) -> str:
        """What recipes call it: 16 hexadecimal digits that follow from its points."""
        return hashlib.sha256(bytes([self.columns]) + self.data).hexdigest()[:16]

    @property
    def points(self) -> NDArray[np.float32]:
        return np.frombuffer(self.data, "<f4").reshape(-1, self.columns)

    @cached_property
    def text(self) -> str:
        return base64.b64encode(self.data).decode("ascii")

    def to_json(self) -> dict[str, Any]:
        return {"columns": self.columns, "points": self.text}

    @classmethod
    def from_json(cls, key: str, data: Any) -> "Shape":
        """Read what `to_json` wrote; RecipeError when it is not what its key says."""
        try:
            columns, text = data["columns"], data["points"]
            made = cls(int(columns), base64.b64decode(text, validate=True))
            fits = 2 <= made.columns <= MOST_COLUMNS and len(made.data) % (4 * made.columns) == 0 and made.key == key
        except (KeyError, TypeError, ValueError, OverflowError):
            fits = False
        if not fits:
            raise RecipeError(f"shapes.{str(key)[:20]}: its points cannot be read")
        return made
