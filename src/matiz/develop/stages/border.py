"""The border round a picture, which lies outside it: on the screen it is painted, in a delivery it is written."""

import numpy as np

from ...colour.spaces import luminance
from ...colour.types import Display
from ...recipe.finish import Border


def border_px(own: Border, size: tuple[int, int]) -> int:
    """Its width round a picture of `size` px."""
    return round(own.width_percent / 100.0 * min(size))


def border_grey(own: Border) -> float:
    """Its display luminance, 0..1."""
    return float(luminance(own.tone_L))


def bordered(picture: Display, own: Border) -> Display:
    """A display-linear picture (height, width, 3) with its border."""
    wide = border_px(own, (picture.shape[1], picture.shape[0]))
    if not wide:
        return picture
    sides = [(wide, wide), (wide, wide), (0, 0)]
    return np.asarray(np.pad(picture, sides, constant_values=np.float32(border_grey(own))), picture.dtype)
