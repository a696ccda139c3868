"""What a TIFF-based raw file says about itself, read with tifffile. Runs in the decoder process."""

import io
from datetime import UTC, datetime
from typing import Any

import numpy as np
import tifffile

from ..colour.types import Array
from .camera_colour import EXIF_LIGHT_SOURCE_K
from .frame import Calibration, CameraColour, Exposure


class Tags:
    """Tags of a TIFF file by number, from the first IFD, its Exif IFD and its sub-IFDs."""

    def __init__(self, data: bytes) -> None:
        self.values: dict[int, Any] = {}
        with tifffile.TiffFile(io.BytesIO(data)) as tiff:
            pages = [tiff.pages[0], *(tiff.pages[0].pages or ())]
            for page in pages:
                for tag in page.tags:
                    self.values.setdefault(tag.code, tag.value)
            exif = self.values.get(34665)
            names = tifffile.TIFF.EXIF_TAGS
            if isinstance(exif, dict):
                for name, value in exif.items():
                    code = names.get(name)
                    if isinstance(code, int):
                        self.values.setdefault(code, value)

    @property
    def is_dng(self) -> bool:
        return 50706 in self.values

    def numbers(self, code: int) -> list[float]:
        """A tag's values as floats, rationals divided; empty when it is missing."""
        value = self.values.get(code)
        if value is None:
            return []
        flat = np.atleast_1d(np.asarray(value)).ravel()
        if code in _RATIONAL:
            pairs = flat.reshape(-1, 2).astype(np.float64)
            return [float(a / b) if b else 0.0 for a, b in pairs]
        return [float(v) for v in flat]

    def number(self, code: int) -> float | None:
        values = self.numbers(code)
        return values[0] if values else None

    def text(self, code: int) -> str:
        value = self.values.get(code, "")
        return str(value).strip("\x00 ") if isinstance(value, str) else ""

    def exposure(self) -> Exposure:
        return Exposure(
            self.number(34855),
            self.number(33434),
            self.number(33437),
            self.time_utc(),
            self.number(37386),
            self.text(42036),
            self.number(37382) or None,
        )

    def time_utc(self) -> str | None:
        """Time of exposure; without an offset the camera's clock is taken for UTC."""
        stamp = self.text(36867) or self.text(306)
        try:
            taken = datetime.strptime(stamp[:19], "%Y:%m:%d %H:%M:%S").replace(tzinfo=UTC)
            offset = self.text(36881)
            if offset and offset != "Z":
                taken -= datetime.strptime(offset, "%z").utcoffset() or taken - taken
        except ValueError:
            return None
        return taken.strftime("%Y-%m-%dT%H:%M:%SZ")

    def colour(self) -> CameraColour | None:
        """Camera colour of a DNG, or None when the file holds no matrices."""
        calibrations = []
        for n in range(2):
            matrix = self.numbers(50721 + n)
            if len(matrix) == 9:
                code = int(self.number(50778 + n) or 21)
                forward = self.numbers(50964 + n)
                calibrations.append(
                    Calibration(
                        EXIF_LIGHT_SOURCE_K.get(code, 6504.0),
                        self._calibrated(n, np.reshape(matrix, (3, 3))),
                        np.reshape(forward, (3, 3)) if len(forward) == 9 else None,
                    )
                )
        if not calibrations:
            return None
        neutral = np.array(self.numbers(50728) or [1.0, 1.0, 1.0])
        if neutral.shape != (3,) or not (neutral > 0).all():
            neutral = np.ones(3)
        return CameraColour(tuple(calibrations), neutral / neutral[1], self.number(50730) or 0.0)

    def noise_profile(self) -> tuple[tuple[float, float], ...]:
        values = self.numbers(51041)
        return tuple(zip(values[::2], values[1::2], strict=True)) if len(values) in (2, 6) else ()

    def _calibrated(self, n: int, matrix: Array) -> Array:
        """Color matrix with the analog balance and the single camera's calibration applied."""
        balance = self.numbers(50727) or [1.0, 1.0, 1.0]
        own = self.numbers(50723 + n)
        single = np.reshape(own, (3, 3)) if len(own) == 9 else np.eye(3)
        return np.diag(balance[:3]) @ single @ matrix


_RATIONAL = {33434, 33437, 37382, 37386, 50714, 50721, 50722, 50723, 50724, 50727, 50728, 50730, 50964, 50965}
