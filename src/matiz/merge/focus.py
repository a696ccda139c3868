"""Frames focused at different distances become one that is sharp wherever any of them is.

Each frame is laid on the reference, its breathing included. Which is sharpest is decided by the power of fine detail on
a scale on which noise is even, over small surroundings where there is detail and over larger ones where there is none.
They are put together band by band (Burt and Adelson 1983, "A multiresolution spline with application to image
mosaics"), so that no seam shows.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import log2

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Camera
from ..develop.frame.alignment import Alignment
from ..develop.frame.laid import Laid, places, remapped
from ..develop.frame.tiles import Size, level_size
from ..raw.frame import Frame, Merged
from ..raw.noise import noise_of
from .align import LIGHT
from .light import expected_light
from .stack import laid_together
from .together import OnProgress, prepared, report_progress

STRIP_ROWS = 256
LEVEL = 2
"""At which it is decided which frame is sharpest."""
FINE_PX, COARSE_PX = 0.7, 2.0
"""Between these spreads lies the detail that tells."""
AROUND_PX = ((1.5, 1.0), (5.0, 0.15), (20.0, 0.03), (60.0, 0.03))
"""At that level: over what surroundings, and how much each says."""
BANDS = 6
SOFT_PX = 1.0

Plane = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class FocusMerge:
    """The frame that was made, and how."""

    frame: Frame
    alignments: tuple[Alignment, ...]
    """Of every frame but the first, the reference, in their order."""
    shares: tuple[float, ...]
    """How much of the picture each gives."""
    whose: NDArray[np.uint8]
    """(height, width) at LEVEL: which frame gives most."""


def merge_focus(frames: Sequence[Frame], on_progress: OnProgress = lambda _share, _text: True) -> FocusMerge:
    """One frame of several raw ones of one view, focused differently; the first is the reference.

    on_progress: as for `bracket.merge_bracket`, likewise what is raised.
    """
    frames = prepared(frames, "focus")
    laid, gains, alignments = laid_together(
        frames, expected_light(frames), lambda share, text: on_progress(0.25 * share, text)
    )
    detail = []
    for n, each in enumerate(laid):
        report_progress(on_progress, 0.25 + 0.25 * n / len(laid), f"Finding where {frames[n].path.name} is sharp")
        detail.append(_detail(each, gains[n]))
    masks = _masks(detail)
    linear = _blended(laid, gains, masks, on_progress)
    reference = frames[0]
    record = Merged(
        "focus", tuple(frame.path.name for frame in frames), tuple(round(log2(gain), 3) for gain in gains),
        lies=tuple(each.numbers() for each in alignments),
    )  # fmt: skip
    merged = replace(reference, mosaic=None, linear=linear, orientation=1, noise_profile=(), merged=record)
    shares = tuple(float(mask.mean()) for mask in masks)
    return FocusMerge(merged, alignments, shares, np.argmax(masks, axis=0).astype(np.uint8))


def _detail(laid: Laid, gain: float) -> Plane:
    """The power of fine detail where the reference has it, (height, width) at LEVEL; -1 where the frame does not
    reach. It is looked at as the frame lies itself, so that resampling takes nothing of it."""
    size: Size = laid.sensor.frame.size
    width, height = level_size(size, LEVEL)
    out = np.empty((height, width), np.float32)
    margin, side = 8, 2**LEVEL
    noise = noise_of(laid.sensor.frame)
    weights = (LIGHT / laid.sensor.frame.colour.as_shot_neutral / gain).astype(np.float32)
    for top in range(0, height, STRIP_ROWS // side):
        rows = min(STRIP_ROWS // side, height - top)
        first, last = max(0, top * side - margin), min(size[1], (top + rows) * side + margin)
        light = laid.sensor.read(0, (0, first, size[0], last - first)) @ weights
        # noise is even on it, whatever the exposure
        even = np.sqrt(np.maximum(light + np.float32(noise.read**2 / noise.shot), 0.0))
        fine = cv2.GaussianBlur(even, (0, 0), FINE_PX) - cv2.GaussianBlur(even, (0, 0), COARSE_PX)
        inner = fine[top * side - first : top * side - first + rows * side, : width * side]
        out[top : top + rows] = cv2.resize(inner * inner, (width, rows), interpolation=cv2.INTER_AREA)
    if laid.alignment is None:
        return out
    at = places(laid.alignment, (0, 0, width, height), LEVEL)
    return remapped(out, at, cv2.INTER_LINEAR, cv2.BORDER_CONSTANT, -1.0)


def _masks(detail: Sequence[Plane]) -> Plane:
    """How much each frame gives, (frames, height, width); they sum to 1."""
    score = []
    for power in detail:
        own = sum(weight * cv2.GaussianBlur(np.maximum(power, 0.0), (0, 0), px) for px, weight in AROUND_PX)
        score.append(np.where(power < 0.0, -1.0, own))
    best = np.argmax(score, axis=0)
    hard = np.stack([(best == n).astype(np.float32) for n in range(len(detail))])
    # single px that differ from all round them are chance
    hard = np.stack([cv2.medianBlur(each, 5) for each in hard])
    hard[0] += hard.sum(axis=0) == 0.0
    soft = np.stack([cv2.GaussianBlur(each, (0, 0), SOFT_PX) for each in hard])
    return np.asarray(soft / soft.sum(axis=0), np.float32)


def _blended(laid: Sequence[Laid], gains: Sequence[float], masks: Plane, on_progress: OnProgress) -> Camera:
    """All frames as one, (height, width, 3), band by band."""
    width, height = laid[0].sensor.frame.size
    bands: list[Camera] = []
    for n, each in enumerate(laid):
        report_progress(on_progress, 0.5 + 0.5 * n / len(laid), "Merging")
        whole = np.empty((height, width, 3), np.float32)
        for top in range(0, height, STRIP_ROWS):
            rows = min(STRIP_ROWS, height - top)
            camera, _ = each.seen((0, top, width, rows))
            whole[top : top + rows] = camera / np.float32(gains[n])
        mask = cv2.resize(masks[n], (width, height), interpolation=cv2.INTER_LINEAR)
        _add(bands, whole, mask)
    out = bands.pop()
    while bands:
        finer = bands.pop()
        out = cv2.pyrUp(out, dstsize=(finer.shape[1], finer.shape[0]))
        out += finer
    return np.asarray(out, np.float32)


def _add(bands: list[Camera], image: Camera, mask: Plane) -> None:
    """Add a frame's bands, by as much as it gives, to those of the others."""
    is_first = not bands
    for band in range(BANDS):
        if band < BANDS - 1 and min(image.shape[:2]) >= 4:
            smaller = cv2.pyrDown(image)
            image -= cv2.pyrUp(smaller, dstsize=(image.shape[1], image.shape[0]))
        else:
            smaller = None
        image *= mask[..., None]
        if is_first:
            bands.append(image)
        else:
            bands[band] += image
        if smaller is None:
            break
        image, mask = smaller, cv2.pyrDown(mask)
