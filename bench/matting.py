"""How exact a mask is along an edge of hair: fur, feathers and twigs, drawn with a known share of each px and laid over
photographs.

The mean error of the share in the band in which it is neither nothing nor all: as the network that finds subjects
leaves it, as it follows the picture's colours, as it is made exact by the network for edges, and as that makes it when
what is found is the true share, blurred as far as a network is. None of the photographs was shown to either network.
"""

import statistics
from collections.abc import Callable

import cv2
import numpy as np
import skimage.data
from numpy.typing import NDArray
from sklearn.datasets import load_sample_image

from matiz.develop.frame.along_edges import AlongEdges, FrameMap
from matiz.develop.frame.cache import Cache
from matiz.develop.frame.tiles import Region, level_size
from matiz.masks.subject import find_subject
from matiz.masks.view import MaskWindow

Image = NDArray[np.float32]
Pixels = NDArray[np.uint8]

WIDTH, HEIGHT, FINER = 1500, 1000, 4
BAND = 5
BLUR_PX = 10.0
"""Of what lies behind, as seen through a wide lens."""
NETWORK_PX = 1024
"""Side of what a network gives."""
GROUNDS: dict[str, Callable[[], Pixels]] = {
    "wood": lambda: skimage.data.coffee()[140:, 430:],
    "trees": lambda: load_sample_image("china.jpg")[230:, 330:],
    "leaves": lambda: load_sample_image("flower.jpg")[:200, :170],
    "gravel": lambda: np.repeat(skimage.data.gravel()[..., None], 3, axis=2),
}
"""Parts of photographs in which there is nothing that they are of."""


def run() -> dict[str, float]:
    print("what      over        found   by colours   exact   of a true one")
    out: dict[str, list[list[float]]] = {}
    for what, drawn in DRAWN.items():
        for ground, load in GROUNDS.items():
            picture, share = composed(drawn, load())
            band = cv2.dilate(((share > 0.02) & (share < 0.98)).astype(np.uint8), np.ones((BAND, BAND), np.uint8)) > 0
            found = find_subject(np.round(picture * 255.0).astype(np.uint8)).share
            masks = masks_of(picture)
            maps = FrameMap(0, found, hair_px=0.0), FrameMap(1, found), FrameMap(2, as_found(share))
            made = (larger(found), *(masks.seen(each, WHOLE) for each in maps))
            errors = [float(np.abs(each - share)[band].mean()) for each in made]
            out.setdefault(what, []).append(errors)
            print(f"{what:9} {ground:9} " + "   ".join(f"{each:7.3f}" for each in errors), flush=True)
    all_of_them = [each for errors in out.values() for each in errors]
    return {
        f"error of the share along hair, {name}": statistics.mean(each[k] for each in all_of_them)
        for k, name in enumerate(("found", "by colours", "exact", "exact of a true one"))
    }


def composed(draw: Callable[[np.random.Generator], tuple[Image, Image]], ground: Pixels) -> tuple[Image, Image]:
    """A picture (rows, columns, 3), encoded 0..1, and what share of each px is its subject."""
    random = np.random.default_rng(7)
    share, colours = draw(random)
    behind = cv2.resize(ground[..., :3], (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC).astype(np.float32) / 255.0
    # out of focus, as behind a subject, and mixed as light is
    behind = cv2.GaussianBlur(behind, (0, 0), BLUR_PX) ** 2.2
    light = share[..., None] * colours**2.2 + (1.0 - share[..., None]) * behind
    light *= 1.0 + 0.02 * random.normal(size=light.shape)
    return np.asarray(np.clip(light, 0.0, 1.0) ** (1.0 / 2.2), np.float32), share


def as_found(share: Image) -> Image:
    """The true share as a network would have it that is right."""
    small = cv2.resize(share, (NETWORK_PX, NETWORK_PX), interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.GaussianBlur((cv2.GaussianBlur(small, (0, 0), 3.0) > 0.5).astype(np.float32), (0, 0), 1.5))


def larger(found: Image) -> Image:
    return np.asarray(cv2.resize(found, (WIDTH, HEIGHT), interpolation=cv2.INTER_LINEAR))


def masks_of(picture: Image) -> AlongEdges:
    """What makes maps of a picture exact."""
    pixels = np.round(picture * 255.0).astype(np.uint8)

    def lit(level: int, region: Region) -> Pixels:
        size = level_size((WIDTH, HEIGHT), level)
        x, y, w, h = region
        return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)[y : y + h, x : x + w])

    return AlongEdges((WIDTH, HEIGHT), lit, Cache(2**27))


def _whole() -> MaskWindow:
    x, y = (((np.arange(n) + 0.5) / WIDTH).astype(np.float32) for n in (WIDTH, HEIGHT))
    places = np.broadcast_to(x, (HEIGHT, WIDTH)), np.broadcast_to(y[:, None], (HEIGHT, WIDTH))
    return MaskWindow(np.zeros((HEIGHT, WIDTH, 3), np.float32), lambda: places[0], lambda: places, 1.0, WIDTH, {})


