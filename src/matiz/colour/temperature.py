"""Correlated colour temperature and Duv, both ways.

References: Ohno 2014, "Practical use and calculation of CCT and Duv" (triangular and parabolic
solutions, combined); CIE 015:2018. Planck's law with c2 = 1.4388e-2 m K.
"""

from functools import cache, lru_cache

import numpy as np
from numpy.typing import ArrayLike

from ..errors import ArgumentError
from .spaces import XYZ_to_xy, uv_to_xy, xy_to_uv
from .tables import observer
from .types import Array, Chromaticity, Kelvin

CCT_LIMITS_K = (1000.0, 100_000.0)
_STEP = 1.0025
_PLANCK_C2 = 1.4388e-2


def planck(wavelengths_nm: ArrayLike, cct_K: ArrayLike) -> Array:
    """Relative spectral radiance of a black body, (..., wavelengths)."""
    metres = np.asarray(wavelengths_nm, np.float64) * 1e-9
    kelvin = np.asarray(cct_K, np.float64)[..., None]
    # c1 scaled away: only the shape matters
    return np.asarray((560e-9 / metres) ** 5 / np.expm1(_PLANCK_C2 / (metres * kelvin)))


def _planckian_uv60(cct_K: ArrayLike) -> Array:
    nm, cmf = observer()
    XYZ = planck(nm, cct_K) @ cmf
    XYZ = XYZ / XYZ[..., 1:2]
    return _uv60(XYZ_to_xy(XYZ))


def _uv60(xy: ArrayLike) -> Array:
    return xy_to_uv(xy) * (1.0, 2.0 / 3.0)


def planckian_xy(cct_K: ArrayLike) -> Chromaticity:
    """Chromaticity (..., 2) of a black body."""
    return uv_to_xy(_planckian_uv60(cct_K) * (1.0, 1.5))


@cache
def _locus() -> tuple[Array, Array]:
    count = int(np.log(CCT_LIMITS_K[1] / CCT_LIMITS_K[0]) / np.log(_STEP)) + 2
    kelvin = CCT_LIMITS_K[0] * _STEP ** np.arange(count)
    return kelvin, _planckian_uv60(kelvin)


def xy_to_cct(xy: ArrayLike) -> Array:
    """(..., 2) of CCT in K and Duv for chromaticities (..., 2).

    Duv is the signed distance from the Planckian locus in the CIE 1960 diagram, positive towards
    green. The result is held to 1,000..100,000 K; beyond |Duv| 0.05 a CCT has little meaning.
    """
    xy = np.asarray(xy, np.float64)
    if xy.shape[-1:] != (2,):
        raise ArgumentError(f"xy: the last axis must be x, y; got shape {xy.shape}")
    kelvin, locus = _locus()
    flat = _uv60(xy).reshape(-1, 2)
    out = np.empty_like(flat)
    for i, uv in enumerate(flat):
        if not np.isfinite(uv).all():
            out[i] = np.nan
            continue
        distance = np.hypot(*(locus - uv).T)
        m = int(np.clip(np.argmin(distance), 1, len(kelvin) - 2))
        out[i] = _ohno(kelvin[m - 1 : m + 2], locus[m - 1 : m + 2], distance[m - 1 : m + 2], uv)
    return out.reshape(xy.shape)


def _ohno(kelvin: Array, locus: Array, distance: Array, uv: Array) -> tuple[float, float]:
    (t0, t1, t2), (d0, _, d2) = kelvin, distance
    span = np.hypot(*(locus[2] - locus[0]))
    x = (d0**2 - d2**2 + span**2) / (2.0 * span)
    foot = locus[0] + (locus[2] - locus[0]) * x / span
    sign = 1.0 if uv[1] >= foot[1] else -1.0
    duv = sign * np.sqrt(max(d0**2 - x**2, 0.0))
    cct = t0 + (t2 - t0) * x / span
    if abs(duv) >= 0.002:
        # distance over temperature as a parabola through three points
        a, b, c = np.polyfit(kelvin - t1, distance, 2)
        cct = t1 - b / (2.0 * a)
        duv = sign * (a * (cct - t1) ** 2 + b * (cct - t1) + c)
    return float(np.clip(cct, *CCT_LIMITS_K)), float(duv)


def cct_to_xy(cct_K: Kelvin, duv: float = 0.0) -> Chromaticity:
    """Chromaticity (2,) of a light given by CCT in K, 1,000..100,000, and Duv."""
    if not CCT_LIMITS_K[0] <= cct_K <= CCT_LIMITS_K[1]:
        raise ArgumentError(f"cct_K: {CCT_LIMITS_K[0]:.0f}..{CCT_LIMITS_K[1]:.0f} K, got {cct_K}")
    here, near = _planckian_uv60(np.array([cct_K, cct_K * 1.0001]))
    along = (near - here) / np.hypot(*(near - here))
    # the locus runs to smaller u as it gets hotter; its normal to the upper left is green
    return uv_to_xy((here + duv * np.array([along[1], -along[0]])) * (1.0, 1.5))


def mired(cct_K: ArrayLike) -> Array:
    """Reciprocal megakelvin."""
    return 1e6 / np.asarray(cct_K, np.float64)


@lru_cache(maxsize=1024)
def duv_limit(cct_K: Kelvin) -> float:
    """Largest positive Duv that is still a real colour with room, held to 0.03.

    At low temperatures the locus runs close to the spectrum locus: about +0.010 at 2,000 K and
    +0.0035 at 1,500 K. Measured here as the distance to the spectrum locus, less two hundredths.
    """
    _, cmf = observer()
    edge = _uv60(XYZ_to_xy(cmf[(cmf.sum(axis=1) > 1e-3)]))
    here, near = _planckian_uv60(np.array([cct_K, cct_K * 1.0001]))
    along = (near - here) / np.hypot(*(near - here))
    normal = np.array([along[1], -along[0]])
    offset = edge - here
    beside = np.abs(offset @ along)
    ahead = offset @ normal
    candidates = ahead[(ahead > 0) & (beside < 0.01)]
    return float(min(0.03, 0.98 * candidates.min())) if candidates.size else 0.03
