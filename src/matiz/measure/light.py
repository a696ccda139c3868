"""Readings of the Light station: the camera's light, and the light measured from the picture.

The measured light weighs three opinions. Surfaces without colour gather in log chromaticity (red and
blue over green) where a light's own colour lies: of the lights near the loci of daylight and black
bodies the one is taken that most of the picture is near-neutral under, weighted by how likely such a
light is and by how near it is to the other two opinions. Those are the brightest values of each channel
(white patch, Land 1977) and the camera's own choice. It is less certain the further it lies from that
choice, and where nothing in the picture is warmer (or cooler) than it.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from ..colour.spaces import XYZ_to_xy, xy_to_uv
from ..colour.temperature import cct_to_xy, duv_limit
from ..colour.types import Array, Camera
from ..develop.camera_colour import as_shot_xy, interpolated, neutral_to_xy, neutral_under
from ..errors import ArgumentError
from ..raw.frame import CameraColour, Frame
from .card import Card, grey_card
from .lights import Lights, read_lights
from .values import ColourKey, LightValue, value_of

NEAR_EV = 0.12
"""Half-width of "near-neutral" in log2 of red and blue over green."""
MOST_SAMPLES = 60_000
BRIGHTEST = 0.99
"""Quantile of each channel that stands for the brightest: white things are the brightest (Land 1977)."""
AGREEMENT_EV = 0.25
CAMERA_WEIGHT = 0.5
"""Of the camera's own choice among the opinions on the light; the others weigh up to 1."""
CAMERA_MIRED = 80.0
"""How far a camera's own choice of light is usually off, as a standard deviation."""

SIDE_EV = 0.3
"""In log2 of red over blue: further from the neutral than this a colour is warm or cool."""
LEAST_COLOURED, BALANCED, ONE_SIDED = 0.05, 0.10, 0.3


@dataclass(frozen=True)
class LightReading:
    """What Light shows of a picture."""

    as_shot: LightValue
    measured: LightValue | None
    """None when nothing in the picture looks neutral under any likely light."""
    lights: Lights
    neutrals_uv: Array
    """(n, 2) u', v' of the lights that would make the picture's near-neutral pixels grey."""
    card: Card | None = None
    """A grey card that lies in the picture."""


def neutral_light(colour: CameraColour, raw: Array) -> LightValue:
    """The light that would make camera values `raw` (3,) neutral.

    Raises ArgumentError when there is none.
    """
    return value_of(neutral_to_xy(colour, raw))


def read_light(frame: Frame, camera: Camera, step: int = 1) -> LightReading:
    """camera: upright camera values at a small level, from 100 px long to a few hundred; step: full-size px per
    px of it."""
    samples = _usable(camera)
    try:
        # a developed picture has no light of the camera's choice any more
        as_shot = value_of(as_shot_xy(frame.colour), 1.0 if frame.mosaic is not None else 0.0)
    except ArgumentError:
        as_shot = LightValue(5003.0, 0.0, 0.0)
    uv = _neutral_cloud(frame.colour, samples, as_shot)
    measured = measured_light(frame.colour, samples, as_shot)
    return LightReading(as_shot, measured, read_lights(frame.colour, camera, measured), uv,
                        grey_card(frame.colour, camera, step))  # fmt: skip


