"""A cast on something white or grey: colour that the ground or the sky throws onto its shaded side.

Told only where most is pale, its brighter half has no colour of its own, the paler rest leans to one hue between green
and blue, and the surroundings have much of that hue: then it is light, not fur or feathers.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import sRGB_to_Lab
from ...colour.types import Array, Display

FILLED = 0.85
"""Of a box: the ellipse in it that is looked at."""
PALE_C, PALE_SHARE = 18.0, 0.5
"""C*ab up to which something is pale, and how much of it must be."""
OWN_C = 4.5
"""C*ab of its brighter half up to which it has no colour of its own."""
CAST_C = (5.0, 18.0)
HUES = (120.0, 285.0)
"""Degrees of CIELAB hue: from green by cyan to blue."""
LEAST_PART, MOST_PART, MOST_WIDE = 0.12, 0.55, 22.0
"""Of it that leans so, and how far its hues spread (half of what the middle two thirds span)."""
NEAR_HUE, AROUND_C, AROUND_SHARE = 40.0, 10.0, 0.15
"""Of the surroundings: how near its hue must be, how strong, and how much of them."""
LEAST_PX = 50
PICKS = 5


@dataclass(frozen=True)
class Cast:
    """Px of the picture that was read."""

    hue_deg: float
    """CIELAB."""
    chroma: float
    share: float
    """Of the thing."""
    box: tuple[float, float, float, float]
    """Left, top, width, height of the ellipse."""
    picks: tuple[tuple[float, float], ...]
    """Where it shows."""
    certainty: float


def find_cast(display: Display, box: tuple[float, float, float, float]) -> Cast | None:
    """On what lies in a box (left, top, width, height) of a picture in display-linear sRGB; None where nothing is
    sure."""
    height, width = display.shape[:2]
    left, top, w, h = box
    inside = np.zeros((height, width), np.uint8)
    axes = max(1, round(w / 2 * FILLED)), max(1, round(h / 2 * FILLED))
    cv2.ellipse(inside, (round(left + w / 2), round(top + h / 2)), axes, 0.0, 0.0, 360.0, 1, -1)
    Lab = cv2.GaussianBlur(sRGB_to_Lab(np.clip(display, 0.0, 1.0)).astype(np.float32), (0, 0), 1.5)
    L, C = Lab[..., 0], np.hypot(Lab[..., 1], Lab[..., 2])
    hue = np.degrees(np.arctan2(Lab[..., 2], Lab[..., 1])) % 360.0
    thing = inside.astype(bool) & (L > 15.0) & (L < 98.0)
    pale = thing & (C < PALE_C)
    if thing.sum() < 200 or pale.sum() < PALE_SHARE * thing.sum():
        return None
    leaning = pale & (CAST_C[0] < C) & (hue > HUES[0]) & (hue < HUES[1])
    own = pale & ~leaning & (np.median(L[pale]) <= L)
    if not LEAST_PART * pale.sum() < leaning.sum() < MOST_PART * pale.sum() or own.sum() < LEAST_PX:
        return None
    if np.median(C[own]) > OWN_C:
        return None
    middle, wide = float(np.median(hue[leaning])), np.subtract(*np.quantile(hue[leaning], (0.84, 0.16))) / 2.0
    wider = cv2.dilate(inside, np.ones((3, 3), np.uint8), iterations=max(axes) // 2)
    around = wider.astype(bool) & ~inside.astype(bool)
    near = np.abs((hue - middle + 180.0) % 360.0 - 180.0) < NEAR_HUE
    share = float((near & (C > AROUND_C))[around].mean()) if around.any() else 0.0
    if wide > MOST_WIDE or share < AROUND_SHARE:
        return None
    certainty = float(np.clip(0.25 + 0.5 * share, 0.0, 0.6))
    chroma, part = float(np.median(C[leaning])), float(leaning.sum() / thing.sum())
    return Cast(middle, chroma, part, box, _picks(leaning), certainty)


def _picks(where: NDArray[np.bool_]) -> tuple[tuple[float, float], ...]:
    """A few places well inside."""
    far: Array = cv2.distanceTransform(where.astype(np.uint8), cv2.DIST_L2, 3)
    out = []
    for _ in range(PICKS):
        y, x = np.unravel_index(int(far.argmax()), far.shape)
        if far[y, x] < 1.5:
            break
        out.append((float(x), float(y)))
        cv2.circle(far, (int(x), int(y)), max(6, int(3.0 * far[y, x])), 0.0, -1)
    return tuple(out)
