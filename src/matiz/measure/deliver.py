"""Readings of the Deliver station: what the written values will be."""

from dataclasses import dataclass

import numpy as np

from ..colour.spaces import REC2020_TO_SRGB, decode_sRGB
from ..colour.types import Display

PAPER_LIGHT, PAPER_DARK = 245.0, 8.0
"""Of 255: detail above or below does not print. Common practice, no source."""


MARGIN = 0.002
"""Beyond the output space by which a colour is outside it: less is rounding."""
_LIGHT, _DARK = (float(decode_sRGB(code / 255.0)) for code in (PAPER_LIGHT, PAPER_DARK))
_TO_SRGB = REC2020_TO_SRGB.astype(np.float32)


@dataclass(frozen=True)
class DeliveryReading:
    """Shares of the picture, 0..1."""

    bare_paper: float
    """Lightest channel above 245 of 255."""
    no_shadow: float
    """Lightest channel below 8 of 255."""
    out_of_gamut: float
    """Colours that sRGB cannot hold and that are drawn in."""


def read_delivery(display: Display, shown: Display) -> DeliveryReading:
    """display: the picture in display-linear sRGB; shown: the same in Rec.2020 before it was fitted; any level."""
    # the encoding rises: what is compared can be decoded once
    lightest = np.maximum(np.maximum(display[..., 0], display[..., 1]), display[..., 2])
    wanted = shown.reshape(-1, 3) @ _TO_SRGB.T
    # NumPy is many times slower along an axis of three
    outside = np.zeros(len(wanted), bool)
    for channel in wanted.T:
        outside |= (channel < -MARGIN) | (channel > 1.0 + MARGIN)
    return DeliveryReading(float((lightest > _LIGHT).mean()), float((lightest < _DARK).mean()), float(outside.mean()))
