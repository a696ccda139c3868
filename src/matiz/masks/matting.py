"""A coarse mask made exact along its edge, by the picture itself: hair, feathers, twigs.

Within a band along the edge the mask is a straight line in the picture's colours at every place (the guided filter
of He, Sun and Tang 2010, which is one step of their closed form of matting), at two widths: the wide one finds what
is fine and far out, the narrow one keeps what is sharp.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from ..image.guided import colour_coefficients

Share = NDArray[np.float32]
Colours = NDArray[np.float32]

EDGE = 0.02
"""Steps of encoded colour well above it are followed."""
SURE = 0.04


def refined(share: Share, picture: Colours, band_px: float) -> Share:
    """A mask (height, width) 0..1 that follows the edges of `picture` (height, width, 3), encoded 0..1.

    band_px: how far from the coarse edge the true one may lie. Away from it the mask is what it was, made certain.
    """
    band_px = max(band_px, 1.0)
    solid = np.where(share > 0.5, np.float32(1.0), np.float32(0.0))
    side = 2 * int(np.ceil(band_px)) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    unsure = ((share > SURE) & (share < 1.0 - SURE)).astype(np.uint8)
    rim = cv2.dilate(unsure | _edge_of(solid), disc) > 0
    if not rim.any():
        return solid
    out = np.where(rim, share, solid).astype(np.float32)
    rows, columns = np.flatnonzero(rim.any(axis=1)), np.flatnonzero(rim.any(axis=0))
    margin = 2 * side
    part = (slice(max(0, rows[0] - margin), rows[-1] + 1 + margin),
            slice(max(0, columns[0] - margin), columns[-1] + 1 + margin))  # fmt: skip
    guide, coarse, here = np.ascontiguousarray(picture[part]), np.ascontiguousarray(out[part]), rim[part]
    wide = _followed(guide, coarse, band_px)
    narrow = _followed(guide, np.where(here, wide, coarse).astype(np.float32), max(band_px / 3.0, 1.0))
    out[part] = np.where(here, np.clip((narrow - SURE) / (1.0 - 2.0 * SURE), 0.0, 1.0), coarse)
    return out


def _followed(guide: Colours, share: Share, radius_px: float) -> Share:
    """The coefficients are smooth: for a wide band they are worked out on a smaller picture."""
    shrink = max(1, int(radius_px // 6))
    if shrink == 1:
        a, b = colour_coefficients(guide, share, radius_px, EDGE)
        return np.asarray((a * guide).sum(axis=2) + b, np.float32)
    height, width = share.shape
    size = max(2, width // shrink), max(2, height // shrink)
    small_guide, small = (cv2.resize(m, size, interpolation=cv2.INTER_AREA) for m in (guide, share))
    a, b = colour_coefficients(small_guide, small, radius_px / shrink, EDGE)
    a, b = (cv2.resize(m, (width, height), interpolation=cv2.INTER_LINEAR) for m in (a, b))
    return np.asarray((a * guide).sum(axis=2) + b, np.float32)


def _edge_of(solid: Share) -> NDArray[np.uint8]:
    inner = cv2.erode(solid, np.ones((3, 3), np.uint8))
    return np.asarray(solid != inner, np.uint8)
