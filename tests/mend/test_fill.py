"""Filling: patterns go on, ramps stay smooth, texture is as lively as around, and it can be stopped."""

import cv2
import numpy as np
import pytest

from matiz.errors import Cancelled
from matiz.mend.fill import MOST_PX, filled, looked_at
from matiz.mend.heal import Area

SIZE = (320, 240)
HOLE = Area(((130.0, 90.0), (190.0, 95.0), (185.0, 150.0), (125.0, 145.0)), 1.0, 3.0, True)


def taker(picture):
    return lambda box: np.ascontiguousarray(picture[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])


def fill(picture, area=HOLE, **more):
    """The whole picture after a black thing that hides the area was filled."""
    bad = picture.copy()
    bad[area.distance((0, 0, *SIZE)) <= area.radius] = 0.0
    x, y, w, h = box = area.box(SIZE, 8)
    out = bad.copy()
    out[y : y + h, x : x + w] = filled(taker(bad), SIZE, area, box, **more)
    return out, bad


def stripes() -> np.ndarray:
    x, y = np.meshgrid(np.arange(SIZE[0]), np.arange(SIZE[1]))
    wave = 0.3 + 0.2 * np.sin((x + 0.5 * y) * 2 * np.pi / 14.0)
    return np.dstack([wave, 0.8 * wave, 0.5 * wave]).astype(np.float32)


def grain(seed=2) -> np.ndarray:
    rng = np.random.default_rng(seed)
    noise = cv2.GaussianBlur(rng.normal(0.0, 1.0, (SIZE[1], SIZE[0], 3)).astype(np.float32), (0, 0), 1.2)
    ramp = np.linspace(0.2, 0.5, SIZE[0], dtype=np.float32)[None, :, None]
    return ((np.sqrt(ramp) + 0.04 * noise) ** 2).astype(np.float32)


def test_a_pattern_goes_on():
    clean = stripes()
    made, bad = fill(clean)
    inside = HOLE.distance((0, 0, *SIZE)) <= 0.0
    off = np.abs(made - clean)[inside]
    assert off.mean() < 0.01 < 0.2 < np.abs(bad - clean)[inside].mean()
    far = HOLE.distance((0, 0, *SIZE)) > 4.5
    assert np.array_equal(made[far], bad[far]), "nothing else is touched"


def test_grain_is_as_lively_as_around_and_the_tone_has_no_step():
    clean = grain()
    made, _ = fill(clean)
    distance = HOLE.distance((0, 0, *SIZE))
    inside, ring = distance <= 0.0, (distance > 6) & (distance < 30)
    fine = np.sqrt(np.maximum(made, 0)) - cv2.GaussianBlur(np.sqrt(np.maximum(made, 0)), (0, 0), 2.0)
    assert fine[inside].std() == pytest.approx(fine[ring].std(), rel=0.2)
    broad = [cv2.GaussianBlur(np.sqrt(np.maximum(each, 0)), (0, 0), 8.0) for each in (made, clean)]
    assert np.abs(broad[0] - broad[1])[inside].max() < 0.035


def test_the_same_way_is_the_same_and_another_is_not():
    clean = grain()
    first, again, other = fill(clean)[0], fill(clean)[0], fill(clean, turn=1)[0]
    assert np.array_equal(first, again) and not np.array_equal(first, other)


def test_it_tells_how_far_it_is_and_stops():
    heard = []
    fill(grain(), go=lambda share: heard.append(share) or True)
    assert len(heard) > 5 and heard == sorted(heard) and heard[-1] == pytest.approx(1.0)
    with pytest.raises(Cancelled):
        fill(grain(), go=lambda share: share < 0.2)


@pytest.mark.parametrize("where", [(0.0, 0.0), (319.0, 239.0), (0.0, 120.0)])
def test_areas_at_the_border_are_filled(where):
    area = Area((where,), 25.0, 3.0)
    made, _ = fill(stripes(), area)
    assert np.isfinite(made).all() and made.min() > 0.03


def test_where_there_is_nothing_to_take_from_the_surroundings_are_spanned():
    picture = np.full((20, 24, 3), 0.25, np.float32)
    area = Area(((12.0, 10.0),), 6.0, 1.0)
    bad = picture.copy()
    bad[area.distance((0, 0, 24, 20)) <= 6.0] = 0.0
    made = filled(taker(bad), (24, 20), area, (0, 0, 24, 20))
    assert np.abs(made - 0.25).max() < 0.02
    alone = filled(taker(picture), (24, 20), Area(((12.0, 10.0),), 40.0, 1.0), (0, 0, 24, 20))
    assert np.array_equal(alone, picture)


def test_what_is_looked_at_lies_around_and_within_the_frame():
    x, y, w, h = looked_at((1000, 800, 400, 200), (6000, 4000))
    assert (x, y, w, h) == (600, 400, 1200, 1000)
    x, y, w, h = looked_at((0, 0, 3000, 3000), (9000, 9000))
    assert w * h <= MOST_PX * 1.6 and looked_at((0, 0, 24, 20), (24, 20)) == (0, 0, 24, 20)


def test_a_glow_that_nothing_else_is_like_has_no_step_at_its_border():
    x, y = np.meshgrid(np.arange(SIZE[0]), np.arange(SIZE[1]))
    glow = 0.1 + 0.5 * np.exp(-(((x - 157.0) / 90.0) ** 2) - ((y - 120.0) / 70.0) ** 2)
    noise = np.random.default_rng(1).normal(1.0, 0.01, (*glow.shape, 3))
    clean = (glow[..., None] * noise).astype(np.float32)
    made, _ = fill(clean)
    distance = HOLE.distance((0, 0, *SIZE))
    soft = cv2.GaussianBlur(np.sqrt(np.maximum(made, 0)) - np.sqrt(clean), (0, 0), 2.0)[..., 1]
    just_inside = (distance <= 0.0) & (cv2.distanceTransform((distance <= 0.0).astype(np.uint8), cv2.DIST_L2, 3) < 5.0)
    # without what the sources lack, or when all patches are trusted alike, it is 0.052
    assert np.abs(soft[just_inside]).mean() < 0.049
