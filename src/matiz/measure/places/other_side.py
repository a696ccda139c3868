"""What lies near a mask's edge and is coloured like its other side, by what is seen of both sides nearby.

Each px is compared with the colours deep in the mask and just outside it, in windows along the edge, as counts of
colours: a ground of light stone and dark gaps is as well told as a smooth one (after Bai, Wang, Simons and Sapiro 2009,
"Video SnapCut: robust video object cutout using localized classifiers", with counts in place of mixtures). Masks are
fitted by means and spreads (`masks/sides`): those say less, and move fewer edges that were right.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from ...masks.view import Mask, Pixels

Codes = NDArray[np.intp]
Side = NDArray[np.bool_]

CELLS, CELL = (20, 16, 16), 5.0
"""Cells of L*, a* and b* in which colours are counted, a* and b* from the middle on; and how wide each is."""
NEXT = (0.25, 0.5, 0.25)
"""What a px counts for in its own cell and in those next to it."""
WINDOW = 3.0
"""What is seen about a part of the edge, in widths of the band, which that part is wide itself."""
DEPTHS = (1.0, 0.5, 0.25)
"""How deep in the mask its own colours are learned, widths of the band: deeper than it may leak, or where it is too
thin for that, as deep as can be."""
CLEAR_PX = 3.0
"""How far outside colours of the other side are learned."""
LEAST_SHARE = 0.02
"""Of the window that must be seen of either side."""
UNSEEN = 2e-5
"""Share of a colour that was not seen: less is chance."""
MOST = 3.0
"""What one px says at most, as a logarithm; it is heard with those about it."""
HEARD_PX = 7


def coded(Lab: Pixels) -> Codes:
    """The cell of each px (height, width) of L*, a*, b* (height, width, 3)."""
    calm = cv2.GaussianBlur(Lab, (0, 0), 0.8)
    cell = calm / np.float32(CELL) + np.array((0.0, CELLS[1] / 2.0, CELLS[2] / 2.0), np.float32)
    L, a, b = (np.clip(cell[..., n], 0, most - 1).astype(np.intp) for n, most in enumerate(CELLS))
    return (L * CELLS[1] + a) * CELLS[2] + b


def like_other_side(mask: Side, codes: Codes, width_px: float) -> Mask:
    """By how much likelier each px of a mask (height, width) has its colour from outside of it than from within, mean
    of the logarithms about it; 0 farther than `width_px` from its edge and where nothing can be said."""
    deep, away = (distance(side) for side in (mask, ~mask))
    band = mask & (deep <= width_px)
    outside = away > CLEAR_PX
    step = max(2, round(WINDOW * width_px))
    said = np.zeros(mask.shape, np.float32)
    for top in range(0, mask.shape[0], step):
        for left in range(0, mask.shape[1], step):
            here = np.s_[top : top + step, left : left + step]
            if not band[here].any():
                continue
            near = np.s_[max(0, top - step) : top + 2 * step, max(0, left - step) : left + 2 * step]
            own = _deep_in(deep[near], width_px)
            if own is not None and outside[near].mean() >= LEAST_SHARE:
                inside, beyond = (_shares(codes[near][side]) for side in (own, outside[near]))
                said[here] = np.log(beyond / inside)[codes[here]]
    said = np.where(band, np.clip(said, -MOST, MOST), np.float32(0.0))
    heard = cv2.blur(band.astype(np.float32), (HEARD_PX, HEARD_PX))
    mean = cv2.blur(said, (HEARD_PX, HEARD_PX)) / np.maximum(heard, np.float32(1e-3))
    return np.asarray(np.where(band, mean, 0.0), np.float32)


def distance(side: Side) -> Mask:
    """Of each px from what is not of a side, px; beyond the border all goes on."""
    wide = np.pad(side.astype(np.uint8), 1, mode="edge")
    return np.asarray(cv2.distanceTransform(wide, cv2.DIST_L2, 5)[1:-1, 1:-1], np.float32)


def _deep_in(deep: Mask, width_px: float) -> Side | None:
    """What is as deep in a mask as enough of it is."""
    for depth in DEPTHS:
        own = deep > depth * width_px
        if own.mean() >= LEAST_SHARE:
            return own
    return None


def _shares(codes: Codes) -> NDArray[np.float64]:
    """What share each cell has of the px, told to the cells about it too."""
    # not at start
    from scipy.ndimage import convolve1d

    counts = np.bincount(codes, minlength=int(np.prod(CELLS))).reshape(CELLS).astype(np.float64)
    for axis in range(3):
        counts = convolve1d(counts, NEXT, axis=axis, mode="nearest")
    return np.asarray(counts.ravel() / len(codes) + UNSEEN)
