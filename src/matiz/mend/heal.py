"""Heal and clone: an area's pixels taken from elsewhere in the picture.

A healed area has the texture of its source and the tone of its own place. As in Perez, Gangnet, Blake, "Poisson Image
Editing", 2003, the source is put in together with a membrane over the difference at the border; but where theirs hangs
on the single pixels of the border, and so draws the noise of each inward, this one hangs on a band around the area and
is spanned by pull and push over ever larger pixels (Gortler, Grzeszczuk, Szeliski, Cohen, "The Lumigraph", 1996). It
works on square roots, in which the noise of light is as strong in lights as in darks.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.float32]
Region = tuple[int, int, int, int]
Point = tuple[float, float]
Take = Callable[[Region], Pixels]
"""Gives the camera values of a region of the frame, (height, width, 3)."""

BAND = 0.7
"""How wide the band around an area is, of its radius."""
LEAST_BAND_PX = 4.0
SEARCH = 7.0
"""How far a source is looked for, in radii."""
LOOK_PX = 7.0
"""Radius, in px, at which sources are compared."""
FAR = 0.02
"""What a radius of distance counts for."""
QUIET = 1e-5
"""Of square roots of camera values, squared: what is livelier than this is texture."""
RELAXED = 8
"""Times that each level of a membrane is relaxed."""
LIVELINESS = 2.0
"""What it counts for that a source is livelier or quieter than the place, against the difference of their
surroundings in units of the texture there."""
_NEIGHBOURS = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], np.float32) / 4.0


@dataclass(frozen=True)
class Area:
    """A spot, a stroke along a path, or all that an outline holds, with all within `radius` px of it; softened over
    `feather` px beyond."""

    path: tuple[Point, ...]
    """Px of the upright full-size frame."""
    radius: float
    feather: float
    is_outline: bool = False

    @property
    def band(self) -> float:
        return max(LEAST_BAND_PX, BAND * self.radius)

    def box(self, size: tuple[int, int], grid: int) -> Region:
        """The part of the frame that it touches with its band, on a grid of px where the frame has room."""
        reach = self.radius + self.feather + self.band + 2.0
        xs, ys = zip(*self.path, strict=True)
        left, right = _on_grid(min(xs) - reach, max(xs) + reach, size[0], grid)
        top, bottom = _on_grid(min(ys) - reach, max(ys) + reach, size[1], grid)
        return left, top, right - left, bottom - top

    def distance(self, box: Region) -> Pixels:
        """How far each px of a box lies from the path, (height, width)."""
        x, y, w, h = box
        line = np.ones((h, w), np.uint8)
        points = np.rint((np.array(self.path) - (x, y)) * 16.0).astype(np.int32)
        if len(self.path) == 1:
            across, down = np.meshgrid(np.arange(w) + x - self.path[0][0], np.arange(h) + y - self.path[0][1])
            return np.hypot(across, down).astype(np.float32)
        if self.is_outline:
            cv2.fillPoly(line, [points.reshape(-1, 1, 2)], 0, cv2.LINE_8, 4)
        cv2.polylines(line, [points.reshape(-1, 1, 2)], self.is_outline, 0, 1, cv2.LINE_8, 4)
        return np.asarray(cv2.distanceTransform(line, cv2.DIST_L2, cv2.DIST_MASK_PRECISE))

    def cover(self, box: Region) -> Pixels:
        """The share of each px that is repaired, (height, width)."""
        soft = max(self.feather, 1.0)
        t = np.clip((self.radius + soft - self.distance(box)) / soft, 0.0, 1.0)
        return np.asarray(t * t * (3.0 - 2.0 * t), np.float32)


def _on_grid(low: float, high: float, length: int, grid: int) -> tuple[int, int]:
    begin = max(0, int(np.floor(low / grid)) * grid)
    end = min(length, int(np.ceil(high / grid)) * grid)
    return min(begin, max(0, length - 1)), max(end, min(length, begin + 1))


def healed(take: Take, size: tuple[int, int], area: Area, offset: tuple[int, int], box: Region) -> Pixels:
    """The camera values (height, width, 3) of `box` with an area of it healed from `offset` px away."""
    here, there = take(box), _moved(take, size, box, offset)
    target, source = root_of(here), root_of(there)
    distance = area.distance(box)
    outside = distance > area.radius + area.feather
    band = outside & (distance <= area.radius + area.feather + area.band)
    if not band.any():
        return mixed(here, there, area.cover(box))
    made = source + spanned(target - source, band)
    return mixed(here, np.maximum(made, 0.0) ** 2 * np.sign(made), area.cover(box))


def texture_healed(
    take: Take, size: tuple[int, int], area: Area, offset: tuple[int, int], box: Region, detail_px: float
) -> Pixels:
    """The same with the texture of the source alone: what is coarser than a blur of detail_px stays as it is."""
    here, there = take(box), _moved(take, size, box, offset)
    target, source = root_of(here), root_of(there)
    made = base_of(target, detail_px) + source - base_of(source, detail_px)
    return mixed(here, from_root(made), area.cover(box))


def base_healed(take: Take, area: Area, box: Region, detail_px: float) -> Pixels:
    """The same with what is coarser than a blur of detail_px spanned from around the area: its own texture stays."""
    here = take(box)
    target = root_of(here)
    base, distance = base_of(target, detail_px), area.distance(box)
    inner = area.radius + area.feather
    band = (distance > inner) & (distance <= inner + area.band)
    if not band.any():
        return here
    made = spanned(base, band) + target - base
    return mixed(here, from_root(made), area.cover(box))


def base_of(root: Pixels, detail_px: float) -> Pixels:
    return np.asarray(cv2.GaussianBlur(root, (0, 0), detail_px), np.float32)


def cloned(take: Take, size: tuple[int, int], area: Area, offset: tuple[int, int], box: Region) -> Pixels:
    """The same with an area taken as it is from `offset` px away."""
    return mixed(take(box), _moved(take, size, box, offset), area.cover(box))


def mixed(here: Pixels, there: Pixels, cover: Pixels) -> Pixels:
    share = cover[..., None]
    return np.where(share > 0.0, here + share * (there - here), here).astype(np.float32)


def from_root(root: Pixels) -> Pixels:
    return np.asarray(np.maximum(root, 0.0) ** 2, np.float32)


def root_of(values: Pixels) -> Pixels:
    return np.sqrt(np.maximum(values, 0.0))


def _moved(take: Take, size: tuple[int, int], box: Region, offset: tuple[int, int]) -> Pixels:
    """The pixels `offset` away from a box; mirrored where the frame ends."""
    x, y, w, h = box
    columns = _mirrored(np.arange(x + offset[0], x + offset[0] + w), size[0])
    rows = _mirrored(np.arange(y + offset[1], y + offset[1] + h), size[1])
    left, top = int(columns.min()), int(rows.min())
    part = take((left, top, int(columns.max()) - left + 1, int(rows.max()) - top + 1))
    return np.ascontiguousarray(part[rows - top][:, columns - left])


def _mirrored(at: NDArray[np.int64], length: int) -> NDArray[np.int64]:
    folded = np.mod(at, 2 * length)
    return np.where(folded < length, folded, 2 * length - 1 - folded)


def spanned(values: Pixels, known: NDArray[np.bool_]) -> Pixels:
    """Values (height, width, channels) where they are known, and a smooth membrane over all other pixels."""
    weight = known.astype(np.float32)[..., None]
    return _pulled(values * weight, weight)


def _pulled(total: Pixels, weight: Pixels) -> Pixels:
    """Weighted values as a full picture: what is missing comes from a coarser one."""
    height, width = weight.shape[:2]
    if min(height, width) < 2:
        mean = total.sum(axis=(0, 1)) / max(float(weight.sum()), 1e-9)
        return np.broadcast_to(mean, total.shape).astype(np.float32)
    half = ((width + 1) // 2, (height + 1) // 2)
    padded = [np.pad(each, ((0, 2 * half[1] - height), (0, 2 * half[0] - width), (0, 0))) for each in (total, weight)]
    small = [each.reshape(half[1], 2, half[0], 2, -1).sum(axis=(1, 3)) for each in padded]
    # a coarse pixel is as sure as four fine ones at most
    most = np.minimum(small[1], 1.0)
    coarse = _pulled(small[0] * (most / np.maximum(small[1], 1e-9)), most)
    grown = cv2.resize(coarse, (2 * half[0], 2 * half[1]), interpolation=cv2.INTER_LINEAR)
    grown = grown.reshape(2 * half[1], 2 * half[0], -1)[:height, :width]
    sure = np.minimum(weight, 1.0)
    known = total * (sure / np.maximum(weight, 1e-9))
    made = np.asarray(known + (1.0 - sure) * grown, np.float32)
    # relaxed towards the mean of its neighbours, as a membrane lies
    for _ in range(RELAXED):
        around = cv2.filter2D(made, -1, _NEIGHBOURS, borderType=cv2.BORDER_REPLICATE).reshape(made.shape)
        made = known + (1.0 - sure) * around
    return made


def proposed(take: Take, size: tuple[int, int], area: Area, avoid: Sequence[Area] = ()) -> tuple[int, int]:
    """The offset in px of the source whose surroundings are most like those of the area, and no livelier within.

    Compared at a size at which the area's radius is LOOK_PX px. Sources reach neither beyond the frame nor into the
    area itself or those to `avoid`.
    """
    x, y, w, h = area.box(size, 1)
    reach = SEARCH * (area.radius + area.feather) + max(w, h) / 2.0
    left, top = max(0, int(x - reach)), max(0, int(y - reach))
    window = (left, top, min(size[0], int(x + w + reach)) - left, min(size[1], int(y + h + reach)) - top)
    step = max(1, round((area.radius + area.feather) / LOOK_PX))
    seen = root_of(take(window))
    small = cv2.resize(seen, (max(1, window[2] // step), max(1, window[3] // step)), interpolation=cv2.INTER_AREA)
    part_x, part_y = (x - left) // step, (y - top) // step
    part_w, part_h = min(w // step, small.shape[1] - part_x), min(h // step, small.shape[0] - part_y)
    if part_w < 3 or part_h < 3 or small.shape[1] <= part_w or small.shape[0] <= part_h:
        return _fallback(size, area)
    box = (x, y, part_w * step, part_h * step)
    distance = cv2.resize(area.distance(box), (part_w, part_h), interpolation=cv2.INTER_AREA)
    inner = area.radius + area.feather
    ring = ((distance > inner) & (distance < inner + 1.3 * area.band)).astype(np.float32)
    inside = (distance <= inner).astype(np.float32)
    # the fault itself must not count as texture round it
    part = small[part_y : part_y + part_h, part_x : part_x + part_w]
    part[...] = spanned(part, distance > inner)
    fine = small - cv2.GaussianBlur(small, (0, 0), 0.5 * LOOK_PX)
    unlike = _unlike(small, np.ascontiguousarray(small[part_y : part_y + part_h, part_x : part_x + part_w]), ring)
    lively = (fine * fine).sum(axis=2)
    usual = float((lively[part_y : part_y + part_h, part_x : part_x + part_w] * ring).sum() / max(ring.sum(), 1.0))
    within = cv2.matchTemplate(lively, inside, cv2.TM_CCORR) / max(float(inside.sum()), 1.0)
    rows, columns = np.mgrid[0 : unlike.shape[0], 0 : unlike.shape[1]]
    far = np.hypot(columns - part_x, rows - part_y) / LOOK_PX
    around = cv2.matchTemplate(lively, ring, cv2.TM_CCORR) / max(float(ring.sum()), 1.0)
    # a smooth place is always less unlike a lively one than another lively one is: liveliness must be alike too
    floor = usual + QUIET
    alike = sum(np.log((np.maximum(each, 0.0) + QUIET) / floor) ** 2 for each in (within, around))
    score = np.log1p(unlike / floor) + LIVELINESS * alike + FAR * far
    taken = np.zeros(small.shape[:2], np.float32)
    for other in (area, *avoid):
        cover = other.distance(window) <= other.radius + other.feather + 1.0
        taken = np.maximum(taken, cv2.resize(cover.astype(np.float32), taken.shape[::-1], interpolation=cv2.INTER_AREA))
    touched = cv2.matchTemplate(np.minimum(taken * 8.0, 1.0), inside, cv2.TM_CCORR)
    score = np.where(touched > 0.5, np.inf, score)
    if not np.isfinite(score).any():
        return _fallback(size, area)
    row, column = np.unravel_index(int(np.argmin(score)), score.shape)
    return (int(column) - part_x) * step, (int(row) - part_y) * step


def _unlike(picture: Pixels, template: Pixels, mask: Pixels) -> Pixels:
    """Mean square difference of a template (height, width, 3) under a mask at every place, but for a difference of
    tone: that is the place's own."""
    count = max(float(mask.sum()), 1.0)
    square = cv2.matchTemplate(picture, template, cv2.TM_SQDIFF, mask=np.dstack([mask] * 3)) / count
    means = [
        cv2.matchTemplate(np.ascontiguousarray(picture[..., n]), mask, cv2.TM_CCORR) / count
        - float((template[..., n] * mask).sum()) / count
        for n in range(3)
    ]
    return np.maximum(square - sum(mean * mean for mean in means), 0.0)


def _fallback(size: tuple[int, int], area: Area) -> tuple[int, int]:
    """Beside the area, on the side with more room."""
    xs = [point[0] for point in area.path]
    width = max(xs) - min(xs) + 2.0 * (area.radius + area.feather) + 2.0
    return (int(width) if sum(xs) / len(xs) < size[0] / 2.0 else -int(width)), 0
