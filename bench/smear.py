"""Smears that are found in photographs that were smeared on purpose, and in those as they are; and what taking them
back brings: peak signal to noise against what was there, sRGB-encoded."""

import statistics

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.metrics import peak_signal_noise_ratio

from matiz.colour.spaces import LUMINANCE, encode_sRGB
from matiz.develop.frame.noise import RENDERED
from matiz.develop.stages.deblur import Blur, sharper, wiener
from matiz.findings.detail import SMEAR_TAKEN
from matiz.measure.detail.blur import Smear, choose_patches
from matiz.measure.detail.smear import find_smear

from .photographs import linear, photographs

LONG_PX, CODES = 1800, 4095
WENT_PX = (4.0, 7.0)
FINE = 4

Plane = NDArray[np.float32]


def run() -> dict[str, float]:
    random, out = np.random.default_rng(0), {}
    told = [linear(each, LONG_PX) @ LUMINANCE.astype(np.float32) for each in photographs()]
    out["photographs"] = float(len(told))
    out["called smeared as they are"] = float(sum(_found(_coded(light)) is not None for light in told))
    for went in WENT_PX:
        off, sizes, gains = [], [], []
        for light in told:
            along = random.uniform(0.0, 180.0)
            seen = _coded(cv2.filter2D(light, cv2.CV_32F, line(went, along)))
            smear = _found(seen)
            if smear is not None:
                off.append(abs((smear.along_deg - along + 90.0) % 180.0 - 90.0))
                sizes.append(smear.went_px / went)
                gains.append(_gain_dB(light, seen, smear))
        out |= {
            f"smeared over {went:g} px: found": float(len(off)),
            f"smeared over {went:g} px: way off, degrees, median": statistics.median(off),
            f"smeared over {went:g} px: length against what it was, median": statistics.median(sizes),
            f"smeared over {went:g} px: taken back, dB, median": statistics.median(gains),
            f"smeared over {went:g} px: taken back, worse than before": float(sum(gain < 0.0 for gain in gains)),
        }
    return out


def line(length: float, deg: float) -> Plane:
    """An even smear, drawn at FINE times the size."""
    side = (2 * int(length) + 5) * FINE
    middle, way = (side - 1) / 2.0, (np.cos(np.radians(deg)), -np.sin(np.radians(deg)))
    fine = np.zeros((side, side), np.float32)
    for t in np.linspace(-length / 2.0, length / 2.0, 400) * FINE:
        x, y = middle + t * way[0], middle + t * way[1]
        column, row = int(np.floor(x)), int(np.floor(y))
        for dx, dy in ((0, 0), (1, 0), (0, 1), (1, 1)):
            fine[row + dy, column + dx] += (1.0 - abs(x - column - dx)) * (1.0 - abs(y - row - dy))
    kernel = fine.reshape(side // FINE, FINE, side // FINE, FINE).sum(axis=(1, 3))
    return np.asarray(kernel / kernel.sum(), np.float32)


def _coded(light: Plane) -> Plane:
    return np.asarray(np.rint(np.clip(light, 0.0, 1.0) * CODES) / CODES, np.float32)


def _found(light: Plane) -> Smear | None:
    small = cv2.resize(light, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    regions, _ = choose_patches(small, 4, (light.shape[1], light.shape[0]))
    patches = [np.ascontiguousarray(light[y : y + h, x : x + w]) for x, y, w, h in regions]
    return find_smear(patches, 0.0)


def _gain_dB(light: Plane, seen: Plane, smear: Smear) -> float:
    blur = Blur(0.0, SMEAR_TAKEN * smear.spread_px, smear.along_deg)
    made = sharper(seen, wiener(blur), blur.longest, 1e-6, RENDERED, np.ones(3, np.float32))
    before, after = (
        peak_signal_noise_ratio(encode_sRGB(light), encode_sRGB(np.clip(each, 0.0, 1.0)), data_range=1.0)
        for each in (seen, made)
    )
    return float(after - before)
