"""Fill: an area rebuilt from the rest of the picture.

Every small patch that reaches into the area is to look like some patch outside it, from the coarsest size to the
finest (Wexler, Shechtman, Irani, "Space-time completion of video", 2007), found by spreading good matches to their
neighbours (Barnes, Shechtman, Finkelstein, Goldman, "PatchMatch", 2009), with the liveliness of texture as a channel of
its own (Newson, Almansa, Fradet, Gousseau, Perez, "Video inpainting of complex scenes", 2014). At the finest size
pixels are copied, not averaged, so that noise and texture stay what they are; only their broad tone is that of the
averages, which has no seams.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Cancelled
from ..kernels.matching import REACH, patch_distances, patch_votes
from .heal import Area, Pixels, Region, Take, mixed, spanned

Mask = NDArray[np.bool_]
Go = Callable[[float], bool]
"""Hears the share done and returns False to stop."""

AROUND = 1.0
"""How far the picture is looked at around an area, of its longer side."""
LEAST_AROUND_PX = 48
COARSEST_PX = 4.0
"""How far the middle of an area lies from its border at the coarsest size."""
MOST_PX = 2500 * 2500
"""Of the picture that is looked at, at full size."""
TURNS = (12, 8, 6, 4, 3)
"""Times that patches are sought and laid over each other, from the coarsest size on."""
PASSES = 3
"""Times that they are sought in between."""
SOUGHT_PX = 40_000
"""Of a larger area patches are only moved into place: where they come from was found at half the size."""
LIVELY = 1.5
"""What liveliness counts for against a channel of colour."""
TRUST = 1.3
"""How many times as much a patch counts that lies a px nearer to what is known (Wexler 2007)."""
MOST_DEEP = 40.0
SURE = 0.75
"""The share of patches that are taken for good ones."""
GUESS_PX = 8
"""From how far around the first guess of an area comes."""
SEAM_PX = 6.0
"""What is broader than this has the tone of the averages."""
_BESIDE = np.array([[1, 0], [-1, 0], [0, 1], [0, -1]], np.int32)


def filled(
    take: Take, size: tuple[int, int], area: Area, box: Region, *, turn: int = 0, go: Go | None = None
) -> Pixels:
    """The camera values (height, width, 3) of `box` with an area of it rebuilt.

    take: gives regions of the frame of `size`. turn: which of the possible fillings. go: hears the share done; raises
    Cancelled when it says False.
    """
    window = looked_at(box, size)
    picture = take(window)
    cover = area.cover(window)
    left, top = box[0] - window[0], box[1] - window[1]
    part = np.s_[top : top + box[3], left : left + box[2]]
    made = _rebuilt(picture, cover > 0.0, turn, go or (lambda _: True))
    return mixed(picture[part], made[part], cover[part])


def looked_at(box: Region, size: tuple[int, int]) -> Region:
    """What a fill of a box looks at: the box and what lies around it."""
    x, y, w, h = box
    around = max(LEAST_AROUND_PX, round(AROUND * max(w, h)))
    room = max(0.0, MOST_PX / (w * h)) ** 0.5
    around = max(LEAST_AROUND_PX, min(around, round((room - 1.0) * min(w, h) / 2.0)))
    left, top = max(0, x - around), max(0, y - around)
    return left, top, min(size[0], x + w + around) - left, min(size[1], y + h + around) - top


def _rebuilt(picture: Pixels, inside: Mask, turn: int, go: Go) -> Pixels:
    root = np.sqrt(np.maximum(picture, 0.0))
    known = ~inside
    if not known.any():
        return picture
    plain = _guessed(root, inside)
    scale = max(float(root[known].std()), 1e-4)
    levels = _levels(plain, inside, scale)
    rng = np.random.default_rng(turn)
    field: _Field | None = None
    plans = [_plan(n, level) for n, level in enumerate(reversed(levels))]
    steps_of = list(zip(reversed(levels), plans, strict=True))
    done, all_work = 0.0, sum(float(level.inside.sum()) * len(plan) for level, plan in steps_of)
    for level, plan in steps_of:
        finer = _Field.of(level, field, rng)
        if finer is None:
            continue
        field = finer
        for steps, reach in plan:
            for step in steps:
                field.seek(rng, step, reach)
            field.vote()
            done += float(level.inside.sum())
            if not go(min(1.0, done / all_work)):
                raise Cancelled("stopped by the user")
    if field is None or field.level is not levels[0]:
        return plain**2
    made = field.copied() * scale
    return np.where(inside[..., None], made * np.abs(made), picture).astype(np.float32)


def _plan(n: int, level: "_Level") -> list[tuple[tuple[int, ...], float]]:
    """Of each turn at a size, the n-th from the coarsest: how far neighbours lie that are asked, and chance reaches."""
    if level.inside.sum() > SOUGHT_PX:
        return [((1,), 1.0)]
    return [(tuple(2**step for step in reversed(range(PASSES))), np.inf)] * TURNS[min(n, len(TURNS) - 1)]


def _guessed(values: Pixels, inside: Mask) -> Pixels:
    """Values (height, width, channels) with a smooth membrane where they are inside."""
    if not inside.any() or inside.all():
        return values
    y, x = np.nonzero(inside)
    part = _around(x, y, GUESS_PX)
    out = values.copy()
    out[part] = spanned(values[part], ~inside[part]) if not inside[part].all() else values[part]
    return out


def _around(x: NDArray[Any], y: NDArray[Any], by: int = 0) -> tuple[slice, slice]:
    """The rows and columns that hold all places, and `by` more."""
    return (
        slice(max(0, int(y.min()) - by), int(y.max()) + 1 + by),
        slice(max(0, int(x.min()) - by), int(x.max()) + 1 + by),
    )


@dataclass(eq=False)
class _Level:
    """The picture at one size, with what is known so far inside the area."""

    picture: Pixels
    """(height, width, CHANNELS)"""
    inside: Mask


def _levels(root: Pixels, inside: Mask, scale: float) -> list[_Level]:
    """From the full size to that at which the area is small."""
    fine = root - cv2.GaussianBlur(root, (0, 0), 1.5)
    lively = cv2.GaussianBlur(cv2.transform(np.abs(fine), np.ones((1, 3), np.float32)), (0, 0), 2.0)
    # the smooth guess in the area is no texture
    lively = _guessed(lively[..., None], cv2.dilate(inside.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0)
    picture = np.dstack([root, LIVELY * lively]) / np.float32(scale)
    levels = [_Level(np.ascontiguousarray(picture, np.float32), inside)]
    while True:
        last = levels[-1]
        deep = cv2.distanceTransform(np.pad(last.inside, 1).astype(np.uint8), cv2.DIST_L2, 3).max()
        height, width = last.inside.shape
        if deep <= COARSEST_PX or min(height, width) < 8 * REACH:
            return levels
        size = ((width + 1) // 2, (height + 1) // 2)
        grown = np.pad(last.inside, ((0, height % 2), (0, width % 2)), mode="edge")
        small = np.asarray(grown.reshape(size[1], 2, size[0], 2).any(axis=(1, 3)), np.bool_)
        padded = np.pad(last.picture, ((0, height % 2), (0, width % 2), (0, 0)), mode="edge")
        levels.append(_Level(cv2.resize(padded, size, interpolation=cv2.INTER_AREA), small))


class _Field:
    """Where each patch that reaches into the area comes from."""

    def __init__(self, level: _Level, places: NDArray[np.int32], sources: NDArray[np.int32], valid: Mask) -> None:
        self.level, self.places, self.sources, self._valid = level, places, sources, valid
        height, width = level.inside.shape
        self._number = np.full((height, width), -1, np.int32)
        self._number[places[:, 1], places[:, 0]] = np.arange(len(places))
        y, x = np.nonzero(level.inside)
        self._inner = np.stack([x, y], axis=1).astype(np.int32)
        self._costs: NDArray[np.float32] = np.ones(len(places), np.float32)
        deep = cv2.distanceTransform(np.pad(level.inside, 1).astype(np.uint8), cv2.DIST_L2, 3)[1:-1, 1:-1]
        self._trust = TRUST ** -np.minimum(deep[places[:, 1], places[:, 0]], MOST_DEEP)

    @classmethod
    def of(cls, level: _Level, coarser: "_Field | None", rng: np.random.Generator) -> "_Field | None":
        """At a size, from what was found at half of it, or at random; None where there is nothing to take from."""
        height, width = level.inside.shape
        kernel = np.ones((2 * REACH + 1, 2 * REACH + 1), np.uint8)
        touched = cv2.dilate(level.inside.astype(np.uint8), kernel) > 0
        valid = ~touched
        valid[:REACH], valid[-REACH:], valid[:, :REACH], valid[:, -REACH:] = False, False, False, False
        from_y, from_x = np.nonzero(valid)
        if not len(from_x):
            return None
        y, x = np.nonzero(touched)
        places = np.stack([x, y], axis=1).astype(np.int32)
        chosen = rng.integers(0, len(from_x), len(places))
        sources = np.stack([from_x[chosen], from_y[chosen]], axis=1).astype(np.int32)
        if coarser is not None:
            half = np.minimum(places // 2, np.array(coarser._number.shape[::-1], np.int32) - 1)
            number = coarser._number[half[:, 1], half[:, 0]]
            found = coarser.sources[np.maximum(number, 0)] * 2 + places - 2 * half
            found = np.clip(found, 0, (width - 1, height - 1))
            held = (number >= 0) & valid[found[:, 1], found[:, 0]]
            sources = np.where(held[:, None], found, sources).astype(np.int32)
        field = cls(level, places, sources, valid)
        if coarser is not None:
            field.vote()
        return field

    def seek(self, rng: np.random.Generator, step: int, reach: float) -> None:
        """Better sources: those of the neighbours `step` px away, moved along, and others up to `reach` px off."""
        height, width = self._valid.shape
        sources = [self.sources]
        for move in _BESIDE * step:
            beside = np.clip(self.places + move, 0, (width - 1, height - 1))
            number = self._number[beside[:, 1], beside[:, 0]]
            found = self.sources[np.maximum(number, 0)] - move
            sources.append(np.where((number >= 0)[:, None], found, self.sources))
        reach = min(reach, float(max(height, width)))
        while reach >= 1.0:
            sources.append(self.sources + np.rint(rng.uniform(-reach, reach, self.sources.shape)).astype(np.int32))
            reach /= 4.0
        candidates = np.stack(sources, axis=1)
        held = np.clip(candidates, 0, (width - 1, height - 1))
        fits = self._valid[held[..., 1], held[..., 0]] & (held == candidates).all(axis=2)
        candidates = np.where(fits[..., None], candidates, self.sources[:, None]).astype(np.int32)
        costs = patch_distances(self.level.picture, self.places, candidates)
        best = np.argmin(costs, axis=1)
        rows = np.arange(len(best))
        self.sources, self._costs = candidates[rows, best], costs[rows, best]

    def vote(self) -> None:
        """The picture inside as the patches have it that lie over it."""
        self.level.picture[self._inner[:, 1], self._inner[:, 0]] = self._votes()

    def copied(self) -> Pixels:
        """The full picture with pixels copied from where they come from, in the broad tone of the averages."""
        x, y = self._inner.T
        averages = self.level.picture[..., :3]
        copy = averages.copy()
        source = self.sources[self._number[y, x]]
        copy[y, x] = averages[source[:, 1], source[:, 0]]
        part = _around(x, y)
        copy[part] += cv2.GaussianBlur(averages[part] - copy[part], (0, 0), SEAM_PX, borderType=cv2.BORDER_CONSTANT)
        return np.asarray(copy + self._missed(), np.float32)

    def _missed(self) -> Pixels:
        """What the sources lack where the picture is known, spanned over the area: 0 elsewhere."""
        x, y = self.places.T
        around = ~self.level.inside[y, x]
        picture, missed = self.level.picture[..., :3], np.zeros((*self._valid.shape, 3), np.float32)
        sources = self.sources[around]
        x, y = x[around], y[around]
        missed[y, x] = picture[y, x] - picture[sources[:, 1], sources[:, 0]]
        band = np.zeros(self._valid.shape, np.bool_)
        band[y, x] = True
        part = _around(*self.places.T)
        missed[part] = spanned(missed[part], band[part])
        missed[~self.level.inside] = 0.0
        return missed

    def _votes(self) -> Pixels:
        height, width = self._valid.shape
        sources, weights = np.zeros((height, width, 2), np.int32), np.zeros((height, width), np.float32)
        x, y = self.places.T
        sources[y, x] = self.sources
        good = max(float(np.quantile(self._costs, SURE)), 1e-9)
        weights[y, x] = (np.exp(-self._costs / (2.0 * good)) + 1e-6) * self._trust
        return patch_votes(self.level.picture, self._inner, sources, weights)
