"""Where the camera stands in a scene and what each of its pixels looks at. Metres: X right, Y up, Z away."""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import ArrayLike

from matiz.colour.types import Array

from .scene import Box, Map


@dataclass(frozen=True)
class SceneView:
    """A pinhole camera. `focal` and rows are in picture widths, as a lens of 36 mm frame width has them."""

    size: tuple[int, int]
    """(width, height) of the picture in px."""
    focal: float
    """Focal length over the frame's width."""
    position: tuple[float, float, float] = (0.0, 1.5, 0.0)
    pitch_degrees: float = 0.0
    """Positive looks down."""
    yaw_degrees: float = 0.0
    """Positive looks to the right."""
    horizon: float | None = None
    """Row of the horizon of a level camera whose frame is shifted; the middle when None."""

    @property
    def middle(self) -> float:
        """Row that the camera's axis meets."""
        return self.size[1] / self.size[0] / 2 if self.horizon is None else self.horizon

    @property
    def axes(self) -> Array:
        """(3, 3): right, up and forward in the scene."""
        p, y = math.radians(self.pitch_degrees), math.radians(self.yaw_degrees)
        turned = np.array([[math.cos(y), 0.0, -math.sin(y)], [0.0, 1.0, 0.0], [math.sin(y), 0.0, math.cos(y)]])
        tipped = np.array([[1.0, 0.0, 0.0], [0.0, math.cos(p), math.sin(p)], [0.0, -math.sin(p), math.cos(p)]])
        return np.asarray(tipped @ turned)

    def rays(self, box: Box) -> tuple[Map, Array]:
        """Directions (height, width, 3) through the pixels of a part of the picture, 1 long along the
        axis, and the table that `kernels.solids` takes."""
        rows, columns = box
        table = self.ray_table(box)
        x = np.arange(columns.stop - columns.start, dtype=np.float32)[None, :]
        y = np.arange(rows.stop - rows.start, dtype=np.float32)[:, None]
        return cv2.merge([(a + x * right) + y * down for a, right, down in table[1:].T]), table

    def ray_table(self, box: Box) -> Array:
        width = self.size[0]
        right, up, forward = self.axes
        x, y = (box[1].start + 0.5) / width - 0.5, (box[0].start + 0.5) / width - self.middle
        first = forward + right * (x / self.focal) - up * (y / self.focal)
        across, down = right / (width * self.focal), -up / (width * self.focal)
        return np.stack([np.array(self.position), first, across, down]).astype(np.float32)

    def place(self, points: ArrayLike) -> Array:
        """(..., 3) column and row in picture widths and depth along the axis, of points (..., 3)."""
        seen = (np.asarray(points, np.float64) - self.position) @ self.axes.T
        depth = np.maximum(seen[..., 2], 1e-6)
        column = 0.5 + self.focal * seen[..., 0] / depth
        row = self.middle - self.focal * seen[..., 1] / depth
        return np.stack([column, row, seen[..., 2]], axis=-1)

    @property
    def whole(self) -> Box:
        return slice(0, self.size[1]), slice(0, self.size[0])

    @property
    def pixel(self) -> float:
        """Size of a pixel at a depth of 1."""
        return 1.0 / (self.size[0] * self.focal)
