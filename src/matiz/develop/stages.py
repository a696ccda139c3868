"""The stages in processing order, and the three ends a picture can be taken from."""

import numpy as np

from ..colour.spaces import REC2020_TO_SRGB
from ..kernels.display import display_linear, display_screen
from ..kernels.working import to_working
from ..raw.camera_colour import balance, light_xy
from ..raw.sensor import HIGHLIGHTS_LEVEL
from .geometry import FALL_OFF, GEOMETRY
from .rendition import display_table
from .stage import Pixels, Request, Stage


def _sensor(_: Pixels | None, request: Request) -> Pixels:
    return request.sensor.read(request.level, request.region)


def _quick_sensor(_: Pixels | None, request: Request) -> Pixels:
    return request.sensor.draft(request.level, request.region)


def _light(camera: Pixels | None, request: Request) -> Pixels:
    assert camera is not None
    frame = request.sensor.frame
    to = balance(frame.colour, light_xy(frame.colour, request.recipe.light))
    gains, matrix = to.gains.astype(np.float32), to.matrix.astype(np.float32)
    ratios = request.sensor.highlights
    if ratios is None:
        return to_working(camera, gains, matrix, clip=frame.full_level)
    scale = 2.0 ** (request.level - HIGHLIGHTS_LEVEL)
    corner = (request.region[0] * scale, request.region[1] * scale)
    return to_working(camera, gains, matrix, clip=frame.full_level, ratios=ratios, scale=scale, corner=corner)


def _screen(working: Pixels | None, request: Request) -> Pixels:
    assert working is not None
    return display_screen(working, display_table(request.recipe.tone), _TO_SRGB, _gain(request))


def _display(working: Pixels | None, request: Request) -> Pixels:
    assert working is not None
    return display_linear(working, display_table(request.recipe.tone), _TO_SRGB, _gain(request))


def _gain(request: Request) -> float:
    return float(2.0**request.recipe.tone.exposure_EV)


_TO_SRGB = REC2020_TO_SRGB.astype(np.float32)
_TONE = ("tone.exposure_EV", "tone.rendition", "tone.curve.lightness")

SENSOR = Stage("sensor", (), _sensor)
QUICK_SENSOR = Stage("quick sensor", (), _quick_sensor)
LIGHT = Stage("light", ("light.source", "light.cct_K", "light.duv"), _light)
SCREEN = Stage("screen", _TONE, _screen)
DISPLAY = Stage("display", _TONE, _display)

_SCENE = (GEOMETRY, LIGHT, FALL_OFF)

WAYS: dict[str, tuple[Stage, ...]] = {
    "camera": (SENSOR, GEOMETRY),
    "working": (SENSOR, *_SCENE),
    "screen": (SENSOR, *_SCENE, SCREEN),
    "draft": (QUICK_SENSOR, *_SCENE, SCREEN),
    "display": (SENSOR, *_SCENE, DISPLAY),
}
"""Stages up to each kind of result: camera values, scene-linear Rec.2020 before exposure, 8-bit
blue-green-red-255 for the screen, the same from a quick demosaic, display-linear sRGB for files."""
