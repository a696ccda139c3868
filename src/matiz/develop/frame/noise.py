"""Noise on a scale on which it is the same everywhere, and camera values without it.

Camera values are brought to that scale by the generalised Anscombe transform, balanced, and turned into one plane of
lightness and two of colour. What the demosaic made of the noise is known from a flat grey that is sent through it.
References: Murtagh, Starck and Bijaoui 1995 for the transform; Mäkitalo and Foi 2013, "Optimal inversion of the
generalized Anscombe transformation", for the way back.
"""

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, Camera
from ...image.reduce import halved
from ...kernels.block_sizes import BASIS, MARGIN_PX, SIDE
from ...kernels.denoise import LEAST_PX, dct_kept, dct_kept_sparsely, dct_weighed
from ...raw.frame import Frame
from ...raw.noise import Noise, noise_of
from ...recipe.model import Recipe
from ...recipe.places import Place
from .points import POINTS_PX, kept_points

Planes = NDArray[np.float32]

LEAST = 3.0
"""How many times its noise a coefficient must exceed to be kept at first."""
DOUBT = 1.1
"""By how much more noise the later passes count with: what leads them is not free of it. Worth 0.02 dB."""
FINE_PASSES, COARSE_PASSES = 2, 3
"""At full size and at half of it, where one more costs a quarter."""
SEAM_PX = 4
"""Of the picture at half its size, which is laid on smoothly."""
REACH_PX = 2 * (COARSE_PASSES * MARGIN_PX + SEAM_PX)
QUICK_REACH_PX = 2 * MARGIN_PX
ANCHOR_PX = 4
"""Blocks of the half lie the same way in regions that begin at a multiple of it."""
COARSE_MOST = 0.06
"""Up to how much the picture at half its size has a say, in the noise of the lowest frequencies: noise that is left
there is not more, and small things that are lost at that size are."""
OPPONENT = np.array([[1.0, 1.0, 1.0], [1.0, 0.0, -1.0], [1.0, -2.0, 1.0]])
OPPONENT = OPPONENT / np.linalg.norm(OPPONENT, axis=1)[:, None]
"""Orthonormal: lightness, red against blue, both against green."""
GREY, FLAT_PX, SEED = 0.18, 192, 1
PATCH_PX, PATCHES, STEP = 48, 14, 5
"""Of a picture without a mosaic: patches in which its noise is looked for, each way, and px from block to block."""
DARKEST, LIGHTEST = 0.0005, 0.95
"""Between these values are neither cut off nor full."""
FLATTEST, LEAST_BLOCKS, LEAST_SPREAD = 0.05, 200, 1e-3
LEFT = 0.2
"""Share of the noise that is left where all of it is taken out, in deviation. Measured on the demo's burst."""
STRAIGHT_BELOW = 0.25
"""Of the variance without light: below it the transform goes on as a straight line, so that values under black stay."""


@dataclass(frozen=True)
class Scale:
    """From camera values to planes whose noise is the same everywhere, and back."""

    shot: float
    read: float
    balance: Array
    """(3,) factors of the stabilised channels that make greys grey."""

    def to_planes(self, camera: Camera) -> Planes:
        """(height, width, 3): lightness and two of colour, contiguous plane by plane."""
        a, b = self.shot, self.read**2
        t = np.asarray(camera, np.float32) * np.float32(a) + np.float32(0.375 * a * a + b)
        low = np.float32(STRAIGHT_BELOW * b + 0.1 * a * a)
        root = np.sqrt(np.maximum(t, low))
        root += np.minimum(t - low, 0.0) / (2.0 * np.sqrt(low))
        way = (OPPONENT * (self.balance * (2.0 / a))).astype(np.float32)
        return np.asarray(cv2.transform(root, way), np.float32)

    def to_camera(self, planes: Planes, unbiased: float) -> Camera:
        """unbiased: share of what is added so that the mean of noise that is gone stays what it was."""
        a, b = self.shot, self.read**2
        back = (np.linalg.inv(OPPONENT * (self.balance * (2.0 / a)))).astype(np.float32)
        root = cv2.transform(planes, back)
        low = np.float32(STRAIGHT_BELOW * b + 0.1 * a * a)
        end = np.float32(np.sqrt(low))
        t = np.where(root > end, root * root, low + 2.0 * end * (root - end))
        return np.asarray(t / np.float32(a) - np.float32((0.375 - 0.25 * unbiased) * a + b / a), np.float32)


