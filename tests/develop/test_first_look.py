"""What is looked at first is made alone, its tiles afterwards."""

import numpy as np
import pytest

from matiz.develop.graph.engine import Engine
from matiz.develop.graph.first_look import FirstLook
from matiz.recipe.model import Recipe
from matiz_simcam.camera import IDEAL, Settings
from matiz_simcam.shoot import simulate

STRENGTH = "detail.noise.strength_percent"
ESTIMATE = "without noise"
REGION = (400, 400, 300, 200)
"""Lies on four tiles."""


@pytest.fixture(scope="module")
def frame():
    return simulate("chart24", (1200, 900), Settings(**{**IDEAL, "noise": True}, iso=3200))


def without_noise(strength: float = 80.0) -> Recipe:
    return Recipe().change(STRENGTH, strength)[0]


def test_a_view_alone_is_the_same_picture_and_makes_one_piece(frame):
    engine, recipe = Engine(frame), without_noise()
    alone = engine.render_alone(recipe, 0, REGION)
    assert engine.runs[ESTIMATE] == 1
    of_tiles = Engine(frame).render(recipe, 0, REGION)
    assert alone.shape == of_tiles.shape
    assert np.abs(alone.astype(int) - of_tiles).max() <= 1
    engine.render_alone(without_noise(40.0), 0, REGION)
    assert engine.runs[ESTIMATE] == 1, "its estimate is kept while the view stays"


def test_what_is_slow_is_told_by_recipe_and_level(frame):
    engine = Engine(frame)
    assert engine.slow_part(Recipe(), 0) is None
    told = engine.slow_part(without_noise(), 0)
    assert told is not None and told == engine.slow_part(without_noise(40.0), 0)
    assert engine.slow_part(without_noise(), 3) is None, "not looked at there"
    assert engine.slow_part(without_noise().change("light.cct_K", 4000.0)[0], 0) == told


def test_a_view_is_made_alone_until_its_tiles_are_there(frame):
    engine, look, recipe = Engine(frame), FirstLook(), without_noise()
    what = (engine, recipe, 0, REGION)
    assert look.is_due(*what)
    engine.render_alone(*what[1:])
    look.fill(*what, stopped=lambda: engine.runs[ESTIMATE] >= 3)
    assert engine.runs[ESTIMATE] == 3 and look.is_due(*what), "it was stopped in the middle"
    look.fill(*what, stopped=lambda: False)
    assert engine.runs[ESTIMATE] == 5 and not look.is_due(*what)
    assert not look.is_due(engine, without_noise(40.0), 0, REGION), "the strength only mixes"
    engine.render(*what[1:])
    assert engine.runs[ESTIMATE] == 5
    assert not look.is_due(engine, Recipe(), 0, REGION), "nothing takes long"
    assert not look.is_due(*what), "looking at it as it comes forgets nothing"
    assert look.is_due(engine, recipe, 0, (1030, 520, 160, 250)), "the view went on to where no tile is"
    assert not look.is_due(engine, recipe, 0, (600, 100, 500, 500)), "tiles are no more work than the view"
    assert look.is_due(Engine(frame), recipe, 0, REGION)
