"""A grey card in the picture: a plain four-cornered area of the middle tones whose colour can be a light's."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Camera
from ...develop.frame.camera_colour import neutral_to_xy
from ...errors import ArgumentError
from ...image.channels import highest, lowest
from ...raw.frame import CameraColour
from ..table.values import LightValue, value_of
from ..tone.patches import PatchBox

CALM_PX = 1.6
FLAT_EV = 0.05
"""Change from px to px of brightness and of colour above which an area is not plain."""
LEAST_SHARE, MOST_SHARE = 0.004, 0.3
"""Of the picture."""
LEAST_FILLED = 0.86
"""Of its convex outline, and of the four-cornered shape nearest to it."""
LONGEST = 2.2
"""Longer side of a card over the shorter, as it is seen."""
MOST_SPREAD_EV, MOST_COLOUR_SPREAD_EV = 0.2, 0.05
"""Standard deviations within a card, of brightness and of colour."""
MOST_FROM_MIDDLE_EV = 1.6
"""A card, 18 % grey, is about as light as the middle of a picture; a window pane is far brighter."""
MOST_DUV = 0.012
MOST_CARDS = 2
"""More of them are the patches of a chart, or windows."""


@dataclass(frozen=True)
class GreyCard(PatchBox):
    """A grey card."""

    light: LightValue
    """The light under which it is neutral; its certainty is that of the card."""


def grey_card(colour: CameraColour, camera: Camera, step: int) -> GreyCard | None:
    """The largest grey card of a picture, if there is one.

    camera: upright camera values, about 500 px long. step: full-size px per px of it.
    """
    smooth = cv2.GaussianBlur(camera, (0, 0), CALM_PX)
    log = np.log2(np.maximum(smooth, 1e-4))
    planes = [log[..., 1], log[..., 0] - log[..., 1], log[..., 2] - log[..., 1]]
    rough = np.max([_slope(plane) for plane in planes], axis=0)
    usable = (highest(smooth) < 0.9) & (lowest(smooth) > 0.004)
    plain = cv2.morphologyEx(((rough < FLAT_EV) & usable).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    _, labels, boxes, _ = cv2.connectedComponentsWithStats(plain, connectivity=4)
    middle_EV = float(np.median(planes[0]))
    found = []
    shares = boxes[:, cv2.CC_STAT_AREA] / plain.size
    for label in np.flatnonzero((shares >= LEAST_SHARE) & (shares <= MOST_SHARE)):
        x, y, w, h, _ = (int(v) for v in boxes[label])
        if label == 0 or x <= 1 or y <= 1 or x + w >= plain.shape[1] - 1 or y + h >= plain.shape[0] - 1:
            continue  # what is not plain, and what is cut by the border
        part = np.s_[y : y + h, x : x + w]
        inside = labels[part] == label
        spreads = [float(plane[part][inside].std()) for plane in planes]
        from_middle_EV = abs(float(planes[0][part][inside].mean()) - middle_EV)
        if spreads[0] > MOST_SPREAD_EV or max(spreads[1:]) > MOST_COLOUR_SPREAD_EV:
            continue
        mean = camera[part][inside].mean(axis=0).astype(np.float64)
        filled = _filled(inside)
        if filled < LEAST_FILLED or from_middle_EV > MOST_FROM_MIDDLE_EV:
            continue
        light = _light(colour, mean)
        if light is None:
            continue
        certainty = float(np.clip((filled - 0.8) / 0.15, 0.0, 1.0) * np.exp(-0.5 * (light.duv / MOST_DUV) ** 2))
        sure = LightValue(light.cct_K, light.duv, certainty)
        found.append(GreyCard(x * step, y * step, w * step, h * step, float(shares[label]), sure))
    return max(found, key=lambda card: card.share) if 0 < len(found) <= MOST_CARDS else None


def _slope(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    across, down = (cv2.Sobel(plane, cv2.CV_32F, *way, ksize=3) / 8.0 for way in ((1, 0), (0, 1)))
    return np.hypot(across, down)


def _filled(inside: NDArray[np.bool_]) -> float:
    """How well a shape fills a convex outline of four corners, 0..1; 0 where it has not four, or is a strip."""
    outlines, _ = cv2.findContours(inside.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    hull = cv2.convexHull(max(outlines, key=cv2.contourArea))
    corners = cv2.approxPolyDP(hull, 0.04 * cv2.arcLength(hull, True), True)
    _, sides, _ = cv2.minAreaRect(hull)
    if len(corners) != 4 or max(sides) > LONGEST * max(min(sides), 1.0):
        return 0.0
    area = float(inside.sum())
    shape, four = float(cv2.contourArea(hull)), float(cv2.contourArea(corners))
    return min(1.0, area / max(shape, 1.0)) * min(shape, four) / max(shape, four, 1.0)


def _light(colour: CameraColour, mean: NDArray[np.float64]) -> LightValue | None:
    try:
        light = value_of(neutral_to_xy(colour, mean))
    except ArgumentError:
        return None
    return light if abs(light.duv) <= MOST_DUV else None
