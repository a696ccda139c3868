"""The node that takes blur back: camera values deconvolved by the Gaussian that their edges were measured to have, and
by the even smear along one way of a picture that was not held still.

A Wiener filter of the luminance, made for pictures whose power falls with the square of the frequency, with a Gaussian
a little under a px as what is wanted; held between the darkest and the lightest beside each px, and only where what it
changes rises above the noise. References: Wiener 1949; Gonzalez and Woods, "Digital Image Processing", chapter 5. The
numbers were chosen on photographs of imaging packages that were blurred by 1 to 2.5 px.
"""

import math
from collections.abc import Callable
from functools import lru_cache, partial
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from ...image.channels import highest
from ...recipe.model import Recipe
from ..frame.noise import Scale, added_noise, share_left
from ..frame.tiles import Region, grown, level_size
from .node import Node, NodePatch, Pixels, Work

Plane = NDArray[np.float32]

READS = ("detail.deblur", "detail.noise.strength_percent")
NOTHING_BACK = (("detail.deblur.blur_px", 0.0), ("detail.deblur.smear_px", 0.0))
"""Settings that take nothing back."""

WANTED_PX = 0.5
"""Spread that edges shall have."""
LEAST_PX = 0.35
"""Px of a level: less blur is not taken back."""
RISK, RISE = 0.003, 1.5
"""Of noise against the picture at the finest waves, for a blur of 1 px, and the power by which it grows with blur."""
OVERSHOOT = 0.05
"""Share of the step beside it by which a px may go beyond its surroundings."""
WIDER_FROM_PX = 1.6
"""Blur from which on surroundings are two px to each side, not one."""
DARKER = 0.05
"""Share of the darkest beside it by which a px may go under that."""
NOISE, CLEAR = 1.2, 2.6
"""Times the noise at which what is changed counts, and counts in full."""
ACTIVE_PX = 5
MOST = 4.0
"""Factor of a px's light."""
NEARLY_FULL = 0.97
WEIGHTS = np.array([0.25, 0.5, 0.25], np.float32)
"""Of balanced channels in the luminance that is deconvolved."""
GRID = 64
"""Frequencies of a filter, each way."""


class Blur(NamedTuple):
    """A blur in px of a level, by standard deviations: a Gaussian, and an even smear along one way."""

    sigma: float
    smear: float = 0.0
    along_deg: float = 0.0
    """0 level, 90 upright, from level toward up."""

    @property
    def longest(self) -> float:
        return math.hypot(self.sigma, self.smear)


def deblurred(name: str, camera: Node, left: Callable[[Recipe], float] = share_left) -> Node:
    """The node after one of camera values, before they are moved about. left: share of the noise that is in them."""
    return Node(f"deblurred{name}", partial(_run, left), (camera,), READS, grow=_around, is_idle=_is_idle)


def _blur(work: Work, level: int) -> Blur:
    decided, step = work.recipe.detail.deblur, float(2.0**level)
    return Blur(round(decided.blur_px / step, 3), round(decided.smear_px / step, 3), decided.smear_deg)


def _is_idle(work: Work) -> bool:
    return _blur(work, 0).longest < LEAST_PX


