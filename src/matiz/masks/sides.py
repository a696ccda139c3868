"""What lies on either side of a mask's edge, by colour: which px near it belong to the other side.

Within a band along the edge each px is compared with the colours that are surely inside and surely outside near it, as
normal distributions of L*, a*, b* (as in Wang and Cohen 2007, "Optimized color sampling for robust matting", with
windows in place of samples). Where the two sides are alike nothing is said.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from .cut import Share
from .matting import refined

Lab = NDArray[np.float32]

WINDOW = 3.0
"""Half the side of the window for the colours of either side, in widths of the band."""
LEAST_SHARE = 0.02
"""Of the window that must surely be on a side."""
LEAST_SPREAD = 2.5
"""In L*, a*, b*: what a side varies by at least."""
APART = 5.0
"""Spreads that the two sides' means must be apart. With 3 gleams and stripes on ten photographs passed for leaks."""
FITS = 16.0
"""Square of the spreads that a px may be off the side that it is told to be on: what fits neither is on none."""
CLEAR = 6.0
"""How much likelier, as a difference of logarithms, a px must be on one side to be surely there."""


@dataclass(frozen=True)
class Sides:
    """Maps (height, width) of one mask."""

    band: NDArray[np.bool_]
    """Within the width of the band of the mask's edge, or of a part too thin to have an inside."""
    likelier_inside: Share
    """By how much likelier each px of the band is inside, logarithms; 0 where nothing can be said."""


def sides_of(mask: Share, colours: Lab, width_px: float) -> Sides:
    """mask: (height, width) 0..1. colours: L*, a*, b* (height, width, 3). width_px: of the band to either side."""
    solid = (mask > 0.5).astype(np.uint8)
    side = 2 * max(1, round(width_px)) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    inside = cv2.erode(solid, disc, borderType=cv2.BORDER_REPLICATE) > 0
    outside = cv2.dilate(solid, disc, borderType=cv2.BORDER_REPLICATE) == 0
    band = ~inside & ~outside
    calm = cv2.GaussianBlur(colours, (0, 0), 0.8)
    window = 2 * max(2, round(WINDOW * width_px)) + 1
    offs, likely, means, spreads = [], [], [], []
    enough = np.ones(mask.shape, bool)
    for own in (inside, outside):
        share, mean, variance = _colours_of(calm, own, window)
        enough &= share > LEAST_SHARE
        offs.append(((calm - mean) ** 2 / variance).sum(axis=2))
        likely.append(-0.5 * (offs[-1] + np.log(variance).sum(axis=2)))
        means.append(mean)
        spreads.append(variance)
    apart = ((means[0] - means[1]) ** 2 / (spreads[0] + spreads[1])).sum(axis=2)
    rather = likely[0] - likely[1]
    fits = np.where(rather > 0.0, offs[0], offs[1]) < FITS
    said = np.where(band & enough & fits & (apart > APART**2 / 2.0), rather, 0.0)
    return Sides(band, said.astype(np.float32))


def _colours_of(colours: Lab, own: NDArray[np.bool_], window: int) -> tuple[Share, Lab, Lab]:
    """Share of the window on a side, and mean and variance of its colours there."""
    weight = own.astype(np.float32)

    def blur(values: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.asarray(cv2.blur(values, (window, window), borderType=cv2.BORDER_REFLECT), np.float32)

    share = blur(weight)
    over = np.maximum(share, np.float32(1e-6))[..., None]
    mean = np.asarray(blur(colours * weight[..., None]) / over, np.float32)
    square = np.asarray(blur(colours * colours * weight[..., None]) / over, np.float32)
    return share, mean, np.maximum(square - mean * mean, np.float32(LEAST_SPREAD**2))


def fitted(mask: Share, colours: Lab, width_px: float) -> Share:
    """A mask whose edge is moved within `width_px` to where its two sides part by colour; it looks `fit_looks_px` far.

    Where they are alike the edge stays.
    """
    sides = sides_of(mask, colours, width_px)
    told = 1.0 / (1.0 + np.exp(-np.clip(sides.likelier_inside, -30.0, 30.0)))
    said = np.clip(np.abs(sides.likelier_inside) / CLEAR, 0.0, 1.0)
    moved = np.asarray(np.where(sides.band, mask + said * (told - mask), mask), np.float32)
    return refined(moved, np.ascontiguousarray(colours / np.float32(100.0)), max(width_px / 6.0, 1.0))


def fit_looks_px(width_px: float) -> float:
    return (WINDOW + 2.0) * width_px + 8.0
