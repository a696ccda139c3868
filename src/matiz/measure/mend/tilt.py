"""How a frame lies: its tilt and how far its camera tilted up or down, from the lines in it.

Upright things draw lines that all run towards one point far above or below; where that point lies says roll and pitch
at once. Lines that run across say the roll too, if they lie side by side or if one of them runs through much of the
picture, as a horizon does. What neither shows is not claimed. Lines are found by LSD (Grompone von Gioi, Jakubowicz,
Morel, Randall, "LSD: a Line Segment Detector", 2012); the point they run towards by a robust fit (Hartley and
Zisserman, Multiple View Geometry, 2004, 8.6, for the geometry).
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, Camera

LEAST_PX = 12.0
"""Shorter lines say too little."""
MOST_LINES = 500
"""The longest."""
MOST_LEAN, MOST_ROLL, MOST_PITCH = 28.0, 12.0, 30.0
"""Degrees: of a line from upright, and what is looked for."""
ACROSS = 15.0
"""Degrees that a line across may lie from level."""
ERROR, ERROR_PX = 0.2, 12.0
"""Of a line's direction in degrees: always, and what is divided by its length in px."""
DOUBT = (0.05, 0.25)
"""Standard error of the roll in degrees: up to the first nothing is doubted, from the second on all."""
SAME_LINE_PX = 4.0
AGREE = 0.5
"""Degrees within which uprights and lines across say the same."""


@dataclass(frozen=True)
class Angle:
    """Degrees, and how certain they are, 0..1."""

    deg: float
    certainty: float


@dataclass(frozen=True, eq=False)
class TiltReading:
    """How the frame lies, as far as its lines tell."""

    tilt: Angle
    """How far the scene leans clockwise."""
    vertical: Angle
    """How far up the camera looked."""
    leans: Array
    """(n, 3) of all lines that are nearly upright or level: degrees that each leans clockwise, an upright as it would
    at the middle of the frame, its length over the long side, and 1 for an upright or 0."""
    lines: Array
    """(n, 4) ends x, y, x, y of the lines that it rests on, px of the full-size picture, its lens alone taken back."""


NOTHING = Angle(0.0, 0.0)


@dataclass(frozen=True, eq=False)
class Lines:
    """Lines of a picture, px from its middle."""

    ends: Array
    """(n, 4)."""
    size: tuple[int, int]

    @property
    def along(self) -> Array:
        return self.ends[:, 2:] - self.ends[:, :2]

    @property
    def middles(self) -> Array:
        return (self.ends[:, 2:] + self.ends[:, :2]) / 2.0

    @property
    def length(self) -> Array:
        return np.hypot(*self.along.T)

    def part(self, which: NDArray[np.bool_]) -> "Lines":
        return Lines(self.ends[which], self.size)


def read_tilt(camera: Camera, focal: float, step: int = 1) -> TiltReading:
    """camera: upright camera values of the whole frame, from 700 px long to some 2,000, the lens's distortion taken
    back. focal: length over the long side. step: full-size px per px."""
    lines = found_lines(camera)
    upright = _uprights(lines, focal * max(lines.size))
    across = _across(lines)
    tilt, used = _joined(upright, across)
    middle = (np.array(lines.size * 2) - 1.0) / 2.0
    ends = (np.concatenate([each.ends for each in used]) if used else np.zeros((0, 4))) + middle
    leans = np.concatenate([upright.leans, across.leans])
    leans[:, 1] /= max(lines.size)
    return TiltReading(tilt, Angle(upright.pitch, upright.certainty), leans, (ends + 0.5) * step - 0.5)


def found_lines(camera: Camera) -> Lines:
    luminance = np.sqrt(np.maximum(camera @ np.array([0.25, 0.6, 0.15], np.float32), 0.0))
    codes = np.clip(luminance * (255.0 / max(float(np.quantile(luminance, 0.995)), 1e-6)), 0.0, 255.0)
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_ADV).detect(np.rint(codes).astype(np.uint8))[0]
    height, width = camera.shape[:2]
    ends = np.zeros((0, 4)) if found is None else found.reshape(-1, 4).astype(np.float64)
    lines = Lines(ends - (np.array([width, height] * 2) - 1.0) / 2.0, (width, height))
    longest = np.argsort(-lines.length)[:MOST_LINES]
    lines = Lines(lines.ends[longest], lines.size)
    return lines.part(lines.length >= LEAST_PX)


