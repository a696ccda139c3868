"""Things with a known share of each px: bodies, and what stands out from them."""

from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

Image = NDArray[np.float32]
Pixels = NDArray[np.uint8]
Random = np.random.Generator

SIDE, FINER = 1024, 4
"""Of what is drawn, px; how much finer it is drawn first."""


@dataclass
class Canvas:
    """What a thing covers, drawn finely, and how light each of its parts is."""

    random: Random
    covers: Pixels = field(default_factory=lambda: np.zeros((SIDE * FINER, SIDE * FINER), np.uint8))
    light: Pixels = field(default_factory=lambda: np.full((SIDE, SIDE), 128, np.uint8))

    def stroke(self, points: NDArray[np.float64], thick_px: float, light: int, thinner: bool = True) -> None:
        """A line through points (n, 2), px, thinner towards its end."""
        fine = np.rint(points * FINER).astype(np.int32)
        parts = len(points) - 1
        for k in range(parts):
            width = thick_px * (1.0 - k / parts if thinner else 1.0)
            cv2.line(self.covers, fine[k], fine[k + 1], 255, max(1, round(width * FINER)), cv2.LINE_AA)
        cv2.polylines(self.light, [np.rint(points).astype(np.int32)], False, light, max(1, round(thick_px)))

    def filled(self, outline: NDArray[np.float64], value: int = 255) -> None:
        cv2.fillPoly(self.covers, [np.rint(outline * FINER).astype(np.int32)], value, cv2.LINE_AA)

    def shade(self) -> int:
        return int(np.clip(self.random.normal(128.0, self.spread), 20, 250))

    def __post_init__(self) -> None:
        self.spread = self.random.uniform(5.0, 45.0)

    @property
    def share(self) -> Image:
        small = cv2.resize(self.covers, (SIDE, SIDE), interpolation=cv2.INTER_AREA)
        return np.asarray(small.astype(np.float32) / np.float32(255.0))


def drawn(random: Random) -> tuple[Image, Image]:
    """A thing: what share of each px it is, and how light it is (1 on the whole), both (SIDE, SIDE)."""
    canvas = Canvas(random)
    outline = body(random)
    canvas.filled(outline)
    kinds = list(EDGES)
    for kind in random.choice(kinds, 1 + (random.random() < 0.3), p=[EDGES[each] for each in kinds]):
        # only along some of it, at times
        first, length = random.uniform(), 1.0 if random.random() < 0.6 else random.uniform(0.2, 0.6)
        KINDS[kind](canvas, outline, first, length)
    if random.random() < 0.15:
        for _ in range(random.integers(1, 6)):
            middle = outline[random.integers(len(outline))] * 0.5 + outline.mean(axis=0) * 0.5
            canvas.filled(middle + _ring(random, random.uniform(4.0, 50.0), 0.5), 0)
    share = canvas.share
    if random.random() < 0.5:
        share = _unsharp_in_depth(random, share)
    return share, canvas.light.astype(np.float32) / np.float32(128.0)


def body(random: Random) -> NDArray[np.float64]:
    """An outline (n, 2), px: a lump, a lump with limbs, something straight, or all below a skyline."""
    kind = random.random()
    if kind < 0.12:
        x = np.linspace(-50.0, SIDE + 50.0, 400)
        heights = random.uniform(0.3, 0.8) * SIDE + _wander(random, 400, 90.0 * random.random())
        return np.concatenate([np.stack([x, heights], axis=1), [(SIDE + 60.0, SIDE + 60.0), (-60.0, SIDE + 60.0)]])
    middle = random.uniform(0.35, 0.65, 2) * SIDE
    if kind < 0.22:
        corners = random.integers(3, 8)
        turns = np.sort(random.uniform(0.0, 2.0 * np.pi, corners))
        around = np.stack([np.cos(turns), np.sin(turns)], axis=1) * random.uniform(60.0, 380.0, (corners, 1))
        return _dense(middle + around)
    size = random.uniform(60.0, 330.0)
    return middle + _ring(random, size, random.uniform(0.05, 0.6)) * random.uniform(0.5, 1.2, 2)


def _ring(random: Random, size: float, uneven: float) -> NDArray[np.float64]:
    turns = np.linspace(0.0, 2.0 * np.pi, 400, endpoint=False)
    radius = np.ones(400)
    for k in range(1, 9):
        radius += uneven / k**0.8 * random.normal(0.0, 0.35) * np.cos(k * turns + random.uniform(0.0, 2.0 * np.pi))
    return np.asarray(size * np.maximum(radius, 0.08)[:, None] * np.stack([np.cos(turns), np.sin(turns)], axis=1))


def _dense(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    steps = np.linspace(0.0, 1.0, 60, endpoint=False)[:, None]
    return np.concatenate([a + steps * (b - a) for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True)])


def _wander(random: Random, count: int, size: float) -> NDArray[np.float64]:
    out = np.zeros(count)
    for k in range(1, 24):
        out += random.normal() / k * np.sin(k * np.linspace(0.0, np.pi * 2.0, count) + random.uniform(0.0, 7.0))
    return np.asarray(size * out)


