"""The pixels of one file, and what the camera said about them."""

import math
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..colour.spaces import XYZ_TO_REC2020
from ..colour.types import Array, Image
from ..errors import ArgumentError
from ..image.orientation import swaps_sides


@dataclass(frozen=True)
class Mosaic:
    """Sensor counts under a colour filter array."""

    values: NDArray[np.uint16]
    """(height, width)."""
    pattern: NDArray[np.uint8]
    """One period of the array, 2x2 or 6x6: 0 red, 1 green, 2 blue."""
    black: NDArray[np.float32]
    """Black level per place of `pattern`."""
    white: float
    """Count at which a photosite is full."""

    def __post_init__(self) -> None:
        if self.values.ndim != 2 or self.values.dtype != np.uint16:
            raise ArgumentError(f"mosaic: expected uint16 (height, width), got {self.values.dtype} {self.values.shape}")
        if self.black.shape != self.pattern.shape:
            raise ArgumentError(f"mosaic: black has shape {self.black.shape}, the pattern {self.pattern.shape}")
        if not self.white > float(self.black.max()):
            raise ArgumentError(f"mosaic: white level {self.white:g} is not above black {float(self.black.max()):g}")

    @property
    def is_bayer(self) -> bool:
        return self.pattern.shape == (2, 2) and sorted(self.pattern.ravel()) == [0, 1, 1, 2]

    @property
    def red(self) -> tuple[int, int]:
        """(row, column) of red within the pattern."""
        row, column = np.argwhere(self.pattern == 0)[0]
        return int(row), int(column)


LEAST_VOLUME = 1e-6
"""Of the three rows of a colour matrix, each made 1 long; those of the simulated camera have 0.87 to 0.96."""


def _is_invertible(matrix: Array) -> bool:
    lengths = np.linalg.norm(matrix, axis=1)
    return bool(np.isfinite(matrix).all() and abs(np.linalg.det(matrix)) > LEAST_VOLUME * np.prod(lengths) > 0.0)


@dataclass(frozen=True)
class Calibration:
    """Camera colour measured under one illuminant, as in DNG."""

    cct_K: float
    color_matrix: Array
    """(3, 3), XYZ to camera."""
    forward_matrix: Array | None = None
    """(3, 3), balanced camera to XYZ relative to D50."""

    def __post_init__(self) -> None:
        """Raises ArgumentError for a matrix that maps different colours to one: nothing could take it back."""
        for matrix in (self.color_matrix, self.forward_matrix):
            if matrix is not None and not _is_invertible(matrix):
                raise ArgumentError("the matrix of its camera's colours cannot be inverted")


@dataclass(frozen=True)
class CameraColour:
    """How a camera's values relate to XYZ."""

    calibrations: tuple[Calibration, ...] = (Calibration(6504.0, XYZ_TO_REC2020),)
    as_shot_neutral: Array = field(default_factory=lambda: np.ones(3))
    """(3,), camera values of the neutral the camera chose, green 1."""
    baseline_EV: float = 0.0


@dataclass(frozen=True)
class Exposure:
    """How the frame was taken; None where the file does not say."""

    iso: float | None = None
    time_s: float | None = None
    f_number: float | None = None
    time_utc: str | None = None
    focal_mm: float | None = None
    lens: str = ""
    focus_m: float | None = None
    focal_35_mm: float | None = None
    """Of the lens that sees as much on a frame of 36x24 mm."""

    @property
    def light_EV(self) -> float | None:
        """How light it was exposed, in stops, ISO in it; a lens that tells no aperture counts as always the same."""
        if not (self.time_s and self.iso):
            return None
        return math.log2(self.time_s * self.iso / (self.f_number or 1.0) ** 2)


@dataclass(frozen=True)
class Metadata:
    """What came with a file about its picture, to go out with its deliveries: see `raw.metadata`."""

    exif: tuple[tuple[str, str], ...] = ()
    """Keys and texts, both as exiv2 writes them."""
    iptc: tuple[tuple[str, str], ...] = ()
    xmp: str = ""
    """The packet."""


@dataclass(frozen=True)
class PictureWords:
    """What the user says of a picture; what is empty leaves what came with its file."""

    rank: int = 0
    """1..5."""
    caption: str = ""
    keywords: tuple[str, ...] = ()


MERGED_KINDS = ("bracket", "focus", "mean")
MOST_MERGED, MOST_MERGED_EV, MOST_MOVED, MOST_SIDE_PX, MOST_NUMBERS = 1000, 30.0, 1000, 100_000, 100


