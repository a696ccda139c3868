"""Steps that show in a clear sky: a picture in 8 bits has few values for it, and a place that lifts it or adds
contrast pulls them apart."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...develop.frame.tiles import Region
from ...masks.view import Mask
from ..tone.stored import SEEN_L

PATCH_PX = 128
"""Side of a patch that is looked at, at full size."""
MOST_PATCHES = 4
FEWEST_STEPS = 0.003
"""Of the differences between neighbours: fewer are none that a hand would see as bands."""
SAME_L = 0.05
"""Lightness of neighbours that have one stored value; what a soft mask adds is less."""
LEVEL = 0.80
"""Share of neighbours in bands that are of one value. Where noise or structure is, more of them differ, and no bands
are seen. By eye, no source."""
ALIKE = 2.0
"""Times the median step that the largest may be: bands are a value apart each, edges of things are not."""
LEAST_L, DARKEST_L, LIGHTEST_L = 0.02, 8.0, 97.0
"""What varies less over a patch is all one value; and what is nearly black or white hides its bands. By eye, no
source."""


@dataclass(frozen=True)
class Banding:
    """Bands within one place."""

    step_L: float
    """How far lightness steps from one to the next, and how far it would without the place."""
    before_L: float
    at: Region
    """The patch where they were seen, px of the picture."""

    @property
    def is_seen(self) -> bool:
        """Without any before, what steps is something else: an edge in an even ground."""
        return self.step_L > SEEN_L > self.before_L > 0.0


def smooth_patches(mask: Mask, L: Mask, step: int, size: tuple[int, int]) -> list[Region]:
    """Where within a place the picture is smoothest, apart from each other, px of the picture at full size.

    mask, L: (height, width), lightness, of the picture that is `step` times smaller. size: width and height in full.
    """
    if min(size) < 2 * PATCH_PX:
        return []
    wide = max(PATCH_PX // step, 3)
    mean, square = (cv2.blur(m, (wide, wide)) for m in (L, L * L))
    rough = np.sqrt(np.maximum(square - mean * mean, 0.0))
    half = wide // 2 + 1
    held = cv2.erode(mask, np.ones((wide, wide), np.uint8)) > 0.5
    held[:half] = held[-half:] = held[:, :half] = held[:, -half:] = False
    open_ = held & (rough > LEAST_L) & (mean > DARKEST_L) & (mean < LIGHTEST_L)
    out: list[Region] = []
    while len(out) < MOST_PATCHES and open_.any():
        y, x = np.unravel_index(int(np.argmin(np.where(open_, rough, np.inf))), rough.shape)
        open_[max(0, y - 2 * wide) : y + 2 * wide, max(0, x - 2 * wide) : x + 2 * wide] = False
        left, top = (
            int(np.clip(at * step - PATCH_PX // 2, 0, n - PATCH_PX)) for at, n in zip((x, y), size, strict=True)
        )
        out.append((left, top, PATCH_PX, PATCH_PX))
    return out


def bands_L(L: NDArray[np.float32]) -> float:
    """The step between the bands of a smooth patch (height, width), L*; 0 where it has none."""
    apart = np.concatenate([np.abs(np.diff(L, axis=axis)).ravel() for axis in (0, 1)])
    stepped = apart > SAME_L
    if not FEWEST_STEPS < stepped.mean() < 1.0 - LEVEL:
        return 0.0
    step, large = np.quantile(apart[stepped], (0.5, 0.95))
    return float(step) if large < ALIKE * step else 0.0
