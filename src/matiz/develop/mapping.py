"""Where a picture's pixels lie in its frame, and the other way round.

The frame is what the sensor saw, upright; the picture is what is shown and delivered: of another size, shape or
position as soon as the lens is corrected, or the picture cropped, levelled or warped. Everything that goes from one to
the other goes through a `Mapping`.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..colour.types import Array
from ..kernels.geometry import brightened, resampled
from ..raw.frame import Frame
from ..recipe.model import Mend
from .lens import LensTables, lens_tables
from .tiles import Region, Size, level_size

MARGIN_PX = 3
"""Neighbours that the interpolation looks at."""
PLACES = ("mend.lens", "mend.distortion_percent", "mend.fringe_red_px", "mend.fringe_blue_px")
"""What of a recipe the places of a mapping depend on."""
LIGHT = (*PLACES, "mend.fall_off_EV")
"""What the taking back of the lens's fall-off depends on."""
GREEN = 1


@dataclass(frozen=True, eq=False)
class Mapping:
    """The geometry of one picture under one recipe."""

    frame_size: Size
    lens: LensTables

    @classmethod
    def of(cls, frame: Frame, mend: Mend) -> "Mapping":
        return cls(frame.size, lens_tables(frame, mend))

    @property
    def size(self) -> Size:
        """Of the picture, (width, height) in px at full size."""
        return self.frame_size

    @property
    def moves(self) -> bool:
        """Whether pixels are moved at all."""
        return self.lens.moves

    @property
    def brightens(self) -> bool:
        """Whether the lens's fall-off is taken back."""
        return self.lens.brightens

    def size_at(self, level: int) -> Size:
        """(width, height) of the picture at a level."""
        return level_size(self.size, level)

    def to_frame(self, points: ArrayLike) -> Array:
        """Where points (n, 2) of the picture lie in the frame; px of the full size, as green was drawn."""
        middle = (np.array(self.size, np.float64) - 1.0) / 2.0
        away = np.asarray(points, np.float64).reshape(-1, 2) - middle
        return away * self._scale((away**2).sum(axis=1), GREEN)[:, None] + (np.array(self.frame_size) - 1.0) / 2.0

    def to_picture(self, points: ArrayLike) -> Array:
        """Where points (n, 2) of the frame lie in the picture; px of the full size. What the frame has beyond the
        picture's corners is put on the way there."""
        away = np.asarray(points, np.float64).reshape(-1, 2) - (np.array(self.frame_size) - 1.0) / 2.0
        radius = np.linspace(0.0, 1.0, 2048) * self._corner_px(0)
        drawn = radius * self._scale(radius**2, GREEN)
        far = np.hypot(*away.T)
        back = np.interp(far, drawn, radius)
        share = np.where(far > 0, back / np.maximum(far, 1e-12), 1.0 / self._scale(np.zeros(1), GREEN))
        return away * share[:, None] + (np.array(self.size, np.float64) - 1.0) / 2.0

    def area_to_picture(self, area: Region) -> Region:
        """The upright rectangle round an area of the frame, in the picture; px of the full size."""
        x, y, w, h = area
        if not self.moves:
            return area
        corners = self.to_picture([(x, y), (x + w, y), (x, y + h), (x + w, y + h)])
        (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
        width, height = self.size
        left, top = min(max(0, round(left)), width - 1), min(max(0, round(top)), height - 1)
        right, bottom = min(width, round(right)), min(height, round(bottom))
        return left, top, max(1, right - left), max(1, bottom - top)

    # ---- tiles; px of a level

    def source(self, level: int, region: Region) -> Region:
        """The part of the frame that a region of the picture comes from."""
        x, y, w, h = region
        if not self.moves:
            return region
        width, height = self.size_at(level)
        across = x + np.linspace(0.0, w - 1, 33) - (width - 1) / 2
        down = y + np.linspace(0.0, h - 1, 33) - (height - 1) / 2
        square = np.add.outer(down**2, across**2) * 4.0**level
        far_x, far_y = [], []
        for channel in range(3):
            scale = self._scale(square, channel)
            far_x.append(across[None, :] * scale + (width - 1) / 2)
            far_y.append(down[:, None] * scale + (height - 1) / 2)
        left, right = _held(np.min(far_x), np.max(far_x), width)
        top, bottom = _held(np.min(far_y), np.max(far_y), height)
        return left, top, right - left, bottom - top

    def drawn(self, source: Array, held: Region, level: int, region: Region) -> Array:
        """A region of the picture from the part `held` of the frame, float32 (height, width, 3)."""
        if not self.moves:
            return source
        width, height = self.size_at(level)
        return resampled(
            source,
            self.lens.scales.astype(np.float32),
            corner_px=self._corner_px(level),
            away=self._away(level, region),
            middle=((width - 1) / 2 - held[0], (height - 1) / 2 - held[1]),
            size=(region[2], region[3]),
        )

    def brightened(self, picture: Array, level: int, region: Region) -> Array:
        """A region of the picture with the lens's fall-off taken back."""
        gains = self.lens.gains.astype(np.float32)
        return brightened(picture, gains, corner_px=self._corner_px(level), away=self._away(level, region))

    def _scale(self, square_px: Array, channel: int) -> Array:
        """How many times as far from the middle a channel lies in the frame, by squared distance in the picture."""
        entries = square_px / self._corner_px(0) ** 2 * (len(self.lens.scales) - 1)
        return np.interp(entries, np.arange(len(self.lens.scales)), self.lens.scales[:, channel])

    def _corner_px(self, level: int) -> float:
        return math.hypot(*self.size_at(level)) / 2

    def _away(self, level: int, region: Region) -> tuple[float, float]:
        """Where the region's first pixel lies from the middle of the picture."""
        width, height = self.size_at(level)
        return region[0] - (width - 1) / 2, region[1] - (height - 1) / 2


def _held(low: float, high: float, length: int) -> tuple[int, int]:
    """Begin and end of a stretch with its margin, inside the picture."""
    begin = min(max(0, math.floor(low) - MARGIN_PX), length - 2)
    return begin, max(begin + 2, min(length, math.ceil(high) + 1 + MARGIN_PX))
