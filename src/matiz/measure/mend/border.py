"""What pulls the eye out of the picture: bright blobs that its border cuts.

A blob is a connected part above some lightness that touches the border, small, and much lighter than what lies round
it; of the lightnesses at which it is one, that counts at which it stands out most (as in Matas, Chum, Urban, Pajdla,
"Robust wide-baseline stereo from maximally stable extremal regions", 2002). Where more of the border is as light, as
under a sky seen through leaves, it is no blob but the ground.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import sRGB_to_Lab
from ...colour.types import Array, Image
from ..table.values import Outline

LIGHTNESSES = tuple(range(95, 45, -5))
"""L*, the highest first."""
LEAST_SHARE, MOST_SHARE = 0.0004, 0.03
"""Of the picture."""
LEAST_CONTRAST = 12.0
"""In L*, to what lies round it."""
LEAST_RANK = 0.85
"""The share of the picture that is darker."""
MOST_ALIKE = 0.2
"""The share of the border that may be as light, at which nothing is believed any more."""
BESIDE, MOST_OTHERS = 0.06, 1.0
"""How far beside it, of the long side, and how much of what is as light there, for its own area, makes it a part of
something larger."""
MOST_CERTAIN = 0.7
"""Whether a thing at the border is wanted is not in the pixels."""
RING = 0.012
"""How far around it is looked, of the long side."""
MOST = 4


@dataclass(frozen=True)
class Blob:
    """A bright blob at the border."""

    outline: Outline
    """Px of the picture that was looked at, from the middle of its upper left px."""
    side: str
    """"left", "right", "upper" or "lower": where it touches."""
    lightness: float
    contrast: float
    """L* above what lies round it."""
    share: float
    """Of the picture."""
    certainty: float
    path: tuple[tuple[float, float], ...] = ()
    """The outline in the frame, of its long side."""


def find_blobs(display: Image) -> tuple[Blob, ...]:
    """display: display-linear sRGB (height, width, 3) of the whole picture. The surest first."""
    height, width = display.shape[:2]
    L = sRGB_to_Lab(display.reshape(-1, 3))[:, 0].reshape(height, width).astype(np.float32)
    L = cv2.GaussianBlur(L, (0, 0), 0.8)
    rank = float(np.quantile(L, LEAST_RANK))
    best: dict[tuple[int, int], tuple[float, Blob]] = {}
    for lightness in LIGHTNESSES:
        count, labels, stats, _ = cv2.connectedComponentsWithStats((lightness < L).astype(np.uint8), connectivity=4)
        for n in range(1, count):
            x, y, w, h, area = (int(value) for value in stats[n])
            if not LEAST_SHARE < area / L.size < MOST_SHARE:
                continue
            blob = _blob(L, labels == n, (x, y, w, h), rank)
            if blob is None:
                continue
            # the same blob at a lower lightness holds its lightest px
            peak = np.unravel_index(int(np.argmax(np.where(labels == n, L, -1.0))), L.shape)
            key = int(peak[0]), int(peak[1])
            strength = blob.contrast * blob.certainty
            if key not in best or best[key][0] < strength:
                best[key] = strength, blob
    found = sorted((blob for _, blob in best.values()), key=lambda blob: -blob.certainty)
    kept: list[Blob] = []
    for blob in found:
        if not any(_overlap(blob, other) for other in kept):
            kept.append(blob)
    return tuple(kept[:MOST])


def _blob(L: NDArray[np.float32], mask: NDArray[np.bool_], box: tuple[int, int, int, int], rank: float) -> Blob | None:
    height, width = L.shape
    x, y, w, h = box
    touched = {"left": mask[:, 0].sum(), "right": mask[:, -1].sum(), "upper": mask[0].sum(), "lower": mask[-1].sum()}
    side = max(touched, key=lambda name: touched[name])
    if not touched[side]:
        return None
    reach = max(3, round(RING * max(height, width)))
    part = np.s_[max(0, y - 2 * reach) : y + h + 2 * reach, max(0, x - 2 * reach) : x + w + 2 * reach]
    inside = mask[part]
    near, far = (_grown(inside, n) for n in (2, 2 + reach))
    ring = far & ~near
    if not ring.any():
        return None
    level = float(np.median(L[mask]))
    around = L[part][ring]
    # as dark all the way round: a notch in a bright ground is none
    contrast = level - float(np.quantile(around, 0.92))
    if contrast < LEAST_CONTRAST or level < rank:
        return None
    # one pane of a window, or a sky through leaves, is a part of what is as light beside it
    beside = max(BESIDE * max(height, width), 1.5 * max(w, h))
    wide = np.s_[max(0, int(y - beside)) : int(y + h + beside) + 1, max(0, int(x - beside)) : int(x + w + beside) + 1]
    others = float(((L[wide] > level - 15.0) & ~_grown(mask[wide], 2)).sum()) / max(float(mask.sum()), 1.0)
    border = np.concatenate([L[0], L[-1], L[:, 0], L[:, -1]])
    own = np.concatenate([mask[0], mask[-1], mask[:, 0], mask[:, -1]])
    alike = float(((border > level - 10.0) & ~own).mean())
    solid = float(mask.sum()) / (w * h)
    certainty = (
        MOST_CERTAIN
        * min(1.0, contrast / (2.0 * LEAST_CONTRAST))
        * max(0.0, 1.0 - alike / MOST_ALIKE)
        * max(0.0, 1.0 - others / MOST_OTHERS)
        * min(1.0, solid / 0.5)
        # what is large at the border is seldom beside the point: a shoulder, a table
        * max(0.0, 1.0 - float(mask.mean()) / MOST_SHARE)
    )
    grown = _grown(np.pad(mask, 2), 2).astype(np.uint8)
    contours, _ = cv2.findContours(grown, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    outline = cv2.approxPolyDP(max(contours, key=cv2.contourArea), 0.8, True).reshape(-1, 2) - 2.0
    held = np.clip(outline, 0.0, (width - 1.0, height - 1.0))
    points = tuple((float(px), float(py)) for px, py in held)
    return Blob(points, side, level, contrast, float(mask.sum()) / L.size, certainty)


def _grown(mask: NDArray[np.bool_], px: int) -> NDArray[np.bool_]:
    """With all within a square of so many px about it."""
    return cv2.dilate(mask.astype(np.uint8), np.ones((2 * px + 1, 2 * px + 1), np.uint8)) > 0


def _overlap(one: Blob, other: Blob) -> bool:
    a, b = (_box(each.outline) for each in (one, other))
    return bool((a[0] < b[1]).all() and (b[0] < a[1]).all())


def _box(outline: Outline) -> tuple[Array, Array]:
    points = np.array(outline)
    return points.min(axis=0), points.max(axis=0)
