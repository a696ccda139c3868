"""Frames of a burst compared where they must be sharp: which holds the most fine detail, which is smeared or soft.

What a frame holds is told by the power of its slopes. What noise has of that is taken off: the frame is given its own
noise once more, and by as much as that adds the first had added too. How a frame lost detail is told by its power
spectrum against the sharpest one's: the Gaussian that makes one of the other is fitted, long in one direction where the
frame was shaken, round where it is out of focus. Spectra know of no shifts, so frames need not be aligned to a px, and
textures may have any direction of their own.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array
from ...develop.frame.tiles import Region
from ...develop.graph.engine import LITTLE_CACHE, Engine
from ...raw.frame import Frame
from ...raw.noise import noise_of
from ...recipe.model import Recipe
from ...wording import number, percent
from .same import Thing, find_again

FINE_PX = 0.6
"""Spread by which the finest noise is calmed before slopes are taken."""
FLOOR = 1e-5
SEEDS = (1, 2)
LIGHT = np.array([0.25, 0.5, 0.25])
ALIKE = 0.95
"""Of the best frame's detail: as sharp."""
SMEARED, LEAST_SMEAR_PX2 = 0.35, 0.5
"""What the short way of a blur has of its long one at most, as variances, where a frame was shaken; and the long one's
least, px squared."""
FINEST_CYCLES, COARSEST_CYCLES = 0.33, 0.03
"""Per px: what spectra are compared over."""
SMOOTH, NOISE_SMOOTH = 5, 21
"""Frequencies that are taken together."""
AREA_SHARE, LEAST_AREA_PX = 0.04, 128
"""Of the long side: the area round a spot that is picked."""


Plane = NDArray[np.float32]


@dataclass(frozen=True)
class RankedFrame:
    """One frame of a burst."""

    path: Path
    area: Region | None
    """Where the spot is in it, px of the upright full size; None where it is lost."""
    detail: float
    """Share of the best frame's fine detail, 0..1; 0 where it is lost."""
    kind: str = ""
    """"smeared", "soft", "lost" or nothing for one that is as sharp."""
    blur_px: float = 0.0
    """Spread of what was blurred more than in the best frame, along its long way, as a standard deviation."""
    along_deg: float | None = None
    """Along which it is smeared: 0 level, 90 upright, counted from level toward up."""
    is_sure: bool = True
    """False where noise may have passed for detail."""


@dataclass(frozen=True, eq=False)
class FrameDetail:
    """Of an area of a frame."""

    slopes: float
    """Power of the slopes of light relative to its mean, without those of noise."""
    spectrum: Array
    """Power by frequency (side, side), likewise; zero in the middle."""
    noise: Array
    """Of the noise."""
    knows_noise: bool = True
    """False for a rendered picture: its noise counts as detail."""


def area_round(x: float, y: float, size: tuple[int, int]) -> Region:
    """What is compared round a spot, px of the upright full size."""
    side = min(max(round(AREA_SHARE * max(size)), LEAST_AREA_PX), *size)
    left, top = (round(min(max(at - side / 2.0, 0.0), length - side)) for at, length in zip((x, y), size, strict=True))
    return left, top, side, side


def find_spot(engine: Engine, recipe: Recipe, thing: Thing, side: int) -> Region | None:
    """Where a spot is in another frame, in an area of `side` px; None where it is lost."""
    found = find_again(engine, recipe, thing)
    if found is None:
        return None
    x, y, w, h = found
    width, height = engine.size(recipe)
    left = round(min(max(x + (w - side) / 2.0, 0.0), width - side))
    top = round(min(max(y + (h - side) / 2.0, 0.0), height - side))
    return left, top, side, side


def detail_at(frame: Frame, recipe: Recipe, area: Region) -> FrameDetail:
    """Of an area of the picture as it lies under a recipe."""
    plain = recipe.in_force().untouched()
    seen = _seen(frame, plain, area)
    slopes, spectrum = _slopes(seen), _spectrum(seen)
    if frame.mosaic is None:
        return FrameDetail(slopes, spectrum, np.zeros_like(spectrum), knows_noise=False)
    again = [_seen(_noisier(frame, seed), plain, area) for seed in SEEDS]
    # chance is in both, and noise alone has no lines: it is told more surely taken together
    noise = np.mean([_spectrum(each) for each in again], axis=0) - spectrum
    noise = np.maximum(_together(noise, NOISE_SMOOTH), 0.0)
    own = float(np.mean([_slopes(each) for each in again])) - slopes
    return FrameDetail(max(slopes - own, 0.0), spectrum - noise, noise)


def ranked(details: Mapping[Path, tuple[Region, FrameDetail] | None]) -> list[RankedFrame]:
    """The frames, the sharpest first; those that are lost last."""
    known = {path: found for path, found in details.items() if found is not None}
    lost = [RankedFrame(path, None, 0.0, "lost") for path, found in details.items() if found is None]
    if not known:
        return lost
    best = max((own for _, own in known.values()), key=lambda own: own.slopes)
    is_sure = all(own.knows_noise for _, own in known.values())
    out = [replace(_one(path, area, own, best), is_sure=is_sure) for path, (area, own) in known.items()]
    return [*sorted(out, key=lambda each: -each.detail), *lost]


KIND_WORDS = {"smeared": "motion blur", "soft": "soft", "lost": "lost"}
"""What is wrong with a frame, as the user reads it."""


