"""What the colours near a rough edge say of each px: how it mixes those of the two sides, and how far they can be told
apart there. The network that makes masks exact is shown them beside the picture."""

import cv2
import numpy as np
from numpy.typing import NDArray

from .cut import Share

Colours = NDArray[np.float32]
Planes = NDArray[np.float32]

WIDTHS_PX = 10.0, 36.0
"""How far around a px the two sides are looked at."""
INNER_PX, OUTER_PX = 4, 10
"""How far inside and outside a rough edge a side is sure: hair reaches out."""
LITTLE = 0.02
"""Weight of what is less sure, which counts where there is nothing else."""
NOISE = 0.02
"""Of encoded colour: steps well above it are seen."""
SMALL_PX = 3.0
"""How far that is on the smaller picture on which it is worked out."""
COUNT = 8
"""Planes of hints."""


def hints(picture: Colours, share: Share) -> Planes:
    """(height, width, `COUNT`), most of it within -1..1, for a picture (height, width, 3) encoded 0..1 and a rough
    share of it: at each of two widths the share by mixing, the share by likeness, how far the sides differ, and how far
    the px is from any mixture of them."""
    held = [
        _reduced(picture, rough, px, WIDTHS_PX[0]) for rough, px in ((share > 0.9, INNER_PX), (share < 0.1, OUTER_PX))
    ]
    out = np.empty((*share.shape, COUNT), np.float32)
    for n, width_px in enumerate(WIDTHS_PX):
        _at_width(picture, share, [_mean(each, width_px) for each in held], out[..., n * 4 : n * 4 + 4])
    return out


def _reduced(picture: Colours, rough: NDArray[np.bool_], sure_px: int, width_px: float) -> tuple[Planes, Share]:
    """One side on a smaller picture: its colours and weight (rows, columns, 4), and its colours squared."""
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * sure_px + 1, 2 * sure_px + 1))
    side = rough.astype(np.uint8)
    weight = side.astype(np.float32) * np.float32(LITTLE) + cv2.erode(side, disc)
    colours = picture * weight[..., None]
    squared = np.einsum("...i,...i->...", picture, colours)
    height, width = rough.shape
    size = max(2, round(width / width_px * SMALL_PX)), max(2, round(height / width_px * SMALL_PX))
    planes = [cv2.resize(each, size, interpolation=cv2.INTER_AREA) for each in (colours, weight, squared)]
    return np.dstack(planes[:2]), planes[2]


def _mean(held: tuple[Planes, Share], width_px: float) -> tuple[Planes, Share]:
    """Of one side around each px, on a smaller picture: its colour and its spread, a variance (rows, columns, 4), and
    whether there is any of it, 0..1."""
    shrink = width_px / WIDTHS_PX[0]
    rows, columns = held[1].shape
    size = max(2, round(columns / shrink)), max(2, round(rows / shrink))
    values, squared = (
        cv2.GaussianBlur(
            each if shrink == 1.0 else cv2.resize(each, size, interpolation=cv2.INTER_AREA), (0, 0), SMALL_PX
        )
        for each in held
    )
    weight = np.maximum(values[..., 3], np.float32(1e-6))
    colour = values[..., :3] / weight[..., None]
    spread = np.maximum(squared / weight - (colour**2).sum(axis=2), np.float32(0.0))
    there = np.clip(weight * np.float32(2e3), 0.0, 1.0)
    return np.asarray(np.dstack([colour, spread]), np.float32), np.asarray(there, np.float32)


def _at_width(picture: Colours, share: Share, sides: list[tuple[Planes, Share]], out: Planes) -> None:
    size = share.shape[1], share.shape[0]
    (front, behind), there = (
        [cv2.resize(side[0], size, interpolation=cv2.INTER_LINEAR) for side in sides],
        cv2.resize(sides[0][1] * sides[1][1], size, interpolation=cv2.INTER_LINEAR),
    )
    least = np.float32(NOISE**2)
    way, off = front[..., :3] - behind[..., :3], picture - behind[..., :3]
    far = _dot(way, way)
    to_behind = _dot(off, off)
    along = _dot(off, way)
    mixed = along / (far + least)
    # of what is left once the mixture is taken away, and of what the front is away
    beside = np.maximum(to_behind - 2.0 * mixed * along + mixed * mixed * far, 0.0)
    to_front = np.maximum(to_behind - 2.0 * along + far, 0.0)
    spread = front[..., 3] + behind[..., 3] + least
    alike = np.sqrt(to_behind / (behind[..., 3] + least)) - np.sqrt(to_front / (front[..., 3] + least))
    plain = share - np.float32(0.5)
    out[..., 0] = plain + there * (np.clip(mixed, -0.5, 1.5) - np.float32(0.5) - plain)
    out[..., 1] = there * np.clip(alike / np.float32(8.0), -1.0, 1.0)
    out[..., 2] = there * np.tanh(np.sqrt(far / spread) / np.float32(4.0))
    out[..., 3] = there * np.tanh(np.sqrt(beside / spread) / np.float32(2.0))


def _dot(a: Colours, b: Colours) -> Share:
    return np.asarray(np.einsum("...i,...i->...", a, b), np.float32)
