"""Colour spaces: matrices from primaries, sRGB encoding, Lab, LCh, Oklab, u'v'.

References: IEC 61966-2-1 (sRGB), IEC 61966-2-5 (opRGB), ITU-R BT.2020, CIE 015:2018 (Lab, u'v'), Ottosson 2020 (Oklab).
"""

import numpy as np
from numpy.typing import ArrayLike

from .adaptation import adaptation_matrix
from .types import Array

D50_XY = np.array([0.34567, 0.35850])
D65_XY = np.array([0.3127, 0.3290])

PRIMARIES = {
    "sRGB": [[0.64, 0.33], [0.30, 0.60], [0.15, 0.06]],
    "opRGB": [[0.64, 0.33], [0.21, 0.71], [0.15, 0.06]],
    "Rec.2020": [[0.708, 0.292], [0.170, 0.797], [0.131, 0.046]],
}


def xy_to_XYZ(xy: ArrayLike, Y: float = 1.0) -> Array:
    """(..., 2) chromaticities to (..., 3) XYZ of luminance `Y`."""
    x, y = np.moveaxis(np.asarray(xy, np.float64), -1, 0)
    return np.stack([x / y * Y, np.full_like(x, Y), (1.0 - x - y) / y * Y], axis=-1)


def XYZ_to_xy(XYZ: ArrayLike) -> Array:
    XYZ = np.asarray(XYZ, np.float64)
    return XYZ[..., :2] / XYZ.sum(axis=-1, keepdims=True)


def xy_to_uv(xy: ArrayLike) -> Array:
    """CIE 1976 u', v' of chromaticities (..., 2)."""
    x, y = np.moveaxis(np.asarray(xy, np.float64), -1, 0)
    scale = -2.0 * x + 12.0 * y + 3.0
    return np.stack([4.0 * x / scale, 9.0 * y / scale], axis=-1)


def uv_to_xy(uv: ArrayLike) -> Array:
    """Chromaticities of CIE 1976 u', v' (..., 2)."""
    u, v = np.moveaxis(np.asarray(uv, np.float64), -1, 0)
    scale = 6.0 * u - 16.0 * v + 12.0
    return np.stack([9.0 * u / scale, 4.0 * v / scale], axis=-1)


def RGB_to_XYZ_matrix(space: str) -> Array:
    """(3, 3) from linear RGB to XYZ relative to the space's own D65 white."""
    primaries = xy_to_XYZ(PRIMARIES[space]).T
    return np.asarray(primaries * np.linalg.solve(primaries, xy_to_XYZ(D65_XY)))


REC2020_TO_XYZ = RGB_to_XYZ_matrix("Rec.2020")
XYZ_TO_REC2020 = np.linalg.inv(REC2020_TO_XYZ)
REC2020_TO_SRGB = np.linalg.inv(RGB_to_XYZ_matrix("sRGB")) @ REC2020_TO_XYZ
SRGB_TO_REC2020 = np.linalg.inv(REC2020_TO_SRGB)
XYZ_TO_SRGB = np.linalg.inv(RGB_to_XYZ_matrix("sRGB"))
OPRGB_TO_REC2020 = XYZ_TO_REC2020 @ RGB_to_XYZ_matrix("opRGB")
REC2020_TO_XYZ_D50 = adaptation_matrix(xy_to_XYZ(D65_XY), xy_to_XYZ(D50_XY)) @ REC2020_TO_XYZ
XYZ_D50_TO_REC2020 = np.linalg.inv(REC2020_TO_XYZ_D50)
LUMINANCE = REC2020_TO_XYZ[1]
"""Weights of linear Rec.2020 in luminance."""


def encode_sRGB(linear: ArrayLike) -> Array:
    """Linear 0..1 to sRGB-encoded 0..1."""
    linear = np.asarray(linear, np.float64)
    power = 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, linear * 12.92, power)


def decode_sRGB(encoded: ArrayLike) -> Array:
    """sRGB-encoded 0..1 to linear 0..1."""
    encoded = np.asarray(encoded, np.float64)
    power = ((np.maximum(encoded, 0.04045) + 0.055) / 1.055) ** 2.4
    return np.where(encoded <= 0.04045, encoded / 12.92, power)


