"""A coarse mask made exact along its edge, by the picture itself: hair, feathers, twigs.

Within a band along the edge the mask is a straight line in the picture's colours at every place (the guided filter
of He, Sun and Tang 2010, which is one step of their closed form of matting), at two widths: the wide one finds what
is fine and far out, the narrow one keeps what is sharp.
"""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from ..image.guided import colour_coefficients
from .cut import Share

Colours = NDArray[np.float32]

EDGE = 0.02
"""Steps of encoded colour well above it are followed."""
SURE = 0.04
"""A share this near to none or all is taken for it."""


def refined(share: Share, picture: Colours, band_px: float) -> Share:
    """A mask (height, width) 0..1 that follows the edges of `picture` (height, width, 3), encoded 0..1.

    band_px: how far from the coarse edge the true one may lie, at least 1. Away from it the mask is 0 or 1. It looks
    `looks_px` far.
    """
    solid, unsure = known_and_unsure(share)
    side = 2 * math.ceil(band_px) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    rim = cv2.dilate(unsure.astype(np.uint8), disc) > 0
    rows, columns = np.flatnonzero(rim.any(axis=1)), np.flatnonzero(rim.any(axis=0))
    if not rows.size:
        return solid
    out = np.where(rim, share, solid)
    margin = 2 * side
    part = tuple(slice(max(0, used[0] - margin), used[-1] + 1 + margin) for used in (rows, columns))
    guide, coarse, here = np.ascontiguousarray(picture[part]), np.ascontiguousarray(out[part]), rim[part]
    wide = _followed(guide, coarse, band_px)
    narrow = _followed(guide, np.where(here, wide, coarse), max(band_px / 3.0, 1.0))
    out[part] = np.where(here, np.clip((narrow - SURE) / (1.0 - 2.0 * SURE), 0.0, 1.0), coarse)
    return np.asarray(out, np.float32)


def known_and_unsure(share: Share) -> tuple[Share, NDArray[np.bool_]]:
    """What a share says as 0 or 1, and where it is not sure of that, its edge at least."""
    solid = (share > 0.5).astype(np.float32)
    return solid, (share > SURE) & (share < 1.0 - SURE) | (solid != cv2.erode(solid, np.ones((3, 3), np.uint8)))


def looks_px(band_px: float) -> int:
    """How far a place of a mask looks around itself: two windows of each of two widths, and the rim."""
    return math.ceil(2 * band_px + 2 * max(band_px / 3.0, 1.0) + band_px) + 4


def _followed(guide: Colours, share: Share, radius_px: float) -> Share:
    """The coefficients are smooth: for a wide band they are worked out on a smaller picture."""
    height, width = share.shape
    shrink = max(1, int(radius_px // 6))
    size = max(2, width // shrink), max(2, height // shrink)
    small, coarse = (
        (guide, share) if shrink == 1 else (cv2.resize(m, size, interpolation=cv2.INTER_AREA) for m in (guide, share))
    )
    a, b = colour_coefficients(small, coarse, radius_px / shrink, EDGE)
    if shrink > 1:
        a, b = (cv2.resize(m, (width, height), interpolation=cv2.INTER_LINEAR) for m in (a, b))
    return np.asarray(np.einsum("...i,...i->...", a, guide) + b, np.float32)
