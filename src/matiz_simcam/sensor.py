"""The sensor: what falls on it becomes counts. Noise, and faults that stay in their places.

Reference for the noise: EMVA 1288 (photon noise plus read noise, variance linear in the mean).
"""

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from .scene import Map

WHITE = 16_000
BLACK = 512.0
FULL_WELL_ELECTRONS = 48_000.0
"""At ISO 100; the counts are 14 bit."""

PATTERNS = {
    "2x2": np.array([[0, 1], [1, 2]], np.uint8),
    "6x6": np.array(
        [[1, 1, 0, 1, 1, 2], [1, 1, 2, 1, 1, 0], [2, 0, 1, 0, 2, 1],
         [1, 1, 2, 1, 1, 0], [1, 1, 0, 1, 1, 2], [0, 2, 1, 2, 0, 1]], np.uint8
    ),
}  # fmt: skip


@dataclass(frozen=True)
class SensorSpeck:
    """A dust shadow. Places and radius in widths of the frame."""

    x: float
    y: float
    radius: float
    depth: float
    """Share of the light it takes in its middle at f/16."""


@dataclass(frozen=True)
class Hair:
    """A thin thing on the sensor: points along it in widths of the frame."""

    points: tuple[tuple[float, float], ...]
    width_px: float = 2.2
    depth: float = 0.25


@dataclass(frozen=True)
class SensorFaults:
    """What is wrong with one sensor, always in the same places."""

    nonuniformity: float = 0.0
    """Standard deviation of the photosites' gains."""
    dark_columns: tuple[tuple[float, float], ...] = ()
    """Place in widths, and counts taken away."""
    hot_share: float = 0.0
    """Share of photosites that are hot."""
    hot_electrons_per_s: float = 0.0
    specks: tuple[SensorSpeck, ...] = ()
    hairs: tuple[Hair, ...] = field(default=())
    seed: int = 77


CLEAN = SensorFaults()
DEMO = SensorFaults(
    0.004,
    ((0.2137, 5.0), (0.7841, 8.0)),
    1.5e-5,
    6.0e4,
    (
        SensorSpeck(0.312, 0.071, 0.0050, 0.28),
        SensorSpeck(0.846, 0.118, 0.0036, 0.22),
        SensorSpeck(0.590, 0.160, 0.0065, 0.18),
    ),
    (Hair(((0.112, 0.060), (0.121, 0.074), (0.136, 0.080), (0.149, 0.077))),),
)


def electrons_full(iso: float) -> float:
    """Electrons at the white level."""
    return FULL_WELL_ELECTRONS * 100.0 / iso


def read_noise_electrons(iso: float) -> float:
    """Falls with ISO, as amplification before the converter does."""
    return float(np.hypot(1.6, 5.5 * 100.0 / iso))


def shadow(size: tuple[int, int], faults: SensorFaults, f_number: float) -> Map:
    """Share of light that dust and hairs let through, (height, width): sharper and deeper stopped down."""
    width, height = size
    out = np.ones((height, width), np.float32)
    open_ = 16.0 / f_number
    x = np.arange(width, dtype=np.float32)[None, :] / width
    y = np.arange(height, dtype=np.float32)[:, None] / width
    for speck in faults.specks:
        spread = speck.radius * (0.7 + 0.3 * open_)
        across, down = (np.abs(x[0] - speck.x) < 3 * spread), (np.abs(y[:, 0] - speck.y) < 3 * spread)
        near = np.ix_(down, across)
        distance2 = ((x[:, across] - speck.x) ** 2 + (y[down] - speck.y) ** 2) / spread**2
        out[near] *= 1.0 - speck.depth * (speck.radius / spread) ** 2 * np.exp(-(distance2**1.5))
    for hair in faults.hairs:
        line = np.zeros((height, width), np.uint8)
        points = np.round(np.array(hair.points) * width * 16).astype(np.int32)
        thick = max(1, round(hair.width_px * width / 3000))
        cv2.polylines(line, [points.reshape(-1, 1, 2)], False, 255, thick, cv2.LINE_AA, 4)
        soft = cv2.GaussianBlur(line.astype(np.float32) / 255.0, (0, 0), 0.8 + 0.6 * open_ * width / 3000)
        out *= 1.0 - hair.depth * soft
    return out


def counts(
    light: Map,
    *,
    pattern: str,
    iso: float,
    ev: float,
    time_s: float,
    f_number: float,
    noise: bool,
    seed: int,
    faults: SensorFaults,
) -> NDArray[np.uint16]:
    """Counts (height, width) of light (height, width, 3), 1 of which fills green at ev 0."""
    height, width = light.shape[:2]
    filters = PATTERNS[pattern]
    rows, columns = filters.shape
    signal = np.empty((height, width), np.float32)
    for row in range(rows):
        for column in range(columns):
            signal[row::rows, column::columns] = light[row::rows, column::columns, filters[row, column]]
    if faults.specks or faults.hairs:
        signal *= shadow((width, height), faults, f_number)
    full = electrons_full(iso)
    electrons = signal * np.float32(2.0**ev * full)
    fixed = np.random.default_rng(faults.seed)
    if faults.nonuniformity > 0:
        electrons *= 1.0 + np.float32(faults.nonuniformity) * fixed.standard_normal(electrons.shape, np.float32)
    if faults.hot_share > 0:
        hot = fixed.integers(0, height * width, round(height * width * faults.hot_share))
        electrons.ravel()[hot] += fixed.random(len(hot), np.float32) * np.float32(faults.hot_electrons_per_s * time_s)
    if noise:
        random = np.random.default_rng(seed)
        variance = np.maximum(electrons, 0.0) + np.float32(read_noise_electrons(iso) ** 2)
        electrons = electrons + np.sqrt(variance) * random.standard_normal(electrons.shape, np.float32)
    out = electrons * np.float32((WHITE - BLACK) / full) + np.float32(BLACK)
    for place, depth in faults.dark_columns:
        out[:, int(place * width)] -= depth
    return np.clip(np.rint(out), 0, WHITE).astype(np.uint16)
