"""The last touches judged: whether the fall-off is noticed, the glow greys the blacks, the signature lies on a busy
spot."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import RGB_to_XYZ_matrix, lightness
from ...colour.types import Image
from ...develop.stages.grain import DARK, LIGHT, signature_box
from ...recipe.finish import CORNERS, Finish, Signature
from ...recipe.tree import replaced

Plane = NDArray[np.float32]

SOFT = 0.02
"""Of the long side: gradients are those of shapes, not of detail."""
NOTICED = 0.35
"""L* per percent of the long side from which on a gradient across an even area is noticed, if it is OWN times the
picture's own there. No source: tried on the demo's skies and walls."""
OWN = 1.5
EVEN_L = 3.0
"""Standard deviation of L* up to which an area is even."""
SHARE = 0.25
"""Of the even area that falls off: so much of it may be noticed."""
FALLS = 0.3
"""Of the steepest gradient that the fall-off has anywhere: where it has as much it falls off."""
LEAST_Y, SRGB_LUMINANCE = 1e-4, RGB_to_XYZ_matrix("sRGB")[1].astype(np.float32)
MOST_TIMES, STEPS = 4.0, 7
LEAST_EVEN = 0.02
"""Of the picture that must be even and fall off to say anything."""
BLACK_L = 2.0


@dataclass(frozen=True)
class FinishReading:
    """What the last touches do."""

    fall_off_noticed: float | None
    """Share, 0..1, of the even areas that fall off in which it is noticed; None where there are none."""
    fall_off_most: float
    """Times its depth at which it is just not noticed; at least 1 where it is not."""
    black_lift_L: float
    """By how much the blacks become lighter by the glow, mean L*."""
    signature_busy_L: float | None
    """Standard deviation of L* where the signature stands; None without one."""
    signature_contrast_L: float | None
    """Between it and what it stands on."""
    calm_corner: str
    """The corner that is least busy."""
    calm_tone: str
    """"light" or "dark": what reads best there."""


def read_finish(shown: Image, without_fall_off: Image, without_glow: Image, own: Finish) -> FinishReading:
    """Small display-linear sRGB pictures of the same size: as decided, and without one of it. None holds grain or the
    signature."""
    L, dark_L = (np.asarray(lightness(each @ SRGB_LUMINANCE), np.float32) for each in (shown, without_glow))
    noticed, most = _noticed(without_fall_off, shown) if own.fall_off.depth_EV or own.fall_off.lift_EV else (None, 1.0)
    blacks = dark_L < BLACK_L
    lifted = float((L - dark_L)[blacks].mean()) if own.glow.amount_percent and blacks.any() else 0.0
    corners = {corner: _under(L, replaced(own.signature, corner=corner)) for corner in CORNERS}
    here = corners[own.signature.corner]
    told = {corner: under for corner, under in corners.items() if under is not None}
    calm = min(told, key=lambda corner: told[corner][0], default=own.signature.corner)
    level = told[calm][1] if told else 0.0
    return FinishReading(
        noticed, most, lifted, None if here is None else here[0],
        None if here is None else abs(_tone_L(own.signature.tone) - here[1]), calm,
        max(("light", "dark"), key=lambda tone: abs(_tone_L(tone) - level)),
    )  # fmt: skip


def _noticed(before: Image, after: Image) -> tuple[float | None, float]:
    """The share that is noticed, and times how much of it would just not be."""
    Y, shown = (np.maximum(each.astype(np.float32) @ SRGB_LUMINANCE, LEAST_Y) for each in (before, after))
    stops = np.log2(shown / Y)
    noticed = _share(Y, stops)
    if noticed is None:
        return None, 1.0
    low, high = (0.0, 1.0) if noticed > SHARE else (1.0, MOST_TIMES)
    for _ in range(STEPS):
        middle = (low + high) / 2.0
        share = _share(Y, middle * stops)
        low, high = (middle, high) if share is None or share <= SHARE else (low, middle)
    return noticed, low


def _share(Y: Plane, stops: Plane) -> float | None:
    """Of the even areas across which luminance changes by so many stops, that in which it is noticed."""
    before, after = (np.asarray(lightness(each), np.float32) for each in (Y, Y * np.exp2(stops)))
    long_side = max(before.shape)
    sigma = SOFT * long_side
    own, made = (_slope(cv2.GaussianBlur(each, (0, 0), sigma)) * long_side / 100.0 for each in
                 (before, after - before))  # fmt: skip
    mean = cv2.GaussianBlur(before, (0, 0), sigma)
    busy = np.sqrt(np.maximum(cv2.GaussianBlur((before - mean) ** 2, (0, 0), sigma), 0.0))
    counts = (busy < EVEN_L) & (made > FALLS * max(float(made.max()), 1e-6))
    if counts.mean() < LEAST_EVEN:
        return None
    return float((made[counts] > np.maximum(NOTICED, OWN * own[counts])).mean())


def _slope(plane: Plane) -> Plane:
    across, down = (cv2.Sobel(plane, cv2.CV_32F, dx, 1 - dx, scale=0.125) for dx in (1, 0))
    return np.asarray(np.hypot(across, down))


def _under(L: Plane, own: Signature) -> tuple[float, float] | None:
    """Standard deviation and mean of L* where a signature stands."""
    box = signature_box(own, (L.shape[1], L.shape[0]))
    if box is None:
        return None
    left, top, width, height = box
    more = height // 2
    part = L[max(top - more, 0) : top + height + more, max(left - more, 0) : left + width + more]
    return (float(part.std()), float(part.mean())) if part.size else None


def _tone_L(tone: str) -> float:
    return float(lightness(LIGHT if tone == "light" else DARK))