def words(order: Iterable[RankedFrame]) -> str:
    """What a ranking says, in a sentence."""
    order = list(order)
    seen = [each for each in order if each.kind != "lost"]
    if not seen:
        return "The spot was not found in any of them."
    first, *rest = seen
    parts = [f"{first.path.stem} is sharpest there"]
    if rest:
        parts.append(f"next {rest[0].path.stem} with {percent(rest[0].detail, 0)} of its fine detail")
    for kind in ("smeared", "soft"):
        frames = [f"{each.path.stem} {percent(each.detail, 0)}" for each in rest if each.kind == kind]
        if frames:
            parts.append(f"{KIND_WORDS[kind]}: {', '.join(frames)}")
    lost = sum(each.kind == "lost" for each in order)
    if lost:
        parts.append(f"lost in {number(lost, 0)}")
    if not all(each.is_sure for each in order):
        parts.append("not raw, so noise counts as detail")
    return "; ".join(parts)


def _one(path: Path, area: Region, own: FrameDetail, best: FrameDetail) -> RankedFrame:
    detail = min(max(own.slopes / max(best.slopes, 1e-12), 0.0), 1.0)
    if detail >= ALIKE:
        return RankedFrame(path, area, detail)
    (short, long), ways = np.linalg.eigh(blurred_more(own, best))
    spread = float(np.sqrt(max(long, 0.0)))
    if long >= LEAST_SMEAR_PX2 and short < SMEARED * long:
        x, y = ways[:, 1]
        return RankedFrame(path, area, detail, "smeared", spread, float(np.degrees(np.arctan2(-y, x)) % 180.0))
    return RankedFrame(path, area, detail, "soft", spread)


def blurred_more(own: FrameDetail, best: FrameDetail) -> Array:
    """The variances (2, 2), px squared, of the Gaussian that makes one of the other: its power falls with frequency f
    as exp(-4 pi^2 f'Vf)."""
    side = len(own.spectrum)
    f = np.fft.fftshift(np.fft.fftfreq(side))
    fx, fy = np.meshgrid(f, f)
    far = np.hypot(fx, fy)
    counted = (far < FINEST_CYCLES) & (far > COARSEST_CYCLES) & (best.spectrum > best.noise)
    if counted.sum() < 3 * SMOOTH**2:
        return np.zeros((2, 2))
    x, y, seen, sharp, noise = (each[counted] for each in (fx, fy, own.spectrum, best.spectrum, own.noise))

    def miss(values: Array) -> Array:
        xx, xy, yy = values
        kept = np.exp(np.clip(-4.0 * np.pi**2 * (xx * x * x + 2.0 * xy * x * y + yy * y * y), -30.0, 3.0))
        # a power is as uncertain as it is large
        return np.asarray((seen - sharp * kept) / (sharp * kept + noise + 0.02 * sharp))

    # a part of the program's start otherwise, and not wanted before something is measured
    from scipy.optimize import least_squares

    xx, xy, yy = least_squares(miss, np.array([0.3, 0.0, 0.3]), loss="soft_l1").x
    return np.array([[xx, xy], [xy, yy]])


def _seen(frame: Frame, recipe: Recipe, area: Region) -> Plane:
    """Light of an area, on a scale on which noise is even, relative to its mean, so that exposures do not matter."""
    pixels = Engine(frame, cache_bytes=LITTLE_CACHE).render(recipe, 0, area, result="camera")
    light = pixels @ (LIGHT / frame.colour.as_shot_neutral).astype(np.float32)
    root = np.sqrt(np.maximum(light, 0.0) + np.float32(FLOOR))
    return np.asarray(root / root.mean(), np.float32)


def _slopes(seen: Plane) -> float:
    calm = cv2.GaussianBlur(seen, (0, 0), FINE_PX)
    across, down = (calm[1:-1, 2:] - calm[1:-1, :-2]) / 2.0, (calm[2:, 1:-1] - calm[:-2, 1:-1]) / 2.0
    return float(np.mean(across * across + down * down, dtype=np.float64))


def _spectrum(seen: Plane) -> Array:
    """Power by frequency, smoothed, of a plane that fades toward its sides."""
    height, width = seen.shape
    fade = np.hanning(height)[:, None] * np.hanning(width)[None]
    power = np.fft.fftshift(np.abs(np.fft.fft2((seen - seen.mean()) * fade)) ** 2)
    return _together(power, SMOOTH)


def _together(power: Array, count: int) -> Array:
    """Means over so many frequencies, round the spectrum."""
    half = count // 2
    means = cv2.blur(np.pad(power, half, mode="wrap"), (count, count))
    return np.asarray(means[half:-half, half:-half])


def _noisier(frame: Frame, seed: int) -> Frame:
    """With as much noise again as it has."""
    mosaic = frame.mosaic
    assert mosaic is not None
    black = float(mosaic.black.mean())
    span = np.float32(mosaic.white - black)
    signal = (mosaic.values.astype(np.float32) - np.float32(black)) / span
    deviation = np.sqrt(noise_of(frame).variance(np.clip(signal, 0.0, 1.0))).astype(np.float32)
    added = deviation * np.random.default_rng(seed).standard_normal(signal.shape, np.float32)
    values = np.rint(np.clip(mosaic.values + span * added, 0.0, 65_535.0)).astype(np.uint16)
    return replace(frame, mosaic=replace(mosaic, values=values))
