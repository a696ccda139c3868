"""A ground that rises and falls, seen by a level camera: exact visibility, slopes, the sun's shadows.

The heights are worked out on the image that the flat plane would have, so that detail is as fine
everywhere as the pixels are. A point at height h under a camera at height H moves up its column to
row (1 - h / H) of the way below the horizon; a sweep from near to far keeps what is not hidden.
"""

from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from .kernels.lighting import ground_shadow
from .scene import Map
from .view import SceneView

CREST_LINES = 2.5


@dataclass
class GroundPlane:
    """The plane as the camera sees it, from a row near the horizon down to below the frame."""

    view: SceneView
    first: float
    """Row of the farthest line, in widths below the horizon."""
    last: float
    """Of the nearest."""
    columns: int = field(init=False)
    rows: int = field(init=False)
    X: Map = field(init=False)
    Z: Map = field(init=False)

    def __post_init__(self) -> None:
        width = self.view.size[0]
        self.columns, self.rows = width, int((self.last - self.first) * width)
        below = (self.first * width + np.arange(self.rows, dtype=np.float32)[:, None] + 0.5) / width
        line = self.view.focal * self.view.position[1] / below
        across = ((np.arange(width, dtype=np.float32) + 0.5) / width - 0.5)[None, :]
        self.Z = np.ascontiguousarray(np.broadcast_to(line, (self.rows, width)), np.float32)
        self.X = (across * line / self.view.focal).astype(np.float32)
        self.Z += np.float32(self.view.position[2])
        self.X += np.float32(self.view.position[0])

    @cached_property
    def line_depth(self) -> Map:
        """(rows, 1) distance of each line from the camera."""
        return self.Z[:, :1] - np.float32(self.view.position[2])

    @cached_property
    def pixel_across(self) -> Map:
        """(rows, 1) width of a pixel on the ground."""
        return self.line_depth * np.float32(self.view.pixel)

    @cached_property
    def pixel_deep(self) -> Map:
        """(rows, 1) depth of ground that a pixel covers."""
        return self.line_depth**2 * np.float32(self.view.pixel / self.view.position[1])


