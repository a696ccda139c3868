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
from ..develop.frame.alignment import Alignment
from ..develop.frame.laid import OUTSIDE, Laid
from ..develop.frame.tiles import Region
from ..raw.frame import Frame, Merged
from ..raw.noise import noise_of
from .light import expected_light
from .moved import Moved, find_moved
from .stack import laid_together
from .together import OnProgress, in_areas, prepared, report_progress

AREA = (1024, 256)
FADES, ENDS = 0.90, 0.98
"""Of white: from where a frame counts less and less, and not at all."""
CALM_PX = 5
"""Over which the light that noise is expected at is taken."""
LEAST_WEIGHT, NO_WEIGHT = 1e-6, 1e-12
LITTLE, STEP = 0.08, 4
"""Of the weight that is there: less is not worth the looking; and one px in how many each way tells it. Noise is then
at most 5 % above the least that is possible."""


@dataclass(frozen=True, eq=False)
class BracketMerge:
    """The frame that was made, and how."""

    frame: Frame
    alignments: tuple[Alignment, ...]
    """Of every frame but the first, the reference, in their order."""
    gains: tuple[float, ...]
    """How much more light each got than the reference."""
    moved: Moved


def merge_bracket(frames: Sequence[Frame], on_progress: OnProgress = lambda _share, _text: True) -> BracketMerge:
    """One frame of several raw ones, exposed differently. The one in the middle is the reference: its view, its
    brightness, and what it shows of things that moved where it can.

    on_progress: hears the share that is done and what is being done, and returns False to stop, which raises Cancelled.
    Raises ArgumentError for frames that do not go together, AlignError where they show different things.
    """
    frames = prepared(frames, "bracket")
    expected = expected_light(frames)
    order = sorted(range(len(frames)), key=lambda n: expected[n])
    first = order[len(order) // 2 - (len(order) + 1) % 2]
    frames = [frames[first], *(frames[n] for n in range(len(frames)) if n != first)]
    expected = [expected[first], *(expected[n] for n in range(len(expected)) if n != first)]
    laid, gains, alignments = laid_together(frames, expected, lambda share, text: on_progress(0.25 * share, text))
    report_progress(on_progress, 0.25, "Finding what moved")
    moved = find_moved(laid, gains)
    linear = _together(laid, gains, moved, on_progress)
    shortest = min(gains)
    linear *= np.float32(shortest)
    reference = frames[0]
    record = Merged(
        "bracket", tuple(frame.path.name for frame in frames), tuple(round(log2(gain), 3) for gain in gains),
        moved.areas, round(moved.share, 4), tuple(each.numbers() for each in alignments),
    )  # fmt: skip
    colour = replace(reference.colour, baseline_EV=reference.colour.baseline_EV - log2(shortest))
    merged = replace(
        reference, mosaic=None, linear=linear, colour=colour, orientation=1, noise_profile=(), merged=record
    )
    return BracketMerge(merged, alignments, tuple(gains), moved)


def _together(laid: Sequence[Laid], gains: Sequence[float], moved: Moved, on_progress: OnProgress) -> Camera:
    """The light of all frames in the reference's values, (height, width, 3)."""
    return in_areas(
        laid[0].sensor.frame.size, AREA, lambda area: _area(laid, gains, moved, area),
        lambda share: report_progress(on_progress, 0.35 + 0.65 * share, "Merging"),
    )  # fmt: skip


def _area(laid: Sequence[Laid], gains: Sequence[float], moved: Moved, area: Region) -> Camera:
    """From the lightest frame to the darkest: what adds next to nothing to those before it is not looked at."""
    shape = (area[3], area[2], 3)
    total, weights = np.zeros(shape, np.float32), np.full(shape, NO_WEIGHT, np.float32)
    order = sorted(range(len(laid)), key=lambda n: -gains[n])
    darkest = order[-1]
    unless_full = ENDS if laid[darkest].reaches(area) else np.inf
    for n in order:
        gain, frame = np.float32(gains[n]), laid[n].sensor.frame
        if n != order[0] and _adds_little(total, weights, gain, frame):
            continue
        camera, nearly = laid[n].seen(area, unless_full=np.inf if n == darkest else unless_full)
        counts = np.clip((ENDS - nearly) * (gain / np.float32(ENDS - FADES)), 0.0, gain)
        counts *= moved.over(n, area)
        weight = _variance(frame, camera)
        np.divide(counts[..., None], weight, out=weight)
        # where all before it are full and it is too, it says so
        nothing = (weights[..., 1] < 2.0 * LEAST_WEIGHT) & (weight[..., 1] < LEAST_WEIGHT)
        full = nothing & (nearly < OUTSIDE / 100.0)
        if full.any():
            total[full], weights[full], weight[full] = 0.0, NO_WEIGHT, LEAST_WEIGHT / gain
            if n != darkest:
                _whiten(camera, full, frame)
        camera *= weight
        total += camera
        weight *= gain
        weights += weight
    total /= weights
    return total


def _adds_little(total: Camera, weights: Camera, gain: np.float32, frame: Frame) -> bool:
    """Whether a frame would weigh next to nothing wherever it is, against those that are there already."""
    noise = noise_of(frame)
    light = np.maximum(total[::STEP, ::STEP] / weights[::STEP, ::STEP], 0.0) * gain
    most = gain * gain / (np.float32(noise.shot) * light + np.float32(noise.read**2))
    return bool((most < LITTLE * weights[::STEP, ::STEP]).all())


def _whiten(camera: Camera, full: NDArray[np.bool_], frame: Frame) -> None:
    """What is full in a frame is white in the merged one, whose own full level lies higher."""
    if full.any():
        neutral = frame.colour.as_shot_neutral.astype(np.float32)
        camera[full] = (camera[full] / neutral).max(axis=1, keepdims=True) * neutral


def _variance(frame: Frame, camera: Camera) -> Camera:
    """Of the noise at the light that is expected at each px: round it, so that chance does not choose its weight."""
    noise = noise_of(frame)
    light = np.asarray(cv2.blur(camera, (CALM_PX, CALM_PX)), np.float32)
    np.maximum(light, np.float32(0.0), out=light)
    light *= np.float32(noise.shot)
    light += np.float32(noise.read**2)
    return light
