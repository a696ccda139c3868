"""The colour spaces of deliveries: primaries, white, and the curve from linear values to encoded ones.

References: IEC 61966-2-1 (sRGB), SMPTE EG 432-1 primaries with the sRGB curve (Display P3), IEC 61966-2-5 (opRGB),
ITU-R BT.2020 with its curve for 12 bits, ISO 22028-2 (ROMM RGB).
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .adaptation import adaptation_matrix
from .spaces import D50_XY, D65_XY, PRIMARIES, REC2020_TO_XYZ, encode_sRGB, xy_to_XYZ
from .types import Array

Curve = Callable[[Array], Array]


@dataclass(frozen=True)
class Parametric:
    """Linear values of encoded ones, ICC.1 10.18 function 3: (a x + b)^g from d on, c x below it."""

    g: float
    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 0.0

    def encoded(self, linear: Array) -> Array:
        """0..1 of linear 0..1."""
        power = (np.maximum(linear, 0.0) ** (1.0 / self.g) - self.b) / self.a
        if not self.d:
            return np.asarray(power)
        start = (self.a * self.d + self.b) ** self.g
        return np.asarray(np.where(linear < start, linear / self.c, power))

    def decoded(self, encoded: Array) -> Array:
        """Linear 0..1 of encoded 0..1."""
        power = np.maximum(self.a * encoded + self.b, 0.0) ** self.g
        return np.asarray(np.where(encoded < self.d, self.c * encoded, power))


@dataclass(frozen=True, eq=False)
class Space:
    """One space; `primaries` are x, y of red, green and blue."""

    name: str
    primaries: list[list[float]]
    white: Array
    curve: Parametric

    def to_XYZ(self) -> Array:
        """(3, 3) from linear RGB to XYZ relative to its own white."""
        columns = xy_to_XYZ(self.primaries).T
        return np.asarray(columns * np.linalg.solve(columns, xy_to_XYZ(self.white)))

    def to_XYZ_D50(self) -> Array:
        """The same seen under D50, as profiles have it."""
        return np.asarray(adaptation_matrix(xy_to_XYZ(self.white), xy_to_XYZ(D50_XY)) @ self.to_XYZ())

    def from_rec2020(self) -> Array:
        """(3, 3) from linear Rec.2020."""
        adapted = adaptation_matrix(xy_to_XYZ(D65_XY), xy_to_XYZ(self.white)) @ REC2020_TO_XYZ
        return np.asarray(np.linalg.solve(self.to_XYZ(), adapted))

    def encoded(self, linear: NDArray[np.floating]) -> Array:
        if self.name == "sRGB":
            return np.asarray(encode_sRGB(linear))
        return self.curve.encoded(np.asarray(linear))

    def decoded(self, encoded: NDArray[np.floating]) -> Array:
        return self.curve.decoded(np.asarray(encoded))


_SRGB_CURVE = Parametric(2.4, 1.0 / 1.055, 0.055 / 1.055, 1.0 / 12.92, 0.04045)
_SPACES = (
    Space("sRGB", PRIMARIES["sRGB"], D65_XY, _SRGB_CURVE),
    Space("Display P3", [[0.680, 0.320], [0.265, 0.690], [0.150, 0.060]], D65_XY, _SRGB_CURVE),
    Space("opRGB", PRIMARIES["opRGB"], D65_XY, Parametric(563.0 / 256.0)),
    Space(
        "Rec.2020", PRIMARIES["Rec.2020"], D65_XY,
        Parametric(1.0 / 0.45, 1.0 / 1.0993, 0.0993 / 1.0993, 1.0 / 4.5, 4.5 * 0.0181),
    ),
    Space(
        "ROMM RGB", [[0.7347, 0.2653], [0.1596, 0.8404], [0.0366, 0.0001]], D50_XY,
        Parametric(1.8, 1.0, 0.0, 1.0 / 16.0, 16.0 / 512.0),
    ),
)  # fmt: skip
SPACES = {space.name: space for space in _SPACES}
