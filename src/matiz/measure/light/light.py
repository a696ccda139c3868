"""Readings of the Light station: the camera's light, and the light measured from the picture.

The light is measured from what edges and bright places say (see evidence), and from the camera's own choice,
which is usually near.
"""

from dataclasses import dataclass

import numpy as np

from ...colour.spaces import XYZ_to_xy, xy_to_uv
from ...colour.temperature import cct_to_xy
from ...colour.types import Array, Camera
from ...develop.frame.camera_colour import as_shot_xy, interpolated, neutral_to_xy
from ...errors import ArgumentError
from ...raw.frame import CameraColour, Frame
from ...recipe.leaves import Points
from ..table.values import LightValue, value_of
from .card import GreyCard, grey_card
from .evidence import Evidence, gather
from .lights import KnownLight, Lights, known_lights, read_lights

MOST_SAMPLES = 60_000
GREY_PX = 2
"""Half-width of what is read around a place that was named as grey, px of the small picture."""
FULL = 0.97
"""Camera value over which a place may be clipped."""


@dataclass(frozen=True)
class LightReading:
    """What Light shows of a picture."""

    as_shot: LightValue
    measured: LightValue | None
    """None when too little of the picture is neither clipped nor black."""
    lights: Lights
    neutrals_uv: Array
    """(n, 2) u', v' of the lights that would make the picture's near-neutral pixels grey."""
    card: GreyCard | None = None
    """A grey card that lies in the picture."""


def neutral_light(colour: CameraColour, raw: Array) -> LightValue:
    """The light that would make camera values `raw` (3,) neutral.

    Raises ArgumentError when there is none.
    """
    return value_of(neutral_to_xy(colour, raw))


def read_light(frame: Frame, camera: Camera, step: int = 1, greys: Points = ()) -> LightReading:
    """camera: upright camera values at a small level, from 100 px long to a few hundred; step: full-size px per
    px of it. greys: two points in units of the long side that are grey, each in a light of its own."""
    samples = _usable(camera)
    try:
        # a developed picture has no light of the camera's choice any more
        as_shot = value_of(as_shot_xy(frame.colour), 1.0 if frame.mosaic is not None else 0.0)
    except ArgumentError:
        as_shot = LightValue(5003.0, 0.0, 0.0)
    uv = _neutral_cloud(frame.colour, samples, as_shot)
    evidence = gather(frame.colour, camera)
    measured = measured_light(evidence, as_shot)
    picked = [known for point in greys if (known := light_at(frame.colour, camera, point))]
    if len(picked) == 2:
        lights = known_lights(frame.colour, camera, picked[0], picked[1])
    else:
        lights = read_lights(frame.colour, camera, measured, evidence)
    return LightReading(as_shot, measured, lights, uv, grey_card(frame.colour, camera, step))


def measured_light(evidence: Evidence | None, as_shot: LightValue) -> LightValue | None:
    """The light of a picture from what its pixels say; None when they say nothing."""
    if evidence is None:
        return None
    return evidence.estimate(evidence.probabilities(as_shot=as_shot)).value


def light_at(colour: CameraColour, camera: Camera, point: tuple[float, float]) -> KnownLight | None:
    """The light that makes a place grey; None when there is none, or the place is black or clipped."""
    height, width = camera.shape[:2]
    x, y = (round(value * max(width, height)) for value in point)
    x, y = min(x, width - 1), min(y, height - 1)
    near = camera[max(0, y - GREY_PX) : y + GREY_PX + 1, max(0, x - GREY_PX) : x + GREY_PX + 1].reshape(-1, 3)
    mean = near.mean(axis=0).astype(np.float64)
    if mean.max() > FULL or mean.min() <= 0.0:
        return None
    try:
        light = neutral_light(colour, mean)
    except ArgumentError:
        return None
    return KnownLight(light, (x / width, y / height))


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
