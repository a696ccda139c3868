"""What a picture stored in 8 bits still allows: blocks of its compression, gaps in its tones, how far its darks
can be lifted before either is seen."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import REC2020_TO_SRGB, decode_sRGB, encode_sRGB, lightness
from ...colour.types import Array, Image
from ...raw.frame import Frame

BLOCK_PX = 8
"""Side of a JPEG block (ITU-T T.81, 1992)."""
MOST_PIXELS = 4_000_000
EDGE_CODES = 12.0
"""Steps larger than this belong to the picture, not to its blocks."""
DARK_SHARE, FIRST_CODE = 0.1, 2.0
"""The tone that is looked at: darker is this share of the picture, but for what is black."""
SEEN_L = 1.0
"""A step of lightness that is seen in a smooth area. Common practice, no source."""
MOST_LIFT_EV = 4.0
ON_CODES = 0.9


@dataclass(frozen=True)
class StoredReading:
    """Readings of a picture in 8 bits."""

    blockiness: float
    """How much larger steps at the borders of blocks are than within them, over the latter: 0 for none."""
    gaps: float
    """Share of the 8-bit values in the picture's range that never occur, 0..1."""
    safe_lift_EV: float
    """How far the darks can be lifted before single steps of their stored values are seen."""


def read_stored(frame: Frame) -> StoredReading | None:
    """None for raw files and for pictures of more than 8 bits."""
    if frame.linear is None:
        return None
    codes = _codes(frame.linear)
    is_jpeg = frame.path.suffix.lower() in (".jpg", ".jpeg")
    if not is_jpeg and float((np.abs(codes - np.rint(codes)) < 0.02).mean()) < ON_CODES:
        return None
    blocks, edge = _blockiness(codes) if is_jpeg else (0.0, 0.0)
    return StoredReading(blocks, _gaps(codes), _safe_lift(codes, edge))


def _codes(linear: Image) -> Array:
    """Encoded green, 0..255, of a part of the picture whose corner lies on a block's."""
    height, width = linear.shape[:2]
    rows = min(height, max(BLOCK_PX * 4, MOST_PIXELS // width // BLOCK_PX * BLOCK_PX))
    top = (height - rows) // 2 // BLOCK_PX * BLOCK_PX
    part = linear[top : top + rows].astype(np.float64) @ REC2020_TO_SRGB[1]
    return np.asarray(encode_sRGB(np.clip(part, 0.0, 1.0)) * 255.0)


def _blockiness(codes: Array) -> tuple[float, float]:
    """See StoredReading.blockiness, and by how many codes the steps at the borders are larger.

    The mean step between neighbours at every eighth place against the other seven, of the phase where that is
    largest: a picture that was cropped has its blocks elsewhere.
    """
    excess, inner = [], []
    for axis in (0, 1):
        steps = np.abs(np.diff(codes, axis=axis))
        means = np.where(steps < EDGE_CODES, steps, 0.0).mean(axis=1 - axis)
        phases = np.array([means[phase::BLOCK_PX].mean() for phase in range(BLOCK_PX)])
        border = int(np.argmax(phases))
        others = float(np.delete(phases, border).mean())
        excess.append(float(phases[border]) - others)
        inner.append(others)
    return float(np.mean(excess) / max(float(np.mean(inner)), 0.05)), float(np.mean(excess))


def _gaps(codes: Array) -> float:
    low, high = (int(np.quantile(codes, q)) for q in (0.01, 0.99))
    return float((~_used(codes)[low : high + 1]).mean())


def _used(codes: Array) -> NDArray[np.bool_]:
    """Which of the values 0..255 occur."""
    return np.asarray(np.bincount(np.rint(codes).astype(np.int64).ravel(), minlength=256) > 0)


def _safe_lift(codes: Array, edge: float) -> float:
    """The largest lift under which one step of the dark tones, and an edge of their blocks, stays unseen."""
    seen = codes[codes >= FIRST_CODE]
    if not seen.size:
        return 0.0
    code = max(float(np.quantile(seen, DARK_SHARE)), FIRST_CODE)
    lifts = np.arange(0.0, MOST_LIFT_EV + 0.01, 0.05)
    above = np.flatnonzero(_used(codes)[int(code) + 1 :])
    step = float(above[0]) + 1.0 if above.size else 1.0
    linear = decode_sRGB(np.array([code, code + max(step, edge)]) / 255.0)
    shown = lightness(np.minimum(linear[:, None] * 2.0**lifts, 1.0))
    too_far = np.flatnonzero(shown[1] - shown[0] > SEEN_L)
    return float(lifts[max(int(too_far[0]) - 1, 0)]) if too_far.size else MOST_LIFT_EV
