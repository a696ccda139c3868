"""Bands, pulls and held lines: met where they say, straight where they hold, never folded, the border kept."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from matiz.mend.warp import LEAST_AREA, bend, bends
from matiz.recipe.mending import Band, HeldLine, Pull
from matiz.recipe.model import Mend, Recipe
from matiz.recipe.tree import Rows

SIZE = (3000, 2000)
FOCAL = 2400.0


def rows(*items) -> Rows:
    return Rows((f"i{n}", item) for n, item in enumerate(items))


def made(*items, level=0.0, vertical=0.0):
    return bend(SIZE, FOCAL, level, vertical, 0.0, rows(*items))


def on_lens(x: float, y: float) -> np.ndarray:
    """A place of an unturned plane in px from the middle."""
    return np.array([[x * 3000.0 - 1500.0, y * 3000.0 - 1000.0]])


def source(found, x: float, y: float) -> np.ndarray:
    at = on_lens(x, y)
    return ((at + found.at(at)) + (1500.0, 1000.0))[0] / 3000.0


def test_nothing_is_bent_without_a_change():
    assert not bends(rows()) and bends(rows(Pull(dx=0.01))) and bends(rows(Band(percent=-5.0)))
    held = rows(Pull(x=0.5, y=0.3), HeldLine(0.1, 0.3, 0.9, 0.3), Band(percent=0.0))
    assert not bends(held)


def test_pulls_are_met_and_pins_stay():
    found = made(Pull(0.4, 0.3, 0.05, -0.02), Pull(0.55, 0.32), Pull(0.3, 0.4, -0.01, 0.03, 0.1))
    np.testing.assert_allclose(source(found, 0.45, 0.28), (0.4, 0.3), atol=3e-4)
    np.testing.assert_allclose(source(found, 0.55, 0.32), (0.55, 0.32), atol=3e-4)
    np.testing.assert_allclose(source(found, 0.29, 0.43), (0.3, 0.4), atol=3e-4)
    np.testing.assert_allclose(source(found, 0.9, 0.3), (0.9, 0.3), atol=1e-6)


@pytest.mark.parametrize("percent", [25.0, -30.0])
def test_a_band_is_as_tall_as_it_says_and_its_foot_stays(percent):
    found = made(Band(0.0, 0.25, 1.0, 0.2, percent))
    assert source(found, 0.5, 0.45)[1] == pytest.approx(0.45, abs=4e-4)
    assert source(found, 0.5, 0.60)[1] == pytest.approx(0.60, abs=1e-4), "what lies below too"
    head = 0.45 - 0.2 * (1.0 + percent / 100.0)
    assert source(found, 0.5, head)[1] == pytest.approx(0.25, abs=5e-4)
    inside = np.array([source(found, 0.5, y)[1] for y in np.linspace(0.01, 0.65, 60)])
    assert (np.diff(inside) > 0).all()
    assert source(found, 0.5, 0.0)[1] == pytest.approx(0.0, abs=1e-4), "the border is the border"


def test_a_band_is_made_wider_and_fades_beside_itself():
    found = made(Band(0.3, 0.2, 0.2, 0.2, 30.0, "width"))
    assert source(found, 0.3 + 0.26, 0.3)[0] == pytest.approx(0.5, abs=5e-4)
    assert source(found, 0.3, 0.3)[0] == pytest.approx(0.3, abs=1e-4)
    assert source(found, 0.5, 0.55)[0] == pytest.approx(0.5, abs=1e-6), "far below it nothing moves"


def test_a_held_line_stays_straight_beside_a_strong_pull():
    found = made(Pull(0.5, 0.35, 0.06, -0.08), Band(0.0, 0.1, 1.0, 0.3, 40.0), HeldLine(0.0, 0.4, 1.0, 0.42))
    share = np.linspace(0.05, 0.95, 700)
    line = np.stack([share * 3000 - 1500, (0.4 + 0.02 * share) * 3000 - 1000], axis=1)
    assert np.abs(found.at(line)).max() < 0.5
    assert np.abs(found.at(line + [0, -300])).max() > 30


@settings(max_examples=25, deadline=None)
@given(st.data())
def test_it_never_folds_and_can_be_taken_back(data):
    def near(low, high):
        return data.draw(st.floats(low, high))

    pulls = [Pull(near(0, 1), near(0, 0.66), near(-0.3, 0.3), near(-0.3, 0.3), near(0.05, 0.6)) for _ in range(3)]
    band = Band(near(0, 0.5), near(0, 0.3), near(0.1, 0.5), near(0.05, 0.3), near(-50, 100))
    found = bend(SIZE, FOCAL, near(-10, 10), near(-8, 8), 0.0, rows(*pulls, band))
    assert (1.0 / (1.0 + found.stretch()) ** 2).min() >= LEAST_AREA * 0.99
    points = np.random.default_rng(1).uniform((-1400, -900), (1400, 900), (60, 2))
    np.testing.assert_allclose(found.before(points + found.at(points)), points, atol=0.05)


def test_what_is_bent_stays_within_the_frame_when_it_is_turned():
    found = made(Pull(0.05, 0.3, 0.2, 0.1, 0.5), Band(0.0, 0.3, 1.0, 0.35, 60.0), level=6.0, vertical=5.0)
    edge = np.linspace(-1, 1, 200)
    for line in (np.stack([edge * 1500, np.full(200, -1000.0)], 1), np.stack([np.full(200, 1500.0), edge * 1000], 1)):
        across = found.at(line)[:, 1 if line[0, 1] == line[-1, 1] else 0]
        # a point of the border comes from the border, but for the mesh and perspective
        assert np.abs(across).max() < 4.0


def test_stretch_is_that_of_the_band():
    found = made(Band(0.0, 0.2, 1.0, 0.3, 50.0))
    stretch = found.stretch()
    rows_, columns = stretch.shape
    middle = stretch[int((0.35 * 3000 - 1000) / found.step + rows_ / 2), columns // 2]
    # what lies above keeps half of its room, so a third is left, in one of two directions, and more of it in the middle
    assert (0.4 / 0.3) ** 0.5 - 1.0 <= middle < 0.2
    assert stretch.min() < -0.2


def test_warps_go_to_json_and_back():
    warp = rows(Band(0.1, 0.2, 0.3, 0.2, 15.0), Pull(0.2, 0.2, 0.01), HeldLine(0, 0.3, 1, 0.3))
    recipe = Recipe(mend=Mend(warp=warp))
    assert Recipe.from_json(recipe.to_json()) == recipe
    assert recipe.untouched().mend.warp == recipe.mend.warp
