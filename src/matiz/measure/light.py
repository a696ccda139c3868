"""Readings of the Light station: the camera's light, and the light measured from the picture.

The measured light: surfaces without colour gather in log chromaticity (red and blue over green)
where a light's own colour lies. Lights near the loci of daylight and black bodies are tried. Each
gets the share of the picture that is near-neutral under it, weighted by how likely such a light
is, by how near it is to the camera's own choice, and by a shades-of-grey estimate (Finlayson and
Trezzi 2004, norm 6); the mean of the near-neutral pixels around the best is the reading. It is less
certain the further it lies from the camera's choice, and where nothing in the picture is warmer (or
cooler) than it.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from ..colour.spaces import XYZ_to_xy, xy_to_uv
from ..colour.temperature import cct_to_xy, duv_limit, mired, xy_to_cct
from ..colour.types import Array, Camera, Chromaticity
from ..errors import ArgumentError
from ..raw.camera_colour import as_shot_xy, interpolated, neutral_to_xy, xy_to_neutral
from ..raw.frame import CameraColour, Frame

NEAR_EV = 0.12
"""Half-width of "near-neutral" in log2 of red and blue over green."""
MOST_SAMPLES = 60_000
CAMERA_MIRED = 80.0
"""How far a camera's own choice of light is usually off, as a standard deviation."""

SIDE_EV = 0.3
"""In log2 of red over blue: further from the neutral than this a colour is warm or cool."""
LEAST_COLOURED, BALANCED, ONE_SIDED = 0.05, 0.10, 0.3


@dataclass(frozen=True)
class LightValue:
    """A light: CCT in K, Duv, and how certain the reading is, 0..1."""

    cct_K: float
    duv: float
    certainty: float = 1.0

    @property
    def mired(self) -> float:
        return float(mired(self.cct_K))

    @property
    def xy(self) -> Chromaticity:
        return cct_to_xy(float(np.clip(self.cct_K, 1000.0, 100_000.0)), self.duv)


@dataclass(frozen=True)
class LightReading:
    """What Light shows of a picture."""

    as_shot: LightValue
    measured: LightValue | None
    """None when nothing in the picture looks neutral under any likely light."""
    neutrals_uv: Array
    """(n, 2) u', v' of the lights that would make the picture's near-neutral pixels grey."""


def value_of(xy: Chromaticity, certainty: float = 1.0) -> LightValue:
    cct_K, duv = xy_to_cct(xy)
    return LightValue(float(cct_K), float(duv), certainty)


def neutral_light(colour: CameraColour, raw: Array) -> LightValue:
    """The light that would make camera values `raw` (3,) neutral.

    Raises ArgumentError when there is none.
    """
    return value_of(neutral_to_xy(colour, raw))


def read_light(frame: Frame, camera: Camera) -> LightReading:
    """camera: upright camera values at a small level, from 100 px long to a few hundred."""
    samples = _usable(camera)
    try:
        as_shot = value_of(as_shot_xy(frame.colour))
    except ArgumentError:
        as_shot = LightValue(5003.0, 0.0, 0.0)
    uv = _neutral_cloud(frame.colour, samples, as_shot)
    return LightReading(as_shot, measured_light(frame.colour, samples, as_shot), uv)


def measured_light(colour: CameraColour, samples: Array, as_shot: LightValue) -> LightValue | None:
    """The light of a picture from samples (n, 3) of camera values, none clipped or drowned in noise."""
    if len(samples) < 200:
        return None
    logs = np.log2(samples[:, [0, 2]] / samples[:, 1:2])
    edges = np.linspace(-5.0, 5.0, 401)
    density, _, _ = np.histogram2d(logs[:, 0], logs[:, 1], bins=(edges, edges))
    near = cv2.GaussianBlur(density.astype(np.float32), (0, 0), NEAR_EV / 2 / (edges[1] - edges[0]))
    near /= len(samples)

    grey = np.mean(samples**6, axis=0) ** (1 / 6)
    grey_log = np.log2(grey[[0, 2]] / grey[1])
    lights, likely, reciprocal = _candidates(_Hashable(colour))
    near_camera = 0.3 + np.exp(-0.5 * ((reciprocal - as_shot.mired) / CAMERA_MIRED) ** 2)
    index = np.clip(np.searchsorted(edges, lights) - 1, 0, len(edges) - 2)
    # 0.7 EV in the ratio of two channels is about 60 mired
    agreement = np.exp(-0.5 * ((lights - grey_log) ** 2).sum(axis=1) / 0.7**2)
    score = near[index[:, 0], index[:, 1]] * likely * near_camera * (0.15 + agreement)
    centre = lights[int(np.argmax(score))]
    for _ in range(4):
        inside = np.abs(logs - centre).max(axis=1) < NEAR_EV
        if inside.sum() < 50:
            return None
        centre = logs[inside].mean(axis=0)
    share = float(inside.mean())
    try:
        xy = neutral_to_xy(colour, np.array([2.0 ** centre[0], 1.0, 2.0 ** centre[1]]))
    except ArgumentError:
        return None
    found = value_of(xy)
    beside_locus = np.exp(-0.5 * (found.duv / 0.012) ** 2)
    doubt = np.exp(-0.5 * ((found.mired - as_shot.mired) / (1.5 * CAMERA_MIRED)) ** 2)
    certainty = float(np.clip(share / 0.15, 0.0, 1.0) * beside_locus * doubt * _two_sided(logs, centre))
    return LightValue(found.cct_K, found.duv, certainty)


