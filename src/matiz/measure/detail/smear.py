"""Whether all of a picture was smeared along one way, as by a hand that shook, and how far.

A picture that went evenly over a length L while the shutter was open has lost the waves along that way of which L is a
whole number: its power falls off with the sinc of L, in stripes across the way, whatever is in it. The logarithms of
the spectra of many patches are averaged, after Cannon, "Blind deconvolution of spatially invariant image blurs with
phase", 1976 (from memory), so that what differs from patch to patch fades and the stripes stay. What is the same all
round, as a blur of the lens, is taken off, and what leans one way at all sizes alike, as layers of a landscape do. The
stripes of all lengths and ways are laid on what is left.
"""

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array
from .blur import MID_GREY, PATCH_PX, Smear

GROUND_PX = 8.0
"""Coarser than this blur, light is no texture."""
SMOOTH = 1.2
"""Spread, in steps of frequency, over which spectra are smoothed."""
RINGS, ROUND_DEG = np.linspace(0.06, 0.4, 20), np.arange(0.0, 180.0, 5.0)
"""Frequencies, cycles per px, and ways in which they are looked at."""
LENGTHS_PX, WAYS_DEG = np.arange(2.5, 12.01, 0.5), np.arange(0.0, 180.0, 4.0)
"""Smears that are laid on."""
FLOOR = 0.02
"""Of the power that is left in a stripe: hands shake unevenly, and spectra are smoothed."""
LEAST_LIKE, LEAST_TOLD, APART_DEG, LEAST_PATCHES = 0.65, 0.3, 20.0, 6
"""Once what leans is taken off: how deep the stripes must be, of what a smear makes, the share of all that is left that
they must tell, and how far off the way may be that they tell with it; and patches that must hold texture."""
FEW, LEAST_EVERYWHERE = 0.1, 0.35
"""Quantile of the patches, and how deep the stripes must be in it, so that all of the picture is smeared. Of 97
photographs with a sharp middle and all else smeared, 22 would pass without that."""
LEAST_TEXTURE = 4.0
"""Power of a patch, in that of its noise."""


def find_smear(patches: list[NDArray[np.float32]], noise: float) -> Smear | None:
    """None where it is not seen surely.

    patches: of linear luminance; those of (PATCH_PX, PATCH_PX) count. noise: standard deviation of a px at mid grey
    0.18, as a share of it; 0 where it is not known.
    """
    told = _spectra([patch for patch in patches if patch.shape == (PATCH_PX, PATCH_PX)], noise)
    if told is None:
        return None
    spectra, weights = told
    mean = spectra.mean(axis=0, keepdims=True)
    lengths, ways = _smears()
    surely, deep, share = _best(_striped(mean, weights)[0], _striped(_stripes(), weights), weights)
    # what leans tells the way too
    plain = _without_rings(_stripes(), weights)
    best, *_ = _best(_without_rings(mean, weights)[0], plain, weights)
    apart = abs((ways[best] - ways[surely] + 90.0) % 180.0 - 90.0)
    is_sure = deep >= LEAST_LIKE and share >= LEAST_TOLD and apart <= APART_DEG
    if not is_sure or lengths[best] in (LENGTHS_PX[0], LENGTHS_PX[-1]):
        return None
    # a hand smears all of the picture: where something moved, or was followed, the rest is sharp
    by_patch = _without_rings(spectra, weights) @ (plain[best] * weights) / (plain[best] ** 2 @ weights)
    if np.quantile(by_patch, FEW) < LEAST_EVERYWHERE:
        return None
    return Smear(float(lengths[best] / np.sqrt(12.0)), float(ways[best]))


def _best(own: Array, stripes: Array, weights: Array) -> tuple[int, float, float]:
    """Which of (smears, frequencies) fits best, how deep it is in what is there, and the share that it tells of it."""
    along, power = (stripes * weights) @ own, (stripes * stripes * weights).sum(axis=1)
    deep = np.clip(along / np.maximum(power, 1e-9), 0.0, 1.0)
    told = deep * (2.0 * along - deep * power) / max(float((own * own * weights).sum()), 1e-9)
    best = int(np.argmax(told))
    return best, float(deep[best]), float(told[best])


def _spectra(patches: list[NDArray[np.float32]], noise: float) -> tuple[Array, Array] | None:
    """(patches, frequencies) logarithms of power at RINGS and ROUND_DEG, one after the other, and how much of each is
    light, not noise, on the mean; None where too few hold texture."""
    fade = np.outer(np.hanning(PATCH_PX), np.hanning(PATCH_PX)).astype(np.float32)
    # on a scale on which noise is even
    own = max((0.5 * noise) ** 2 * MID_GREY, 1e-9) * float((fade**2).sum())
    way = np.radians(ROUND_DEG)
    middle = PATCH_PX // 2
    x, y = (middle + PATCH_PX * np.outer(RINGS, each).astype(np.float32) for each in (np.cos(way), -np.sin(way)))
    logs, shares = [], []
    for patch in patches:
        root = np.sqrt(np.maximum(patch, 0.0) + np.float32(1e-5))
        fine = (root - cv2.GaussianBlur(root, (0, 0), GROUND_PX)) * fade
        power = cv2.GaussianBlur(np.fft.fftshift(np.abs(np.fft.fft2(fine)) ** 2), (0, 0), SMOOTH)
        seen = cv2.remap(power.astype(np.float32), x, y, cv2.INTER_LINEAR).astype(np.float64)
        if seen.mean() > LEAST_TEXTURE * own:
            left = np.maximum(seen - own, 0.0)
            logs.append(np.log(left + 0.1 * own))
            shares.append(left / (left + own))
    if len(logs) < LEAST_PATCHES:
        return None
    return np.reshape(logs, (len(logs), -1)), np.mean(shares, axis=0).ravel()


def _smears() -> tuple[Array, Array]:
    """Lengths and ways of all that are laid on."""
    lengths, ways = np.meshgrid(LENGTHS_PX, WAYS_DEG, indexing="ij")
    return lengths.ravel(), ways.ravel()


@cache
def _stripes() -> Array:
    """(smears, frequencies) logarithms of what each leaves."""
    lengths, ways = _smears()
    frequency = RINGS[:, None] * np.cos(np.radians(ROUND_DEG - ways[:, None, None]))
    left = np.sinc(lengths[:, None, None] * frequency) ** 2
    return np.asarray(np.log(left + FLOOR).reshape(len(lengths), -1))


def _striped(values: Array, weights: Array) -> Array:
    """values (n, frequencies) less the mean of each ring, and less what leans one way alike in all rings."""
    lean = np.radians(2.0 * ROUND_DEG)
    lean = np.stack([np.tile(each, len(RINGS)) for each in (np.cos(lean), np.sin(lean))])
    both = _without_rings(np.concatenate([values, lean]), weights)
    left, waves = both[:-2], both[-2:]
    shares = np.linalg.lstsq((waves * weights) @ waves.T, (waves * weights) @ left.T, rcond=None)[0]
    return np.asarray(left - shares.T @ waves)


def _without_rings(values: Array, weights: Array) -> Array:
    by_ring, share = (each.reshape(-1, len(RINGS), len(ROUND_DEG)) for each in (values, weights))
    mean = (by_ring * share).sum(axis=2, keepdims=True) / np.maximum(share.sum(axis=2, keepdims=True), 1e-9)
    return np.asarray((by_ring - mean).reshape(len(values), -1))
