"""The stages in processing order, and the three ends a picture can be taken from."""

import cv2
import numpy as np

from ..colour.spaces import REC2020_TO_SRGB
from ..kernels.display import display_linear, display_screen
from ..kernels.working import to_working
from ..raw.camera_colour import balance, light_xy, partly
from ..raw.sensor import HIGHLIGHTS_LEVEL
from .geometry import FALL_OFF, GEOMETRY
from .rendition import display_table, has_channel_curves, screen_tables, with_channel_curves
from .stage import Pixels, Request, Stage
from .tone import TONE


def _sensor(_: Pixels | None, request: Request) -> Pixels:
    return request.sensor.read(request.level, request.region)


def _quick_sensor(_: Pixels | None, request: Request) -> Pixels:
    return request.sensor.draft(request.level, request.region)


def _small_sensor(_: Pixels | None, request: Request) -> Pixels:
    return request.sensor.small(request.level, request.region)


def _light(camera: Pixels | None, request: Request) -> Pixels:
    assert camera is not None
    frame = request.sensor.frame
    light = request.recipe.light
    to = request.once(
        ("balance", light),
        lambda: partly(balance(frame.colour, light_xy(frame.colour, light)), light.adaptation_percent / 100.0),
    )
    gains, matrix = to.gains.astype(np.float32), to.matrix.astype(np.float32)
    ratios = request.sensor.highlights
    if ratios is None:
        return to_working(camera, gains, matrix, clip=frame.full_level)
    scale = 2.0 ** (request.level - HIGHLIGHTS_LEVEL)
    corner = (request.region[0] * scale, request.region[1] * scale)
    return to_working(camera, gains, matrix, clip=frame.full_level, ratios=ratios, scale=scale, corner=corner)


def _screen(working: Pixels | None, request: Request) -> Pixels:
    assert working is not None
    tone = request.recipe.tone
    shown = display_screen(working, display_table(tone), _TO_SRGB, _gain(request))
    return cv2.LUT(shown, screen_tables(tone.curve)) if has_channel_curves(tone.curve) else shown


def _display(working: Pixels | None, request: Request) -> Pixels:
    assert working is not None
    tone = request.recipe.tone
    shown = display_linear(working, display_table(tone), _TO_SRGB, _gain(request))
    return with_channel_curves(tone.curve, shown) if has_channel_curves(tone.curve) else shown


def _gain(request: Request) -> float:
    return float(2.0**request.recipe.tone.exposure_EV)


_TO_SRGB = REC2020_TO_SRGB.astype(np.float32)
_RENDITION = (
    "tone.exposure_EV", "tone.rendition", "tone.black_EV", "tone.white_EV", "tone.curve.lightness", "tone.curve.red",
    "tone.curve.green", "tone.curve.blue",
)  # fmt: skip

SENSOR = Stage("sensor", (), _sensor)
SMALL_SENSOR = Stage("small sensor", (), _small_sensor)
QUICK_SENSOR = Stage("quick sensor", (), _quick_sensor)
LIGHT = Stage("light", ("light.source", "light.cct_K", "light.duv", "light.adaptation_percent"), _light)
SCREEN = Stage("screen", _RENDITION, _screen)
DISPLAY = Stage("display", _RENDITION, _display)

_SCENE = (GEOMETRY, LIGHT, FALL_OFF)

WAYS: dict[str, tuple[Stage, ...]] = {
    "camera": (SENSOR, GEOMETRY),
    "working": (SENSOR, *_SCENE),
    "small": (SMALL_SENSOR, *_SCENE),
    "scene": (SENSOR, *_SCENE, TONE),
    "screen": (SENSOR, *_SCENE, TONE, SCREEN),
    "draft": (QUICK_SENSOR, *_SCENE, TONE, SCREEN),
    "display": (SENSOR, *_SCENE, TONE, DISPLAY),
}
"""Stages up to each kind of result: camera values, scene-linear Rec.2020 before exposure, 8-bit
blue-green-red-255 for the screen, the same from a quick demosaic, display-linear sRGB for files."""
