"""Strokes: what they cover, how they build up, wipe off and keep to a colour, at every size, in whatever parts."""

import numpy as np
import pytest

from matiz.masks.brush import painted, start_of
from matiz.masks.join import joined
from matiz.recipe.places import Brush, Stroke
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import Rows

from .test_masks import lab_of, view_of

WIDE = np.full((120, 180, 3), 0.2)


def along(*points, **values) -> Stroke:
    usual = {"radius_px": 20.0, "strength_percent": 100.0}
    return Stroke(path=Shape.of(np.array(points, np.float32)), **{**usual, **values})


ACROSS = ((0.2, 0.3), (0.7, 0.3))


def test_a_stroke_covers_its_way_and_falls_off_to_its_radius():
    soft = painted([along(*ACROSS)], view_of(WIDE))
    row = round(0.3 * 180)
    assert soft[row, 90] > 0.99 and soft[row + 10, 90] == pytest.approx(0.5, abs=0.06) and soft[row + 20, 90] < 0.01
    assert np.diff(soft[row : row + 21, 90]).max() <= 1e-6, "falling all the way"
    hard = painted([along(*ACROSS, hardness_percent=100.0)], view_of(WIDE))
    assert hard[row + 18, 90] > 0.99 and hard[row + 22, 90] < 0.01
    assert soft[row, 36 - 25] == 0.0 and hard[row, 36 - 15] > 0.99, "round at its ends"


def test_one_stroke_never_builds_up_by_itself_and_many_build_up_to_their_limit():
    twice = along((0.2, 0.3), (0.7, 0.3), (0.2, 0.3), strength_percent=20.0)
    there = (54, 90)
    assert painted([twice], view_of(WIDE))[there] == pytest.approx(0.2, abs=0.01)
    many = painted([along(*ACROSS, strength_percent=20.0)] * 3, view_of(WIDE))
    assert many[there] == pytest.approx(1.0 - 0.8**3, abs=0.01)
    limited = [along(*ACROSS, strength_percent=50.0, limit_percent=40.0)] * 12
    assert painted(limited, view_of(WIDE))[there] == pytest.approx(0.4, abs=0.01)
    full = [along(*ACROSS), *limited]
    assert painted(full, view_of(WIDE))[there] > 0.99, "what is more already stays"


def test_erasing_takes_its_share_and_order_counts():
    there = (54, 90)
    wiped = painted([along(*ACROSS), along(*ACROSS, erase="on", strength_percent=30.0)], view_of(WIDE))
    assert wiped[there] == pytest.approx(0.7, abs=0.01)
    again = painted([along(*ACROSS, erase="on"), along(*ACROSS)], view_of(WIDE))
    assert again[there] > 0.99


def test_pressure_weighs_and_a_click_is_a_dot():
    pressed = painted([along((0.2, 0.3, 0.2), (0.7, 0.3, 1.0))], view_of(WIDE))
    assert pressed[54, 36] == pytest.approx(0.2, abs=0.03) and pressed[54, 126] > 0.97
    assert pressed[54, 80] == pytest.approx(0.6, abs=0.06)
    dot = painted([along((0.5, 0.3))], view_of(WIDE))
    assert dot[54, 90] > 0.95 and dot[54, 90 + 21] < 0.01 and dot[54 + 10, 90] == pytest.approx(dot[54, 100], abs=0.02)
    assert not painted([Stroke()], view_of(WIDE)).any()


def test_a_stroke_that_keeps_to_a_colour_stops_at_another():
    picture = WIDE.copy()
    picture[60:] = (0.5, 0.1, 0.05)
    stroke = along((0.2, 0.32), (0.7, 0.32), radius_px=40.0, hardness_percent=100.0, keep_to=10.0)
    view = view_of(picture, colours={start_of(stroke): lab_of(picture[0, 0])})
    kept = painted([stroke], view)
    free = painted([along((0.2, 0.32), (0.7, 0.32), radius_px=40.0, hardness_percent=100.0)], view)
    assert kept[35, 90] > 0.95 and free[75, 90] > 0.99 and kept[75, 90] < 0.02


@pytest.mark.parametrize("px", [2.0, 4.0])
def test_strokes_are_the_same_at_every_size(px):
    rng = np.random.default_rng(3)
    strokes = [
        along(*(rng.random(2) * (0.9, 0.6) + rng.normal(0, 0.05, (6, 2))).tolist(), radius_px=float(rng.uniform(3, 30)),
              hardness_percent=float(rng.choice([0, 60, 100])), strength_percent=60.0) for _ in range(30)
    ]  # fmt: skip
    fine = painted(strokes, view_of(WIDE))
    step = int(px)
    small = painted(strokes, view_of(np.full((120 // step, 180 // step, 3), 0.2), px=px))
    means = fine.reshape(120 // step, step, 180 // step, step).mean(axis=(1, 3))
    assert np.abs(means - small).mean() < 0.01


def test_strokes_in_blocks_are_those_painted_whole_and_on_what_is_there():
    rng = np.random.default_rng(5)
    strokes = [along(*rng.random((4, 2)).tolist(), strength_percent=40.0) for _ in range(12)]
    view = view_of(np.full((200, 300, 3), 0.2))
    whole = painted(strokes, view)
    first = painted(strokes[:7], view)
    np.testing.assert_allclose(painted(strokes[7:], view, first), whole, atol=1e-6)
    np.testing.assert_array_equal(first, painted(strokes[:7], view))
    part = Brush(strokes=Rows((f"s{n}", stroke) for n, stroke in enumerate(strokes)))
    np.testing.assert_array_equal(joined([part], view), whole)
    one_by_one = np.zeros((200, 300), np.float32)
    for stroke in strokes:
        (x0, y0), *rest = stroke.path.points * 300 - 0.5
        own = np.zeros_like(one_by_one)
        y, x = np.mgrid[:200, :300]
        for x1, y1 in rest:
            t = np.clip(((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / ((x1 - x0) ** 2 + (y1 - y0) ** 2), 0, 1)
            far = np.hypot(x - x0 - t * (x1 - x0), y - y0 - t * (y1 - y0)) / 20.0
            rest_of = np.clip(1.0 - far, 0, 1)
            own = np.maximum(own, rest_of**2 * (3 - 2 * rest_of))
            x0, y0 = x1, y1
        one_by_one += (1.0 - one_by_one) * own * 0.4
    np.testing.assert_allclose(whole, one_by_one, atol=2e-3)
