"""All that a recipe decides, given to another."""

from matiz.recipe.colour import Peg
from matiz.recipe.given import given_by
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz.recipe.places import Ellipse, Place
from matiz.recipe.tree import Rows


def decided() -> Recipe:
    recipe = Recipe().change_all([("tone.exposure_EV", 1.0), ("light.cct_K", 4000.0)], label="x")[0]
    items = [("places", Place("Sky", mask=Rows([("m1", Ellipse())]))), ("colour.pegs", Peg(at_deg=40.0, hue_deg=5.0))]
    return recipe.change_all(added(recipe, items), label="y")[0]


def test_the_target_becomes_the_source_whatever_it_had():
    source, target = decided(), decided()
    assert source != target, "items have ids of their own"
    for before in (Recipe(), target):
        after = before.change_all(given_by(source, before), label="As")[0]
        assert after == source
    assert given_by(source, source) == ()


def test_what_the_source_leaves_is_left():
    target = decided()
    assert target.change_all(given_by(Recipe(), target), label="As")[0] == Recipe()
