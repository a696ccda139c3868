"""Many frames of one view become their mean: noise falls as the root of their number.

A night sky turns over ground that stands. The frames are laid on each other twice, by the ground and by the stars, and
each place is taken from the one by which it stands still. What is in one frame alone, such as a plane's trail, is left
out of the mean.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from math import log2

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Camera
from ..develop.frame.alignment import Alignment
from ..develop.frame.laid import OUTSIDE, Laid
from ..develop.frame.sensor import Sensor
from ..develop.frame.tiles import Region, Size, level_size
from ..errors import ArgumentError
from ..raw.frame import Frame, Merged
from ..raw.noise import noise_of
from .align import AlignError, aligned, standing_share
from .light import expected_light, measured_light
from .stars import stars_aligned, stars_of
from .together import OnProgress, in_areas, prepared, report_progress

MOST_ROWS = 1024
"""Of all frames together, of which each has its part in memory at a time."""
HOLDS = ("both", "ground", "sky")
NOISES, SHARE, OF_EDGE = 4.5, 0.1, 0.5
"""How many times its noise, what share of its light and of the steps round it a value may differ from the others."""
LEVEL = 2
STILL_PX, SOFT_PX = 3.0, 1.0
"""At that level: over what surroundings it is decided by what a place stands still, and over what it fades."""
TURNS_PX = 1.5
"""By which the sky moves otherwise than the ground, somewhere, where it is one that turns."""
LEAST_STANDING = 0.15
"""Of what is followed from frame to frame: where as much does not move the camera stood on something."""

Plane = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class MeanMerge:
    """The frame that was made, and how."""

    frame: Frame
    ground: tuple[Alignment | None, ...]
    """How each frame but the first, the reference, lies by the ground; None where it stands still, or by what is not
    held."""
    sky: tuple[Alignment | None, ...]
    """And by the stars."""
    sky_share: float
    """Of the picture that is aligned on the stars."""
    noise_left: float
    """Of the reference's noise, in deviation, as measured in the finest detail."""
    left_out: float
    """Share of all values that were left out of the mean."""


def merge_mean(
    frames: Sequence[Frame], hold: str = "both", on_progress: OnProgress = lambda _share, _text: True
) -> MeanMerge:
    """The mean of raw frames. hold: "ground", "sky" (by its stars), or "both", each where it is.

    The one in the middle of the series is the reference. on_progress, and what is raised: see `bracket.merge_bracket`.
    """
    frames = prepared(frames, "mean")
    if hold not in HOLDS:
        raise ArgumentError(f"hold: one of {', '.join(HOLDS)}, got {hold!r}")
    middle = len(frames) // 2
    ways: dict[str, list[Alignment | None]] = {}
    if hold != "sky":
        report_progress(on_progress, 0.0, "Aligning the frames on the ground")
        ways["ground"] = _by_ground(frames, middle, on_progress)
    if hold != "ground":
        report_progress(on_progress, 0.2, "Aligning the frames on the stars")
        try:
            ways["sky"] = _by_stars(frames, middle)
        except AlignError:
            if hold == "sky":
                raise
    if len(ways) == 2 and not _turns(ways["ground"], ways["sky"], frames[middle].size):
        del ways["sky"]  # what goes with the ground is no star
    order = [middle, *(n for n in range(len(frames)) if n != middle)]
    expected = expected_light(frames)
    gains = [1.0] + [_gain(frames, n, middle, ways, expected) for n in order[1:]]
    means, unrest, out = [], [], 0.0
    for step, (name, alignments) in enumerate(ways.items()):
        laid = [Laid(Sensor(frames[n]), alignments[n]) for n in order]
        mean, restless, share = _mean(laid, gains, _part(on_progress, name, step, len(ways)))
        means.append(mean)
        unrest.append(restless)
        out = max(out, share)
    linear, sky_share = means[0], float("sky" in ways)
    if len(means) == 2:
        linear, sky_share = _each_where_it_stands(means, unrest)
    reference = frames[middle]
    record = Merged("mean", tuple(frames[n].path.name for n in order), tuple(round(log2(gain), 3) for gain in gains))
    merged = replace(reference, mosaic=None, linear=linear, orientation=1, noise_profile=(), merged=record)
    of_others = {name: tuple(alignments[n] for n in order[1:]) for name, alignments in ways.items()}
    left = _noise_left(Laid(Sensor(frames[middle])), linear)
    return MeanMerge(merged, of_others.get("ground", ()), of_others.get("sky", ()), sky_share, left, out)


def _turns(ground: Sequence[Alignment | None], sky: Sequence[Alignment | None], size: Size) -> bool:
    """Whether the sky moved otherwise than the ground, in any frame."""
    still = Alignment(size=size)
    pairs = [(one or still, other or still) for one, other in zip(ground, sky, strict=True)]
    at = np.array([(x * size[0], y * size[1]) for x in (0.25, 0.75) for y in (0.25, 0.75)])
    return any(float(np.linalg.norm(one.at(*at.T) - other.at(*at.T), axis=1).max()) > TURNS_PX for one, other in pairs)


def _part(on_progress: OnProgress, name: str, step: int, steps: int) -> Callable[[float], None]:
    words = f"Merging, aligned on {'the ground' if name == 'ground' else 'the stars'}"
    return lambda share: report_progress(on_progress, 0.3 + 0.7 * (step + share) / steps, words)


