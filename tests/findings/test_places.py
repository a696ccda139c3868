"""Findings of places, and that their fixes remove them."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.colour.spaces import luminance
from matiz.develop.graph.engine import Engine
from matiz.findings.find import fixed, judged
from matiz.measure.picture import Meter, PictureReading
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz.recipe.places import Ellipse, Lasso, Place, Ramp, Zones
from matiz.recipe.tree import Rows

from .test_findings import picture_of, ramp

WALL = ((0.3, 0.1), (0.7, 0.1), (0.7, 0.5), (0.3, 0.5))


def recipe_with(*places: Place) -> Recipe:
    base = Recipe()
    return base.change_all(added(base, [("places", place) for place in places]), label="x")[0]


def found(engine: Engine, recipe: Recipe, ident: str):
    reading = PictureReading(Meter(engine).read(recipe, ["places", "full_size"]))
    return [finding for finding in judged(reading, recipe) if finding.id == ident]


def parts(*parts) -> Rows:
    return Rows((f"m{n}", part) for n, part in enumerate(parts))


@pytest.mark.parametrize(("ident", "place", "told"), [
    ("places.idle", Place("Sea", mask=parts(Zones(low=0.0, high=0.5, soft=0.1)), exposure_EV=1.0), "mask is empty"),
    ("places.idle", Place("Sea", exposure_EV=0.001), "too small"),
    ("places.hard_edge", Place("Sea", mask=parts(Lasso(path=WALL)), exposure_EV=1.0), "ends hard"),
    ("places.lost_ends", Place("Sea", mask=parts(Ramp(x=0.9, y=0.3, x2=0.0, y2=0.3)), exposure_EV=2.6), "white"),
    ("places.lost_ends", Place("Sea", mask=parts(Ramp(x=0.1, y=0.3, x2=0.9, y2=0.3)), exposure_EV=-3.0), "black"),
])  # fmt: skip
def test_each_is_said_once_and_its_fix_removes_it(ident, place, told):
    engine = picture_of(ramp(8.0, 88.0))
    recipe = recipe_with(place, Place("Calm", mask=parts(Ellipse(soft_percent=100.0)), exposure_EV=0.3))
    (finding,) = found(engine, recipe, ident)
    assert "Sea" in finding.claim and told in finding.claim and finding.station == "places"
    assert not found(engine, fixed(recipe, finding), ident)
    off = recipe.change(f"places.{recipe.places.order[0]}.active", "off")[0]
    assert not found(engine, off, ident) and not found(engine, Recipe(), ident)


def test_what_changes_noise_or_edges_alone_is_not_idle_unless_it_holds_nothing():
    engine = picture_of(ramp(8.0, 88.0))
    nothing = parts(Zones(low=0.0, high=0.5, soft=0.1))
    for change in ({"sharpen_percent": -80.0}, {"denoise_percent": 60.0}):
        assert not found(engine, recipe_with(Place("Fine", **change)), "places.idle")
        (finding,) = found(engine, recipe_with(Place("Fine", mask=nothing, **change)), "places.idle")
        assert "mask is empty" in finding.claim


def test_a_hard_edge_on_an_edge_of_the_picture_is_none():
    lightness = np.full((400, 600), 30.0)
    lightness[60:300, 180:420] = 70.0
    engine = picture_of(lightness + np.random.default_rng(0).normal(0, 0.3, (400, 600)))
    fits = Place("Sheet", mask=parts(Lasso(path=WALL)), exposure_EV=1.0)
    assert not found(engine, recipe_with(fits), "places.hard_edge")
    beside = Place("Sheet", mask=parts(Lasso(path=tuple((x - 0.1, y) for x, y in WALL))), exposure_EV=1.0)
    (finding,) = found(engine, recipe_with(beside), "places.hard_edge")
    assert finding.evidence["step_L"] > 5.0 and finding.outlines


def test_colours_that_lightening_drains_are_held():
    colours = np.tile(np.array([1.0, 0.45, 0.3], np.float32) * np.float32(luminance(55.0)), (400, 600, 1))
    engine = Engine(replace(picture_of(ramp(30.0, 60.0)).frame, linear=colours))
    recipe = recipe_with(Place("Rock", exposure_EV=2.0, hold_chroma="off"))
    (finding,) = found(engine, recipe, "places.drained")
    assert finding.evidence["chroma_kept_%"] < 93.0
    assert not found(engine, fixed(recipe, finding), "places.drained")


def test_what_cannot_be_spared_is_said_without_a_fix():
    """All of it goes white: to spare it would be to leave it out."""
    recipe = recipe_with(Place("Sea", exposure_EV=5.0))
    (finding,) = found(picture_of(ramp(45.0, 60.0)), recipe, "places.lost_ends")
    assert not finding.has_fix and "white" in finding.claim


def test_a_place_as_small_as_a_gleam_is_not_called_idle():
    dot = Place("Gleam", mask=parts(Ellipse(x=0.5, y=0.3, w=0.012, h=0.012)), exposure_EV=1.0)
    assert not found(picture_of(ramp(20.0, 60.0)), recipe_with(dot), "places.idle")
