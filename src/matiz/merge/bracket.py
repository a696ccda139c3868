"""Frames of a bracket become one that holds the light of all of them, with as little noise as they allow.

Each px is the mean of what the frames say of its light, weighed by how sure each is of it: its noise, by the model of
the sensor at the light that is expected there (Granados, Ajdin, Wand, Theobalt, Seidel and Lensch 2010, "Optimal HDR
reconstruction with linear digital cameras"). What is cut off, or near it, does not count.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import log2

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Camera
from ..develop.sensor import Sensor
from ..raw.frame import Frame, Merged
from ..raw.noise import noise_of
from .align import Alignment, aligned
from .laid import OUTSIDE, Laid
from .light import expected_light, measured_light
from .moved import Moved, find_moved
from .together import Told, checked, heard, in_strips

STRIP_ROWS = 192
FADES, ENDS = 0.90, 0.98
"""Of white: from where a frame counts less and less, and not at all."""
CALM_PX = 5
"""Over which the light that noise is expected at is taken."""
LEAST_WEIGHT = 1e-6


@dataclass(frozen=True, eq=False)
class BracketMerge:
    """The frame that was made, and how."""

    frame: Frame
    alignments: tuple[Alignment, ...]
    """Of every frame but the first, the reference, in their order."""
    gains: tuple[float, ...]
    """How much more light each got than the reference."""
    moved: Moved


def merge_bracket(frames: Sequence[Frame], told: Told = lambda _share, _text: True) -> BracketMerge:
    """One frame of several raw ones, exposed differently. The one in the middle is the reference: its view, its
    brightness, and what it shows of things that moved where it can.

    told: hears the share that is done and what is being done, and returns False to stop, which raises Cancelled.
    Raises ArgumentError for frames that do not go together, AlignError where they show different things.
    """
    checked(frames, "bracket")
    expected = expected_light(frames)
    order = sorted(range(len(frames)), key=lambda n: expected[n])
    first = order[len(order) // 2 - (len(order) + 1) % 2]
    frames = [frames[first], *(frames[n] for n in range(len(frames)) if n != first)]
    expected = [expected[first], *(expected[n] for n in range(len(expected)) if n != first)]
    sensors = [Sensor(frame) for frame in frames]
    laid, gains = [Laid(sensors[0])], [1.0]
    for n, sensor in enumerate(sensors[1:], 1):
        heard(told, 0.25 * n / len(sensors), f"Laying {sensor.frame.path.name} on {frames[0].path.name}")
        ratio = expected[n] / expected[0]
        alignment = aligned(sensors[0], sensor, ratio)
        laid.append(Laid(sensor, alignment))
        gains.append(measured_light(sensors[0], sensor, alignment, ratio))
    heard(told, 0.25, "Looking for what moved")
    moved = find_moved(laid, gains)
    linear = _together(laid, gains, moved, told)
    shortest = min(gains)
    linear *= np.float32(shortest)
    reference = frames[0]
    record = Merged(
        "bracket", tuple(frame.path.name for frame in frames), tuple(round(log2(gain), 3) for gain in gains),
        moved.areas, round(moved.share, 4),
    )  # fmt: skip
    colour = replace(reference.colour, baseline_EV=reference.colour.baseline_EV - log2(shortest))
    merged = replace(
        reference, mosaic=None, linear=linear, colour=colour, orientation=1, noise_profile=(), merged=record
    )
    return BracketMerge(merged, tuple(each.alignment for each in laid[1:] if each.alignment), tuple(gains), moved)


def _together(laid: Sequence[Laid], gains: Sequence[float], moved: Moved, told: Told) -> Camera:
    """The light of all frames in the reference's values, (height, width, 3)."""
    size = laid[0].sensor.frame.size
    return in_strips(
        size, STRIP_ROWS, lambda top, rows: _strip(laid, gains, moved, top, rows, size),
        lambda share: heard(told, 0.3 + 0.7 * share, "Merging"),
    )  # fmt: skip


def _strip(
    laid: Sequence[Laid], gains: Sequence[float], moved: Moved, top: int, rows: int, size: tuple[int, int]
) -> Camera:
    total = np.zeros((rows, size[0], 3), np.float32)
    weights = np.full((rows, size[0], 3), 1e-12, np.float32)
    reached = np.zeros((rows, size[0]), bool)
    for n in sorted(range(len(laid)), key=lambda n: gains[n]):
        camera, nearly = laid[n].rows(top, rows, size)
        gain = np.float32(gains[n])
        counts = np.clip((ENDS - nearly) / (ENDS - FADES), 0.0, 1.0) * moved.rows(n, top, rows, size[0])
        weight = counts[..., None] * (gain * gain / _variance(laid[n].sensor.frame, camera))
        first = (nearly < OUTSIDE / 100.0) & ~reached
        reached |= first
        # where all are full, the darkest that there is says it
        weight[first] = np.maximum(weight[first], LEAST_WEIGHT)
        if gains[n] > min(gains):
            camera = _white_where(camera, first & (nearly >= ENDS), laid[n].sensor.frame)
        total += weight * (camera / gain)
        weights += weight
    return np.asarray(total / weights, np.float32)


def _white_where(camera: Camera, full: NDArray[np.bool_], frame: Frame) -> Camera:
    """What is full in a frame is white in the merged one, whose own full level lies higher."""
    if full.any():
        neutral = frame.colour.as_shot_neutral.astype(np.float32)
        camera[full] = (camera[full] / neutral).max(axis=1, keepdims=True) * neutral
    return camera


def _variance(frame: Frame, camera: Camera) -> Camera:
    """Of the noise at the light that is expected at each px: round it, so that chance does not choose its weight."""
    noise = noise_of(frame)
    light: NDArray[np.float32] = np.maximum(cv2.blur(camera, (CALM_PX, CALM_PX)), np.float32(0.0))
    variance = np.float32(noise.shot) * light + np.float32(noise.read**2)
    if noise.unevenness:
        variance += (np.float32(noise.unevenness) * light) ** 2
    return np.asarray(variance, np.float32)
