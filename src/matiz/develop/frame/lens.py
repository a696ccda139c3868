"""What a lens did to a frame, by radius: from the lens database when it is known, and by hand.

Radii are in units of the corner's, half the diagonal from the middle.
"""

from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any

import numpy as np

from ...colour.types import Array
from ...raw.frame import Frame
from ...recipe.model import Mend

SAMPLES = 257
"""Entries of a table, evenly by the square of the radius."""
SMALL_PX = 384
"""Longer side of the stand-in picture that the database's models are asked about."""
WIDEST = 1.6
"""Radius up to which a lens is followed beyond the corner: a picture may be turned or stretched."""


@dataclass(frozen=True, eq=False)
class KnownLens:
    """A lens of the database, at the frame's focal length, aperture and distance."""

    name: str
    stretch: Array
    """(SAMPLES,), how many times as far out the lens drew what belongs at `radii()`."""
    fall_off_EV: Array
    """(SAMPLES,), how much darker, at `radii()` of the picture as taken."""


@dataclass(frozen=True)
class LensTables:
    """What develops a picture, by the square of the radius in it from 0 to 1."""

    scales: Array
    """(SAMPLES, 3) how many times as far from the middle each channel lies in the frame."""
    gains: Array
    """(SAMPLES,) factors that take the fall-off back."""

    @property
    def moves(self) -> bool:
        return bool(np.abs(self.scales - 1.0).max() > 1e-7)

    @property
    def brightens(self) -> bool:
        return bool(np.abs(self.gains - 1.0).max() > 1e-6)


def radii() -> Array:
    return np.sqrt(np.linspace(0.0, 1.0, SAMPLES))


def lens_tables(frame: Frame, mend: Mend) -> LensTables:
    """The corrections of a recipe, drawn so large that the picture is filled."""
    known = known_lens(frame) if mend.lens == "known" else None
    fringes = mend.fringe_red_px, mend.fringe_blue_px
    return _tables(frame.size, mend.distortion_percent, mend.fall_off_EV, fringes, known)


def known_lens(frame: Frame) -> KnownLens | None:
    """The database's word on the lens of a frame; None when it has none, or the frame does not name it."""
    shot = frame.exposure
    if not (frame.camera and shot.lens and shot.focal_mm):
        return None
    return _looked_up(frame.camera, shot.lens, shot.focal_mm, shot.f_number or 8.0, shot.focus_m or 1000.0, frame.size)


@lru_cache(maxsize=64)
def _tables(
    size: tuple[int, int],
    distortion_percent: float,
    fall_off_EV: float,
    fringes_px: tuple[float, float],
    known: KnownLens | None,
) -> LensTables:
    radius = radii()
    reach = np.linspace(0.0, WIDEST, 16 * SAMPLES)
    # what belongs at a radius was drawn at another: by the database's lens, then by what the hand adds
    by_hand = np.interp(reach, reach / (1.0 + distortion_percent / 100.0 * reach**2), reach)
    drawn = by_hand if known is None else by_hand * np.interp(by_hand, radius, known.stretch)
    zoom = _zoom(size, reach, drawn)
    corner_px = float(np.hypot(*size)) / 2
    fringes = 1.0 + np.array([fringes_px[0], 0.0, fringes_px[1]]) / corner_px
    places = np.interp(np.outer(zoom * radius, fringes), reach, drawn)
    scales = np.empty_like(places)
    scales[1:] = places[1:] / radius[1:, None]
    scales[0] = scales[1]
    place = places[:, 1]
    dark_EV = fall_off_EV * place**2
    if known is not None:
        dark_EV = dark_EV + np.interp(place, radius, known.fall_off_EV)
    return LensTables(scales, 2.0**dark_EV)


def _zoom(size: tuple[int, int], reach: Array, drawn: Array) -> float:
    """The scale at which the picture's border just lies within the frame."""
    width, height = size
    corner = np.hypot(width, height)
    t = np.linspace(0.0, 1.0, 101)
    border = np.concatenate([np.hypot(width, height * t), np.hypot(width * t, height)]) / corner
    if np.allclose(drawn, reach, atol=1e-9):
        return 1.0
    low, high = 0.4, 1.5
    for _ in range(40):
        zoom = (low + high) / 2
        fits = bool((np.interp(zoom * border, reach, drawn) <= border).all())
        low, high = (zoom, high) if fits else (low, zoom)
    return low


@cache
def _database() -> Any:
    import lensfunpy

    return lensfunpy.Database()


@lru_cache(maxsize=64)
def _looked_up(
    camera: str, lens: str, focal_mm: float, f_number: float, focus_m: float, size: tuple[int, int]
) -> KnownLens | None:
    import lensfunpy

    body = _body(camera)
    found = _database().find_lenses(body, None, lens) if body is not None else []
    fits = [one for one in found if one.min_focal - 0.5 <= focal_mm <= one.max_focal + 0.5]
    if not fits:
        return None
    scale = SMALL_PX / max(size)
    width, height = (max(16, round(n * scale)) for n in size)
    modifier = lensfunpy.Modifier(fits[0], body.crop_factor, width, height)
    flags = lensfunpy.ModifyFlags.DISTORTION | lensfunpy.ModifyFlags.VIGNETTING
    modifier.initialize(focal_mm, f_number, focus_m, 1.0, pixel_format=np.float32, flags=flags)
    return KnownLens(str(fits[0].model), _stretch(modifier), _fall_off_EV(modifier))


def _body(camera: str) -> Any:
    """The camera of the database that a file's text names, with or without its maker."""
    named = camera.casefold()
    for body in _database().cameras:
        model = str(body.model).casefold()
        if model and named in (model, f"{str(body.maker).casefold()} {model}"):
            return body
    return None


def _stretch(modifier: Any) -> Array:
    middle = np.array([modifier.width - 1, modifier.height - 1]) / 2
    out = np.ones(SAMPLES)
    for n, radius in enumerate(radii()[1:], 1):
        x, y = middle + middle * radius
        drawn = modifier.apply_geometry_distortion(float(x), float(y), 1, 1)
        if drawn is None:
            return out
        out[n] = np.linalg.norm(drawn[0, 0] - middle) / np.linalg.norm(middle * radius)
    out[0] = out[1]
    return out


def _fall_off_EV(modifier: Any) -> Array:
    light = np.ones((modifier.height, modifier.width, 3), np.float32)
    if not modifier.apply_color_modification(light):
        return np.zeros(SAMPLES)
    # from the middle to a corner
    steps = np.linspace(0.5, 1.0, 64)
    rows = np.round(steps * (modifier.height - 1)).astype(int)
    columns = np.round(steps * (modifier.width - 1)).astype(int)
    middle = np.array([modifier.height - 1, modifier.width - 1]) / 2
    at = np.hypot(rows - middle[0], columns - middle[1]) / np.hypot(*middle)
    return np.interp(radii(), at, np.log2(light[rows, columns, 1]))