@dataclass(frozen=True)
class Merged:
    """What a frame was made of, when it was made of several."""

    kind: str
    """"bracket", "focus" or "mean"."""
    names: tuple[str, ...]
    """Of the files, the reference first."""
    exposures_EV: tuple[float, ...]
    """Of each against the reference, as measured."""
    moved: tuple[tuple[int, int, int, int], ...] = ()
    """The largest areas in which things moved, x, y, width, height in px."""
    moved_share: float = 0.0
    """Of the picture."""
    lies: tuple[tuple[float, ...], ...] = ()
    """How each but the first lies on it, the numbers of a `develop.alignment.Alignment`; empty where they do not all
    lie in one way."""

    @classmethod
    def from_json(cls, data: Any) -> "Merged":
        """What a file holds, checked: a file may hold anything. ValueError says what is wrong."""
        try:
            kind, names = data["kind"], tuple(data["names"])
            exposures = tuple(float(value) for value in data["exposures_EV"])
            moved = tuple((int(x), int(y), int(w), int(h)) for x, y, w, h in data["moved"])
            share = float(data["moved_share"])
            lies = tuple(tuple(float(value) for value in each) for each in data.get("lies", ()))
        except (KeyError, TypeError, ValueError, AttributeError, OverflowError) as error:
            raise ValueError(f"not the metadata of a merged frame ({type(error).__name__}: {error!s:.80})") from None
        numbers = [*exposures, share, *(value for each in lies for value in each)]
        checks = {
            "kind": kind in MERGED_KINDS,
            "names": isinstance(data["names"], list | tuple)
            and 1 <= len(names) <= MOST_MERGED and all(_is_plain_name(name) for name in names),
            "exposures_EV": len(exposures) == len(names) and all(abs(value) <= MOST_MERGED_EV for value in exposures),
            "moved": len(moved) <= MOST_MOVED and all(0 <= v <= MOST_SIDE_PX for area in moved for v in area)
            and all(area[2] > 0 < area[3] for area in moved),
            "moved_share": 0.0 <= share <= 1.0,
            "lies": not lies or (len(lies) == len(names) - 1 and all(0 < len(each) <= MOST_NUMBERS for each in lies)),
            "numbers": all(math.isfinite(value) for value in numbers),
        }  # fmt: skip
        wrong = [name for name, is_right in checks.items() if not is_right]
        if wrong:
            raise ValueError(f"the metadata of a merged frame is out of range: {', '.join(wrong)}")
        return cls(kind, names, exposures, moved, share, lies)


def _is_plain_name(name: Any) -> bool:
    """Whether it names a file beside another, and nothing else."""
    return (
        isinstance(name, str)
        and 0 < len(name) <= 255
        and "/" not in name
        and "\0" not in name
        and name not in (".", "..")
    )


@dataclass(frozen=True)
class Facts:
    """What a file says of itself without being decoded."""

    camera: str
    exposure: Exposure
    size: tuple[int, int]
    """(width, height) as stored."""
    orientation: int = 1
    """Exif orientation, 1..8, also of the preview."""
    rating: int = 0
    """xmp:Rating, 0 where there is none."""
    merged: Merged | None = None


@dataclass(frozen=True)
class Frame:
    """One file, decoded. Either `mosaic` or `linear` is set."""

    path: Path
    colour: CameraColour
    exposure: Exposure = field(default_factory=Exposure)
    mosaic: Mosaic | None = None
    linear: Image | None = None
    """float32 (height, width, 3), linear Rec.2020, for files that hold pictures instead of raw data."""
    camera: str = ""
    orientation: int = 1
    """Exif orientation, 1..8, of the pixels as stored."""
    noise_profile: tuple[tuple[float, float], ...] = ()
    """Per channel, variance = scale * signal + offset, signal 0..1 of the white level."""
    is_rendered: bool = False
    """Whether it holds a picture that somebody has rendered for looking at, and no light of a scene."""
    maker: str = ""
    """Of the camera, when it is known apart from its name."""
    metadata: Metadata = field(default_factory=Metadata)
    merged: Merged | None = None
    """For a linear frame that Matiz made of several: 1 is then what is full in all of them."""

    def __post_init__(self) -> None:
        if (self.mosaic is None) == (self.linear is None):
            raise ArgumentError("frame: exactly one of mosaic and linear must be given")

    @property
    def start(self) -> str:
        """What its recipe starts from, see `recipe.model`."""
        return "rendered" if self.is_rendered else "raw"

    @property
    def maker_and_model(self) -> tuple[str, str]:
        """The camera's name in two parts; the first is empty when its maker is not known."""
        return self.maker, self.camera.removeprefix(self.maker).strip() or self.camera

    @property
    def stored_size(self) -> tuple[int, int]:
        """(width, height) of the pixels as stored."""
        array = self.mosaic.values if self.mosaic is not None else self.linear
        assert array is not None
        return array.shape[1], array.shape[0]

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) of the upright picture."""
        width, height = self.stored_size
        return (height, width) if swaps_sides(self.orientation) else (width, height)

    @property
    def full_level(self) -> float:
        """Camera value at which a channel is full; infinite where that cannot be known."""
        return 1.0 if self.mosaic is not None or self.merged is not None else float("inf")
