"""Write frames as DNG: a preview first, the mosaic in a sub-IFD, the tags a camera would write.

Reference: DNG specification 1.7; TIFF/EP for the exposure tags in the first IFD.
"""

from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from ..colour.types import Array
from .camera_colour import EXIF_LIGHT_SOURCE_K
from .frame import Frame, Mosaic

SOFTWARE = "Matiz"


def write_dng(frame: Frame, path: Path, preview: NDArray[np.uint8]) -> None:
    """Write `frame`, which must hold a mosaic, with an sRGB `preview` (height, width, 3).

    The file is written as given; writing to a temporary name and renaming is the caller's business.
    """
    mosaic = frame.mosaic
    if mosaic is None:
        raise ValueError("write_dng: the frame holds no mosaic")
    with tifffile.TiffWriter(path) as tiff:
        tiff.write(
            preview,
            photometric="rgb",
            compression="jpeg",
            compressionargs={"level": 90},
            subfiletype=1,
            subifds=1,
            rowsperstrip=preview.shape[0],
            software=SOFTWARE,
            metadata=None,
            extratags=_first_ifd_tags(frame),
        )
        tiff.write(
            mosaic.values,
            photometric=32803,
            subfiletype=0,
            rowsperstrip=mosaic.values.shape[0],
            software=False,
            metadata=None,
            extratags=_mosaic_tags(mosaic),
        )


def _first_ifd_tags(frame: Frame) -> list[tuple[Any, ...]]:
    colour, shot = frame.colour, frame.exposure
    make, _, model = frame.camera.partition(" ")
    tags: list[tuple[Any, ...]] = [
        (50706, "B", 4, (1, 4, 0, 0)),
        (50707, "B", 4, (1, 1, 0, 0)),
        (271, "s", 0, make),
        (272, "s", 0, model or make),
        (50708, "s", 0, frame.camera),
        (274, "H", 1, frame.orientation),
        (50728, "2I", 3, _rationals(colour.as_shot_neutral)),
        (50730, "2i", 1, _rationals([colour.baseline_EV], 100)),
    ]
    for n, calibration in enumerate(colour.calibrations[:2]):
        code = min(EXIF_LIGHT_SOURCE_K, key=lambda c: abs(1 / EXIF_LIGHT_SOURCE_K[c] - 1 / calibration.cct_K))
        tags.append((50778 + n, "H", 1, code))
        tags.append((50721 + n, "2i", 9, _rationals(calibration.color_matrix)))
        if calibration.forward_matrix is not None:
            tags.append((50964 + n, "2i", 9, _rationals(calibration.forward_matrix)))
    if frame.noise_profile:
        flat = [v for pair in frame.noise_profile for v in pair]
        tags.append((51041, "d", len(flat), tuple(flat)))
    if shot.iso is not None:
        tags.append((34855, "H", 1, min(int(shot.iso), 65_535)))
    lengths = ((33434, shot.time_s), (33437, shot.f_number), (37382, shot.focus_m), (37386, shot.focal_mm))
    for tag, value in lengths:
        if value is not None:
            fraction = Fraction(value).limit_denominator(100_000)
            tags.append((tag, "2I", 1, (fraction.numerator, fraction.denominator)))
    if shot.time_utc:
        stamp = shot.time_utc[:19].replace("-", ":").replace("T", " ")
        tags += [(306, "s", 0, stamp), (36867, "s", 0, stamp), (36881, "s", 0, "+00:00")]
    if shot.lens:
        tags.append((42036, "s", 0, shot.lens))
    return tags


def _mosaic_tags(mosaic: Mosaic) -> list[tuple[Any, ...]]:
    rows, columns = mosaic.pattern.shape
    black = [int(v) for v in mosaic.black.ravel()]
    return [
        (33421, "H", 2, (rows, columns)),
        (33422, "B", rows * columns, bytes(mosaic.pattern.ravel().tolist())),
        (50710, "B", 3, (0, 1, 2)),
        (50711, "H", 1, 1),
        (50713, "H", 2, (rows, columns)),
        (50714, "H", rows * columns, tuple(black)),
        (50717, "I", 1, int(mosaic.white)),
    ]


def _rationals(values: Array | list[float], denominator: int = 1_000_000) -> tuple[int, ...]:
    out: list[int] = []
    for value in np.ravel(values):
        out += [round(float(value) * denominator), denominator]
    return tuple(out)
