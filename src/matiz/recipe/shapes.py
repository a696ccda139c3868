"""What a hand has drawn: points with the pressure of a pen, packed, and shared by all recipes that hold them."""

import base64
import binascii
import hashlib
from collections.abc import Mapping
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
            columns, made = int(data["columns"]), base64.b64decode(data["points"], validate=True)
        except (KeyError, TypeError, ValueError, OverflowError, binascii.Error):
            columns, made = 0, b""
        if not isinstance(data, Mapping) or not 2 <= columns <= MOST_COLUMNS or len(made) % (4 * columns):
            raise RecipeError("its points cannot be read")
        if not np.isfinite(np.frombuffer(made, "<f4")).all():
            raise RecipeError("a point of it is not a number")
        return cls(columns, made)


NOTHING = Shape()
