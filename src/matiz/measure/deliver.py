"""Readings of the Deliver station: what the written values will be."""

from dataclasses import dataclass

import numpy as np

from ..colour.spaces import REC2020_TO_SRGB, encode_sRGB
from ..colour.types import Display

PAPER_LIGHT, PAPER_DARK = 245.0, 8.0
"""Of 255: detail above or below does not print. Common practice, no source."""


MARGIN = 0.002
"""Beyond the output space by which a colour is outside it: less is rounding."""
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
    lightest = 255.0 * encode_sRGB(display.max(axis=2))
    wanted = shown.reshape(-1, 3) @ _TO_SRGB.T
    outside = (wanted < -MARGIN).any(axis=1) | (wanted > 1.0 + MARGIN).any(axis=1)
    return DeliveryReading(
        float((lightest > PAPER_LIGHT).mean()), float((lightest < PAPER_DARK).mean()), float(outside.mean())
    )
