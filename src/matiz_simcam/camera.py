"""The simulated camera: its sensitivities and matrices, its settings, and the frames it takes."""

from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from matiz.colour.adaptation import adaptation_matrix
from matiz.colour.illuminants import black_body, daylight, lamp
from matiz.colour.spaces import D50_XY, XYZ_to_xy, xy_to_XYZ
from matiz.colour.tables import WAVELENGTHS_NM, observer_bands
from matiz.colour.temperature import xy_to_cct
from matiz.colour.types import Array, Chromaticity
from matiz.develop.frame.camera_colour import interpolated, xy_to_neutral
from matiz.errors import ArgumentError
from matiz.raw.frame import Calibration, CameraColour, Exposure, Frame, Mosaic

from .bokeh import circle_px, defocused, shaken
from .lens import KIT, PERFECT, Geometry, Lens, through
from .scene import Map, Scene
from .sensor import BLACK, CLEAN, PATTERNS, WHITE, SensorFaults, counts, electrons_full, read_noise_electrons
from .spectra import bump, fitting_set

MAKER = "Corva"
CAMERA = "Corva Body A"
LENS = "Corva 21-98"


@dataclass(frozen=True)
class Settings:
    """How a frame is taken."""

    iso: float = 100.0
    ev: float = 0.0
    """0 puts diffuse white, under irradiance 1 of the light balanced for, at the white level of green."""
    time_s: float = 1 / 125
    f_number: float = 8.0
    focal_mm: float = 35.0
    focus_m: float | None = None
    """Distance in focus; None for a pinhole, which has everything sharp."""
    shake: float = 0.0
    """How far the picture moved during the exposure, along a straight line, in widths of the frame."""
    time_utc: str = "2026-03-14T06:12:00Z"
    balance_xy: Chromaticity = field(default_factory=lambda: D50_XY)
    """What the camera takes for neutral."""
    noise: bool = True
    seed: int = 1
    mosaic: str = "2x2"
    tilt_degrees: float = 0.0
    lens: Lens = KIT
    faults: SensorFaults = CLEAN

    def __post_init__(self) -> None:
        if not 50 <= self.iso <= 51_200:
            raise ArgumentError(f"iso: 50..51200, got {self.iso:g}")
        if self.mosaic not in PATTERNS:
            raise ArgumentError(f"mosaic: {' or '.join(PATTERNS)}, got {self.mosaic!r}")
        if not abs(self.tilt_degrees) <= 10:
            raise ArgumentError(f"tilt_degrees: within 10 degrees, got {self.tilt_degrees:g}")


IDEAL: dict[str, Any] = {"noise": False, "lens": PERFECT, "faults": CLEAN}
"""Settings of a perfect lens and sensor, for tests."""

WEIGHT_OF_LIGHTS = 40.0
"""In the fit of the color matrix, against about 5 of a reflectance."""


@cache
def sensitivities() -> Array:
    """(36, 3) red, green, blue; green gives 1 for a white of luminance 1 under daylight."""
    nm = WAVELENGTHS_NM.astype(np.float64)
    # parameters searched so that two matrices tell lights of 2,000 to 12,000 K within 0.3 %, and so
    # that the chart stays near 1 ΔE00 under lamps of all kinds
    red = bump(0.88, 600.5, 30.1) + bump(0.10, 540.0, 40.0) + bump(0.02, 440.0, 20.0)
    green = bump(1.00, 544.0, 38.6) + bump(0.03, 600.0, 40.0)
    blue = bump(0.85, 452.8, 25.7) + bump(0.02, 530.0, 40.0)
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


def light_spectrum(name: str) -> Array:
    """Spectrum (36,) by name: "daylight:6500", "planck:2700", or a tabulated lamp such as "A", "LED-B3"."""
    kind, _, value = name.partition(":")
    makers = {"daylight": daylight, "planck": black_body}
    return makers[kind](float(value)) if kind in makers else lamp(name)


def light_xy_of(spectrum: Array) -> Chromaticity:
    return XYZ_to_xy(spectrum @ observer_bands())


def geometry_of(scene: Scene, settings: Settings) -> Geometry:
    return Geometry(scene.size, settings.lens, settings.tilt_degrees)


def expose(scene: Scene, settings: Settings) -> Frame:
    """Take a picture of `scene`."""
    light = scene.seen_through(sensitivities()) / np.float32(_green_of_white(settings.balance_xy))
    if scene.depth_m is not None and settings.focus_m is not None:
        light = defocused(light, circles_of(scene.depth_m, settings))
    if settings.shake:
        light = shaken(light, settings.shake * light.shape[1])
    values = counts(
        through(light, geometry_of(scene, settings)),
        pattern=settings.mosaic,
        iso=settings.iso,
        ev=settings.ev,
        time_s=settings.time_s,
        f_number=settings.f_number,
        noise=settings.noise,
        seed=settings.seed,
        faults=settings.faults,
    )
    pattern = PATTERNS[settings.mosaic]
    mosaic = Mosaic(values, pattern, np.full(pattern.shape, BLACK, np.float32), float(WHITE))
    colour = camera_colour()
    neutral = xy_to_neutral(colour, settings.balance_xy)
    full, read = electrons_full(settings.iso), read_noise_electrons(settings.iso)
    return Frame(
        Path(),
        CameraColour(colour.calibrations, neutral),
        Exposure(
            settings.iso,
            settings.time_s,
            settings.f_number,
            settings.time_utc,
            settings.focal_mm,
            LENS,
            settings.focus_m,
        ),
        mosaic,
        camera=CAMERA,
        maker=MAKER,
        noise_profile=((1.0 / full, (read / full) ** 2),) * 3,
    )


def circles_of(depth_m: Map, settings: Settings) -> Map:
    """Radius in px of the disc that each pixel is spread over, negative nearer than the focus."""
    if settings.focus_m is None:
        return np.zeros_like(depth_m)
    return circle_px(
        depth_m, focal_mm=settings.focal_mm, f_number=settings.f_number, focus_m=settings.focus_m,
        width_px=depth_m.shape[1],
    )  # fmt: skip


def _green_of_white(xy: Chromaticity) -> float:
    """Green response to a white of luminance 1 under the light `xy`."""
    matrix = interpolated(camera_colour(), float(xy_to_cct(xy)[0])).color_matrix
    return float((matrix @ xy_to_XYZ(xy))[1])
