"""The simulated camera: sensitivities, matrices, exposure, noise, counts.

Reference for the noise: EMVA 1288 (photon noise plus read noise, variance linear in the mean).
"""

from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from ..colour.adaptation import adaptation_matrix
from ..colour.illuminants import black_body, daylight, lamp
from ..colour.spaces import D50_XY, XYZ_to_xy, xy_to_XYZ
from ..colour.tables import WAVELENGTHS_NM, observer_bands
from ..colour.temperature import xy_to_cct
from ..colour.types import Array, Chromaticity
from ..errors import ArgumentError
from ..raw.camera_colour import interpolated, xy_to_neutral
from ..raw.frame import Calibration, CameraColour, Exposure, Frame, Mosaic
from .scene import Map, Scene
from .spectra import bump, fitting_set

CAMERA = "Corva Body A"
LENS = "Corva 21-98"
WHITE = 16_000
BLACK = 512.0
FULL_WELL_ELECTRONS = 48_000.0
"""At ISO 100; the counts are 14 bit."""
PATTERNS = {
    "2x2": np.array([[0, 1], [1, 2]], np.uint8),
    "6x6": np.array(
        [[1, 1, 0, 1, 1, 2], [1, 1, 2, 1, 1, 0], [2, 0, 1, 0, 2, 1],
         [1, 1, 2, 1, 1, 0], [1, 1, 0, 1, 1, 2], [0, 2, 1, 2, 0, 1]], np.uint8
    ),
}  # fmt: skip


@dataclass(frozen=True)
class Settings:
    """How a frame is taken."""

    iso: float = 100.0
    ev: float = 0.0
    """0 puts diffuse white, under irradiance 1 of the light balanced for, at the white level of green."""
    time_s: float = 1 / 125
    f_number: float = 8.0
    focal_mm: float = 35.0
    time_utc: str = "2026-03-14T06:12:00Z"
    balance_xy: Chromaticity = field(default_factory=lambda: D50_XY)
    """What the camera takes for neutral."""
    noise: bool = True
    seed: int = 1
    mosaic: str = "2x2"
    fall_off_EV: float = 0.5
    """In the corners."""
    blur_px: float = 0.55
    glare: float = 0.002
    """Share of the mean that veils the picture."""

    def __post_init__(self) -> None:
        if not 50 <= self.iso <= 51_200:
            raise ArgumentError(f"iso: 50..51200, got {self.iso:g}")
        if self.mosaic not in PATTERNS:
            raise ArgumentError(f"mosaic: {' or '.join(PATTERNS)}, got {self.mosaic!r}")


WEIGHT_OF_LIGHTS = 40.0
"""In the fit of the color matrix, against about 5 of a reflectance."""

IDEAL = {"noise": False, "fall_off_EV": 0.0, "blur_px": 0.0, "glare": 0.0}
"""Settings of a perfect lens and sensor, for tests."""


@cache
def sensitivities() -> Array:
    """(36, 3) red, green, blue; green gives 1 for a white of luminance 1 under daylight."""
    nm = WAVELENGTHS_NM.astype(np.float64)
    # parameters searched so that two matrices tell lights of 2,000 to 12,000 K within 0.2 %
    red = bump(0.88, 603.7, 27.7) + bump(0.103, 540.0, 40.0) + bump(0.042, 440.0, 20.0)
    green = bump(1.00, 544.0, 37.5) + bump(0.033, 600.0, 40.0)
    blue = bump(0.85, 454.1, 30.5) + bump(0.013, 530.0, 40.0)
    cut = 1.0 / (1.0 + np.exp((nm - 690.0) / 8.0)) / (1.0 + np.exp(-(nm - 405.0) / 6.0))
    raw = np.stack([red, green, blue], axis=1) * cut[:, None]
    return np.asarray(raw / (daylight(6504.0) @ raw)[1])


@cache
def camera_colour() -> CameraColour:
    """Both calibrations, fitted over the reflectance set under A and D65."""
    warm = [black_body(k) for k in np.geomspace(1800.0, 4500.0, 12)]
    cool = [maker(k) for k in np.geomspace(4500.0, 14_000.0, 12) for maker in (black_body, daylight)]
    return CameraColour((_calibration(2856.0, lamp("A"), warm), _calibration(6504.0, daylight(6504.0), cool)))


def _calibration(cct_K: float, light: Array, lights_nearby: list[Array]) -> Calibration:
    """Color matrix and forward matrix that keep white and fit the rest in about even steps of lightness.

    The color matrix also sees white under lights nearby, since it is what temperatures are read with.
    """
    camera = fitting_set() * light @ sensitivities()
    XYZ = fitting_set() * light @ observer_bands()
    white_camera, white_XYZ = light @ sensitivities(), light @ observer_bands()
    # errors in the darks are seen as much as errors in the lights
    weight = 1.0 / np.maximum(XYZ[:, 1], 0.02) ** (2 / 3)
    lights = np.stack(lights_nearby)
    to_camera = _fit(
        np.concatenate([XYZ, lights @ observer_bands()]),
        np.concatenate([camera, lights @ sensitivities()]),
        white_XYZ,
        white_camera,
        np.concatenate([weight, np.full(len(lights), WEIGHT_OF_LIGHTS)]),
    )
    adapt = adaptation_matrix(white_XYZ, xy_to_XYZ(D50_XY))
    balanced = camera / white_camera
    forward = _fit(balanced, XYZ @ adapt.T, np.ones(3), xy_to_XYZ(D50_XY), weight)
    return Calibration(cct_K, to_camera, forward)


