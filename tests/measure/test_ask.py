"""Asking a pixel: the station that changed it most is named, with the size of its change."""

import pytest

from matiz.errors import ArgumentError
from matiz.measure.ask import ask_pixel
from matiz.recipe.model import Recipe


def test_an_untouched_recipe_changes_nothing(scene_engine):
    assert set(ask_pixel(scene_engine, Recipe(), 300, 200)) == {"mend", "light", "tone", "colour", "detail", "finish"}
    assert max(ask_pixel(scene_engine, Recipe(), 300, 200).values()) == 0.0


def test_the_decision_that_made_it_is_named(scene_engine):
    recipe = Recipe().change_all([("tone.exposure_EV", 1.0), ("light.cct_K", 5400.0)], label="")[0]
    made = ask_pixel(scene_engine, recipe, 300, 200)
    assert next(iter(made)) in ("tone", "tone.exposure_EV")
    assert made["tone"] == pytest.approx(made["tone.exposure_EV"]) and made["tone"] > 5 > made["light"] >= 0
    assert "tone.rendition" not in made, "only what was decided is taken apart"


def test_a_place_outside_is_refused(scene_engine):
    with pytest.raises(ArgumentError, match="within the picture"):
        ask_pixel(scene_engine, Recipe(), 600, 10)


def test_how_a_picture_lies_is_no_decision_about_a_pixel(scene_engine):
    recipe = Recipe().change_all([("mend.crop", (0.4, 0.3, 0.4, 0.3)), ("mend.level_deg", 3.0)], label="")[0]
    made = ask_pixel(scene_engine, recipe, 100, 60)
    assert max(made.values()) == 0.0 and "mend.crop" not in made
