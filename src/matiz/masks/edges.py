"""Masks made exact along their edges by a small network of our own: hair, fur, feathers, twigs.

It is shown a picture, a rough mask of it and what the colours on its two sides say (`hints`), and tells what share of
each px the mask's thing has. `tools/edges` taught it on things that were made, so that their shares are known, in front
of parts of photographs; a U-Net after Ronneberger, Fischer and Brox 2015. What is rough may be what was found in a
small picture, or what this network made of a picture of half the size: so a mask is made exact from size to size (as
Cheng and others 2020, "CascadePSP", do).
"""

from functools import lru_cache
from importlib.resources import files
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from . import runtime
from .cut import Share
from .hints import Planes, hints
from .matting import SURE, known_and_unsure

Colours = NDArray[np.float32]

VAGUE_PX = 9
"""Half of what an edge is wide at most."""
LEAST_APART, FULL_APART, NEAR_APART = 0.40, 0.60, 61
"""How far apart the colours of the two sides are where the network begins to be heard, and is in full; over how many px
that is looked at."""
STEP = 32
"""Sides of what it is shown are multiples of it."""
AROUND_PX = 48
"""What it sees around the edges that it is asked about: all that is near has a say in what belongs to what."""
PATH = "assets/models/edges/edges.onnx"


def can_be_exact() -> bool:
    """Whether what runs the network is there."""
    return _network() is not None


def exact(share: Share, picture: Colours, plain: Share, near_px: float, deep_px: float) -> Share:
    """A mask (height, width) 0..1 that follows the edges of `picture` (height, width, 3), encoded 0..1.

    plain: what it is where the colours of its two sides are alike, or the rough mask is unsure over more than an edge.
    near_px, deep_px: how far outside and inside of the rough edge the true one may lie, at least 1. Farther from it the
    mask is 0 or 1. It looks `looks_px` far. Without what runs the network it is `plain`.
    """
    solid, unsure = known_and_unsure(share)
    rows, columns = np.flatnonzero(unsure.any(axis=1)), np.flatnonzero(unsure.any(axis=0))
    network = _network()
    if network is None:
        return plain
    if not rows.size:
        return solid
    margin = round(max(near_px, deep_px)) + AROUND_PX
    part = tuple(slice(max(0, used[0] - margin), used[-1] + 1 + margin) for used in (rows, columns))
    coarse, base = share[part], solid[part]
    rim = np.where(base > 0.5, _around(unsure[part], deep_px), _around(unsure[part], near_px))
    planes = shown(picture[part], coarse)
    answer = np.clip((_asked(network, planes) - SURE) / (1.0 - 2.0 * SURE), 0.0, 1.0)
    made = base + rim * (answer - base)
    trusted = _colour_separation(planes) * (1.0 - _vague(unsure[part]))
    solid[part] = plain[part] + trusted * (made - plain[part])
    return np.clip(solid, 0.0, 1.0)


def _colour_separation(planes: Planes) -> Share:
    """How far the two sides differ in colour, 0..1: an animal like its rock ends where it was found to."""
    apart = cv2.blur(np.maximum(planes[..., 6], planes[..., 10]), (NEAR_APART, NEAR_APART))
    return np.asarray(np.clip((apart - LEAST_APART) / (FULL_APART - LEAST_APART), 0.0, 1.0), np.float32)


def _vague(unsure: NDArray[np.bool_]) -> Share:
    """Where a rough mask is unsure over more than an edge, 0..1: that is not for a look at edges to decide."""
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * VAGUE_PX + 1, 2 * VAGUE_PX + 1))
    wide = cv2.morphologyEx(unsure.astype(np.uint8), cv2.MORPH_OPEN, disc)
    return np.asarray(cv2.blur(wide.astype(np.float32), (VAGUE_PX, VAGUE_PX)), np.float32)


def _around(where: NDArray[np.bool_], reach_px: float) -> Share:
    """1 there and near it, fading out over the last third of the reach."""
    side = 2 * round(reach_px) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    return np.asarray(cv2.blur(cv2.dilate(where.astype(np.float32), disc), (side // 3 | 1, side // 3 | 1)), np.float32)


def looks_px(near_px: float) -> int:
    """How far a place of a mask looks around itself."""
    return round(near_px) + AROUND_PX + STEP


def shown(picture: Colours, share: Share) -> Planes:
    """What the network is shown (height, width, 4 + COUNT)."""
    return np.concatenate([np.dstack([picture, share]) - np.float32(0.5), hints(picture, share)], axis=2)


def _asked(network: Any, planes: Planes) -> Share:
    """In steps of whole sides, the last px repeated beyond them."""
    height, width = planes.shape[:2]
    planes = np.pad(planes, ((0, -height % STEP), (0, -width % STEP), (0, 0)), mode="edge")
    return runtime.answer(network, planes.transpose(2, 0, 1))[0, 0, :height, :width]


@lru_cache(maxsize=1)
def _network() -> Any:
    try:
        import onnxruntime  # noqa: F401
    except ImportError:
        return None
    return runtime.session((files("matiz") / PATH).read_bytes())
