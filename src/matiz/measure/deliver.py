"""Readings of the Deliver station: what the written values will be."""

from dataclasses import dataclass

import numpy as np

from ..colour.spaces import REC2020_TO_SRGB, encode_sRGB
from ..colour.types import Display, SceneLinear
from ..develop.rendition import shown_value
from ..recipe.model import Tone

PAPER_LIGHT, PAPER_DARK = 245.0, 8.0
"""Of 255: detail above or below does not print. Common practice, no source."""


@dataclass(frozen=True)
class DeliveryReading:
    """Shares of the picture, 0..1."""

    bare_paper: float
    """Lightest channel above 245 of 255."""
    no_shadow: float
    """Lightest channel below 8 of 255."""
    out_of_gamut: float
    """Colours that sRGB cannot hold and that are drawn in."""


def read_delivery(display: Display, working: SceneLinear, tone: Tone) -> DeliveryReading:
    """display: the picture in display-linear sRGB; working: the same before exposure, any level."""
    lightest = 255.0 * encode_sRGB(display.max(axis=2))
    scene = np.maximum(working * np.float32(2.0**tone.exposure_EV), 0.0).reshape(-1, 3)
    high, low = scene.max(axis=1), scene.min(axis=1)
    shown_high, shown_low = shown_value(tone, high), shown_value(tone, low)
    slope = (shown_high - shown_low) / np.maximum(high - low, 1e-9)
    shown = shown_low[:, None] + (scene - low[:, None]) * slope[:, None]
    wanted = shown @ REC2020_TO_SRGB.T
    outside = (wanted < -0.002).any(axis=1) | (wanted > 1.002).any(axis=1)
    return DeliveryReading(
        float((lightest > PAPER_LIGHT).mean()), float((lightest < PAPER_DARK).mean()), float(outside.mean())
    )
