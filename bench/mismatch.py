"""One smooth area in two hues: found where a turn of hue was planted, and where nothing was.

Planted into the largest smooth area of each photograph that has one with a hue of its own: a part of it, on one side
of a line, is turned by as much as makes about ΔE00 4. Areas whose hues are many by themselves (dusk) are left out.
"""

import cv2
import numpy as np

from matiz.colour.spaces import XYZ_TO_SRGB, Lab_to_XYZ, sRGB_to_Lab
from matiz.measure.colour.mismatch import MOST_WIDE_DEG, find_mismatch

from .photographs import linear, photographs

LONG_SIDE = 700
WANTED_dE, SOFT_PX, PART = 4.0, 6.0, 0.4
SHARE, LEAST_C = 0.08, 9.0
TIMES = 4
"""That each is turned either way, each time on one side of another line."""


def planted(display: np.ndarray, area: np.ndarray, turn_deg: float, angle: float) -> np.ndarray:
    """A part of an area turned in hue, lightness and chroma kept, with a border SOFT_PX wide."""
    rows, columns = np.nonzero(area)
    cos, sin = np.cos(angle), np.sin(angle)
    edge = np.quantile(columns * cos + rows * sin, PART)
    y, x = np.mgrid[: display.shape[0], : display.shape[1]]
    side = 1.0 / (1.0 + np.exp((x * cos + y * sin - edge) * 4.0 / SOFT_PX))
    within = cv2.GaussianBlur(cv2.dilate(area.astype(np.uint8), np.ones((9, 9))).astype(np.float32), (0, 0), 2.0)
    Lab = sRGB_to_Lab(display)
    turned = (Lab[..., 1] + 1j * Lab[..., 2]) * np.exp(1j * np.radians(turn_deg) * side * within)
    out = Lab_to_XYZ(np.stack([Lab[..., 0], turned.real, turned.imag], axis=-1)) @ XYZ_TO_SRGB.T
    return np.clip(out, 0.0, 1.0)


def largest_area(display: np.ndarray) -> np.ndarray | None:
    """The largest smooth area with a hue of its own."""
    Lab = sRGB_to_Lab(display).astype(np.float32)
    mean, square = (cv2.blur(each, (9, 9)) for each in (Lab[..., 0], Lab[..., 0] ** 2))
    smooth = (np.sqrt(np.maximum(square - mean**2, 0.0)) < 2.0) & (Lab[..., 0] > 12.0) & (Lab[..., 0] < 97.0)
    count, labels, found, _ = cv2.connectedComponentsWithStats(cv2.erode(smooth.astype(np.uint8), np.ones((3, 3))))
    if count < 2:
        return None
    best = 1 + int(found[1:, 4].argmax())
    area = labels == best
    colour = (Lab[..., 1] + 1j * Lab[..., 2])[area]
    if found[best, 4] < SHARE * smooth.size or np.median(np.abs(colour)) < LEAST_C:
        return None
    hue = np.degrees(np.angle(colour * np.exp(-1j * np.angle(colour.mean()))))
    wide = np.subtract(*np.quantile(hue[np.abs(colour) > 6.0], (0.95, 0.05)))
    return area if wide < 0.65 * MOST_WIDE_DEG else None


def turn_for(display: np.ndarray, area: np.ndarray) -> float:
    """Degrees of hue that make about WANTED_dE."""
    chroma = float(np.median(np.hypot(*np.moveaxis(sRGB_to_Lab(display)[area][:, 1:], -1, 0))))
    chord = WANTED_dE * (1.0 + 0.02 * chroma) / (2.0 * chroma)
    return float(np.degrees(2.0 * np.arcsin(min(chord, 0.4))))


def run() -> dict[str, float]:
    rng = np.random.default_rng(1)
    clean = flagged = tried = found = 0
    for photograph in photographs():
        display = linear(photograph, LONG_SIDE)
        clean += 1
        flagged += find_mismatch(display) is not None
        area = largest_area(display)
        if area is None:
            continue
        for sign in (1.0, -1.0) * TIMES:
            turn = sign * turn_for(display, area)
            tried += 1
            found += find_mismatch(planted(display, area, turn, rng.uniform(0.0, 2.0 * np.pi))) is not None
    return {"clean photographs": clean, "of these said to have two hues": flagged,
            "planted": tried, "of these found": found}  # fmt: skip