@dataclass(frozen=True, eq=False)
class _Uprights:
    roll: float = 0.0
    pitch: float = 0.0
    certainty: float = 0.0
    lines: Lines | None = None
    leans: Array = field(default_factory=lambda: np.zeros((0, 3)))


def lean(roll: Array, pitch: Array, at: Array, focal_px: float) -> Array:
    """How far upright things lean clockwise at places (n, 2) from the middle, all in radians."""
    # the point they run towards, ahead and above, of a camera that looks up by `pitch`, the scene turned by `roll`
    x, y, ahead = np.sin(roll) * np.cos(pitch), -np.cos(roll) * np.cos(pitch), np.sin(pitch)
    return np.arctan2(focal_px * x - ahead * at[:, 0], -(focal_px * y - ahead * at[:, 1]))


def _uprights(lines: Lines, focal_px: float) -> _Uprights:
    upward = lines.along * -np.sign(lines.along[:, 1:] + 1e-12)
    angles = np.arctan2(upward[:, 0], -upward[:, 1])
    near = np.abs(angles) < np.radians(MOST_LEAN)
    if near.sum() < 3:
        return _Uprights()
    lines, angles = lines.part(near), angles[near]
    at, length = lines.middles, lines.length
    error = np.radians(ERROR + ERROR_PX / length)

    def off(values: Array) -> Array:
        return (angles - lean(values[0], values[1], at, focal_px)) / error

    rolls = np.radians(np.arange(-MOST_ROLL, MOST_ROLL + 0.1, 0.5))
    best, start = 0.0, np.zeros(2)
    for pitch in np.radians(np.arange(-MOST_PITCH, MOST_PITCH + 0.1, 2.0)):
        beside = (angles - lean(rolls[:, None], pitch, at, focal_px)) / (error + np.radians(0.3))
        score = np.exp(-0.5 * beside**2) @ length
        if score.max() > best:
            best, start = float(score.max()), np.array([rolls[int(score.argmax())], pitch])
    weight = np.sqrt(length / length.mean())
    # a part of the program's start otherwise, and not wanted before something is measured
    from scipy.optimize import least_squares

    found = least_squares(lambda values: off(values) * weight, start, loss="cauchy").x
    inside = np.abs(off(found)) < 3.0
    roll, pitch = (float(value) for value in np.degrees(found))
    if inside.sum() < 3:
        return _Uprights()
    doubt = _doubt(lambda values: off(values) * weight, found)
    share = float(length[inside].sum() / length.sum())
    total = float(length[inside].sum() / lines.size[1])
    spread = float(at[inside, 0].std() / lines.size[0])
    certainty = (
        _rising(share, 0.22, 0.57) * _rising(total, 0.0, 2.5) * _rising(spread, 0.0, 0.15)
        * _usual(roll, 7.0, 3.0) * _usual(pitch, 8.0, 12.0) * (1.0 - _rising(doubt, *DOUBT))
    )  # fmt: skip
    # without what is due to the pitch, or to one that is not believed
    due = lean(found[0], found[1] * float(certainty > 0.0), at, focal_px) - found[0]
    leans = np.stack([np.degrees(angles - due), length, np.ones(len(length))], axis=1)
    return _Uprights(roll, pitch, certainty, lines.part(inside), leans)


def _doubt(off: Callable[[Array], Array], found: Array) -> float:
    """The standard error of the roll in degrees, by how all lines scatter round what was found: that of an estimate
    with Cauchy's loss (Huber, Robust Statistics, 1981, 6.3)."""
    rest = off(found)
    slopes = np.stack([(off(found + step) - rest) / 1e-4 for step in np.eye(2) * 1e-4], axis=1)
    loss = 1.0 + rest**2
    pull, bend = rest / loss, (1.0 - rest**2) / loss**2
    stiff = slopes.T @ (bend[:, None] * slopes)
    if np.linalg.eigvalsh(stiff).min() <= 0.0:
        return float("inf")
    back = np.linalg.inv(stiff)
    spread = back @ (slopes.T @ (pull[:, None] ** 2 * slopes)) @ back
    return float(np.degrees(np.sqrt(spread[0, 0])))


