"""Readings of the Deliver station: what the written values will be."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ...colour.outputs import SPACES
from ...colour.spaces import LUMINANCE, decode_sRGB
from ...colour.types import Display

PAPER_LIGHT, PAPER_DARK = 245.0, 8.0
"""Of 255: detail above or below does not print. Common practice, no source."""
MARGIN = 0.002
"""Beyond the output space by which a colour is outside it: less is rounding."""
_LIGHT, _DARK = (float(decode_sRGB(code / 255.0)) for code in (PAPER_LIGHT, PAPER_DARK))
_NOT_QUITE = tuple(
    tuple(float(decode_sRGB(code / 255.0)) for code in ends)
    for ends in ((PAPER_LIGHT + 0.5, 254.5), (0.5, PAPER_DARK - 0.5))
)
"""Luminances that are near the ends without being at them: there is something that paper will not show. At the ends
themselves are sources and black."""
_LUMINANCE = LUMINANCE.astype(np.float32)
_TO = {name: space.from_rec2020().astype(np.float32) for name, space in SPACES.items()}


@dataclass(frozen=True)
class DeliveryReading:
    """Shares of the picture, 0..1."""

    bare_paper: float
    """Lightest channel above 245 of 255."""
    no_shadow: float
    """Lightest channel below 8 of 255."""
    light_detail: float
    """Luminance between 245 of 255 and white."""
    dark_detail: float
    """Luminance between black and 8 of 255."""
    out_of_gamut: Mapping[str, float]
    """Colours that a space cannot hold and that are drawn in, by its name in SPACES."""


def read_delivery(display: Display, shown: Display) -> DeliveryReading:
    """display: the picture in display-linear sRGB; shown: the same in Rec.2020 before it was fitted; any level."""
    # the encoding rises: what is compared can be decoded once
    lightest = np.maximum(np.maximum(display[..., 0], display[..., 1]), display[..., 2])
    Y = shown @ _LUMINANCE
    light, dark = (float(((low < Y) & (high > Y)).mean()) for low, high in _NOT_QUITE)
    outside = {name: _outside(shown, matrix) for name, matrix in _TO.items()}
    return DeliveryReading(float((lightest > _LIGHT).mean()), float((lightest < _DARK).mean()), light, dark, outside)


def _outside(shown: Display, matrix: Display) -> float:
    wanted = shown.reshape(-1, 3) @ matrix.T
    # NumPy is many times slower along an axis of three
    outside = np.zeros(len(wanted), bool)
    for channel in wanted.T:
        outside |= (channel < -MARGIN) | (channel > 1.0 + MARGIN)
    return float(outside.mean())