def _roots(
    random: Random, outline: NDArray[np.float64], first: float, length: float, count: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Places along an outline, and the ways out of it, radians."""
    at = ((first + length * random.uniform(size=count)) % 1.0 * len(outline)).astype(int)
    along = np.roll(outline, -2, axis=0)[at] - np.roll(outline, 2, axis=0)[at]
    area = np.sum(outline[:, 0] * np.roll(outline[:, 1], -1) - outline[:, 1] * np.roll(outline[:, 0], -1))
    out = np.arctan2(along[:, 1], along[:, 0]) - np.sign(area) * np.pi / 2.0
    return outline[at], out


def curve(start: NDArray[np.float64], way: float, bend: float, length: float, steps: int = 10) -> NDArray[np.float64]:
    """Points (steps + 1, 2) of a line that turns by `bend` on its way."""
    ways = way + bend * np.arange(steps) / steps
    moves = length / steps * np.stack([np.cos(ways), np.sin(ways)], axis=1)
    return np.concatenate([[start], start + np.cumsum(moves, axis=0)])


def _fur(canvas: Canvas, outline: NDArray[np.float64], first: float, length: float) -> None:
    random = canvas.random
    long, thick = np.exp(random.uniform(np.log(6.0), np.log(70.0))), np.exp(random.uniform(np.log(0.5), np.log(2.5)))
    lie, untidy, bend = random.normal(0.0, 0.6), random.uniform(0.08, 0.5), random.uniform(0.0, 0.8)
    tufts = _wander(random, len(outline), 0.4)
    starts, ways = _roots(random, outline, first, length, random.integers(300, 2500))
    for n, (start, way) in enumerate(zip(starts, ways, strict=True)):
        inward = 0.3 * long * random.uniform()
        start = start - inward * np.array([np.cos(way), np.sin(way)])
        turned = way + lie + tufts[n % len(tufts)] + random.normal(0.0, untidy)
        canvas.stroke(curve(start, turned, random.normal(0.0, bend), long * random.uniform(0.5, 1.3) + inward, 6),
                      thick * random.uniform(0.6, 1.3), canvas.shade())  # fmt: skip


def _hair(canvas: Canvas, outline: NDArray[np.float64], first: float, length: float) -> None:
    random = canvas.random
    long, thick = random.uniform(40.0, 320.0), np.exp(random.uniform(np.log(0.4), np.log(2.0)))
    down = random.uniform(0.0, 2.0 * np.pi)
    curl, waves = random.uniform(0.0, 14.0), random.uniform(0.5, 4.0)
    starts, ways = _roots(random, outline, first, length, random.integers(15, 110))
    for start, way in zip(starts, ways, strict=True):
        hairs = random.integers(1, 22)
        fan, bend = random.uniform(0.02, 0.25), random.normal(0.0, 0.9)
        mean = way + 0.5 * np.sin(down - way) + random.normal(0.0, 0.4)
        for _ in range(hairs):
            points = curve(start + random.normal(0.0, 5.0, 2), mean + random.normal(0.0, fan), bend,
                           long * random.uniform(0.4, 1.1), 14)  # fmt: skip
            wave = curl * np.sin(np.linspace(0.0, waves * 2.0 * np.pi, 15) + random.uniform(0.0, 1.0))
            points[:, 0] -= wave * np.sin(mean)
            points[:, 1] += wave * np.cos(mean)
            canvas.stroke(points, thick * random.uniform(0.6, 1.3), canvas.shade(), thinner=random.random() < 0.6)


def _feathers(canvas: Canvas, outline: NDArray[np.float64], first: float, length: float) -> None:
    random = canvas.random
    starts, ways = _roots(random, outline, first, length, random.integers(10, 40))
    long, barb, thick = random.uniform(30.0, 160.0), random.uniform(8.0, 40.0), random.uniform(0.5, 1.4)
    lie, open_by = random.normal(0.0, 0.6), random.uniform(0.3, 1.0)
    for start, way in zip(starts, ways, strict=True):
        shaft = curve(start, way + lie + random.normal(0.0, 0.2), random.normal(0.0, 0.4), long, 12)
        light = canvas.shade()
        for t in np.linspace(0.0, 11.5, random.integers(20, 70)):
            if random.random() < 0.1:
                continue
            k = int(t)
            at = shaft[k] + (t - k) * (shaft[k + 1] - shaft[k])
            along = np.arctan2(*(shaft[k + 1] - shaft[k])[::-1])
            for side in (-1.0, 1.0):
                canvas.stroke(curve(at, along + side * random.normal(open_by, 0.06), -side * 0.3,
                                    barb * (1.0 - 0.05 * t), 4), thick, light)  # fmt: skip
        canvas.stroke(shaft, 2.0 * thick, canvas.shade())


def _twigs(canvas: Canvas, outline: NDArray[np.float64], first: float, length: float) -> None:
    random = canvas.random
    starts, ways = _roots(random, outline, first, length, random.integers(8, 50))
    leafy = random.random() < 0.4
    long, thick = random.uniform(60.0, 220.0), random.uniform(1.5, 7.0)
    for start, way in zip(starts, ways, strict=True):
        _branch(canvas, start, way + random.normal(0.0, 0.3), long, thick, 0, leafy)


def _branch(
    canvas: Canvas, start: NDArray[np.float64], way: float, long: float, thick: float, depth: int, leafy: bool
) -> None:
    random = canvas.random
    points = curve(start, way, random.normal(0.0, 0.5), long, 8) + random.normal(0.0, 0.01 * long, (9, 2))
    canvas.stroke(points, thick, canvas.shade())
    if depth == 2 or long < 12.0:
        return
    for k in random.integers(2, 8, 3):
        side = random.choice([-1.0, 1.0])
        along = np.arctan2(*(points[k] - points[k - 1])[::-1])
        if leafy and depth:
            _leaf(canvas, points[k], along + side * 0.8, random.uniform(8.0, 34.0))
        _branch(canvas, points[k], along + side * random.uniform(0.4, 1.0), long * random.uniform(0.3, 0.6),
                thick * 0.55, depth + 1, leafy)  # fmt: skip


def _leaf(canvas: Canvas, at: NDArray[np.float64], way: float, long: float) -> None:
    t = np.linspace(0.0, 1.0, 12)
    half = long * canvas.random.uniform(0.15, 0.3) * np.sin(np.pi * t)
    there = np.stack([long * t, half], axis=1), np.stack([long * t, -half], axis=1)[::-1]
    turn = np.array([[np.cos(way), np.sin(way)], [-np.sin(way), np.cos(way)]])
    outline = np.concatenate(there) @ turn + at
    canvas.filled(outline)
    cv2.fillPoly(canvas.light, [np.rint(outline).astype(np.int32)], canvas.shade())


def _leaves(canvas: Canvas, outline: NDArray[np.float64], first: float, length: float) -> None:
    random = canvas.random
    starts, ways = _roots(random, outline, first, length, random.integers(60, 500))
    long, far = random.uniform(10.0, 60.0), random.uniform(2.0, 50.0)
    for start, way in zip(starts, ways, strict=True):
        at = start + abs(random.normal(0.0, far)) * np.array([np.cos(way), np.sin(way)])
        _leaf(canvas, at, random.uniform(0.0, 7.0), long * random.uniform(0.5, 1.2))


def _grass(canvas: Canvas, outline: NDArray[np.float64], first: float, length: float) -> None:
    random = canvas.random
    starts, _ = _roots(random, outline, first, length, random.integers(60, 600))
    long, thick = random.uniform(30.0, 160.0), random.uniform(0.8, 5.0)
    for start in starts:
        canvas.stroke(curve(start, -np.pi / 2.0 + random.normal(0.0, 0.3), random.normal(0.0, 0.7),
                            long * random.uniform(0.4, 1.2), 8), thick, canvas.shade())  # fmt: skip


def _plain(canvas: Canvas, outline: NDArray[np.float64], first: float, length: float) -> None:
    """Nothing but a few straight poles and wires, at times."""
    random = canvas.random
    if random.random() < 0.3:
        starts, ways = _roots(random, outline, first, length, random.integers(1, 8))
        for start, way in zip(starts, ways, strict=True):
            canvas.stroke(curve(start, way, 0.0, random.uniform(50.0, 500.0), 2), random.uniform(0.7, 14.0),
                          canvas.shade(), thinner=False)  # fmt: skip


KINDS: dict[str, Callable[[Canvas, NDArray[np.float64], float, float], None]] = {
    "fur": _fur, "hair": _hair, "feathers": _feathers, "twigs": _twigs, "leaves": _leaves, "grass": _grass,
    "plain": _plain,
}  # fmt: skip
EDGES = {"fur": 0.26, "hair": 0.2, "feathers": 0.08, "twigs": 0.12, "leaves": 0.08, "grass": 0.06, "plain": 0.2}
"""How often each is drawn."""


def _unsharp_in_depth(random: Random, share: Image) -> Image:
    """Parts of it out of focus."""
    where = cv2.GaussianBlur(random.normal(size=(8, 8)).astype(np.float32), (0, 0), 1.0)
    where = cv2.resize(where / where.std(), (SIDE, SIDE), interpolation=cv2.INTER_CUBIC) + random.normal(0.0, 0.7)
    mix = np.clip(0.5 + 1.5 * where, 0.0, 1.0).astype(np.float32)
    radius = random.uniform(0.7, 9.0)
    return np.asarray(share + mix * (blurred(share, radius) - share), np.float32)


def blurred(image: Image, radius_px: float) -> Image:
    """By a disc, as a lens does it."""
    if radius_px < 0.5:
        return image
    reach = int(np.ceil(radius_px))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    disc = np.clip(radius_px + 0.5 - np.hypot(x, y), 0.0, 1.0).astype(np.float32)
    return np.asarray(cv2.filter2D(image, -1, disc / disc.sum(), borderType=cv2.BORDER_REFLECT))
