"""Light and shade mixed along a stroke."""

import cv2
import numpy as np
import pytest

from matiz.mend.heal import Area
from matiz.mend.mix import base_mixed

SIZE = (260, 200)
SPLIT_PX = 3.0


def cheek(blotches: float = 0.0) -> np.ndarray:
    """Camera values of fine texture over a round that goes from left to right, with blotches from top to bottom."""
    random = np.random.default_rng(1)
    noise = random.normal(size=SIZE[::-1])
    fine = 0.01 * (noise - cv2.GaussianBlur(noise, (0, 0), 1.5))
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    root = 0.6 + 0.1 * np.tanh((x - 130.0) / 18.0) + blotches * np.sin(y / 7.0) + fine
    return np.repeat((root**2)[..., None], 3, axis=2).astype(np.float32)


def made(picture, area):
    box = area.box(SIZE, 8)
    x, y, w, h = box
    return base_mixed(lambda r: picture[r[1] : r[1] + r[3], r[0] : r[0] + r[2]], area, box, SPLIT_PX), (x, y, w, h)


def root(values):
    return np.sqrt(values[..., 0].astype(np.float64))


UPRIGHT = tuple((130.0, float(y)) for y in range(60, 141, 4))


def test_blotches_along_a_stroke_go_and_the_round_across_it_stays():
    area = Area(UPRIGHT, 20.0, 5.0)
    after, (x, y, w, h) = made(cheek(0.02), area)
    own = np.s_[y : y + h, x : x + w]
    inside = np.s_[80 - y : 120 - y, 115 - x : 145 - x]
    before, plain = (cv2.GaussianBlur(root(each), (0, 0), SPLIT_PX)[own][inside] for each in (cheek(0.02), cheek()))
    mixed = cv2.GaussianBlur(root(after), (0, 0), SPLIT_PX)[inside]
    assert (mixed - plain).mean(axis=1).std() < 0.35 * (before - plain).mean(axis=1).std()
    step = [each.mean(axis=0)[-3:].mean() - each.mean(axis=0)[:3].mean() for each in (plain, mixed)]
    assert step[1] == pytest.approx(step[0], rel=0.05), "across the stroke"


def test_texture_stays_and_so_does_all_beside_the_stroke():
    area = Area(UPRIGHT, 20.0, 5.0)
    picture = cheek(0.02)
    after, (x, y, w, h) = made(picture, area)
    seen, now = root(picture)[y : y + h, x : x + w], root(after)
    fine = [each - cv2.GaussianBlur(each, (0, 0), SPLIT_PX) for each in (seen, now)]
    inside = area.distance((x, y, w, h)) < 14.0
    assert np.corrcoef(fine[0][inside], fine[1][inside])[0, 1] > 0.98
    beside = area.cover((x, y, w, h)) == 0.0
    assert (after[beside] == picture[y : y + h, x : x + w][beside]).all()


def test_a_bend_is_followed():
    """Rings of light round a middle, blotched all round: a stroke along a ring keeps the rings."""
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    far, way = np.hypot(x - 130.0, y - 160.0), np.arctan2(y - 160.0, x - 130.0)
    rings, blotches = 0.6 + 0.08 * np.cos(far / 12.0), 0.02 * np.sin(12.0 * way)
    picture = np.repeat(((rings + blotches) ** 2)[..., None], 3, axis=2).astype(np.float32)
    turn = np.linspace(-2.6, -0.5, 40)
    area = Area(tuple(zip(130.0 + 75.0 * np.cos(turn), 160.0 + 75.0 * np.sin(turn), strict=True)), 18.0, 4.0)
    after, (left, top, w, h) = made(picture, area)
    own = np.s_[top : top + h, left : left + w]
    inside = (area.distance((left, top, w, h)) < 12.0) & (np.abs(way[own] + 1.55) < 0.7)
    off = [np.std((each - rings[own])[inside]) for each in (root(picture)[own], root(after))]
    assert off[1] < 0.5 * off[0]


@pytest.mark.parametrize("path, is_outline", [(((130.0, 100.0),), False), (((110, 80), (150, 80), (130, 120)), True)])
def test_a_spot_and_an_outline_are_mixed_all_round(path, is_outline):
    area = Area(tuple((float(a), float(b)) for a, b in path), 4.0 if is_outline else 16.0, 4.0, is_outline)
    after, (x, y, w, h) = made(cheek(0.02), area)
    at = np.s_[95 - y : 100 - y, 125 - x : 135 - x]
    assert np.abs(after[at] - cheek(0.02)[y : y + h, x : x + w][at]).max() > 1e-3
    short = Area(((130.0, 100.0), (130.5, 100.0)), 10.0, 2.0)
    assert np.isfinite(made(cheek(), short)[0]).all()
