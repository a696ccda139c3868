"""How the line under a sky is laid."""

import cv2
import numpy as np

from matiz.masks import sky as of_sky
from matiz.masks.sky import AGAINST, ALIKE, find_sky

WIDE, HIGH = 60, 160


def line(for_sky, steps=None):
    return of_sky._line(for_sky, np.zeros((HIGH, WIDE)) if steps is None else steps)


def test_the_line_lies_where_what_could_be_sky_ends_and_on_a_step_where_that_is_open():
    rows = np.arange(HIGH)[:, None] + np.zeros((1, WIDE))
    assert (line(np.where(rows < 50, 1.0, -1.0)) == 50).all()
    open_ones = np.where(rows < 40, 1.0, np.where(rows < 70, 0.0, -1.0))
    steps = np.zeros((HIGH, WIDE))
    steps[55] = 6.0
    assert (np.abs(line(open_ones, steps) - 56) <= 1).all()


def test_it_goes_round_a_tower_at_the_price_of_two_jumps():
    rows = np.arange(HIGH)[:, None] + np.zeros((1, WIDE))
    for_sky = np.where(rows < 130, 1.0, -1.0)
    for_sky[30:130, 25] = -1.2
    told = line(for_sky)
    assert told[25] == 30 and (told[[20, 30]] == 130).all()


def test_a_colour_that_changes_slowly_is_alike_and_another_one_is_not():
    y = np.linspace(0.0, 1.0, HIGH)[:, None] + np.zeros((1, WIDE))
    Lab = np.dstack([40.0 + 40.0 * y, 5.0 * y, 20.0 * y - 10.0]).astype(np.float32)
    Lab[100:120, 10:30] += (-25.0, 20.0, 20.0)
    alike = of_sky._alike(Lab, np.arange(HIGH)[:, None] + np.zeros((1, WIDE)) < 70)
    assert (alike[70:95] == ALIKE).mean() > 0.95, "further on than it is known"
    assert (alike[100:120, 10:30] == AGAINST).all()


def test_a_way_over_a_step_is_far_and_one_over_slow_change_is_not():
    steps = np.full((HIGH, WIDE), 0.1)
    steps[80] = 12.0
    first = np.arange(HIGH)[:, None] + np.zeros((1, WIDE)) < 30
    way = of_sky._way(steps, first)
    assert way[79].max() < 0.5 and way[82].min() > 8.0


def scene(sky, ground, rough):
    """Two colours of L*a*b*, the lower one rough."""
    random = np.random.default_rng(1)
    Lab = np.empty((280, 420, 3), np.float32)
    Lab[:150], Lab[150:] = sky, ground
    Lab[150:, :, 0] += rough * random.normal(size=(130, 420))
    return np.clip(np.rint(255.0 * cv2.cvtColor(Lab, cv2.COLOR_LAB2RGB)), 0, 255).astype(np.uint8)


def test_a_night_that_is_a_little_bluer_and_a_little_brighter_is_a_sky():
    found = cv2.resize(find_sky(scene((24.0, 0.0, -5.0), (19.5, 0.0, -0.5), 4.0)), (420, 280)) > 0.5
    assert found[:145].mean() > 0.97 and found[155:].mean() < 0.03
    assert find_sky(scene((24.0, 0.0, -5.0), (23.0, 0.0, -0.5), 4.0)).max() == 0.0, "bluer alone, by that, is a wall"


def test_what_went_on_into_the_rough_is_taken_back(monkeypatch):
    picture = scene((70.0, 0.0, -15.0), (40.0, 5.0, 15.0), 9.0)
    monkeypatch.setattr(of_sky, "_above", lambda Lab, _first: np.ones(Lab.shape[:2], bool))
    found = cv2.resize(find_sky(picture), (420, 280)) > 0.5
    assert found[:145].mean() > 0.97 and found[160:].mean() < 0.03


def test_a_band_of_cloud_right_across_does_not_end_it():
    """No way leads round it, but the sky has its colour again below."""
    picture = scene((70.0, 0.0, -15.0), (40.0, 5.0, 15.0), 9.0)
    picture[66:72] = (90, 90, 95)
    found = cv2.resize(find_sky(picture), (420, 280)) > 0.5
    assert found[80:145].mean() > 0.95 and found[160:].mean() < 0.03
