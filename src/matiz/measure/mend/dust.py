"""Dust on the sensor: round, soft, shallow shadows on smooth places, as dark in every colour.

What could be one is a dip of the logarithm of green at some size that stands out of its neighbourhood (a difference
of Gaussians over several sizes: Lindeberg, "Feature detection with automatic scale selection", 1998). Each is then
fitted: a round shadow on a ground that may slope and bend. What is left over in the shadow and on the ground about
it, how alike the colours are dimmed, and how round and soft the edge is say whether it is one. A thing of the picture
is seldom all of that; and a shadow at the same place of the sensor in other frames is none.
"""

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, Camera
from ...develop.frame.tiles import level_for
from ...mend.heal import Area, Take
from ...recipe.mending import Heal
from .heals import heal_of
from .threads import Thread, find_threads

LEAST_PX, MOST_PX = 2.5, 40.0
"""Radius, px of the picture that is looked at."""
STANDS_OUT = 4.0
"""Times the usual difference round about."""
LEAST_DEPTH, MOST_DEPTH = 0.02, 0.5
MOST_CANDIDATES = 350
QUICK_REST = 0.4
"""Of the depth: where more is left by a first guess, nothing is fitted."""
FULL = 0.9
"""Camera value: on a ground that is nearly full in every channel there is nothing to see."""
STEEPNESS = (1.4, 6.0)
"""Of a shadow's edge: the power of the distance in its logarithm."""
MOST_REST = 0.35
"""Of the depth: what is left in the shadow, and on its ground, at which nothing is believed any more."""
MOST_COLOUR = 0.5
"""Of the depth: how differently colours are dimmed, at which nothing is believed any more."""

Name = TypeVar("Name", bound=Hashable)
Grid = NDArray[np.float32]
Solved = Callable[[Array, int], tuple[float, Array]]


ALONE = 0.7
"""Most certainty by one frame."""
PROPOSED = 0.3
"""Certainty from which a source is looked for, to heal a shadow from."""
HEALED_RADII, FEATHER = 1.35, 0.4
"""How far a shadow is healed, in its radii, and over how many radii that ends."""
ENHANCED_DEPTH = 0.06
"""Change of light that the enhanced view shows black or white."""
VIEW_PX, SAME_VIEW = 24, 0.9
"""Px to a side of what tells views apart, and the correlation from which two are the same."""
SAME_PLACE = 0.7
"""Of the radius: how far a shadow may lie in one frame from where it lies in another."""


LEVEL, LONG_SIDE = 1, 1400
"""At which shadows are looked for at least, and the least long side of a deeper one."""


@dataclass(frozen=True)
class Speck:
    """A shadow of dust or of a hair, px of the upright full-size frame."""

    x: float
    y: float
    r: float
    """Where the shadow is down to a third of its depth."""
    depth: float
    """Share of the light that it takes in its middle."""
    certainty: float
    frames: int = 1
    """In how many frames of the shoot it was seen at this place."""
    path: tuple[tuple[float, float], ...] = ()
    """Of a hair; `x` and `y` are its middle, `r` its width."""
    length: float = 0.0


@dataclass(frozen=True)
class DustReading:
    """Shadows of dust in a frame, the surest first, and how those from PROPOSED on would be healed."""

    specks: tuple[Speck, ...]
    heals: tuple[Heal, ...]
    long_side: int
    """Of the frame in px: what paths of repairs count in."""


def read_dust(at: Callable[[int], Camera], take: Take, size: tuple[int, int]) -> DustReading:
    """at: gives camera values of the whole frame at a level. take: gives regions of the full-size frame of `size`."""
    specks = find_shadows(at, size)
    sure = tuple(speck for speck in specks if speck.certainty >= PROPOSED)
    return DustReading(specks, tuple(heal_speck(speck, sure, take, size) for speck in sure), max(size))


def find_shadows(at: Callable[[int], Camera], size: tuple[int, int]) -> tuple[Speck, ...]:
    """Shadows of dust, and of hairs, in a frame of `size`, the surest first."""
    # what lies on a sensor is as large on one of finer px
    level = max(LEVEL if min(size) >= 2**LEVEL * 64 else 0, level_for(size, LONG_SIDE))
    camera, step = at(level), 2**level
    hairs = [_as_speck(thread) for thread in find_threads(camera, step)]
    return tuple(sorted((*find_dust(camera, step), *hairs), key=lambda one: -one.certainty))


