"""The sensor's noise measured in one frame: variance against mean of blocks without texture (photon transfer).

Noise is taken from the finest detail (Immerkaer 1996, "Fast noise variance estimation"), and whether a
block is flat from coarser detail, so that choosing blocks does not favour quiet ones. References: EMVA
1288 for the model, variance = shot * signal + read ** 2; Foi, Trimeche, Katkovnik, Egiazarian 2008 for
fitting it to a single picture.
"""

from dataclasses import dataclass, replace
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Array
from .frame import Frame, Mosaic

BLOCK, PART = 9, 3
"""Side of a block and of its parts, in photosites of one colour: so small, for few darks are flat over more."""
QUIET, QUIET_SHARE = 0.2, 0.7555
"""Quantile of the blocks' variances that is taken, and what it is of the true variance for blocks of pure noise of this
size; by simulation, see the tests."""
LEAST_ERROR, BLOCK_ERROR = 0.06, 0.6
"""Of a bin's variance, relative: at least, and by one block."""
TEXTURE = 0.5
"""Of weighted logarithms of variance: a bin that lies higher above the model counts for ever less."""
USUAL_UNEVENNESS = 0.004
USUAL_FACTORS = np.array([2.5, 1.6, 2.0])
"""By what read noise, shot noise and unevenness differ from the common sensor's, as a standard deviation."""
BINS, LEAST_IN_BIN = 28, 6
FULL = 0.92
LEAST_BLOCKS = 40
FLAT = 1.6
"""Most variance of the means of a flat block's parts, against what noise alone gives."""
_FINEST = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6.0


@dataclass(frozen=True)
class Noise:
    """variance = shot * signal + read ** 2 + (unevenness * signal) ** 2, of values 0..1 of the white level."""

    shot: float
    read: float
    unevenness: float = 0.0
    """Of the photosites' gains."""
    source: str = "file"
    """"file" (the noise profile of a DNG), "frame" (measured) or "ISO" (that of a common sensor)."""
    blocks: int = 0
    """How many flat blocks a measured one rests on."""

    def variance(self, signal: Array) -> Array:
        held = np.maximum(signal, 0.0)
        return np.asarray(self.shot * held + self.read**2 + (self.unevenness * held) ** 2)


def noise_of(frame: Frame) -> Noise:
    """The noise of a frame, by the best that is known of it: its profile, itself, or its ISO."""
    if frame.noise_profile:
        # of the noisiest channel
        shot = max(a for a, _ in frame.noise_profile)
        return Noise(shot, max(max(b, 0.0) for _, b in frame.noise_profile) ** 0.5)
    common = common_noise(frame.exposure.iso)
    return common if frame.mosaic is None else _measured_once(_Key(frame.mosaic), common) or common


def common_noise(iso: float | None) -> Noise:
    """That of a common sensor: 30,000 electrons when full, read noise 4, at ISO 100; from memory, no source."""
    full = 30_000.0 * 100.0 / (iso or 400.0)
    return Noise(1.0 / full, 4.0 / full, source="ISO")


class _Key:
    """A mosaic as a cache key, by identity."""

    def __init__(self, mosaic: Mosaic) -> None:
        self.mosaic = mosaic

    def __hash__(self) -> int:
        return id(self.mosaic.values)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and other.mosaic.values is self.mosaic.values


@lru_cache(maxsize=2)
def _measured_once(key: _Key, common: Noise) -> Noise | None:
    return measure_noise(key.mosaic, common)


