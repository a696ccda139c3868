"""What of a picture is in focus, by how far its edges are spread.

The spread is the standard deviation of the Gaussian that would blur a step so, from the ratio of the gradients of the
picture and of the picture blurred once more (Zhuo and Sim 2011, "Defocus map estimation from a single image"). Between
edges it is carried on from those around, near ones first.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from .cut import Picture, Share

Plane = NDArray[np.float32]

MOST_PX = 2000
"""Long side that is looked at."""
BLUR_PX = 1.5
"""By which the picture is blurred once more, px."""
OWN_PX = 0.95
"""Px: what slopes are blurred by as they are looked at."""
LEAST_SPREAD, MOST_SPREAD = 0.3, 8.0
"""Px: between these edges are told apart."""
NOISE, LEAST_EDGE = 5.0, 0.02
"""What an edge's gradient must exceed: times the noise's, and in encoded values 0..1."""
SHARPEST = 0.1
"""Share of the edges that are surely in focus."""
LEAST_PX = 0.7
"""Spread of the sharpest edge that a demosaic leaves."""
STILL, GONE = 1.7, 3.0
"""Times the spread of the sharpest up to which an edge is in focus, and from which on it is not."""
REACHES = (0.010, 0.025, 0.05)
"""Of the long side: how far edges speak for what lies around them."""
LEAST_WEIGHT = 0.02
SHADED = 0.25
"""How much an edge that is not sharp counts: it may be shade on a thing that is in focus."""
SHOWN_PX = 1024


def find_focus(picture: Picture) -> Share:
    """In focus, 0..1, over the whole of an sRGB picture (height, width, 3); all of it where no edge is found."""
    height, width = picture.shape[:2]
    scale = min(1.0, MOST_PX / max(height, width))
    size = max(8, round(width * scale)), max(8, round(height * scale))
    seen = picture if scale == 1.0 else cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    grey = cv2.cvtColor(np.asarray(seen, np.uint8), cv2.COLOR_RGB2GRAY).astype(np.float32) / np.float32(255.0)
    spread, weight = edge_spreads(grey)
    shown = min(1.0, SHOWN_PX / max(grey.shape))
    out = max(8, round(grey.shape[1] * shown)), max(8, round(grey.shape[0] * shown))
    if not (weight > 0).any():
        return np.ones(out[::-1], np.float32)
    sharpest = max(float(np.quantile(spread[weight > 0], SHARPEST)), LEAST_PX)
    t = np.clip((GONE - spread / sharpest) / (GONE - STILL), 0.0, 1.0)
    clear = (t * t * (3.0 - 2.0 * t)).astype(np.float32)
    weight *= SHADED + (1.0 - SHADED) * clear
    told, have = (cv2.resize(each, out, interpolation=cv2.INTER_AREA) for each in (clear * weight, weight))
    return _carried_on(told, have)


def edge_spreads(grey: Plane) -> tuple[Plane, Plane]:
    """The spread of each edge in px and how much it counts, 0 where there is none; both (height, width).

    grey: (height, width) 0..1, encoded.
    """
    # the second difference of noise is known against its own spread: Immerkaer 1996
    noise = 1.4826 * float(np.median(np.abs(cv2.Laplacian(grey, cv2.CV_32F)))) / np.sqrt(20.0)
    blurred = cv2.GaussianBlur(grey, (0, 0), BLUR_PX)
    own, again = (_slope(cv2.GaussianBlur(each, (0, 0), 0.6)) for each in (grey, blurred))
    least = max(LEAST_EDGE, NOISE * noise)
    ridge = own >= cv2.dilate(own, np.ones((3, 3), np.uint8)) * 0.9
    is_edge = ridge & (own > least)
    ratio = np.maximum(own / np.maximum(again, 1e-6), 1.0 + 1e-3)
    seen = BLUR_PX / np.sqrt(ratio**2 - 1.0)
    spread = np.minimum(np.sqrt(np.maximum(seen**2 - OWN_PX**2, LEAST_SPREAD**2)), MOST_SPREAD).astype(np.float32)
    weight = np.where(is_edge, np.minimum(own / least, 4.0), 0.0).astype(np.float32)
    return spread, weight


def _slope(plane: Plane) -> Plane:
    across, down = (cv2.Sobel(plane, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.125) for dx in (1, 0))
    return np.asarray(cv2.magnitude(across, down), np.float32)


def _carried_on(told: Plane, have: Plane) -> Share:
    """The mean of what edges say about each px, from as near as there are enough of them; far from any it is taken to
    be out of focus."""
    out = np.zeros_like(told)
    left = np.ones_like(told)
    for reach in REACHES:
        sigma = reach * max(told.shape)
        weight = cv2.GaussianBlur(have, (0, 0), sigma)
        mean = cv2.GaussianBlur(told, (0, 0), sigma) / np.maximum(weight, 1e-9)
        sure = np.clip(weight / LEAST_WEIGHT, 0.0, 1.0)
        out += left * sure * mean
        left *= 1.0 - sure
    return np.asarray(np.clip(out, 0.0, 1.0), np.float32)
