"""Small pictures for the contact sheet, from embedded previews."""

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import FormatError
from ..image.orientation import upright


def thumbnail(jpeg: bytes, orientation: int, size: int) -> NDArray[np.uint8]:
    """uint8 (height, width, 4), blue first, upright, at most `size` px on the long side."""
    data = np.frombuffer(jpeg, np.uint8)
    # the decoder itself reduces, many times faster than decoding in full
    picture = cv2.imdecode(data, cv2.IMREAD_REDUCED_COLOR_2 | cv2.IMREAD_IGNORE_ORIENTATION)
    if picture is None:
        raise FormatError("the preview is damaged")
    scale = min(1.0, size / max(picture.shape[:2]))
    small = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.cvtColor(upright(small, orientation), cv2.COLOR_BGR2BGRA))
