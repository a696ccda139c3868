"""ICC profiles of pictures: those of a matrix and three curves are worked out here, all others by littleCMS.

Reference: ICC.1:2010 (version 4), 8.3 matrix-based input, 10.5 curveType, 10.15 parametricCurveType.
"""

import struct
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from ..colour.spaces import D65_XY, XYZ_D50_TO_REC2020
from ..colour.types import Array, Image
from ..errors import FormatError

REC2020_PRIMARIES = [0.708, 0.292, 1.0, 0.170, 0.797, 1.0, 0.131, 0.046, 1.0]
STRIP_ROWS = 512
Curve = Callable[[Array], Array]


@dataclass(frozen=True)
class MatrixProfile:
    """Encoded RGB through three curves and a matrix."""

    curves: tuple[Curve, Curve, Curve]
    to_rec2020: Array
    """(3, 3), linear RGB of the profile to linear Rec.2020."""


def colour_space(profile: bytes) -> str:
    """ "RGB", "GRAY", "CMYK" and their like; "" when it is no profile."""
    return profile[16:20].decode("ascii", "replace").strip() if len(profile) >= 132 else ""


def to_rec2020(pixels: NDArray[Any], profile: bytes) -> Image | None:
    """Linear Rec.2020 (height, width, 3) of pixels (height, width, 3) or (height, width, 1), 8 or 16 bit or float 0..1.

    None when the profile is damaged. Raises FormatError for a profile of other pixels than these.
    """
    space = colour_space(profile)
    if space not in ("RGB", "GRAY") or (space == "GRAY") != (pixels.shape[2] == 1):
        meant = space or "nothing known"
        raise FormatError(f"its colour profile is for {meant}, its pixels are not; convert it to RGB")
    simple = matrix_profile(profile) if space == "RGB" else None
    if simple is not None and pixels.dtype.kind != "f":
        return _by_matrix(pixels, simple)
    return _by_littlecms(pixels, profile, space)


def matrix_profile(profile: bytes) -> MatrixProfile | None:
    """None for a profile of another kind, or one that cannot be read."""
    try:
        tags = _tags(profile)
        if any(name in tags for name in ("A2B0", "A2B1")):
            return None
        columns = [_xyz(tags[name]) for name in ("rXYZ", "gXYZ", "bXYZ")]
        curves = tuple(_curve(tags[name]) for name in ("rTRC", "gTRC", "bTRC"))
    except (KeyError, struct.error, ValueError, IndexError):
        return None
    matrix = XYZ_D50_TO_REC2020 @ np.array(columns).T
    if not np.isfinite(matrix).all() or len(curves) != 3:
        return None
    return MatrixProfile((curves[0], curves[1], curves[2]), matrix)


def _by_matrix(pixels: NDArray[Any], profile: MatrixProfile) -> Image:
    top = np.iinfo(pixels.dtype).max
    codes = np.arange(top + 1) / top
    with np.errstate(all="ignore"):
        tables = [np.clip(np.nan_to_num(curve(codes)), 0.0, 1.0).astype(np.float32) for curve in profile.curves]
    matrix = profile.to_rec2020.T.astype(np.float32)
    out = np.empty(pixels.shape, np.float32)
    for first in range(0, len(pixels), STRIP_ROWS):
        strip = pixels[first : first + STRIP_ROWS]
        linear = np.stack([table[strip[..., c]] for c, table in enumerate(tables)], axis=-1)
        np.matmul(linear, matrix, out=out[first : first + STRIP_ROWS])
    return out


def _by_littlecms(pixels: NDArray[Any], profile: bytes, space: str) -> Image | None:
    white = [D65_XY[0], D65_XY[1], 1.0]
    target = imagecodecs.cms_profile("rgb", whitepoint=white, primaries=REC2020_PRIMARIES, gamma=1.0)
    out = np.empty((*pixels.shape[:2], 3), np.float32)
    try:
        for first in range(0, len(pixels), STRIP_ROWS):
            strip = pixels[first : first + STRIP_ROWS]
            wide = strip if strip.dtype != np.uint8 else strip.astype(np.uint16) * 257
            wide = np.ascontiguousarray(wide if space == "RGB" else wide[..., 0])
            out[first : first + STRIP_ROWS] = imagecodecs.cms_transform(
                wide, profile, target, outdtype=np.float32, colorspace=space.lower(), outcolorspace="rgb"
            )
    except (imagecodecs.CmsError, ValueError, TypeError, RuntimeError):
        return None
    return out


def _tags(profile: bytes) -> dict[str, bytes]:
    (count,) = struct.unpack_from(">I", profile, 128)
    found = {}
    for n in range(min(count, 100)):
        name, offset, length = struct.unpack_from(">4sII", profile, 132 + 12 * n)
        found[name.decode("ascii", "replace")] = profile[offset : offset + length]
    return found


def _xyz(tag: bytes) -> list[float]:
    return [value / 65536.0 for value in struct.unpack_from(">3i", tag, 8)]


def _curve(tag: bytes) -> Curve:
    kind = tag[:4]
    if kind == b"curv":
        (count,) = struct.unpack_from(">I", tag, 8)
        if count == 0:
            return lambda x: x
        values = np.array(struct.unpack_from(f">{count}H", tag, 12), np.float64)
        if count == 1:
            return lambda x: np.asarray(x ** (values[0] / 256.0))
        return lambda x: np.interp(x, np.linspace(0.0, 1.0, count), values / 65535.0)
    if kind != b"para":
        raise ValueError("not a curve")
    (function,) = struct.unpack_from(">H", tag, 8)
    count = (1, 3, 4, 5, 7)[function]
    given = [value / 65536.0 for value in struct.unpack_from(f">{count}i", tag, 12)]
    g, a, b, c, d, e, f = given + [1.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0][count:]
    if function == 1:
        return lambda x: np.maximum(a * x + b, 0.0) ** g
    if function == 2:
        return lambda x: np.maximum(a * x + b, 0.0) ** g + c
    if function in (3, 4):
        return lambda x: np.where(x >= d, np.maximum(a * x + b, 0.0) ** g + e, c * x + f)
    return lambda x: np.asarray(x**g)
