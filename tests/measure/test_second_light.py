"""The second light as a place, against the same halls under the greater light alone."""

import numpy as np
import pytest

from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import sRGB_to_Lab
from matiz.colour.temperature import cct_to_xy
from matiz.develop.graph.engine import Engine
from matiz.findings.find import fixed, judged
from matiz.findings.model import Finding
from matiz.measure.light.second_light import place_of_light
from matiz.measure.picture import Meter, PictureReading
from matiz.measure.table.values import LightValue
from matiz.recipe.model import Recipe, manual_light
from matiz.recipe.paths import added
from matiz.recipe.places import Mapped
from matiz.recipe.shapes import Grid
from matiz_simcam.camera import black_body, daylight

from .test_lights import PAIRS, ROOMS, simulated

DAYLIGHT_DUV = 0.0031
"""Of the daylight locus from black bodies, about, between 5,000 and 8,000 K."""


def shown(engine: Engine, recipe: Recipe) -> np.ndarray:
    return sRGB_to_Lab(engine.render(recipe, 0, result="display"))


@pytest.mark.parametrize(("room", "pair"), [(0, 2), (0, 4), (1, 2)])
def test_the_second_light_comes_near_the_first(room, pair):
    """The mean difference to the hall under the majority light alone falls by half with the measured map and values,
    by three quarters with the true ones."""
    warm_K, cool_K, gain = PAIRS[pair]
    spectra = {"lanterns": black_body(warm_K), "flame": black_body(warm_K), "all": daylight(cool_K)}
    gains = {"lanterns": gain, "window": 1.0 / gain}
    scene, frame, _ = simulated(ROOMS[room], spectra, cct_to_xy(4000.0), gains)
    engine = Engine(frame)
    meter = Meter(engine)
    first, second = meter.read(Recipe(), ["light"])["light"].lights.found
    warm_first = first.value.cct_K < second.value.cct_K
    major = black_body(warm_K) if warm_first else daylight(cool_K)
    _, alone, _ = simulated(ROOMS[room], dict.fromkeys(spectra, major), cct_to_xy(4000.0), gains)

    def left(base: Recipe, recipe: Recipe) -> float:
        wanted = shown(Engine(alone), base)
        before, after = (delta_E_2000(shown(engine, each), wanted).mean() for each in (base, recipe))
        return float(after / before)

    base = Recipe().change_all(manual_light(first.value.cct_K, first.value.duv), label="x")[0]

    def said(recipe: Recipe) -> list[Finding]:
        reading = PictureReading(meter.read(recipe, ["light", "balance", "second_light"]))
        return [each for each in judged(reading, recipe) if each.id == "light.second_light"]

    (finding,) = said(base)
    done = fixed(base, finding)
    assert left(base, done) < 0.5 and not said(done)

    lanterns = scene.light_shares()["lanterns"]
    warm, cool = (warm_K, 0.0, lanterns), (cool_K, DAYLIGHT_DUV, 1.0 - lanterns)
    (kelvin, duv, _), (other_K, other_duv, shares) = (warm, cool) if warm_first else (cool, warm)
    base = Recipe().change_all(manual_light(kelvin, duv), label="x")[0]
    place = place_of_light(frame.colour, base, LightValue(other_K, other_duv, 1.0), shares)
    assert left(base, base.change_all(added(base, [("places", place)]), label="x")[0]) < 0.25


def test_a_picture_under_one_light_has_no_second(scene_engine):
    assert Meter(scene_engine).read(Recipe(), ["second_light"])["second_light"] is None


def test_maps_are_checked_and_go_to_json():
    grid = Grid.of(np.linspace(0.0, 1.0, 12).reshape(3, 4))
    part = Mapped(shares=grid)
    assert Grid.from_json(grid.to_json()) == grid and part.shares.shares[2, 3] == 1.0
    np.testing.assert_allclose(grid.shares.ravel(), np.linspace(0.0, 1.0, 12), atol=1 / 255)