def _canvas() -> Pixels:
    return np.zeros((HEIGHT * FINER, WIDTH * FINER), np.uint8)


def _share(drawn: Pixels) -> Image:
    small = cv2.resize(drawn, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
    return np.asarray(small.astype(np.float32) / np.float32(255.0))


def _curve(drawn: Pixels, start: NDArray[np.float64], way: float, bend: float, length: float, thick: float) -> None:
    """A hair, thinner towards its end; px of the picture."""
    at, steps = start.astype(float), 12
    for k in range(steps):
        to = at + length / steps * np.array([np.cos(way), np.sin(way)])
        width = max(1, round(FINER * thick * (1.0 - k / steps)))
        ends = [np.rint(p * FINER).astype(int).tolist() for p in (at, to)]
        cv2.line(drawn, ends[0], ends[1], 255, width, cv2.LINE_AA)
        at, way = to, way + bend / steps


def _fur(random: np.random.Generator) -> tuple[Image, Image]:
    """An animal's back and head: two ovals with hairs all round."""
    drawn = _canvas()
    for x, y, across, down in ((700, 620, 330, 220), (1010, 420, 140, 130)):
        cv2.ellipse(drawn, (x * FINER, y * FINER), (across * FINER, down * FINER), 0, 0, 360, 255, -1)
        for angle in random.uniform(0.0, 2.0 * np.pi, 1800):
            start = np.array([x + 0.97 * across * np.cos(angle), y + 0.97 * down * np.sin(angle)])
            _curve(drawn, start, angle + random.normal(0.3, 0.25), random.normal(0.0, 0.5), random.uniform(12, 42),
                   random.uniform(0.7, 1.6))  # fmt: skip
    return _share(drawn), _texture(random, (0.42, 0.30, 0.20))


def _feathers(random: np.random.Generator) -> tuple[Image, Image]:
    """A bird's body with the barbs of its feathers along it, some of them apart."""
    drawn = _canvas()
    cv2.ellipse(drawn, (740 * FINER, 540 * FINER), (300 * FINER, 160 * FINER), -20, 0, 360, 255, -1)
    cv2.circle(drawn, (1030 * FINER, 390 * FINER), 95 * FINER, 255, -1)
    for k in range(26):
        angle = 2.0 * np.pi * k / 26
        out = np.array([np.cos(angle) * 290, np.sin(angle) * 150])
        turn = np.deg2rad(-20.0)
        start = np.array([740, 540]) + np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]) @ out
        way = np.arctan2(*(start - (740, 540))[::-1]) + 0.5
        length = random.uniform(60, 110)
        for t in np.linspace(0.0, 1.0, 42):
            at = start + t * length * np.array([np.cos(way), np.sin(way)])
            for side in (-1.0, 1.0):
                _curve(drawn, at, way + side * random.normal(0.55, 0.06), -side * 0.3, 24.0 * (1.0 - 0.6 * t),
                       random.uniform(0.6, 1.1))  # fmt: skip
        _curve(drawn, start, way, 0.0, length, 2.5)
    return _share(drawn), _texture(random, (0.55, 0.52, 0.50))


def _twigs(random: np.random.Generator) -> tuple[Image, Image]:
    """A bush: a clump of leaves with twigs that come out of it."""
    drawn = _canvas()
    for _ in range(60):
        x, y = random.normal((740, 560), (110, 80))
        cv2.ellipse(drawn, (round(x * FINER), round(y * FINER)), (70 * FINER, 34 * FINER), random.uniform(0, 180), 0,
                    360, 255, -1)  # fmt: skip
    for angle in random.uniform(0.0, 2.0 * np.pi, 90):
        start = np.array([740 + 170 * np.cos(angle), 560 + 120 * np.sin(angle)])
        length, way = random.uniform(90, 190), angle + random.normal(0.0, 0.3)
        _curve(drawn, start, way, random.normal(0.0, 0.4), length, random.uniform(2.5, 5.0))
        for t in random.uniform(0.3, 0.9, 3):
            at = start + t * length * np.array([np.cos(way), np.sin(way)])
            _curve(drawn, at, way + random.choice([-1, 1]) * 0.7, 0.2, random.uniform(20, 60), random.uniform(1.0, 2.0))
    return _share(drawn), _texture(random, (0.30, 0.34, 0.16))


def _texture(random: np.random.Generator, colour: tuple[float, float, float]) -> Image:
    """Of an uneven brightness, coarse and fine."""
    out = np.ones((HEIGHT, WIDTH), np.float32)
    for sigma, strength in ((2.0, 0.12), (12.0, 0.18), (60.0, 0.15)):
        noise = cv2.GaussianBlur(random.normal(size=(HEIGHT, WIDTH)).astype(np.float32), (0, 0), sigma)
        out *= 1.0 + strength * noise / noise.std()
    return np.asarray(np.clip(out[..., None] * np.array(colour, np.float32), 0.02, 0.95), np.float32)


WHOLE = _whole()
DRAWN = {"fur": _fur, "feathers": _feathers, "twigs": _twigs}
