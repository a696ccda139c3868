"""Noise and sharpness where they show: a flat, a textured and an edged spot of the picture, before and after."""

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import LUMINANCE, sRGB_to_Lab
from ...colour.types import Array, Camera, Image
from ...develop.frame.noise import Scale, coefficients
from ...develop.frame.tiles import Region
from ...kernels.block_sizes import SIDE

SPOT_PX = 160
"""Side of a spot, px of the full size."""
BLOCK = 12
"""Px of the picture that spots are chosen in."""
FINE = 3
"""Sum of both frequencies from which on a coefficient is detail."""
EDGE_PX = 7
"""Within how many px an overshoot is compared."""
DARK, LIGHT = 0.02, 0.8
"""Of display luminance: what is darker or lighter says little."""
KINDS = ("flat", "texture", "edge")


class DetailSpots(NamedTuple):
    """Regions of the full-size picture, in the order of KINDS."""

    flat: Region
    texture: Region
    edge: Region


@dataclass(frozen=True)
class DetailReading:
    """What is done to detail, as measured at the spots."""

    noise_removed_dB: float
    """Of the flat spot."""
    texture_kept: float | None
    """Share of the energy of fine detail above the noise that is left at the textured spot; 1 is all."""
    halo_L: float
    """How far edges overshoot by sharpening, L*: one px in a hundred of the edged spot goes further."""


def choose_spots(working: Image, step: int, size: tuple[int, int]) -> DetailSpots:
    """Where a picture is flat, textured, and has an edge: the clearest of each.

    working: scene-linear (height, width, 3) at a level; step: full-size px per px of it; size: of the full picture.
    """
    luminance = np.maximum(working.astype(np.float32) @ LUMINANCE.astype(np.float32), 1e-5)
    grey = np.cbrt(luminance)
    across, down = (cv2.Sobel(grey, cv2.CV_32F, dx, 1 - dx, ksize=3) for dx in (1, 0))
    blocks = max(1, grey.shape[1] // BLOCK), max(1, grey.shape[0] // BLOCK)

    def mean(plane: Array) -> Array:
        return cv2.resize(np.asarray(plane, np.float32), blocks, interpolation=cv2.INTER_AREA)

    xx, yy, xy = mean(across * across), mean(down * down), mean(across * down)
    energy = xx + yy
    one_way = np.sqrt((xx - yy) ** 2 + 4.0 * xy**2) / np.maximum(energy, 1e-12)
    level = mean(luminance)
    usable = (level > DARK) & (level < LIGHT)
    # the rim of the picture is seldom looked at
    usable[[0, -1]], usable[:, [0, -1]] = False, False
    if not usable.any():
        usable[:] = True
    scores = (
        np.where(usable, -energy, -np.inf), np.where(usable, energy * (1.0 - one_way) ** 2, -np.inf),
        np.where(usable, energy * one_way**2, -np.inf),
    )  # fmt: skip
    found = []
    for score in scores:
        row, column = np.unravel_index(int(np.argmax(score)), score.shape)
        x, y = ((at + 0.5) * n / count * step for at, n, count in
                ((column, grey.shape[1], blocks[0]), (row, grey.shape[0], blocks[1])))  # fmt: skip
        w, h = (min(SPOT_PX, length) for length in size)
        left, top = int(np.clip(x - w / 2, 0, size[0] - w)), int(np.clip(y - h / 2, 0, size[1] - h))
        found.append((left, top, w, h))
    return DetailSpots(*found)


def noise_removed_dB(scale: Scale, before: Camera, after: Camera) -> float:
    """Of the flat spot, camera values (height, width, 3)."""
    power = [_powers(scale, each)[_is_fine()].sum() for each in (before, after)]
    return float(10.0 * np.log10(max(power[0], 1e-12) / max(power[1], 1e-12)))


def texture_kept(
    scale: Scale, spread: NDArray[np.float32], before: Camera, after: Camera, removed_dB: float
) -> float | None:
    """Of the textured spot; None where nothing rises above the noise. spread: (8, 8), see `develop.noise`; removed_dB:
    by how much less noise there is after."""
    fine, noise = _is_fine(), spread.astype(np.float64) ** 2
    own = _powers(scale, before) - noise
    clear = fine & (own > 0.5 * noise)
    if not clear.any():
        return None
    left = _powers(scale, after) - noise * 10.0 ** (-removed_dB / 10.0)
    return max(float(left[clear].sum() / own[clear].sum()), 0.0)


def halo_L(plain: Image, sharpened: Image) -> float:
    """Display-linear sRGB (height, width, 3) of the edged spot, without and with sharpening."""
    L, after = (np.ascontiguousarray(sRGB_to_Lab(each)[..., 0], np.float32) for each in (plain, sharpened))
    window = np.ones((EDGE_PX, EDGE_PX), np.uint8)
    beyond = np.maximum(after - cv2.dilate(L, window), cv2.erode(L, window) - after)
    return max(float(np.quantile(beyond, 0.99)), 0.0)


def _is_fine() -> NDArray[np.bool_]:
    at = np.arange(SIDE)
    return np.asarray(at[:, None] + at[None] >= FINE)


def _powers(scale: Scale, camera: Camera) -> Array:
    """Mean power of each coefficient of the plane of lightness, (8, 8)."""
    plane = scale.to_planes(camera)[..., 0].astype(np.float64)
    # the smallest pictures hold no block
    plane = np.pad(plane, [(0, max(SIDE - length, 0)) for length in plane.shape], mode="symmetric")
    return np.asarray((coefficients(plane, 4) ** 2).mean(axis=(0, 1)))
