"""The sky of a picture: smooth, hanging together, and at the upper border.

From calm places near the upper border it is flooded as far as nothing steps; a graph cut settles its edge.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from .cut import Picture, Share, graph_cut, smaller, softened

TOP, BOTTOM = 0.30, 0.12
"""Of the height: where seeds of the sky may lie, and what is surely none."""
CALM_L = 3.2
"""Standard deviation of L* (0..100) within a few px under which a place is calm."""
LEAST_SEEDS = 0.02
"""Of the frame's pixels: with fewer seeds there is no sky to speak of."""
STEP = 2
"""Of 255: the most that a sky changes from one px of the small picture to the next."""
BAND_PX = 6
"""Of it: how far the cut may move what was reached."""
APART, WARM_B, BRIGHT_L = 6.0, 5.0, 82.0
"""By how much it is brighter (L*) or bluer (b*) than what lies below; from which b*, up to which L*, a calm place is
a wall."""
LEAST_TOP = 0.12
"""Of the upper border that a sky reaches."""


def find_sky(picture: Picture) -> Share:
    """0..1 over an sRGB picture (height, width, 3), (rows, columns) of at most `CUT_PX`; all 0 where there is none."""
    small = smaller(picture)
    height, width = small.shape[:2]
    Lab = cv2.cvtColor(small.astype(np.float32) / 255.0, cv2.COLOR_RGB2LAB)
    mean, square = (cv2.blur(each, (5, 5)) for each in (Lab[..., 0], Lab[..., 0] ** 2))
    calm = np.sqrt(np.maximum(square - mean**2, 0.0)) < CALM_L
    rows = np.broadcast_to(np.arange(height)[:, None], (height, width))
    low = rows >= (1.0 - BOTTOM) * height
    none = np.zeros((height, width), np.float32)
    seeds = _from_top(calm & (rows < TOP * height))
    if not low.any() or seeds.mean() < LEAST_SEEDS or seeds[:3].any(axis=0).mean() < LEAST_TOP:
        return none
    # a sky is brighter than what lies below it, or bluer
    brighter = np.median(Lab[..., 0][seeds]) - np.median(Lab[..., 0][low])
    bluer = np.median(Lab[..., 2][low]) - np.median(Lab[..., 2][seeds])
    if max(brighter, bluer) < APART:
        return none
    # a wall or sand out of focus is calm as well: what is warm and not bright is no sky
    if np.median(Lab[..., 2][seeds]) > WARM_B and np.median(Lab[..., 0][seeds]) < BRIGHT_L:
        return none
    reached = _flooded(small, seeds)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BAND_PX + 1, 2 * BAND_PX + 1))
    labels = np.where(reached > 0, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[cv2.erode(reached, disc, borderType=cv2.BORDER_REPLICATE) > 0] = cv2.GC_FGD
    labels[cv2.dilate(reached, disc, borderType=cv2.BORDER_REPLICATE) == 0] = cv2.GC_BGD
    labels[low] = cv2.GC_BGD
    cut = _from_top(graph_cut(small, labels, 2))
    # birds and wires belong to it
    closed = cv2.morphologyEx(cut.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    return softened(closed > 0)


def _flooded(small: Picture, seeds: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """What is reached from the seeds without a step: a sky changes slowly, a ridge does not, however hazy. Clouds
    that are left out within are taken in."""
    soft = cv2.medianBlur(cv2.bilateralFilter(small, 7, 14.0, 3.0), 5)
    mask = np.zeros((small.shape[0] + 2, small.shape[1] + 2), np.uint8)
    for y, x in np.argwhere(cv2.erode(seeds.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0)[::23]:
        if mask[y + 1, x + 1] == 0:
            cv2.floodFill(
                soft, mask, (int(x), int(y)), 0, (STEP,) * 3, (STEP,) * 3, 4 | cv2.FLOODFILL_MASK_ONLY | (1 << 8)
            )
    reached = mask[1:-1, 1:-1]
    # what has sky all round is sky: clouds, the sun
    _, labels = cv2.connectedComponents((reached == 0).astype(np.uint8), connectivity=4)
    outside = np.union1d(labels[-3:], 0)
    return np.ascontiguousarray(reached | ~np.isin(labels, outside), np.uint8)


def _from_top(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What hangs together with the upper border."""
    _, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=4)
    at_top = np.setdiff1d(np.unique(labels[:2]), [0])
    return np.asarray(np.isin(labels, at_top))