def measure_noise(mosaic: Mosaic, common: Noise) -> Noise | None:
    """Shot and read noise from the frame's own flat places; None when it has too few of them.

    common: what such a sensor usually has. What the frame does not show, such as the read noise when it has no darks,
    stays near it.
    """
    rows, columns = mosaic.pattern.shape
    means, variances, spreads = [], [], []
    for row in range(rows):
        for column in range(columns):
            black = float(mosaic.black[row, column])
            plane = mosaic.values[row::rows, column::columns].astype(np.float32)
            mean, variance, spread = _blocks((plane - black) / np.float32(mosaic.white - black))
            means.append(mean)
            variances.append(variance)
            spreads.append(spread)
    mean, variance, spread = (np.concatenate(values) for values in (means, variances, spreads))
    usable = (mean < FULL) & (variance > 0)
    mean, variance, spread = mean[usable], variance[usable], spread[usable]
    if len(mean) < LEAST_BLOCKS:
        return None
    signal = np.maximum(mean, 0.0)
    found, flat = common, np.ones(len(mean), bool)
    expected = variance
    for _ in range(4):
        flat = (spread < FLAT * expected / PART**2) & (variance < 4.0 * expected)
        if flat.sum() < LEAST_BLOCKS:
            return None
        found = _fitted(mean[flat], variance[flat], common)
        expected = np.maximum(found.variance(signal), 1e-12)
    return replace(found, source="frame", blocks=int(flat.sum()))


def _blocks(plane: NDArray[np.float32]) -> tuple[Array, Array, Array]:
    """Per block: mean, variance of the finest detail, and variance of the means of its parts about a plane."""
    height, width = (n // BLOCK * BLOCK for n in plane.shape)
    if height == 0 or width == 0:
        return np.empty(0), np.empty(0), np.empty(0)
    plane = np.ascontiguousarray(plane[:height, :width])
    finest = cv2.filter2D(plane, -1, _FINEST, borderType=cv2.BORDER_REFLECT_101)
    size = (width // BLOCK, height // BLOCK)
    mean = cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
    variance = cv2.resize(finest * finest, size, interpolation=cv2.INTER_AREA)
    parts = cv2.resize(plane, (width // PART, height // PART), interpolation=cv2.INTER_AREA)
    per = BLOCK // PART
    grid = parts.reshape(size[1], per, size[0], per).transpose(0, 2, 1, 3).reshape(-1, per * per).astype(np.float64)
    y, x = np.mgrid[0:per, 0:per]
    tilt = np.stack([np.ones(per * per), x.ravel() - x.mean(), y.ravel() - y.mean()], axis=1)
    rest = grid - grid @ (tilt @ np.linalg.pinv(tilt)).T
    spread = (rest**2).sum(axis=1) / (per * per - 3)
    return mean.ravel().astype(np.float64), variance.ravel().astype(np.float64), spread


def _fitted(mean: Array, variance: Array, common: Noise) -> Noise:
    """Of variance over mean, by the quieter blocks of bins of like mean: what is livelier may be texture.

    Robust least squares of logarithms, held to the common sensor's as far as the bins do not tell.
    """
    # even steps in the logarithm give the darks, where the read noise shows, their own bins
    place = np.log(np.maximum(mean, 0.0) + 3e-4)
    edges = np.linspace(place.min(), place.max() + 1e-9, BINS + 1)
    which = np.digitize(place, edges)
    bins = [np.flatnonzero(which == n) for n in range(1, BINS + 1)]
    bins = [part for part in bins if len(part) >= LEAST_IN_BIN]
    if len(bins) < 3:
        bins = np.array_split(np.argsort(mean), 3)
    x = np.maximum([mean[part].mean() for part in bins], 0.0)
    y = np.log([np.quantile(variance[part], QUIET) / QUIET_SHARE for part in bins])
    weight = 1.0 / np.sqrt(LEAST_ERROR**2 + BLOCK_ERROR**2 / np.array([len(part) for part in bins]))
    usual = np.log([common.read, common.shot, USUAL_UNEVENNESS])

    def model(at: Array) -> Noise:
        read, shot, unevenness = np.exp(at)
        return Noise(float(shot), float(read), float(unevenness), common.source)

    def off(at: Array) -> Array:
        beside = (y - np.log(model(at).variance(x))) * weight
        # more than the model is texture, and counts for little; less than it can be nothing but less noise
        above = np.maximum(beside, 0.0)
        beside = np.minimum(beside, 0.0) + TEXTURE * np.log1p(above / TEXTURE)
        return np.concatenate([beside, (at - usual) / np.log(USUAL_FACTORS)])

    # half of the program's start, and not wanted before something is measured
    from scipy.optimize import least_squares

    found = least_squares(off, usual, method="trf", max_nfev=60).x
    return model(found)