def _by_ground(frames: Sequence[Frame], middle: int, on_progress: OnProgress) -> list[Alignment | None]:
    """None for those that stand, also where too little can be seen of the ground: a tripod is what such series need."""
    out: list[Alignment | None] = []
    first = Sensor(frames[middle])
    for n, frame in enumerate(frames):
        report_progress(on_progress, 0.2 * n / len(frames), "Aligning the frames on the ground")
        sensor = Sensor(frame)
        try:
            stands = n == middle or standing_share(first, sensor) >= LEAST_STANDING
            out.append(None if stands else aligned(first, sensor))
        except AlignError:
            out.append(None)
    return out


def _by_stars(frames: Sequence[Frame], middle: int) -> list[Alignment | None]:
    stars, size = [stars_of(Sensor(frame)) for frame in frames], frames[middle].size
    out: list[Alignment | None] = [None] * len(frames)
    # from the middle out: each frame is near where the one before it was
    for way in (range(middle + 1, len(frames)), range(middle - 1, -1, -1)):
        before: Alignment | None = None
        for n in way:
            before = out[n] = stars_aligned(stars[middle], stars[n], size, before)
    return out


def _gain(
    frames: Sequence[Frame], n: int, middle: int, ways: dict[str, list[Alignment | None]], expected: list[float]
) -> float:
    alignment = next(iter(ways.values()))[n] or Alignment(size=frames[middle].size)
    first, sensor = Sensor(frames[middle]), Sensor(frames[n])
    return measured_light(first, sensor, alignment, expected[n] / expected[middle])


def _mean(laid: Sequence[Laid], gains: Sequence[float], done: Callable[[float], None]) -> tuple[Camera, Plane, float]:
    """The mean (height, width, 3), how restless each place is (height, width) at LEVEL, and the share of values that
    were left out."""
    size: Size = laid[0].sensor.frame.size
    width, height = level_size(size, LEVEL)
    restless, out = np.zeros((height, width), np.float32), []
    side = 2**LEVEL

    def make(area: Region) -> Camera:
        mean, spread, share = _area(laid, gains, area)
        out.append(share)
        x, y, w, h = area[0] // side, area[1] // side, area[2] // side, area[3] // side
        if w and h:
            inner = spread[: h * side, : w * side]
            restless[y : y + h, x : x + w] = cv2.resize(inner, (w, h), interpolation=cv2.INTER_AREA)
        return mean

    return in_areas(size, _area_for(len(laid)), make, done), restless, float(np.mean(out))


def _area_for(frames: int) -> Size:
    """So large that what all frames have of it is worth the while and fits into the memory."""
    return 512, max(32, MOST_ROWS // frames // 2**LEVEL * 2**LEVEL)


def _area(laid: Sequence[Laid], gains: Sequence[float], area: Region) -> tuple[Camera, Plane, float]:
    values, reach = [], []
    for each, gain in zip(laid, gains, strict=True):
        camera, nearly = each.seen(area)
        values.append(camera / np.float32(gain))
        reach.append(nearly < OUTSIDE / 100.0)
    stack, known = np.stack(values), np.stack(reach)[..., None].astype(np.float32)
    count = known.sum(axis=0)
    # without the highest: a trail is in one frame alone
    highest = np.where(known > 0.0, stack, -np.inf).max(axis=0)
    total = (stack * known).sum(axis=0)
    usual = np.where(count > 1.0, (total - highest) / np.maximum(count - 1.0, 1.0), total)
    around = np.ones((3, 3), np.uint8)
    steps = cv2.dilate(usual, around) - cv2.erode(usual, around)
    noise = noise_of(laid[0].sensor.frame)
    variance = noise.variance(np.maximum(cv2.blur(usual, (3, 3)), 0.0)).astype(np.float32)
    allowed = NOISES * np.sqrt(variance) + SHARE * np.maximum(usual, 0.0) + OF_EDGE * steps
    kept = known * (np.abs(stack - usual) <= allowed).all(axis=3, keepdims=True)
    number = np.maximum(kept.sum(axis=0), 1e-6)
    mean = (stack * kept).sum(axis=0) / number
    mean = np.where(number >= 1.0, mean, stack[0])
    spread = (((stack - mean) ** 2 * kept).sum(axis=0) / number / variance).mean(axis=2)
    left_out = 1.0 - float(kept.sum() / max(known.sum(), 1.0))
    return mean.astype(np.float32), spread.astype(np.float32), left_out


def _each_where_it_stands(means: Sequence[Camera], unrest: Sequence[Plane]) -> tuple[Camera, float]:
    """By the ground (first) or by the stars, whichever a place stands still by; and the share of the latter."""
    ground, stars = (cv2.GaussianBlur(each, (0, 0), STILL_PX) for each in unrest)
    by_stars = cv2.medianBlur((stars < ground).astype(np.uint8), 9).astype(np.float32)
    by_stars = cv2.GaussianBlur(by_stars, (0, 0), SOFT_PX)
    height, width = means[0].shape[:2]
    share = cv2.resize(by_stars, (width, height), interpolation=cv2.INTER_LINEAR)[..., None]
    return means[0] + share * (means[1] - means[0]), float(by_stars.mean())


def _noise_left(reference: Laid, merged: Camera) -> float:
    height, width = merged.shape[:2]
    rows = min(height, 1024)
    top = (height - rows) // 2
    own, _ = reference.seen((0, top, width, rows))
    return _finest(merged[top : top + rows]) / max(_finest(own), 1e-12)


def _finest(camera: Camera) -> float:
    """Median size of the finest detail, which in calm places is noise."""
    light = np.ascontiguousarray(camera[..., 1])
    return float(np.median(np.abs(cv2.Laplacian(light, cv2.CV_32F))))
