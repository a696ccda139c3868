"""Patches that are clipped, whether they are sources of light or things, and those that are shown black."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import decode_sRGB
from ...colour.types import Camera, Display, SceneLinear
from ...develop.frame.tiles import Region

CLIP_MARGIN = 0.005
"""Share of the range below the white level that still counts as full."""
PATCH_LEAST_SHARE = 2e-5
MOST_PATCHES = 20
BLACK_CODE, BLACK_LEAST_SHARE = 2.0, 2e-4
"""Of 255, in every channel: what prints as solid black (common practice, no source); and of the picture."""
RING_INNER, RING_OUTER = 0.004, 0.012
"""Of the long side: where the surroundings of a patch begin and end."""
SOURCE_EV, ALONE_EV = 0.8, 3.4
"""How much darker than full the surroundings of a source are: the darker quarter of them where all channels
are full in it, the median where they are not. A lit thing is clipped where it is brightest, in a channel or
two, and dims gradually from there; a source lies far above what it lights, and ends at its edge."""
ALL_FULL = 0.1
"""Of a patch, with every channel full."""


@dataclass(frozen=True)
class PatchBox:
    """Round a connected area; px of the upright full-size picture."""

    x: int
    y: int
    w: int
    h: int
    share: float
    """Of the picture that the area itself takes, 0..1."""

    @property
    def area(self) -> Region:
        return self.x, self.y, self.w, self.h


@dataclass(frozen=True)
class ClippedPatch(PatchBox):
    """An area in which raw channels are full."""

    channels: str
    """Those clipped in most of it, of "rgb"."""
    kind: str = "thing"
    """"source" (sun, lamp, window, or its mirror image) or "thing"."""
    rebuildable: bool = False
    """Whether some channel is left to rebuild the others from."""


@dataclass(frozen=True)
class FullReading:
    """Where the raw data are full; px of the upright full-size picture."""

    patches: tuple[ClippedPatch, ...]
    rebuilt: float
    """Share of the picture in which some raw channels are full and rebuilt from the others."""

    def gain(self, n: int, before: SceneLinear, after: SceneLinear, step: int) -> float:
        """How much brighter the lights of a patch are in one small picture than in another; step: full-size px per
        px of them."""
        patch = self.patches[n]
        height, width = before.shape[:2]
        x, y = min(patch.x // step, width - 1), min(patch.y // step, height - 1)
        part = np.s_[y : y + max(1, patch.h // step), x : x + max(1, patch.w // step)]
        low, high = (float(np.quantile(picture[part].max(axis=2), 0.9)) for picture in (before, after))
        return high / low if low > 0 else 1.0


def read_full(camera: Camera, step: int) -> FullReading:
    """camera: upright camera values at a level, full = 1. step: full-size px per px of it."""
    return FullReading(clipped_patches(camera, step), rebuilt_share(camera))


def is_full(camera: Camera) -> NDArray[np.bool_]:
    """Where a channel of camera values (height, width, 3) is full."""
    return camera >= 1.0 - 2 * CLIP_MARGIN


def rebuilt_share(camera: Camera) -> float:
    """Share of camera values (height, width, 3) with one or two channels full, but not all."""
    red, green, blue = _planes(is_full(camera))
    return float(((red | green | blue) & ~(red & green & blue)).mean())


def clipped_patches(camera: Camera, step: int) -> tuple[ClippedPatch, ...]:
    """Areas of full channels, largest first.

    camera: upright camera values at a level, full = 1. step: full-size px per px of it.
    """
    full = _planes(is_full(camera))
    lost, any_channel = full[0] & full[1] & full[2], (full[0] | full[1] | full[2]).astype(np.uint8)
    brightness = np.maximum(np.maximum(camera[..., 0], camera[..., 1]), camera[..., 2])
    # specks of one highlight belong together
    joined = cv2.dilate(any_channel, np.ones((5, 5), np.uint8))
    count, labels, boxes, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    if count == 1:
        return ()
    per_channel = [np.bincount(labels[plane], minlength=count) for plane in full]
    areas = np.bincount(labels[any_channel > 0], minlength=count)
    areas[0] = 0
    patches = []
    for label in np.argsort(areas)[::-1][:MOST_PATCHES]:
        share = areas[label] / any_channel.size
        if share < PATCH_LEAST_SHARE:
            break
        x, y, w, h = (int(v) * step for v in boxes[label, :4])
        channels = "".join(n for n, counts in zip("rgb", per_channel, strict=True) if counts[label] > areas[label] / 2)
        channels = channels or "rgb"[int(np.argmax([counts[label] for counts in per_channel]))]
        kind = "source" if _is_source(labels, int(label), boxes[label], brightness, lost) else "thing"
        patches.append(ClippedPatch(x, y, w, h, float(share), channels, kind=kind, rebuildable=len(channels) < 3))
    return tuple(patches)


def _planes(flags: NDArray[np.bool_]) -> list[NDArray[np.bool_]]:
    """The channels one by one: NumPy is many times slower along an axis of three."""
    return [np.ascontiguousarray(flags[..., channel]) for channel in range(3)]


def black_patches(display: Display, step: int) -> tuple[float, tuple[PatchBox, ...]]:
    """The share of a picture that is shown black, and its areas, the largest first.

    display: linear sRGB (height, width, 3) at a level. step: full-size px per px of it.
    """
    red, green, blue = _planes(display <= float(decode_sRGB(BLACK_CODE / 255.0)))
    black = (red & green & blue).astype(np.uint8)
    joined = cv2.dilate(black, np.ones((3, 3), np.uint8))
    count, labels, boxes, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    areas = np.bincount(labels.ravel(), weights=black.ravel(), minlength=count) / black.size
    areas[0] = 0.0
    found = []
    for label in np.argsort(areas)[::-1][:MOST_PATCHES]:
        if areas[label] < BLACK_LEAST_SHARE:
            break
        x, y, w, h = (int(v) * step for v in boxes[label, :4])
        found.append(PatchBox(x, y, w, h, float(areas[label])))
    return float(black.mean()), tuple(found)


def _is_source(
    labels: NDArray[np.int32],
    label: int,
    box: NDArray[np.int32],
    brightness: NDArray[np.float32],
    lost: NDArray[np.bool_],
) -> bool:
    """Whether the surroundings of a patch are so much darker that it must shine by itself, or mirror what does.

    labels: (height, width), `label` where the patch is. box: x, y, w, h, area.
    brightness: largest camera value of each pixel, full = 1.
    lost: where every channel is full.
    """
    inner, outer = (max(2, round(share * max(labels.shape))) for share in (RING_INNER, RING_OUTER))
    outer = max(outer, inner + 2)
    x, y, w, h = (int(v) for v in box[:4])
    part = np.s_[max(0, y - outer) : y + h + outer, max(0, x - outer) : x + w + outer]
    patch = labels[part] == label
    here = patch.astype(np.uint8)
    near = cv2.dilate(here, np.ones((2 * inner + 1,) * 2, np.uint8))
    far = cv2.dilate(here, np.ones((2 * outer + 1,) * 2, np.uint8))
    ring = brightness[part][(far > 0) & (near == 0)]
    if ring.size < 8:
        return False
    clipped = patch & (brightness[part] >= 1.0 - 2 * CLIP_MARGIN)
    if float(lost[part][clipped].mean()) > ALL_FULL:
        return float(np.quantile(ring, 0.25)) < 2.0**-SOURCE_EV
    return float(np.median(ring)) < 2.0**-ALONE_EV