@dataclass(frozen=True, eq=False)
class _Across:
    roll: float = 0.0
    certainty: float = 0.0
    lines: Lines | None = None
    leans: Array = field(default_factory=lambda: np.zeros((0, 3)))


def _across(lines: Lines) -> _Across:
    rightward = lines.along * np.sign(lines.along[:, :1] + 1e-12)
    angles = np.degrees(np.arctan2(rightward[:, 1], rightward[:, 0]))
    near = np.abs(angles) < ACROSS
    if not near.any():
        return _Across()
    lines, angles = lines.part(near), angles[near]
    length, error = lines.length, ERROR + ERROR_PX / lines.length
    leans = np.stack([angles, length, np.zeros(len(length))], axis=1)
    candidates = np.arange(-MOST_ROLL, MOST_ROLL + 0.01, 0.05)
    roll = float(candidates[int((np.exp(-0.5 * ((angles - candidates[:, None]) / error) ** 2) @ length).argmax())])
    for _ in range(6):
        weight = length / error**2 * np.exp(-0.5 * ((angles - roll) / error) ** 2)
        roll = float((weight @ angles) / max(float(weight.sum()), 1e-12))
    inside = np.abs(angles - roll) < 2.0 * error
    if not inside.any():
        return _Across()
    share = float(length[inside].sum() / length.sum())
    width, height = lines.size
    total, heights = float(length[inside].sum() / width), float(lines.middles[inside, 1].std() / height)
    # one line through much of the picture, or many side by side all over it
    # alone, a line that leans far is more often a slope, a shore or an edge seen from the side than a horizon
    covered = _rising(_widest(lines.part(inside), roll), 0.35, 0.7)
    horizon = 0.7 * _usual(roll, 2.5, 2.0) * covered * _rising(share, 0.1, 0.3)
    many = 0.9 * _rising(share, 0.3, 0.65) * _rising(total, 1.0, 4.0) * _rising(heights, 0.05, 0.2)
    return _Across(roll, max(horizon, many) * _usual(roll, 7.0, 3.0), lines.part(inside), leans)


def _widest(lines: Lines, roll: float) -> float:
    """The share of the width that is covered by pieces of one line that runs at `roll` degrees."""
    turn = np.radians(roll)
    offset = lines.middles @ np.array([-np.sin(turn), np.cos(turn)])
    half = lines.size[0] / 2.0
    best = 0.0
    for place in np.unique(np.round(offset / SAME_LINE_PX)):
        covered = np.zeros(lines.size[0], bool)
        for left, right in np.sort(lines.ends[np.abs(offset - place * SAME_LINE_PX) < SAME_LINE_PX][:, [0, 2]], axis=1):
            covered[max(0, int(left + half)) : int(right + half) + 1] = True
        best = max(best, float(covered.mean()))
    return best


def _joined(upright: _Uprights, across: _Across) -> tuple[Angle, list[Lines]]:
    """The tilt by both, and the lines that it rests on."""
    parts = [part for part in (upright, across) if part.lines is not None and part.certainty > 0.0]
    if len(parts) < 2:
        return (Angle(parts[0].roll, parts[0].certainty), [parts[0].lines]) if parts else (NOTHING, [])  # type: ignore
    assert upright.lines is not None and across.lines is not None
    if abs(upright.roll - across.roll) < AGREE:
        weight = np.array([upright.certainty, across.certainty])
        roll = float(weight @ [upright.roll, across.roll] / weight.sum())
        return Angle(roll, 1.0 - float(np.prod(1.0 - weight))), [upright.lines, across.lines]
    surer, other = (upright, across) if upright.certainty >= 0.6 * across.certainty else (across, upright)
    assert surer.lines is not None
    return Angle(surer.roll, surer.certainty * (1.0 - 0.5 * other.certainty)), [surer.lines]


def _rising(value: float, low: float, high: float) -> float:
    """0 up to `low`, 1 from `high` on."""
    return min(max((value - low) / (high - low), 0.0), 1.0)


def _usual(degrees: float, free: float, spread: float) -> float:
    """1 for angles that occur, less for others."""
    return float(np.exp(-0.5 * (max(0.0, abs(degrees) - free) / spread) ** 2))