def _as_speck(thread: Thread) -> Speck:
    x, y = thread.path[len(thread.path) // 2]
    return Speck(x, y, thread.width, thread.depth, thread.certainty, path=thread.path, length=thread.length)


def heal_speck(speck: Speck, others: Sequence[Speck], take: Take, size: tuple[int, int]) -> Heal:
    """A repair of a shadow, its source clear of the others."""
    return heal_of(_area(speck), [_area(other) for other in others if other is not speck], take, size)


def _area(speck: Speck) -> Area:
    return Area(speck.path or ((speck.x, speck.y),), max(2.0, HEALED_RADII * speck.r), max(2.0, FEATHER * speck.r))


def enhanced(camera: Camera) -> NDArray[np.uint8]:
    """Grey codes (height, width) of camera values at the size they are seen: only what is as fine as dust, by how much
    of the light it takes or gives; ENHANCED_DEPTH of it is black."""
    logs = np.log(np.maximum(camera[..., 1], 1e-4))
    fine = cv2.GaussianBlur(logs, (0, 0), 1.5) - cv2.GaussianBlur(logs, (0, 0), 14.0)
    return np.clip(np.rint(128.0 + fine * (128.0 / ENHANCED_DEPTH)), 0.0, 255.0).astype(np.uint8)


def view_of(camera: Camera) -> Array:
    """What tells views apart, (VIEW_PX ** 2,): brightness at a very small size, without its mean and spread."""
    small = cv2.resize(np.log(np.maximum(camera[..., 1], 1e-4)), (VIEW_PX, VIEW_PX), interpolation=cv2.INTER_AREA)
    even = (small - small.mean()).ravel().astype(np.float64)
    return np.asarray(even / max(float(np.linalg.norm(even)), 1e-9))


def proven(frames: Mapping[Name, Sequence[Speck]], views: Mapping[Name, Array]) -> dict[Name, tuple[Speck, ...]]:
    """The shadows of each of several frames of one sensor that lie at the same place in another one, of another view:
    what stays in its place while the camera does may be a thing. views: of each frame, by `view_of`."""
    out: dict[Name, tuple[Speck, ...]] = {}
    for name, specks in frames.items():
        kept = []
        for speck in specks:
            seen = 1 + sum(
                any(_at_same_place(speck, other) for other in own)
                for another, own in frames.items()
                if another != name and float(views[name] @ views[another]) < SAME_VIEW
            )
            if seen > 1:
                # doubts of single frames do not go together
                sure = 1.0 - (1.0 - max(speck.certainty, 0.5)) ** seen
                kept.append(replace(speck, certainty=sure, frames=seen))
        out[name] = tuple(kept)
    return out


def _at_same_place(one: Speck, other: Speck) -> bool:
    if bool(one.path) != bool(other.path):
        return False
    # a hair is not seen to the same end in every frame
    reach = max(one.r, other.r, 0.25 * max(one.length, other.length))
    return bool(np.hypot(one.x - other.x, one.y - other.y) < SAME_PLACE * reach)


def find_dust(camera: Camera, step: int = 1) -> tuple[Speck, ...]:
    """camera: camera values of the whole frame at a level, `step` full-size px per px. The surest first."""
    fitted = [_fitted(camera, *each) for each in _candidates(np.log(np.maximum(camera[..., 1], 1e-4)))]
    found: list[Speck] = []
    # of several sizes at one place the one that fits best
    for speck in sorted((speck for speck in fitted if speck is not None), key=lambda one: -one.certainty):
        if not any(_same(speck, other) for other in found):
            # a thing that looks like dust at one size seldom does so at its own
            again = _fitted(camera, speck.x, speck.y, speck.r)
            if again is not None:
                found.append(replace(again, certainty=float(np.sqrt(again.certainty * speck.certainty))))
    at = (step - 1) / 2.0
    return tuple(Speck(one.x * step + at, one.y * step + at, one.r * step, one.depth, one.certainty) for one in found)


def _same(one: Speck, other: Speck) -> bool:
    return (one.x - other.x) ** 2 + (one.y - other.y) ** 2 < (1.2 * max(one.r, other.r)) ** 2


def _candidates(logs: Grid) -> list[tuple[float, float, float]]:
    """Places and radii of dips, those first that stand out most."""
    found, image, step = [], logs.astype(np.float32), 1
    size = LEAST_PX / 1.6
    while size * step < MOST_PX / 1.6 and min(image.shape) > 32:
        for spread in (size, size * 1.41):
            dip = cv2.GaussianBlur(image, (0, 0), 0.6 * spread) - cv2.GaussianBlur(image, (0, 0), 1.5 * spread)
            window = int(14 * spread) | 1
            # by the mean root, which a few strong things round about change little
            usual = 1.48 * cv2.blur(np.sqrt(np.abs(dip)), (window, window)) ** 2
            around = _around(dip, 1.6 * spread)
            lowest = cv2.erode(dip, np.ones((2 * int(spread) + 1,) * 2, np.uint8))
            rows, columns = np.nonzero((dip == lowest) & (dip < -0.4 * LEAST_DEPTH) & (-dip > STANDS_OUT * usual))
            for y, x in zip(rows, columns, strict=True):
                # what stands on even ground first: in a texture every dip has others beside it
                strength = float(-dip[y, x] / max(around[y, x], 0.3 * usual[y, x]))
                at = (step - 1) / 2.0
                found.append((strength, x * step + at, y * step + at, 1.6 * spread * step))
        image = cv2.resize(image, (image.shape[1] // 2, image.shape[0] // 2), interpolation=cv2.INTER_AREA)
        step *= 2
    found.sort(reverse=True)
    return [each[1:] for each in found[:MOST_CANDIDATES]]


def _around(dip: Grid, r: float) -> Grid:
    """The root mean square in the square ring from 1.3 to 2.6 of a radius about each px."""
    square = dip * dip
    outer, inner = (2 * round(reach * r) + 1 for reach in (2.6, 1.3))
    whole, within = (cv2.boxFilter(square, -1, (size, size), normalize=False) for size in (outer, inner))
    total = whole - within
    return np.asarray(np.sqrt(np.maximum(total, 0.0) / (outer**2 - inner**2)) + 1e-6)


def _fitted(camera: Camera, x: float, y: float, r: float) -> Speck | None:
    """The shadow at a place, None when it is clearly none."""
    height, width = camera.shape[:2]
    reach = int(np.ceil(3.2 * r))
    left, top = max(0, round(x) - reach), max(0, round(y) - reach)
    part = camera[top : round(y) + reach + 1, left : round(x) + reach + 1]
    # what is finer than a shadow is noise here
    part = cv2.GaussianBlur(part, (0, 0), 0.22 * r)
    thin = max(1, int(r / 4.0))
    part = part[::thin, ::thin]
    if min(part.shape[:2]) < 7 or float(part.min()) <= 0.0 or float(np.median(part.min(axis=2))) > FULL:
        return None
    across, down = np.meshgrid(left + np.arange(part.shape[1]) * thin, top + np.arange(part.shape[0]) * thin)
    logs = np.log(part.astype(np.float64)).reshape(-1, 3)
    u, v = ((across - x) / r).ravel(), ((down - y) / r).ravel()
    ground, _ = np.linalg.qr(np.stack([np.ones(len(u)), u, v, u * u, u * v, v * v], axis=1))
    logs -= ground @ (ground.T @ logs)

    def shadow(values: Array) -> Array:
        far = np.hypot(u - values[0], v - values[1]) / np.exp(values[2])
        return np.asarray(np.exp(-(np.minimum(far, 6.0) ** values[3])))

    def solved(values: Array, channel: int) -> tuple[float, Array]:
        """How dark, as a logarithm, and what is left of a channel over the best ground and that shadow."""
        own = shadow(values)
        own -= ground @ (ground.T @ own)
        dark = float(own @ logs[:, channel]) / max(float(own @ own), 1e-12)
        return dark, dark * own - logs[:, channel]

    if _rests(solved, np.array([0.0, 0.0, np.log(0.8), 2.5]), u, v) > QUICK_REST:
        return None
    low, high = (-1.0, -1.0, np.log(0.35), STEEPNESS[0]), (1.0, 1.0, np.log(2.0), STEEPNESS[1])
    # a part of the program's start otherwise, and not wanted before something is measured
    from scipy.optimize import least_squares

    fit = least_squares(
        lambda values: solved(values, 1)[1], (0.0, 0.0, np.log(0.8), 2.5), bounds=(low, high), loss="soft_l1",
        f_scale=0.02, max_nfev=12,
    ).x  # fmt: skip
    dark, rest = solved(fit, 1)
    depth = float(1.0 - np.exp(dark))
    radius = float(r * np.exp(fit[2]))
    at_x, at_y = float(x + fit[0] * r), float(y + fit[1] * r)
    inside_border = min(at_x, at_y, width - 1 - at_x, height - 1 - at_y) > 1.3 * radius
    if not (LEAST_DEPTH <= depth <= MOST_DEPTH and inside_border and radius >= 0.6 * LEAST_PX):
        return None
    far = np.hypot(u - fit[0], v - fit[1]) / np.exp(fit[2])
    within, around = far < 1.1, (far > 1.3) & (far < 2.6)
    if within.sum() < 5 or around.sum() < 12:
        return None
    depths = [1.0 - np.exp(solved(fit, channel)[0]) for channel in range(3)]
    rests = [float(np.sqrt(np.mean(rest[which] ** 2))) / depth for which in (within, around)]
    edge, colours = float(fit[3]), (max(depths) - min(depths)) / depth
    doubts = (
        _falling(rests[0], 0.08, MOST_REST), _falling(rests[1], 0.1, MOST_REST), _falling(colours, 0.2, MOST_COLOUR),
        _falling(depth, 0.3, 0.5), _falling(STEEPNESS[0] + 0.4 - edge, 0.0, 0.4), _falling(edge, 4.5, STEEPNESS[1]),
    )  # fmt: skip
    # one frame alone does not tell dust from a mole, a bird or a button
    certainty = min(ALONE, float(np.prod(doubts)))
    return Speck(at_x, at_y, radius, depth, certainty) if certainty > 0.0 else None


def _rests(solved: Solved, values: Array, u: Array, v: Array) -> float:
    """What is left about a first guess at a shadow, of its depth."""
    dark, rest = solved(values, 1)
    around = np.hypot(u, v) < 2.0
    depth = 1.0 - np.exp(dark)
    return float(np.sqrt(np.mean(rest[around] ** 2)) / depth) if 0.5 * LEAST_DEPTH < depth < MOST_DEPTH else np.inf


def _falling(value: float, low: float, high: float) -> float:
    """1 up to `low`, 0 from `high` on."""
    return min(max((high - value) / (high - low), 0.0), 1.0)