RENDERED = Scale(1e-4, 5.5e-4, np.ones(3))
"""For pictures that are rendered: noise that is even in encoded values grows about as the root of linear ones. How much
there is, is measured on that scale."""


class NoiseSpread:
    """What the noise of one frame looks like on that scale, at each level. Safe to share by threads."""

    def __init__(self, frame: Frame, developed: Callable[[Frame, int], Camera]) -> None:
        """developed: gives the whole of a frame at a level, demosaiced."""
        self._frame, self._developed, self._lock = frame, developed, threading.Lock()
        self._made: dict[int, Planes] = {}

    @property
    def scale(self) -> Scale:
        if self._frame.mosaic is None:
            return RENDERED
        noise = noise_of(self._frame)
        neutral = self._frame.colour.as_shot_neutral
        return Scale(noise.shot, noise.read, np.sqrt(neutral[1] / neutral))

    def at(self, level: int) -> Planes:
        """(3, 8, 8): standard deviations of the noise in each coefficient of each plane, [down, across]."""
        with self._lock:
            if level not in self._made:
                self._made[level] = self._measured(level) if self._frame.mosaic is None else self._foreseen(level)
            return self._made[level]

    def _measured(self, level: int) -> Planes:
        """Of the flattest places of the frame itself: what a compression or another program made of its noise is in it.

        Which blocks are flat is told by one half of their coefficients for the other, so that choosing them does not
        favour quiet ones.
        """
        linear = self._frame.linear
        assert linear is not None
        side = PATCH_PX * 2**level
        found = []
        for top, left in _corners(linear.shape[:2], side):
            patch = np.ascontiguousarray(linear[top : top + side, left : left + side])
            for _ in range(level):
                patch = halved(patch)
            if min(patch.shape[:2]) >= SIDE:
                inside = (patch > DARKEST) & (patch < LIGHTEST)
                blocks = np.lib.stride_tricks.sliding_window_view(inside.all(axis=2), (SIDE, SIDE))[::STEP, ::STEP]
                planes = self.scale.to_planes(patch)
                own = np.stack([coefficients(planes[..., n], STEP) for n in range(3)], axis=2)
                found.append(own[blocks.all(axis=(2, 3))])
        every = np.concatenate(found) if found else np.zeros((0, 3, SIDE, SIDE))
        if len(every) < LEAST_BLOCKS:
            return np.full((3, SIDE, SIDE), LEAST_SPREAD, np.float32)
        at = np.arange(SIDE)
        is_even = (at[:, None] + at[None]) % 2 == 0
        counts = at[:, None] + at[None] >= 2
        out = np.empty((3, SIDE, SIDE))
        for own_half in (is_even, ~is_even):
            energy = (every[:, 0] ** 2 * (~own_half & counts)).sum(axis=(1, 2))
            flat = every[energy <= np.quantile(energy, FLATTEST)]
            out[:, own_half] = np.sqrt((flat**2).mean(axis=0))[:, own_half]
        # the mean of a block is no noise
        out[:, 0, 0] = out[:, 0, 2]
        return np.maximum(out, LEAST_SPREAD).astype(np.float32)

    def _foreseen(self, level: int) -> Planes:
        """Of a flat grey with this frame's noise, through the same demosaic."""
        mosaic, scale = self._frame.mosaic, self.scale
        assert mosaic is not None
        side = FLAT_PX * 2**level
        rows, columns = mosaic.pattern.shape
        pattern = np.tile(mosaic.pattern, (side // rows + 1, side // columns + 1))[:side, :side]
        black = np.tile(mosaic.black, (side // rows + 1, side // columns + 1))[:side, :side]
        neutral = self._frame.colour.as_shot_neutral
        light = (GREY * neutral / neutral.max())[pattern]
        noise = Noise(scale.shot, scale.read)
        noisy = light + np.random.default_rng(SEED).normal(size=light.shape) * np.sqrt(noise.variance(light))
        values = np.clip(np.rint(black + noisy * (mosaic.white - black)), 0, 65_535).astype(np.uint16)
        profile = ((scale.shot, scale.read**2),)
        flat = replace(self._frame, mosaic=replace(mosaic, values=values), noise_profile=profile, orientation=1)
        planes = scale.to_planes(self._developed(flat, level))
        return np.stack([_spread_of(planes[8:-8, 8:-8, n]) for n in range(3)])


def _spread_of(plane: NDArray[np.float32]) -> Planes:
    return np.asarray(coefficients(plane, 3).std(axis=(0, 1)), np.float32)


def coefficients(plane: NDArray[np.floating], step: int) -> Array:
    """Of a plane's blocks of 8x8, one in `step` px each way, (rows, columns, 8, 8): [down, across]."""
    blocks = np.lib.stride_tricks.sliding_window_view(plane, (SIDE, SIDE))[::step, ::step]
    return np.asarray(np.einsum("li,yxij,kj->yxlk", BASIS, blocks, BASIS, optimize=True))


def _corners(size: tuple[int, ...], side: int) -> list[tuple[int, int]]:
    """Of patches spread over a frame, as many as fit, at most PATCHES each way."""
    ways = []
    for length in size[:2]:
        count = max(1, min(PATCHES, length // side))
        ways.append([round(at) for at in np.linspace(0, max(length - side, 0), count)])
    return [(top, left) for top in ways[0] for left in ways[1]]


@dataclass(frozen=True)
class NoiseMethod:
    """A way to take noise out of planes, and how far beyond a px it looks."""

    estimate: Callable[[Planes, Planes], Planes]
    """Of planes (height, width, 3) whose noise has the deviation `spread` (3, 8, 8): the inner px without noise,
    reach_px less on each side."""
    reach_px: int


def estimated(planes: Planes, spread: Planes) -> Planes:
    """The planes (height, width, 3) without noise, for the inner px: REACH_PX less on each side.

    spread: (3, 8, 8) of the noise's own deviation. What is coarser than a block can tell from noise is told by the same
    at half the size (Pierazzo, Morel and Facciolo 2017, "Multi-scale DCT denoising").
    """
    size = tuple(length - 2 * REACH_PX for length in planes.shape[:2])
    whole = _padded(planes, 2 * (LEAST_PX + 2 * (COARSE_PASSES - 1) * MARGIN_PX - REACH_PX) + 2 * REACH_PX)
    inset = REACH_PX - FINE_PASSES * MARGIN_PX - 2 * SEAM_PX
    fine = _without_noise(whole[inset:-inset, inset:-inset], spread, FINE_PASSES)
    coarse = _without_noise(halved(whole), half_spread(spread), COARSE_PASSES)
    _lay_on(fine, coarse, COARSE_MOST * np.sqrt((spread[:, :2, :2] ** 2).mean(axis=(1, 2))))
    return _with_points(fine[2 * SEAM_PX :, 2 * SEAM_PX :], planes, spread, size, REACH_PX)


def quickly_estimated(planes: Planes, spread: Planes) -> Planes:
    """The same by the first pass at full size alone, by fewer blocks of colour; QUICK_REACH_PX less on each side."""
    size = tuple(length - 2 * QUICK_REACH_PX for length in planes.shape[:2])
    inset = QUICK_REACH_PX - MARGIN_PX
    apart = _apart(_padded(planes, LEAST_PX + 2 * inset)[inset:-inset, inset:-inset])
    (lightness,), colour = dct_kept(apart[:1], spread[:1], LEAST), dct_kept_sparsely(apart[1:], spread[1:], LEAST)
    fine = np.asarray(cv2.merge([lightness, *colour]), np.float32)
    return _with_points(fine, planes, spread, size, QUICK_REACH_PX)


def _padded(planes: Planes, least: int) -> Planes:
    """With px after the last, so that there are as many as blocks want, and `least` to a side."""
    more = [(0, max(length + -length % ANCHOR_PX, least) - length) for length in planes.shape[:2]]
    return np.pad(planes, [*more, (0, 0)], mode="edge") if any(after for _, after in more) else planes


def _with_points(made: Planes, planes: Planes, spread: Planes, size: tuple[int, ...], reach_px: int) -> Planes:
    """What was made, of `size`, with point-like lights as they are in the planes, reach_px more on each side."""
    height, width = size
    made = np.ascontiguousarray(made[:height, :width])
    own = np.s_[reach_px : reach_px + height, reach_px : reach_px + width]
    around = np.s_[POINTS_PX : POINTS_PX + height, POINTS_PX : POINTS_PX + width]
    far = reach_px - POINTS_PX
    kept = kept_points(np.ascontiguousarray(planes[far:-far, far:-far, 0]), spread[0])[around]
    if kept.any():
        made += kept[..., None] * (planes[own] - made)
    return made


WELL = NoiseMethod(estimated, REACH_PX)
QUICKLY = NoiseMethod(quickly_estimated, QUICK_REACH_PX)


def _lay_on(fine: Planes, coarse: Planes, most: Planes) -> None:
    """Bring means of 2x2 of planes to what `coarse`, at half their size, says of them, by no more than `most` (3,)."""
    better = np.clip(coarse - halved(fine), -most, most)
    fine += cv2.resize(better, (fine.shape[1], fine.shape[0]), interpolation=cv2.INTER_CUBIC)


def _without_noise(planes: Planes, spread: Planes, passes: int) -> Planes:
    """Of planes (height, width, 3) the inner px: MARGIN_PX less on each side for each pass."""
    apart = _apart(planes)
    made = dct_kept(apart, spread, LEAST)
    for n in range(1, passes):
        made = dct_weighed(_inner(apart, n), made, np.float32(DOUBT) * spread)
    return np.asarray(cv2.merge(list(made)), np.float32)


def _apart(planes: Planes) -> Planes:
    return np.ascontiguousarray(np.moveaxis(planes, 2, 0))


def _inner(planes: Planes, passes: int) -> Planes:
    """What is left of planes (3, height, width) after so many passes."""
    cut = passes * MARGIN_PX
    return np.ascontiguousarray(planes[:, cut : planes.shape[1] - cut, cut : planes.shape[2] - cut])


def half_spread(spread: Planes) -> Planes:
    """What spread (3, 8, 8) of noise is in means of 2x2."""
    return np.sqrt(FOLDED @ spread.astype(np.float64) ** 2 @ FOLDED.T).astype(np.float32)


def _folded() -> Array:
    """(8, 8): power in each frequency of means of two px, from that of the px: the lower half of the frequencies, and
    the upper folded in."""
    at = np.arange(SIDE) / 2.0
    passed = np.cos(np.pi * at / (2 * SIDE)) ** 2
    low, high = (np.stack([np.interp(places, np.arange(SIDE), row) for row in np.eye(SIDE)], axis=1)
                 for places in (at, SIDE - at))  # fmt: skip
    return np.asarray(0.5 * (passed[:, None] * low + (1.0 - passed)[:, None] * high))


FOLDED = _folded()


def share_left(recipe: Recipe) -> float:
    """Of the noise in lightness, in deviation, once as much is taken out as a recipe says."""
    return max(1.0 - recipe.detail.noise.strength_percent / 100.0, LEFT)


def share_left_there(recipe: Recipe, place: Place) -> float:
    """The same where the mask of a place is whole."""
    more, left = taken_there(place), share_left(recipe)
    return max(left * (1.0 - more), LEFT) if more >= 0.0 else left - more * (1.0 - left)


def taken_there(place: Place) -> float:
    """How much a place takes out of the noise that is left, 0..1; negative: how much it brings back."""
    return min(max(place.denoise_percent * place.strength_percent / 10_000.0, -1.0), 1.0)


def added_noise(spread: Array, kernel: Planes) -> float:
    """Standard deviation of noise in what a filter (2 r + 1, 2 r + 1), the same turned by half, adds to it. spread:
    (8, 8) of the noise's own, by frequency."""
    reach = kernel.shape[0] // 2
    frequency = np.pi * np.arange(SIDE) / SIDE
    at = frequency[:, None] * np.arange(-reach, reach + 1)
    # waves of one frequency lean to either side: a filter that is longer one way passes these differently
    upright, leaning = (wave @ kernel.astype(np.float64) @ wave.T for wave in (np.cos(at), np.sin(at)))
    return float(np.sqrt((spread**2 * ((upright - 1.0) ** 2 + leaning**2)).mean()))
