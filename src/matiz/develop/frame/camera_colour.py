"""Camera values and lights: from a light to its camera neutral and back, and to the working space.

Reference: DNG specification 1.7, chapter 6, "Mapping camera color space to CIE XYZ space": colour
matrices interpolated in reciprocal temperature, neutral to chromaticity by iteration, forward
matrices or Bradford adaptation to D50.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from ...colour.adaptation import adaptation_matrix
from ...colour.illuminants import illuminant_xy
from ...colour.spaces import D50_XY, XYZ_D50_TO_REC2020, XYZ_to_xy, xy_to_XYZ
from ...colour.temperature import cct_to_xy, xy_to_cct
from ...colour.types import Array, Chromaticity
from ...errors import ArgumentError
from ...raw.frame import Calibration, CameraColour
from ...recipe.model import Light


@dataclass(frozen=True)
class Balance:
    """What the light stage does to camera values."""

    gains: Array
    """(3,), green 1: camera values times gains are equal for a neutral."""
    matrix: Array
    """(3, 3), balanced camera values to linear Rec.2020; white goes to white."""
    xy: Chromaticity


def interpolated(colour: CameraColour, cct_K: float) -> Calibration:
    """The calibration for a light of `cct_K`, between the camera's two in reciprocal temperature."""
    first, *rest = sorted(colour.calibrations, key=lambda c: c.cct_K)
    if not rest or rest[-1].cct_K <= first.cct_K:
        return first  # two for the same light, or for lights that the file does not tell apart
    second = rest[-1]
    share = (1 / cct_K - 1 / first.cct_K) / (1 / second.cct_K - 1 / first.cct_K)
    share = float(np.clip(share, 0.0, 1.0))
    forward = None
    if first.forward_matrix is not None and second.forward_matrix is not None:
        forward = first.forward_matrix * (1 - share) + second.forward_matrix * share
    return Calibration(cct_K, first.color_matrix * (1 - share) + second.color_matrix * share, forward)


def xy_to_neutral(colour: CameraColour, xy: ArrayLike) -> Array:
    """Camera values (3,) of a white surface under a light of chromaticity `xy`, green 1."""
    return neutral_under(colour, _cct(xy), xy)


def neutral_under(colour: CameraColour, cct_K: float, xy: ArrayLike) -> Array:
    """The same for a light whose temperature is known."""
    neutral = interpolated(colour, cct_K).color_matrix @ xy_to_XYZ(xy)
    if not (neutral > 0).all():
        raise ArgumentError(
            f"light: the camera cannot see a white under the light x, y = {np.round(np.asarray(xy), 4)}"
        )
    return np.asarray(neutral / neutral[1])


def neutral_to_xy(colour: CameraColour, neutral: ArrayLike) -> Chromaticity:
    """Chromaticity (2,) of the light under which `neutral` (3,) is grey.

    Raises ArgumentError when no light does that.
    """
    neutral = np.asarray(neutral, np.float64)
    if neutral.shape != (3,) or not (neutral > 0).all():
        raise ArgumentError(f"neutral: three positive camera values are needed, got {neutral}")
    xy = D50_XY
    for _ in range(60):
        XYZ = np.linalg.solve(_color_matrix(colour, xy), neutral)
        if not (XYZ > 0).all():
            raise ArgumentError(f"neutral: {np.round(neutral, 4)} is not the colour of any light")
        fresh = XYZ_to_xy(XYZ)
        if np.abs(fresh - xy).max() < 1e-9:
            return fresh
        # half steps: between the calibrations a whole step can swing to and fro
        xy = (xy + fresh) / 2
    return xy


def as_shot_xy(colour: CameraColour) -> Chromaticity:
    """The light that the camera balanced for."""
    return neutral_to_xy(colour, colour.as_shot_neutral)


def light_xy(colour: CameraColour, light: Light) -> Chromaticity:
    """The light that a recipe balances for."""
    if light.source == "as_shot":
        return as_shot_xy(colour)
    if light.source == "manual":
        return cct_to_xy(light.cct_K, light.duv)
    return illuminant_xy(light.source)


def balance(colour: CameraColour, xy: ArrayLike) -> Balance:
    """How camera values become linear Rec.2020 when the light `xy` is to look neutral."""
    neutral = xy_to_neutral(colour, xy)
    here = interpolated(colour, _cct(xy))
    if here.forward_matrix is not None:
        to_D50 = here.forward_matrix
        to_D50 = np.diag(xy_to_XYZ(D50_XY) / to_D50.sum(axis=1)) @ to_D50
    else:
        adapt = adaptation_matrix(xy_to_XYZ(xy), xy_to_XYZ(D50_XY))
        to_D50 = adapt @ np.linalg.inv(here.color_matrix) @ np.diag(neutral)
        to_D50 = to_D50 / to_D50[1].sum()
    gains = 2.0**colour.baseline_EV / neutral
    return Balance(gains, XYZ_D50_TO_REC2020 @ to_D50, np.asarray(xy, np.float64))


def partly(full: Balance, share: float) -> Balance:
    """A balance that makes its light only partly neutral: `share` 1 wholly, 0 not at all.

    What was neutral takes the colour that lies, in mired and Duv, between D50 and the light (Hunt 1952 and
    CIECAM02 call the share the degree of adaptation).
    """
    if share >= 1.0:
        return full
    (cct_K, duv), (white_K, white_duv) = xy_to_cct(full.xy), xy_to_cct(D50_XY)
    left = 1.0 - share
    kept_K = 1e6 / (1e6 / white_K + left * (1e6 / cct_K - 1e6 / white_K))
    kept = cct_to_xy(float(kept_K), float(white_duv + left * (duv - white_duv)))
    back = adaptation_matrix(xy_to_XYZ(D50_XY), xy_to_XYZ(kept))
    turned = XYZ_D50_TO_REC2020 @ back @ np.linalg.inv(XYZ_D50_TO_REC2020)
    return replace(full, matrix=turned @ full.matrix)


def _color_matrix(colour: CameraColour, xy: ArrayLike) -> Array:
    return interpolated(colour, _cct(xy)).color_matrix


def _cct(xy: ArrayLike) -> float:
    return float(xy_to_cct(xy)[0])