def _fit(source: Array, target: Array, white_in: Array, white_out: Array, weight: Array) -> Array:
    """(3, 3) least-squares matrix that takes white to white exactly."""
    # M = N + d h^T: any M with M white_in = white_out differs from N in the plane beside white_in
    unit = white_in / np.linalg.norm(white_in)
    plane = np.linalg.svd(unit[None])[2][1:]
    base = np.outer(white_out, unit) / np.linalg.norm(white_in)
    rest = (target - source @ base.T) * weight[:, None]
    solved = np.linalg.lstsq((source @ plane.T) * weight[:, None], rest, rcond=None)[0]
    return np.asarray(base + solved.T @ plane)


def electrons_full(iso: float) -> float:
    return FULL_WELL_ELECTRONS * 100.0 / iso


def read_noise_electrons(iso: float) -> float:
    """Falls with ISO, as amplification before the converter does."""
    return float(np.hypot(1.6, 5.5 * 100.0 / iso))


def light_spectrum(name: str) -> Array:
    """Spectrum (36,) by name: "daylight:6500", "planck:2700", or a tabulated lamp such as "A", "LED-B3"."""
    kind, _, value = name.partition(":")
    makers = {"daylight": daylight, "planck": black_body}
    return makers[kind](float(value)) if kind in makers else lamp(name)


def light_xy_of(spectrum: Array) -> Chromaticity:
    return XYZ_to_xy(spectrum @ observer_bands())


def expose(scene: Scene, settings: Settings) -> Frame:
    """Take a picture of `scene`."""
    light = scene.seen_through(sensitivities()) / np.float32(_green_of_white(settings.balance_xy))
    counts = _counts(_through_lens(light, settings), settings)
    pattern = PATTERNS[settings.mosaic]
    mosaic = Mosaic(counts, pattern, np.full(pattern.shape, BLACK, np.float32), float(WHITE))
    colour = camera_colour()
    neutral = xy_to_neutral(colour, settings.balance_xy)
    full, read = electrons_full(settings.iso), read_noise_electrons(settings.iso)
    return Frame(
        Path(),
        CameraColour(colour.calibrations, neutral),
        Exposure(settings.iso, settings.time_s, settings.f_number, settings.time_utc, settings.focal_mm, LENS),
        mosaic,
        camera=CAMERA,
        noise_profile=((1.0 / full, (read / full) ** 2),) * 3,
    )


def _green_of_white(xy: Chromaticity) -> float:
    """Green response to a white of luminance 1 under the light `xy`."""
    matrix = interpolated(camera_colour(), float(xy_to_cct(xy)[0])).color_matrix
    return float((matrix @ xy_to_XYZ(xy))[1])


def _through_lens(light: Map, settings: Settings) -> Map:
    height, width = light.shape[:2]
    if settings.blur_px > 0:
        light = cv2.GaussianBlur(light, (0, 0), settings.blur_px)
    if settings.glare > 0:
        light = light * (1.0 - settings.glare) + light.mean(axis=(0, 1)) * np.float32(settings.glare)
    if settings.fall_off_EV > 0:
        y, x = np.ogrid[-1.0 : 1.0 : height * 1j, -1.0 : 1.0 : width * 1j]
        radius2 = ((x * width) ** 2 + (y * height) ** 2) / (width**2 + height**2)
        light = light * (2.0 ** (-settings.fall_off_EV * radius2)).astype(np.float32)[..., None]
    return light


def _counts(light: Map, settings: Settings) -> np.ndarray:
    height, width = light.shape[:2]
    pattern = PATTERNS[settings.mosaic]
    rows, columns = pattern.shape
    signal = np.empty((height, width), np.float32)
    for row in range(rows):
        for column in range(columns):
            signal[row::rows, column::columns] = light[row::rows, column::columns, pattern[row, column]]
    electrons = signal * np.float32(2.0**settings.ev * electrons_full(settings.iso))
    if settings.noise:
        random = np.random.default_rng(settings.seed)
        variance = np.maximum(electrons, 0.0) + np.float32(read_noise_electrons(settings.iso) ** 2)
        electrons = electrons + np.sqrt(variance) * random.standard_normal(electrons.shape, np.float32)
    counts = electrons * np.float32((WHITE - BLACK) / electrons_full(settings.iso)) + np.float32(BLACK)
    return np.clip(np.rint(counts), 0, WHITE).astype(np.uint16)
