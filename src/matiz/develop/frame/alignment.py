"""Where what one frame shows lies in another: a homography, and what a lens bends of it."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from ...colour.types import Array
from .tiles import Size

NUMBERS = 29
FAR = 10.0
"""Long sides away at most, and how much smaller or larger."""
STILL_PX = 0.12
"""What moves nothing further needs no resampling."""


@dataclass(frozen=True, eq=False)
class Alignment:
    """Where what a reference shows lies in another frame."""

    homography: Array = field(default_factory=lambda: np.eye(3))
    """(3, 3), from px of the reference to px of the other frame; px are counted at their middles."""
    bend_px: Array = field(default_factory=lambda: np.zeros((10, 2)))
    """Added to it: factors of 1, x, y, xx, xy, yy, xxx, xxy, xyy, yyy, places from the middle in half long sides."""
    size: Size = (1, 1)
    """(width, height) of the reference."""
    points: int = 0
    """That it rests on."""
    rest_px: float = 0.0
    """By how much half of them miss it at most."""

    def at(self, x: Array, y: Array) -> Array:
        """(..., 2) places in the other frame."""
        to = np.stack([x, y, np.ones_like(x)], axis=-1) @ self.homography.T
        return np.asarray(to[..., :2] / to[..., 2:] + terms(x, y, self.size) @ self.bend_px)

    def numbers(self) -> tuple[float, ...]:
        """All that it is, to be kept: 9 of the homography, 20 of the bend, row by row."""
        return (*self.homography.ravel().tolist(), *self.bend_px.ravel().tolist())

    @classmethod
    def of_numbers(cls, numbers: Sequence[float], size: Size) -> "Alignment":
        """ValueError where they are too few or too many, no numbers, or lay the frame nowhere near the reference."""
        held = np.array(numbers, np.float64)
        if held.shape != (NUMBERS,) or not np.isfinite(held).all():
            raise ValueError(f"an alignment has {NUMBERS} numbers")
        made = cls(held[:9].reshape(3, 3), held[9:].reshape(10, 2), size)
        corners = np.array([(x, y, 1.0) for x in (0.0, size[0]) for y in (0.0, size[1])])
        to = corners @ made.homography.T
        most = FAR * max(size)
        # what is positive at the corners is positive between them
        if (
            to[:, 2].min() <= 1.0 / FAR
            or np.abs(to[:, :2] / to[:, 2:]).max() > most
            or np.abs(made.bend_px).sum() > most
        ):
            raise ValueError("an alignment lays the frame beside the reference")
        return made

    @property
    def shift_px(self) -> float:
        """How far the middle of the picture moved."""
        x, y = (self.size[0] - 1) / 2.0, (self.size[1] - 1) / 2.0
        return float(np.hypot(*(self.at(np.array(x), np.array(y)) - (x, y))))

    @property
    def is_still(self) -> bool:
        """Whether it moves nothing that resampling would not move as much."""
        width, height = self.size
        at = np.array([(x * width, y * height) for x in (0.05, 0.5, 0.95) for y in (0.05, 0.5, 0.95)])
        return float(np.linalg.norm(self.at(at[:, 0], at[:, 1]) - at, axis=1).max()) < STILL_PX

    @property
    def turn_deg(self) -> float:
        return float(np.degrees(np.arctan2(self.homography[1, 0], self.homography[0, 0])))


def terms(x: Array, y: Array, size: Size) -> Array:
    half = max(size) / 2.0
    u, v = (np.asarray(x, np.float64) - size[0] / 2.0) / half, (np.asarray(y, np.float64) - size[1] / 2.0) / half
    return np.stack([np.ones_like(u), u, v, u * u, u * v, v * v, u**3, u * u * v, u * v * v, v**3], axis=-1)