def _two_sided(logs: Array, centre: Array) -> float:
    """1 where colours lie on both sides of a neutral, the warmer and the cooler; down to ONE_SIDED where all
    lie on one: then the neutral is more likely a coloured surface, such as warm sand, than the light."""
    warmth = (logs[:, 0] - logs[:, 1]) - (centre[0] - centre[1])
    warm, cool = float((warmth > SIDE_EV).mean()), float((warmth < -SIDE_EV).mean())
    if warm + cool < LEAST_COLOURED:
        return 1.0
    return float(np.clip(min(warm, cool) / (warm + cool) / BALANCED, ONE_SIDED, 1.0))


def _usable(camera: Camera) -> Array:
    flat = camera.reshape(-1, 3).astype(np.float64)
    good = (flat.max(axis=1) < 0.9) & (flat.min(axis=1) > 0.004)
    flat = flat[good]
    return flat[:: max(1, len(flat) // MOST_SAMPLES)]


def _neutral_cloud(colour: CameraColour, samples: Array, light: LightValue) -> Array:
    """u', v' of the samples that lie near the loci, seen with the camera's matrix for `light`."""
    if not len(samples):
        return np.empty((0, 2))
    matrix = interpolated(colour, light.cct_K).color_matrix
    XYZ = samples[:: max(1, len(samples) // 4000)] @ np.linalg.inv(matrix).T
    XYZ = XYZ[(XYZ > 0).all(axis=1)]
    uv = xy_to_uv(XYZ_to_xy(XYZ))
    locus = xy_to_uv(np.array([cct_to_xy(k) for k in np.geomspace(1600.0, 25_000.0, 60)]))
    distance = np.sqrt(((uv[:, None] - locus[None]) ** 2).sum(axis=2)).min(axis=1)
    return uv[distance < 0.03]


class _Hashable:
    """A camera's colour as a cache key: equal when its matrices are."""

    def __init__(self, colour: CameraColour) -> None:
        self.colour = colour
        self._key = tuple((c.cct_K, c.color_matrix.tobytes()) for c in colour.calibrations)

    def __hash__(self) -> int:
        return hash(self._key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Hashable) and self._key == other._key


@lru_cache(maxsize=8)
def _candidates(camera: _Hashable) -> tuple[Array, Array, Array]:
    """log2 of red and blue over green of likely lights, (n, 2), how likely each is, (n,), and mired, (n,)."""
    lights, likely, reciprocals = [], [], []
    for reciprocal in np.arange(60.0, 560.0, 8.0):
        cct_K = 1e6 / reciprocal
        for duv in np.arange(-0.016, 0.0201, 0.004):
            if duv > duv_limit(cct_K):
                continue
            try:
                neutral = xy_to_neutral(camera.colour, cct_to_xy(cct_K, duv))
            except ArgumentError:
                continue
            lights.append(np.log2(neutral[[0, 2]] / neutral[1]))
            reciprocals.append(reciprocal)
            # blue surfaces look like light above 8,000 K far more often than such light is found
            rare = np.exp(-max(0.0, 125.0 - reciprocal) / 25.0)
            likely.append(np.exp(-0.5 * ((duv - 0.002) / 0.009) ** 2) * rare)
    return np.array(lights), np.array(likely), np.array(reciprocals)
