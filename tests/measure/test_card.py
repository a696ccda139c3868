"""The grey card: found in the one demo frame that has it, its light right, and in no other."""

import numpy as np
import pytest

from matiz.colour.temperature import cct_to_xy, xy_to_cct
from matiz.develop.frame.camera_colour import xy_to_neutral
from matiz.develop.frame.tiles import level_for
from matiz.develop.graph.engine import Engine
from matiz.findings.find import find, fixed
from matiz.measure.light.card import grey_card
from matiz.measure.light.light import neutral_light
from matiz.measure.picture import Meter
from matiz.recipe.model import Recipe
from matiz_simcam import targets
from matiz_simcam.shoot import DEMO_SHOTS, scene_of, simulate
from tests.conftest import frame_of

SIZE = (1500, 1000)


def _shot(name: str) -> Engine:
    shot = next(s for s in DEMO_SHOTS if s.name == name)
    return Engine(simulate(shot.scene, SIZE, shot.settings, view=shot.view))


def _card(engine: Engine):
    level = level_for(engine.frame.size, 500)
    return grey_card(engine.frame.colour, engine.render(Recipe(), level, result="camera"), 2**level)


@pytest.fixture(scope="module")
def with_card() -> Engine:
    return _shot("CORVA_0051.dng")


def test_the_card_is_where_it_was_put_and_its_light_is_right(with_card):
    card = _card(with_card)
    x, y, w, h = scene_of("grain-hall", SIZE, view=0).areas["grey card"]
    assert card.x <= x + w / 2 <= card.x + card.w and card.y <= y + h / 2 <= card.y + card.h
    assert card.w < 2.5 * w and card.h < 2.5 * h
    truth = with_card.render(Recipe(), 0, (x, y, w, h), result="camera").reshape(-1, 3).mean(axis=0)
    light = neutral_light(with_card.frame.colour, truth.astype(np.float64))
    assert card.light.mired == pytest.approx(light.mired, abs=4.0)
    assert card.light.duv == pytest.approx(light.duv, abs=0.001)


def test_the_finding_gives_its_light_and_then_is_silent(with_card):
    meter, recipe = Meter(with_card), Recipe()
    found = {f.id: f for f in find(with_card, meter.picture(recipe), recipe)}
    assert "light.two_lights" not in found and "light.balance_differs" not in found
    again = fixed(recipe, found["light.grey_card"])
    assert "light.grey_card" not in {f.id for f in find(with_card, meter.picture(again), again)}


@pytest.mark.parametrize(
    "name", ["CORVA_0052.dng", "CORVA_0056.dng", "CORVA_0012.dng", "CORVA_0015.dng", "CORVA_0031.dng"]
)
def test_cloth_window_salt_and_scales_are_no_card(name):
    assert _card(_shot(name)) is None


def test_the_patches_of_a_chart_are_no_card():
    assert _card(Engine(frame_of(targets.chart(SIZE, "daylight:5500"), balance_xy=cct_to_xy(5500.0)))) is None


@pytest.mark.parametrize("cct_K", [2800.0, 5500.0, 9000.0])
def test_a_card_on_a_wall_under_a_known_light(scene_engine, cct_K):
    """A plain grey card, tilted, on a wall of coloured stripes: its light within 1 mired."""
    colour = scene_engine.frame.colour
    neutral = xy_to_neutral(colour, cct_to_xy(cct_K))
    y, x = np.mgrid[:400, :600]
    rng = np.random.default_rng(3)
    stripes = rng.uniform(0.05, 0.5, (600, 3))[(x + y // 7) // 9 % 600]
    inside = (np.abs((x - 300) + 0.2 * (y - 200)) < 60) & (np.abs((y - 200) - 0.2 * (x - 300)) < 40)
    camera = np.where(inside[..., None], 0.18, stripes) * neutral * 0.8
    camera = (camera + rng.normal(0, 0.002, camera.shape)).astype(np.float32)
    card = grey_card(colour, camera, 1)
    assert card is not None and abs(card.light.mired - 1e6 / xy_to_cct(cct_to_xy(cct_K))[0]) < 1.0


def test_the_finding_shows_the_card_where_it_lies_in_a_cropped_picture(with_card):
    x, y, w, h = scene_of("grain-hall", SIZE, view=0).areas["grey card"]
    left, top = 0.8 * x / SIZE[0], 0.8 * y / SIZE[0]
    recipe = Recipe().change_all([("mend.crop", (left, top, 0.4, 0.3)), ("mend.level_deg", 2.0)], label="x")[0]
    found = {f.id: f for f in find(with_card, Meter(with_card).picture(recipe), recipe)}["light.grey_card"]
    middle = with_card.mapping(recipe).to_picture([(x + w / 2, y + h / 2)])[0]
    outline = np.array(found.outlines[0])
    assert (outline.min(axis=0) < middle).all() and (middle < outline.max(axis=0)).all()