class Relief:
    """Heights over a plane, and what follows from them."""

    def __init__(self, plane: GroundPlane, height_m: Map, *, there: NDArray[np.bool_] | None = None) -> None:
        """there: where ground is at all, as a condition on each place; everywhere when None."""
        self.plane = plane
        self.height_m = np.ascontiguousarray(height_m, np.float32)
        view, width = plane.view, plane.view.size[0]
        below = plane.first * width + np.arange(plane.rows, dtype=np.float32)[:, None] + 0.5
        moved = below * (1.0 - self.height_m / np.float32(view.position[1]))
        if there is not None:
            moved = np.where(there, moved, np.float32(1e6))
        # from near (last line) to far (first): the highest row reached so far hides all below it
        self._reached = np.minimum.accumulate(moved[::-1], axis=0)[::-1]
        self._line = self._lines_seen()

    def _lines_seen(self) -> Map:
        """Which line of the plane each pixel of the picture sees, (height, width); -1 above the ground."""
        width, height = self.plane.view.size
        rows = np.arange(height, dtype=np.float64) + 0.5 - self.plane.view.middle * width
        lines = np.arange(self.plane.rows, dtype=np.float64)
        out = np.empty((width, height), np.float32)
        reached = np.ascontiguousarray(self._reached.T, np.float64)
        crests: list[Map] = []
        for column in range(width):
            here = np.interp(rows, reached[column], lines, left=-1.0)
            out[column] = here
            # where a pixel row skips lines there is a crest: it is seen in part, and so looked at thrice
            skips = np.flatnonzero((np.abs(np.diff(here)) > CREST_LINES) & (here[1:] >= 0))
            around = np.unique(np.concatenate([skips, skips + 1]))
            upper, lower = (
                np.interp(rows[around] + third, reached[column], lines, left=0.0) for third in (-1 / 3, 1 / 3)
            )
            crests.append(np.stack([around, np.full_like(around, column), upper, lower]))
        self._crests = np.concatenate(crests, axis=1)
        return np.ascontiguousarray(out.T)

    @cached_property
    def cover(self) -> Map:
        """Share of each pixel that ground covers, (height, width), softened along its upper edge."""
        seen = (self._line >= 0.0).astype(np.float32)
        edge = cv2.blur(seen, (3, 3))
        return np.where(
            cv2.dilate(seen, np.ones((3, 3), np.uint8)) > cv2.erode(seen, np.ones((3, 3), np.uint8)), edge, seen
        )

    def seen(self, image: Map) -> Map:
        """A map of the plane (rows, columns[, channels]) as the picture sees it."""
        width, height = self.plane.view.size
        across = np.broadcast_to(np.arange(width, dtype=np.float32)[None, :], (height, width))
        line = np.maximum(self._line, 0.0)
        out = np.asarray(cv2.remap(image, np.ascontiguousarray(across), line, cv2.INTER_LINEAR))
        at, beside = self._at_crests
        flat = image.reshape(image.shape[0] * width, -1)
        there = out.reshape(width * height, -1)
        total = there[at]
        for first, share in beside:
            total += flat[first] * (1.0 - share) + flat[first + width] * share
        there[at] = total / np.float32(3.0)
        return out

    @cached_property
    def _at_crests(self) -> tuple[NDArray[np.int64], list[tuple[NDArray[np.int64], Map]]]:
        """Flat numbers of pixels on crests; and for the two other places in them the flat numbers of points of the
        plane, and how far on toward the next line they lie, (n, 1)."""
        width = self.plane.columns
        rows, columns = self._crests[:2].astype(np.int64)
        beside = []
        for lines in self._crests[2:]:
            first = np.clip(lines.astype(np.int64), 0, self.plane.rows - 2)
            beside.append((first * width + columns, (lines - first).astype(np.float32)[:, None]))
        return rows * width + columns, beside

    @cached_property
    def normals(self) -> Map:
        """(rows, columns, 3) X, Y, Z."""
        plane = self.plane
        view, width = plane.view, plane.view.size[0]
        across = np.gradient(self.height_m, axis=1) / plane.pixel_across
        deep = -np.gradient(self.height_m, axis=0) / plane.pixel_deep
        # a line runs straight away from the camera, which moves sideways too
        slant = (np.arange(plane.columns, dtype=np.float32)[None, :] + 0.5 - width / 2) * np.float32(view.pixel)
        out = np.empty((*self.height_m.shape, 3), np.float32)
        out[..., 0], out[..., 1], out[..., 2] = -across, 1.0, -(deep - across * slant)
        return out / np.sqrt((out * out).sum(axis=2, keepdims=True))

    def sun(self, toward: ArrayLike, *, width: float = 0.03, first_step: float = 1e-3, growth: float = 1.22) -> Map:
        """Irradiance of each place from a far light, 1 on a surface that faces it; shadows included."""
        direction = np.asarray(toward, np.float64) / np.linalg.norm(toward)
        plane, view = self.plane, self.plane.view
        # shadows are soft and the slopes hold the detail: half the resolution is enough
        half = cv2.resize(self.height_m, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        pixels = view.size[0] / 2
        first = plane.first * pixels + 0.5
        table = (pixels / 2 - 0.5, view.focal * pixels, view.focal * view.position[1] * pixels, first)
        lit = ground_shadow(
            half, table, (float(direction[0]), float(direction[1]), float(direction[2])), width=width,
            first_step=first_step, growth=growth,
        )  # fmt: skip
        lit = cv2.resize(lit, self.height_m.shape[::-1], interpolation=cv2.INTER_LINEAR)
        return np.asarray(lit * np.maximum(self.normals @ direction.astype(np.float32), 0.0))

    def hollows(self, radius_px: float, depth_m: float) -> Map:
        """How open each place is to the sky, 0..1: less where the ground round it is higher by about depth_m."""
        mean = cv2.blur(self.height_m, (int(radius_px) | 1, int(radius_px) | 1))
        return np.clip(1.0 - (mean - self.height_m) / np.float32(depth_m), 0.15, 1.3)

    def height_at(self, X: float, Z: float) -> float:
        """Height of the ground at a place, m."""
        plane, width = self.plane, self.plane.view.size[0]
        depth = Z - plane.view.position[2]
        line = plane.view.focal * plane.view.position[1] / depth * width - plane.first * width - 0.5
        column = (0.5 + plane.view.focal * (X - plane.view.position[0]) / depth) * width - 0.5
        row = int(np.clip(round(line), 0, plane.rows - 1))
        return float(self.height_m[row, int(np.clip(round(column), 0, plane.columns - 1))])
