"""What a mask part sees of a region of a picture."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.spaces import LUMINANCE, REC2020_TO_XYZ
from ..colour.types import Array

Mask = NDArray[np.float32]
Pixels = NDArray[np.float32]
Point = tuple[float, float]

CALM_PX = 6.0
"""Of the full size."""
LEAST_CALM = 0.3
STRIP_PX = 40_000


@dataclass(frozen=True, eq=False)
class View:
    """A region of a picture as it is rendered without any place: so that no place feeds back into a mask."""

    display: Pixels
    """(height, width, 3), display-linear Rec.2020."""
    EV_of: Callable[[], Mask]
    """Gives scene luminance (height, width) in EV from middle grey, exposure included."""
    places_of: Callable[[], tuple[Mask, Mask]]
    """Gives where each px lies in the frame, x and y, each (height, width), in units of its long side."""
    px: float
    """Full-size px to one of these."""
    long_side: int
    """Of the frame, full-size px."""
    colours: Mapping[Point, Array]
    """L*, a*, b* at each place that is picked."""
    Lab_of: Callable[[], Pixels] | None = None
    """Gives `Lab` where this is a part of a larger one."""

    @property
    def shape(self) -> tuple[int, int]:
        return self.display.shape[0], self.display.shape[1]

    @cached_property
    def EV(self) -> Mask:
        return self.EV_of()

    @cached_property
    def _places(self) -> tuple[Mask, Mask]:
        return self.places_of()

    @property
    def x(self) -> Mask:
        return self._places[0]

    @property
    def y(self) -> Mask:
        return self._places[1]

    @cached_property
    def Lab(self) -> Pixels:
        """L*, a*, b* (height, width, 3), calmed over CALM_PX: the colour of single px is noise, and more of it the
        larger the picture is seen."""
        if self.Lab_of is not None:
            return self.Lab_of()
        calm = cv2.GaussianBlur(self.display, (0, 0), max(CALM_PX / self.px, LEAST_CALM))
        out = np.empty_like(calm)
        for rows in self._rows():
            out[rows] = lab(calm[rows])
        return out

    @cached_property
    def chroma(self) -> Mask:
        return np.asarray(cv2.magnitude(self.Lab[..., 1], self.Lab[..., 2]), np.float32)

    def strips(self) -> Iterator[tuple[slice, "View"]]:
        """It row by row, as far as a processor keeps near: whole arrays cost more to fetch than to work out."""
        for rows in self._rows():
            yield rows, self._part(rows)

    def _rows(self) -> Iterator[slice]:
        height, width = self.shape
        count = max(1, STRIP_PX // width)
        for top in range(0, height, count):
            yield slice(top, top + count)

    def _part(self, rows: slice) -> "View":
        return View(
            self.display[rows],
            lambda: self.EV[rows],
            lambda: (self.x[rows], self.y[rows]),
            self.px,
            self.long_side,
            self.colours,
            lambda: self.Lab[rows],
        )

    def tone(self, channel: str) -> Mask:
        """Display lightness 0..1, of a channel or of all but one."""
        if channel == "lightness":
            value = cv2.transform(self.display, LUMINANCE[None].astype(np.float32)).reshape(self.shape)
        elif channel in _SINGLE:
            value = self.display[..., _SINGLE[channel]]
        else:
            left_out = _COMPLEMENT[channel]
            value = self.display[..., [n for n in range(3) if n != left_out]].mean(axis=2)
        value = np.clip(np.ascontiguousarray(value, np.float32), 0.0, 1.0)
        return np.asarray(1.16 * _compressed(value) - np.float32(0.16), np.float32)


_SINGLE = {"red": 0, "green": 1, "blue": 2}
_COMPLEMENT = {"cyan": 0, "magenta": 1, "yellow": 2}


def lab(display: Pixels) -> Pixels:
    """CIE L*, a*, b*, float32 (height, width, 3), of display-linear Rec.2020."""
    relative = cv2.transform(np.maximum(display, 0.0, dtype=np.float32), _TO_WHITE)
    return np.asarray(cv2.transform(_compressed(relative), _TO_LAB), np.float32)


def _compressed(relative: Pixels) -> Pixels:
    """CIE's f of tristimulus values relative to white: L* / 116 + 16 / 116."""
    root = cv2.pow(np.maximum(relative, _LINEAR_TO), 1.0 / 3.0).reshape(relative.shape)
    return np.where(relative > _LINEAR_TO, root, relative * np.float32((29 / 6) ** 2 / 3.0) + np.float32(4 / 29))


_TO_WHITE = (REC2020_TO_XYZ / REC2020_TO_XYZ.sum(axis=1)[:, None]).astype(np.float32)
_LINEAR_TO = np.float32((6 / 29) ** 3)
_TO_LAB = np.array([[0, 116, 0, -16], [500, -500, 0, 0], [0, 200, -200, 0]], np.float32)
"""From f of X, Y, Z and 1."""
