"""A picked white lands where it is told, and tries are what they say."""

import numpy as np
import pytest

from matiz.colour.spaces import encode_sRGB
from matiz.colour.temperature import cct_to_xy
from matiz.develop.graph.engine import Engine
from matiz.develop.stages.rendition import s_curve
from matiz.errors import ArgumentError
from matiz.measure.colour.spot import spot, tone_of
from matiz.measure.picture import Meter
from matiz.proposals.landing import landing
from matiz.proposals.tries import COUNT, tries
from matiz.recipe.model import Recipe
from matiz_simcam import targets
from tests.conftest import SMALL, frame_of, mean_delta_E


@pytest.fixture(scope="module")
def chart():
    scene = targets.chart(SMALL, "planck:3600")
    return Engine(frame_of(scene, ev=-0.4, balance_xy=cct_to_xy(5000.0))), scene.areas


@pytest.mark.parametrize("code", [245.0, 230.0])
@pytest.mark.parametrize("curved", [False, True])
def test_a_white_lands_where_it_is_told(chart, code, curved):
    """The lightest patch of the chart: shown at the code, within one of 255 in every channel."""
    engine, areas = chart
    recipe = Recipe().change("tone.curve.lightness", s_curve(1.3))[0] if curved else Recipe()
    area = max(areas.values(), key=lambda a: tone_of(engine, recipe, a))
    landed = recipe.change_all(landing(engine, recipe, area, code), label="")[0]
    shown = 255.0 * encode_sRGB(engine.render(landed, 0, area, result="display").reshape(-1, 3).mean(axis=0))
    assert np.abs(shown - code).max() < 1.0
    assert landed.light.source == "manual" and landed.light.cct_K == pytest.approx(3600, rel=0.06)


def test_what_is_dark_is_no_white(chart):
    engine, areas = chart
    darkest = min(areas.values(), key=lambda a: tone_of(engine, Recipe(), a))
    with pytest.raises(ArgumentError, match="too dark"):
        landing(engine, Recipe().change("tone.exposure_EV", -2.0)[0], darkest, 245.0)


def test_a_spot_is_cut_at_the_border_and_refused_outside(chart):
    engine, _ = chart
    width, height = engine.frame.size
    assert spot(engine, Recipe(), 0, 0) == (0, 0, 4, 4) and spot(engine, Recipe(), width - 1, height - 1)[2:] == (4, 4)
    with pytest.raises(ArgumentError, match="within"):
        spot(engine, Recipe(), width, 3)


def test_the_tone_of_a_place_is_what_its_curve_meets(chart):
    """Whatever the curve, the tone before it is the same; a channel's curve meets the tone after that of lightness."""
    engine, areas = chart
    area = next(iter(areas.values()))
    curved = Recipe().change("tone.curve.lightness", s_curve(1.4))[0]
    assert tone_of(engine, curved, area) == pytest.approx(tone_of(engine, Recipe(), area), abs=1e-6)
    assert tone_of(engine, curved, area, "red") != pytest.approx(tone_of(engine, Recipe(), area, "red"), abs=1e-3)
    with pytest.raises(ArgumentError, match="channel"):
        tone_of(engine, curved, area, "cyan")


def test_tries_differ_and_say_by_how_much(scene_engine):
    recipe = Recipe()
    found = tries(scene_engine, Meter(scene_engine).picture(recipe), recipe)
    assert len(found) == COUNT and len({one.name for one in found}) == COUNT
    level = 0
    now = scene_engine.render(recipe, level, result="display")
    for one in found:
        picture = scene_engine.render(recipe.change_all(one.settings, label="")[0], level, result="display")
        assert np.array_equal(picture, one.display)
        assert one.delta_E == pytest.approx(mean_delta_E(now, picture), abs=1e-3) and one.delta_E >= 0.5
    warmer, cooler = (next(one for one in found if one.name.startswith(word)) for word in ("Warmer", "Cooler"))
    ratio = [float((one.display[..., 0] / (one.display[..., 2] + 0.01)).mean()) for one in (warmer, cooler)]
    assert ratio[0] > ratio[1], "warmer is redder"


def test_a_clipped_white_is_refused():
    """Its colour is not known any more: the same rule as for a picked neutral."""
    engine = Engine(frame_of(targets.grey(SMALL), ev=4.0))
    with pytest.raises(ArgumentError, match="clipped"):
        landing(engine, Recipe(), (100, 100, 25, 25), 245.0)
