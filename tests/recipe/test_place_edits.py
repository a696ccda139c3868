"""Edits to places are settings of one step."""

from matiz.recipe.model import Recipe
from matiz.recipe.place_edits import doubled, inserted, merged, painted, with_mask_of
from matiz.recipe.places import Brush, Place, SameAs


def _with(*places: Place) -> tuple[Recipe, list[str]]:
    recipe, idents = Recipe(), []
    for place in places:
        settings, ident = inserted(recipe, place)
        recipe = recipe.change_all(settings, label="x")[0]
        idents.append(ident)
    return recipe, idents


def test_a_place_comes_last_or_right_after_another():
    recipe, (one, two) = _with(Place(name="one"), Place(name="two"))
    settings, ident = inserted(recipe, Place(name="between"), after=one)
    assert recipe.change_all(settings, label="x")[0].places.order == (one, ident, two)


def test_a_double_has_all_of_it_but_the_name():
    place = Place(name="sky", exposure_EV=-0.5)
    assert doubled(place) == Place(name="sky twice", exposure_EV=-0.5)
    assert doubled(Place(exposure_EV=1.0)).name == ""


def test_a_place_with_the_mask_of_another_follows_it_and_changes_nothing():
    place = with_mask_of("k3f9")
    assert place.mask["m1"] == SameAs(of="k3f9") and place.exposure_EV == 0.0


def test_a_place_to_paint_in_has_a_brush():
    place = painted("Lighter", 1.0)
    assert isinstance(place.mask["m1"], Brush) and (place.name, place.exposure_EV) == ("Lighter", 1.0)


def test_merging_adds_the_mask_to_the_place_before_and_switches_the_other_off():
    recipe, (one, two) = _with(Place(name="one"), Place(name="two"))
    assert merged(recipe, one) is None and merged(recipe, "gone") is None
    settings, into = merged(recipe, two)
    after = recipe.change_all(settings, label="x")[0]
    assert into == one and [part.of for part in after.places[one].mask.values()] == [two]
    assert after.places[two].active == "off" and after.places[one].active == "on"