def _reach(blur: Blur) -> int:
    """Px that a filter looks to each side."""
    return min(math.ceil(4.0 * blur.longest) + 3, GRID // 2 - 1)


def _around(work: Work) -> Region:
    size = level_size(work.mapping.frame_size, work.level)
    return grown(work.region, size, _reach(_blur(work, work.level)) + ACTIVE_PX // 2)


def _run(left_of: Callable[[Recipe], float], work: Work, camera: NodePatch) -> Pixels:
    pixels, blur, noise = camera.pixels, _blur(work, work.level), work.sensor.noise
    left, top = work.region[0] - camera.region[0], work.region[1] - camera.region[1]
    inner = np.s_[top : top + work.region[3], left : left + work.region[2]]
    if blur.longest < LEAST_PX:
        # too little to be seen there
        return pixels[inner]
    kernel = wiener(blur)
    balance = (1.0 / work.sensor.frame.colour.as_shot_neutral).astype(np.float32)
    light = cv2.transform(pixels, (WEIGHTS * balance)[None])
    spread = left_of(work.recipe) * added_noise(noise.at(work.level)[0], kernel)
    new = sharper(light, kernel, blur.longest, spread, noise.scale, balance)
    factor = np.clip(new / np.maximum(light, 1e-6), 1.0 / MOST, MOST)
    # what the sensor cut off is not known
    factor[(light <= 1e-6) | (highest(pixels) >= NEARLY_FULL * work.sensor.frame.full_level)] = 1.0
    return np.asarray(pixels[inner] * factor[inner][..., None], np.float32)


def sharper(light: Plane, kernel: Plane, longest: float, spread: float, scale: Scale, balance: Plane) -> Plane:
    """Linear luminance (height, width) without its blur, of `longest` px the way it is longest. spread: standard
    deviation of the noise in what is added, on the stabilised scale."""
    added = cv2.filter2D(light, cv2.CV_32F, kernel, borderType=cv2.BORDER_REFLECT)
    added -= light
    stable = added * _slope(light, scale, balance)
    square = cv2.blur(stable * stable, (ACTIVE_PX, ACTIVE_PX), borderType=cv2.BORDER_REFLECT)
    # sums that run along a row round below nothing
    active = np.sqrt(np.maximum(square, 0.0))
    t = np.clip((active / max(spread, 1e-9) - NOISE) / (CLEAR - NOISE), 0.0, 1.0)
    window = np.ones((3, 3) if longest < WIDER_FROM_PX else (5, 5), np.uint8)
    low, high = cv2.erode(light, window), cv2.dilate(light, window)
    more = OVERSHOOT * (high - low)
    # under the darkest the same share of the step would be far more to the eye
    low -= np.minimum(more, DARKER * np.maximum(low, 0.0))
    return np.asarray(np.clip(light + t * t * (3.0 - 2.0 * t) * added, low, high + more), np.float32)


def _slope(light: Plane, scale: Scale, balance: Plane) -> Plane:
    """How much a grey's lightness grows with its luminance on the stabilised scale."""
    levels = np.concatenate([[0.0], np.geomspace(1e-5, 4.0, 255)])
    greys = (levels[:, None] / balance).astype(np.float32)[None]
    told = np.gradient(scale.to_planes(greys)[0, :, 0].astype(np.float64), levels)
    # by the root of the light, so that steps are even
    even = np.linspace(0.0, 2.0, 1024)
    table = np.interp(even**2, levels, told).astype(np.float32)
    at = np.sqrt(np.clip(light, 0.0, 4.0)) * np.float32(1023 / 2.0)
    return table[at.astype(np.int32)]


@lru_cache(maxsize=16)
def wiener(blur: Blur) -> Plane:
    """The filter, (2 r + 1, 2 r + 1), sum 1, that takes a blur back."""
    f = np.fft.fftfreq(GRID)
    across, down = f[None], f[:, None]
    square = across**2 + down**2
    along = across * math.cos(math.radians(blur.along_deg)) - down * math.sin(math.radians(blur.along_deg))
    # the variance of the blur the way of each wave, times the square of its frequency
    spread = blur.sigma**2 * square + blur.smear**2 * along**2
    # what is sharper than is wanted stays so
    wanted = np.exp(-2.0 * np.pi**2 * np.minimum(spread, WANTED_PX**2 * square))
    seen = np.exp(-2.0 * np.pi**2 * blur.sigma**2 * square) * np.sinc(math.sqrt(12.0) * blur.smear * along)
    sigma = np.sqrt(spread / np.maximum(square, 1e-12))
    risk = RISK * sigma**RISE * square / 0.25
    reach = _reach(blur)
    whole = np.fft.fftshift(np.real(np.fft.ifft2(wanted * seen / np.maximum(seen**2 + risk, 1e-12))))
    middle = slice(GRID // 2 - reach, GRID // 2 + reach + 1)
    fade = np.sqrt(np.hanning(2 * reach + 3)[1:-1])
    kernel = whole[middle, middle] * fade[:, None] * fade[None]
    return np.asarray(kernel / kernel.sum(), np.float32)
