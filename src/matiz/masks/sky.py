"""The sky of a picture: smooth, hanging together, and at the upper border.

Seeds are calm places near the upper border; a graph cut (Rother, Kolmogorov and Blake 2004, "GrabCut") tells what is
like them from what is like the lower part; what does not hang together with the border is left out.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

Share = NDArray[np.float32]

CUT_PX = 420
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
WARM_B, BRIGHT_L = 5.0, 82.0
LEAST_TOP = 0.12
"""Of the upper border that a sky reaches."""


def find_sky(picture: NDArray[np.uint8]) -> Share:
    """0..1 over an sRGB picture (height, width, 3), (rows, columns) of at most `CUT_PX`; all 0 where there is none."""
    height, width = picture.shape[:2]
    scale = min(1.0, CUT_PX / max(height, width))
    size = max(8, round(width * scale)), max(8, round(height * scale))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    Lab = cv2.cvtColor(small.astype(np.float32) / 255.0, cv2.COLOR_RGB2LAB)
    mean, square = (cv2.blur(each, (5, 5)) for each in (Lab[..., 0], Lab[..., 0] ** 2))
    calm = np.sqrt(np.maximum(square - mean**2, 0.0)) < CALM_L
    rows = np.arange(size[1])[:, None]
    none = np.zeros((size[1], size[0]), np.float32)
    seeds = _from_top(calm & (rows < TOP * size[1]))
    if seeds.mean() < LEAST_SEEDS or seeds[:3].any(axis=0).mean() < LEAST_TOP:
        return none
    # a sky is brighter than what lies below it, or bluer
    low = rows >= (1.0 - BOTTOM) * size[1]
    brighter = np.median(Lab[..., 0][seeds]) - np.median(Lab[..., 0][np.broadcast_to(low, seeds.shape)])
    bluer = np.median(Lab[..., 2][np.broadcast_to(low, seeds.shape)]) - np.median(Lab[..., 2][seeds])
    if brighter < 6.0 and bluer < 6.0:
        return none
    # a wall or sand out of focus is calm as well: what is warm and not bright is no sky
    if np.median(Lab[..., 2][seeds]) > WARM_B and np.median(Lab[..., 0][seeds]) < BRIGHT_L:
        return none
    reached = _flooded(small, seeds)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BAND_PX + 1, 2 * BAND_PX + 1))
    labels = np.where(reached > 0, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[cv2.erode(reached, disc, borderType=cv2.BORDER_REPLICATE) > 0] = cv2.GC_FGD
    labels[cv2.dilate(reached, disc, borderType=cv2.BORDER_REPLICATE) == 0] = cv2.GC_BGD
    labels[np.broadcast_to(low, labels.shape)] = cv2.GC_BGD
    if not np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)).any():
        return none
    cv2.grabCut(small, labels, None, np.zeros((1, 65)), np.zeros((1, 65)), 2, cv2.GC_INIT_WITH_MASK)
    inside = _from_top(np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)))
    # birds, wires and thin cloud are holes that belong to it
    filled = cv2.morphologyEx(inside.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    return np.asarray(cv2.GaussianBlur(filled.astype(np.float32), (0, 0), 0.7), np.float32)


def _flooded(small: NDArray[np.uint8], seeds: NDArray[np.bool_]) -> NDArray[np.uint8]:
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
    # what hangs together with nothing but sky is sky: clouds, the sun
    count, labels, found, _ = cv2.connectedComponentsWithStats((reached == 0).astype(np.uint8), connectivity=4)
    bottom = np.unique(labels[-3:])
    for n in range(1, count):
        if n not in bottom and found[n, cv2.CC_STAT_TOP] + found[n, cv2.CC_STAT_HEIGHT] < small.shape[0] - 3:
            reached[labels == n] = 1
    return np.ascontiguousarray(reached)


def _from_top(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What hangs together with the upper border."""
    _, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=4)
    at_top = np.setdiff1d(np.unique(labels[:2]), [0])
    return np.asarray(np.isin(labels, at_top))
