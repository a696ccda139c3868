"""What a mask part sees of a region of a picture."""

import math
from collections.abc import Callable, Container, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.spaces import LUMINANCE, REC2020_TO_XYZ
from ..colour.types import Array
from ..kernels import masks as kernels
from ..recipe.places import Stroke
from ..recipe.tree import Rows
from .faces import Face

Mask = NDArray[np.float32]
Pixels = NDArray[np.float32]
Point = tuple[float, float]

CALM_PX = 6.0
"""Of the full size."""
CALM_REACH = 2.5
"""Of it: how far around it looks."""
LEAST_CALM = 0.3
STRAIGHT_PX = 0.02
"""Of the view: a way that is off by less is straight."""
TO_WHITE = (REC2020_TO_XYZ / REC2020_TO_XYZ.sum(axis=1)[:, None]).astype(np.float32)
"""From linear Rec.2020 to XYZ relative to white."""


class Finder(Protocol):
    """What is found in a picture by itself, where a view lies; masks (height, width) are not to be written to."""

    def subject(self, view: "MaskWindow", yes: tuple[Point, ...], no: tuple[Point, ...], n: int) -> Mask:
        """yes, no: taps that say what is meant too, and what is not. n: which of several apart, from 1; 0 for all."""

    def sky(self, view: "MaskWindow") -> Mask: ...

    def people(self, view: "MaskWindow", n: int) -> Mask:
        """n: which one, as in `faces`, from 1; 0 for all."""

    def skin(self, view: "MaskWindow") -> Mask: ...

    def focus(self, view: "MaskWindow") -> Mask: ...

    def faces(self) -> list[Face]:
        """In units of the frame's long side, the largest first."""


@dataclass(frozen=True, eq=False)
class MaskWindow:
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
    painted_of: Callable[["MaskWindow", Rows[Stroke]], Mask] | None = None
    """Gives what strokes have painted, where it is kept from one time to the next."""
    finder: Finder | None = None
    """Finds things in the picture by itself; None where nothing can be looked for."""
    shared: Container[bytes] = ()
    """Digests of masks of other places that are used more than once."""
    made: dict[bytes, Mask] = field(default_factory=dict)
    """Those of them that were made already; not to be written to."""

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
        sigma = max(CALM_PX / self.px, LEAST_CALM)
        taps = 2 * math.ceil(CALM_REACH * sigma) + 1
        return lab(cv2.GaussianBlur(self.display, (taps, taps), sigma))

    def straight_way(self) -> tuple[Array, Array] | None:
        """The matrix (2, 2) and offset (2,) from places of the frame to px of the view; None where the way is bent."""
        height, width = self.shape
        corners = [np.array([self.x[at], self.y[at]], float) for at in ((0, 0), (0, -1), (-1, 0), (-1, -1))]
        start, across, down, last = corners
        matrix = np.stack([(across - start) / (width - 1), (down - start) / (height - 1)], axis=1)
        middle = np.array([self.x[height // 2, width // 2], self.y[height // 2, width // 2]], float)
        expected = start + matrix @ (width // 2, height // 2)
        off = max(np.abs(across + down - start - last).max(), np.abs(expected - middle).max())
        if off > STRAIGHT_PX * self.px / self.long_side:
            return None
        inverse = np.linalg.inv(matrix)
        return inverse, -inverse @ start

    def weights(self, channel: str) -> Array:
        """Of red, green and blue, whose sum's lightness a tone goes by, (3,): of all, of one, or of all but one."""
        if channel == "lightness":
            return LUMINANCE
        if channel in _SINGLE:
            return np.eye(3)[_SINGLE[channel]]
        return (1.0 - np.eye(3)[_COMPLEMENT[channel]]) / 2.0


_SINGLE = {"red": 0, "green": 1, "blue": 2}
_COMPLEMENT = {"cyan": 0, "magenta": 1, "yellow": 2}


def lab(display: Pixels) -> Pixels:
    """CIE L*, a*, b*, float32 (height, width, 3), of display-linear Rec.2020."""
    pixels = np.ascontiguousarray(display, np.float32)
    if pixels.size == 3:
        # the kernels take no single px
        return kernels.lab(np.repeat(pixels, 2, axis=1), TO_WHITE)[:, :1]
    return kernels.lab(pixels, TO_WHITE)