def lightness(Y: ArrayLike) -> Array:
    """CIE lightness L*, 0..100, of relative luminance 0..1."""
    Y = np.asarray(Y, np.float64)
    return np.where(Y > (6 / 29) ** 3, 116.0 * np.cbrt(Y) - 16.0, Y * (29 / 3) ** 3)


def luminance(L: ArrayLike) -> Array:
    """Relative luminance 0..1 of CIE lightness L* 0..100."""
    L = np.asarray(L, np.float64)
    return np.where(L > 8.0, ((L + 16.0) / 116.0) ** 3, L * (3 / 29) ** 3)


def XYZ_to_Lab(XYZ: ArrayLike, white: ArrayLike | None = None) -> Array:
    """CIE 1976 L*, a*, b* of XYZ (..., 3) relative to `white` (D50 when None)."""
    white = xy_to_XYZ(D50_XY) if white is None else np.asarray(white, np.float64)
    f = (lightness(np.asarray(XYZ, np.float64) / white) + 16.0) / 116.0
    x, y, z = np.moveaxis(f, -1, 0)
    return np.stack([116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)], axis=-1)


def sRGB_to_Lab(linear: ArrayLike) -> Array:
    """CIE 1976 L*, a*, b* of display-linear sRGB (..., 3), relative to its own white, D65."""
    return XYZ_to_Lab(np.asarray(linear, np.float64) @ RGB_to_XYZ_matrix("sRGB").T, xy_to_XYZ(D65_XY))


def Lab_to_LCh(Lab: ArrayLike) -> Array:
    """L*, C*, and hue in degrees 0..360 of Lab-like coordinates (..., 3)."""
    L, a, b = np.moveaxis(np.asarray(Lab, np.float64), -1, 0)
    return np.stack([L, np.hypot(a, b), np.degrees(np.arctan2(b, a)) % 360.0], axis=-1)


OKLAB_CONES = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
OKLAB_AXES = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


def XYZ_to_Oklab(XYZ: ArrayLike) -> Array:
    """Oklab of XYZ (..., 3) relative to D65, Y = 1 for white."""
    return np.cbrt(np.asarray(XYZ, np.float64) @ OKLAB_CONES.T) @ OKLAB_AXES.T


def Lab_to_XYZ(Lab: ArrayLike, white: ArrayLike | None = None) -> Array:
    """XYZ (..., 3), Y = 1 for white, of CIE 1976 L*, a*, b* relative to `white` (D65 when None)."""
    L, a, b = np.moveaxis(np.asarray(Lab, np.float64), -1, 0)
    y = (L + 16.0) / 116.0
    f = np.stack([y + a / 500.0, y, y - b / 200.0], axis=-1)
    relative = np.where(f > 6 / 29, f**3, (f - 4 / 29) * 3.0 * (6 / 29) ** 2)
    return np.asarray(relative * (xy_to_XYZ(D65_XY) if white is None else np.asarray(white, np.float64)))


def Lab_to_Oklab(Lab: ArrayLike) -> Array:
    """Oklab of CIE 1976 L*, a*, b* relative to D65."""
    return XYZ_to_Oklab(Lab_to_XYZ(Lab))


def primaries_uv(space: str) -> Array:
    """u', v' of red, green and blue of a space, (3, 2)."""
    return xy_to_uv(PRIMARIES[space])


def moved_primaries(space: str, turns_deg: ArrayLike, factors: ArrayLike) -> Array:
    """(3, 3) from linear RGB whose primaries were moved to XYZ: red, green and blue each turned about white in u'v' by
    degrees, and as many times as far from it; white stays."""
    white = xy_to_uv(D65_XY)
    off = xy_to_uv(PRIMARIES[space]) - white
    turn = np.radians(np.asarray(turns_deg, np.float64))
    u, v = off.T
    turned = np.stack([u * np.cos(turn) - v * np.sin(turn), u * np.sin(turn) + v * np.cos(turn)], axis=1)
    uv = white + turned * np.asarray(factors, np.float64)[:, None]
    primaries = xy_to_XYZ(uv_to_xy(uv)).T
    return np.asarray(primaries * np.linalg.solve(primaries, xy_to_XYZ(D65_XY)))


def Oklab_to_XYZ(Lab: ArrayLike) -> Array:
    """XYZ relative to D65 of Oklab (..., 3)."""
    cones = np.asarray(Lab, np.float64) @ np.linalg.inv(OKLAB_AXES).T
    return cones**3 @ np.linalg.inv(OKLAB_CONES).T