def measured_light(colour: CameraColour, samples: Array, as_shot: LightValue) -> LightValue | None:
    """The light of a picture from samples (n, 3) of camera values, none clipped or drowned in noise."""
    if len(samples) < 200:
        return None
    logs = np.log2(samples[:, [0, 2]] / samples[:, 1:2])
    edges = np.linspace(-5.0, 5.0, 401)
    density, _, _ = np.histogram2d(logs[:, 0], logs[:, 1], bins=(edges, edges))
    near = cv2.GaussianBlur(density.astype(np.float32), (0, 0), NEAR_EV / 2 / (edges[1] - edges[0]))
    near /= len(samples)

    brightest = np.quantile(samples, BRIGHTEST, axis=0)
    bright = np.log2(brightest[[0, 2]] / brightest[1])
    lights, likely, reciprocal = _candidates(ColourKey(colour))
    near_camera = np.ones(len(reciprocal))
    if as_shot.certainty > 0:
        near_camera = 0.3 + np.exp(-0.5 * ((reciprocal - as_shot.mired) / CAMERA_MIRED) ** 2)
    index = np.clip(np.searchsorted(edges, lights) - 1, 0, len(edges) - 2)
    agreement = np.exp(-0.5 * ((lights - bright) ** 2).sum(axis=1) / AGREEMENT_EV**2)
    score = near[index[:, 0], index[:, 1]] * likely * near_camera * (0.05 + agreement)
    centre = lights[int(np.argmax(score))]
    for _ in range(4):
        inside = np.abs(logs - centre).max(axis=1) < NEAR_EV
        if inside.sum() < 50:
            return None
        centre = logs[inside].mean(axis=0)
    share = float(inside.mean())
    two_sided = _two_sided(logs, centre)
    centre = _weighed(centre, bright, _log_neutral(colour, as_shot), max(0.02, min(share / 0.15, 1.0)) * two_sided)
    try:
        xy = neutral_to_xy(colour, np.array([2.0 ** centre[0], 1.0, 2.0 ** centre[1]]))
    except ArgumentError:
        return None
    found = value_of(xy)
    beside_locus = np.exp(-0.5 * (found.duv / 0.012) ** 2)
    off = found.mired - as_shot.mired if as_shot.certainty > 0 else 0.0
    doubt = np.exp(-0.5 * (off / (1.5 * CAMERA_MIRED)) ** 2)
    certainty = float(np.clip(share / 0.15, 0.0, 1.0) * beside_locus * doubt * two_sided)
    return LightValue(found.cct_K, found.duv, certainty)


def _weighed(mode: Array, bright: Array, camera: Array | None, trust: float) -> Array:
    """One neutral of three opinions, each (2,): the near-neutral colours, trusted by `trust`; the brightest
    values, as far as they lie near; and the camera's own choice."""
    near = float(np.exp(-0.5 * ((mode - bright) ** 2).sum() / (2 * AGREEMENT_EV) ** 2))
    opinions = [(mode, trust), (bright, near)]
    if camera is not None:
        # where the picture's own two agree, the camera's counts for little
        opinions.append((camera, CAMERA_WEIGHT * (1.0 - near * min(trust, 1.0))))
    return np.asarray(sum(o * w for o, w in opinions) / sum(w for _, w in opinions))


def _log_neutral(colour: CameraColour, as_shot: LightValue) -> Array | None:
    """log2 of red and blue over green of the camera's neutral; None where it made no choice."""
    if as_shot.certainty <= 0:
        return None
    neutral = colour.as_shot_neutral
    return np.asarray(np.log2(neutral[[0, 2]] / neutral[1]))


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


@lru_cache(maxsize=8)
def _candidates(camera: ColourKey) -> tuple[Array, Array, Array]:
    """log2 of red and blue over green of likely lights, (n, 2), how likely each is, (n,), and mired, (n,)."""
    lights, likely, reciprocals = [], [], []
    for reciprocal in np.arange(60.0, 560.0, 8.0):
        cct_K = 1e6 / reciprocal
        for duv in np.arange(-0.016, 0.0201, 0.004):
            if duv > duv_limit(cct_K):
                continue
            try:
                neutral = neutral_under(camera.colour, cct_K, cct_to_xy(cct_K, duv))
            except ArgumentError:
                continue
            lights.append(np.log2(neutral[[0, 2]] / neutral[1]))
            reciprocals.append(reciprocal)
            # blue surfaces look like light above 8,000 K far more often than such light is found
            rare = np.exp(-max(0.0, 125.0 - reciprocal) / 25.0)
            likely.append(np.exp(-0.5 * ((duv - 0.002) / 0.009) ** 2) * rare)
    return np.array(lights), np.array(likely), np.array(reciprocals)
