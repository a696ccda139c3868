"""What moved from frame to frame, and which frame it is taken from.

Frames are compared a few px at a time, where noise is small: what differs from the reference by more than noise, than
what an edge allows that is not laid quite on itself, and than a share of its light, has moved. Each place that did is
taken from one frame alone, so that nothing is there twice.
"""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Camera
from ..develop.frame.laid import Laid, highest_within, places, remapped
from ..develop.frame.sensor import Sensor
from ..develop.frame.tiles import Region, level_size
from ..raw.noise import Noise, noise_of

LEVEL = 2
"""That is compared."""
NOISES, SHARE, OF_EDGE = 4.5, 0.06, 0.5
"""How many times its noise, what share of its light and of the steps round it a place must differ by."""
FULL, OVER = 0.9, 0.75
"""Of white: from where a value says only "at least"; and what such a place must have elsewhere, of what it says."""
LEAST_PX, GROWN_PX, SOFT_PX = 12, 4, 1.5
"""Of a place at that level: how many px it must have, by how much it is grown, and over what it fades."""
MOST_CUT = 0.02
"""Of a place: as much as may be cut off in a frame for it to be taken from there."""
MOST_TOLD = 5
NOBODY = -1

Plane = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Moved:
    """Where things moved."""

    owner: NDArray[np.int8]
    """(height, width) at LEVEL: which frame a place is taken from, NOBODY where nothing moved."""
    shares: Plane
    """(frames, height, width) 0..1: how much each frame may give."""
    areas: tuple[Region, ...] = ()
    """The largest, px of the full size."""

    @property
    def share(self) -> float:
        """Of the picture."""
        return float((self.owner != NOBODY).mean())

    def over(self, frame: int, area: Region) -> Plane | float:
        """How much a frame may give over an area of the full size, (height, width), or over all of it."""
        scale = 2**LEVEL
        x, y, w, h = area
        own = self.shares[frame]
        around = own[max(0, y // scale - 1) : (y + h) // scale + 2, max(0, x // scale - 1) : (x + w) // scale + 2]
        if around.size == 0 or around.min() >= 1.0:
            return 1.0
        at_y = np.clip((np.arange(y, y + h) + 0.5) / scale - 0.5, 0, own.shape[0] - 1)
        at_x = np.clip((np.arange(x, x + w) + 0.5) / scale - 0.5, 0, own.shape[1] - 1)
        to = np.stack(np.meshgrid(at_x, at_y), axis=-1).astype(np.float32)
        return remapped(own, to, cv2.INTER_LINEAR, cv2.BORDER_REPLICATE)


@dataclass(frozen=True, eq=False)
class _Seen:
    """A frame at LEVEL as it lies on the reference, in the reference's light."""

    light: Camera
    noise: Camera
    """Variance."""
    cut: NDArray[np.bool_]
    """Where it is full, or may be."""
    brightest: Plane
    """Light of anything round a px."""
    known: NDArray[np.bool_]
    """Where it reaches."""
    limit: float
    """The light that fills it."""


def find_moved(frames: Sequence[Laid], gains: Sequence[float]) -> Moved:
    """What moved among frames. The first is the reference; gains: how much more light each got."""
    size = level_size(frames[0].sensor.frame.size, LEVEL)
    with ThreadPoolExecutor(2) as pool:
        seen = list(pool.map(_seen, frames, gains))
    away = np.zeros((size[1], size[0]), np.uint8)
    for other in seen[1:]:
        away |= _differs(seen[0], other)
    away = cv2.morphologyEx(away, cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(away, connectivity=8)
    kept = np.flatnonzero(stats[:, cv2.CC_STAT_AREA] >= LEAST_PX)
    kept = kept[kept > 0]
    away = np.isin(labels, kept).astype(np.uint8)
    if count <= 1 or not len(kept):
        return Moved(np.full((size[1], size[0]), NOBODY, np.int8), np.ones((len(seen), size[1], size[0]), np.float32))
    grown = cv2.dilate(away, np.ones((2 * GROWN_PX + 1, 2 * GROWN_PX + 1), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(grown, connectivity=8)
    owner = np.full(grown.shape, NOBODY, np.int8)
    cut = np.array([
        np.bincount(labels.ravel(), each.cut.ravel().astype(np.float64), count) for each in seen
    ])  # fmt: skip
    by_light = sorted(range(len(seen)), key=lambda n: (n != 0, -gains[n]))
    for n in range(1, count):
        whole = [k for k in by_light if cut[k, n] <= MOST_CUT * stats[n, cv2.CC_STAT_AREA]]
        owner[labels == n] = whole[0] if whole else int(np.argmin(cut[:, n]))
    shares = np.stack([((owner == NOBODY) | (owner == k)).astype(np.float32) for k in range(len(seen))])
    shares = np.stack([cv2.GaussianBlur(each, (0, 0), SOFT_PX) for each in shares])
    order = sorted(range(1, count), key=lambda n: -stats[n, cv2.CC_STAT_AREA])[:MOST_TOLD]
    scale = 2**LEVEL
    areas = tuple(tuple(int(v) * scale for v in stats[n, : cv2.CC_STAT_AREA]) for n in order)
    return Moved(owner, np.ascontiguousarray(shares, np.float32), areas)  # type: ignore[arg-type]


def _seen(laid: Laid, gain: float) -> _Seen:
    sensor = Sensor(laid.sensor.frame)  # its levels go with it
    whole = (0, 0, *level_size(sensor.frame.size, LEVEL))
    camera = np.asarray(sensor.read(LEVEL, whole), np.float32)
    highest = highest_within(sensor.frame, LEVEL)
    known: NDArray[np.bool_] = np.ones((whole[3], whole[2]), bool)
    if laid.alignment is not None:
        at = places(laid.alignment, whole, LEVEL)
        camera = remapped(camera, at, cv2.INTER_LINEAR, cv2.BORDER_REPLICATE)
        highest = remapped(highest, at, cv2.INTER_LINEAR, cv2.BORDER_REPLICATE)
        known = np.asarray(((at > 2.0) & (at < np.array([whole[2], whole[3]], np.float32) - 3.0)).all(axis=2))
    calm = cv2.blur(camera, (3, 3)) / np.float32(gain)
    noise = _mean_noise(noise_of(sensor.frame), camera) / np.float32(gain * gain)
    full = np.asarray(cv2.dilate(highest, np.ones((3, 3), np.uint8)) >= FULL)
    brightest = cv2.dilate(highest, np.ones((5, 5), np.uint8)) / np.float32(gain)
    return _Seen(calm, noise, full, brightest, known, 1.0 / gain)


def _mean_noise(noise: Noise, camera: Camera) -> Camera:
    """Variance of means of 3x3 px of the level; each is one of photosites of a colour in a 4x4 block."""
    of_one = noise.variance(cv2.blur(camera, (3, 3)))
    return np.asarray(of_one / (4.0 * 9.0), np.float32)


def _differs(own: _Seen, other: _Seen) -> NDArray[np.uint8]:
    """(height, width), 1 where the other shows something else."""
    difference = np.abs(own.light - other.light)
    around = np.ones((5, 5), np.uint8)
    steps = cv2.dilate(own.light, around) - cv2.erode(own.light, around)
    allowed = NOISES * np.sqrt(own.noise + other.noise) + SHARE * np.maximum(own.light, 0.0) + OF_EDGE * steps
    away = (difference > allowed).any(axis=2)
    both_known = ~own.cut & ~other.cut
    # what is cut off says "at least"
    too_dark = own.cut & ~other.cut & (other.brightest < OVER * FULL * own.limit)
    not_full = other.cut & ~own.cut & (own.brightest < OVER * FULL * other.limit)
    return (((away & both_known) | too_dark | not_full) & other.known).astype(np.uint8)
