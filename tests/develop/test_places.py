"""Places in the graph: neutral ones change nothing, masks agree at every size, what is changed is what is said."""

import json

import cv2
import numpy as np
import pytest

from matiz.cli import main
from matiz.develop.engine import Engine
from matiz.develop.graph import mask
from matiz.develop.places import warmer_stops
from matiz.kernels.places import placed
from matiz.recipe.model import Recipe
from matiz.recipe.places import Bright, Colour, Ellipse, Lasso, Place, Ramp, Saturated, Zones
from matiz.recipe.tree import Rows, added
from tests.conftest import SMALL


def rows(*parts) -> Rows:
    return Rows((f"p{n}", part) for n, part in enumerate(parts))


SOFT = rows(Ellipse(x=0.5, y=0.3, w=0.5, h=0.4), Bright(join="intersect"))
MASKS = (
    SOFT, rows(Ramp(x=0.1, y=0.1, x2=0.8, y2=0.4)), rows(Zones(low=3.0, high=6.0, soft=2.0)),
    rows(Lasso(path=((0.2, 0.1), (0.8, 0.2), (0.5, 0.5)), feather_px=40.0)),
    rows(Colour(picks=((0.3, 0.3),), hue_deg=40.0)), rows(Saturated(chroma=20.0, soft=50.0)),
)  # fmt: skip


def with_places(*places, base=None) -> Recipe:
    base = base or Recipe()
    return base.change_all(added(base, [("places", place) for place in places]), label="x")[0]


@pytest.mark.parametrize("place", [
    Place(mask=SOFT), Place(mask=SOFT, exposure_EV=1.0, strength_percent=0.0),
    Place(mask=SOFT, exposure_EV=1.0, active="off"), Place(name="neutral"),
])  # fmt: skip
def test_what_changes_nothing_is_bit_for_bit_the_picture_without_it(scene_engine, place):
    for result in ("screen", "display", "scene"):
        plain, other = (scene_engine.render(recipe, 0, result=result) for recipe in (Recipe(), with_places(place)))
        assert np.array_equal(plain, other)
    empty = Place(mask=rows(Bright(strength_percent=0.0)), exposure_EV=2.0)
    np.testing.assert_array_equal(
        scene_engine.render(with_places(empty), 0), scene_engine.render(Recipe(), 0), err_msg="an empty mask"
    )


@pytest.mark.parametrize("n", range(len(MASKS)))
def test_masks_agree_at_every_size_and_wherever_the_picture_lies(scene_engine, n):
    node = mask(MASKS[n])
    full = scene_engine.render(Recipe(), 0, result=node)[..., 0]
    small = scene_engine.render(Recipe(), 1, result=node)[..., 0]
    means = cv2.resize(full, small.shape[::-1], interpolation=cv2.INTER_AREA)
    assert 0.02 < full.mean() < 0.98 and np.abs(means - small).mean() < 0.01
    part = scene_engine.render(Recipe(), 0, (130, 90, 120, 100), result=mask(MASKS[n]))[..., 0]
    np.testing.assert_allclose(part, full[90:190, 130:250], atol=2e-3)
    recipe = Recipe().change_all([("mend.quarter_turns", "1"), ("mend.crop", (0.1, 0.1, 0.7, 0.5))], label="x")[0]
    turned = scene_engine.render(recipe, 0, result=mask(MASKS[n]))[..., 0]
    cut = full[60 : 60 + turned.shape[1], 60 : 60 + turned.shape[0]]
    assert np.abs(np.rot90(cut, -1) - turned).mean() < 0.004


def test_a_place_changes_what_it_says_where_it_is(scene_engine):
    place = Place(mask=rows(Ellipse(x=0.5, y=0.3, w=0.4, h=0.3, soft_percent=10.0)), exposure_EV=1.5)
    plain, made = (scene_engine.render(r, 0, result="scene") for r in (Recipe(), with_places(place)))
    own = scene_engine.render(Recipe(), 0, result=mask(place.mask))[..., :1]
    np.testing.assert_allclose(made, plain * 2.0 ** (1.5 * own), rtol=2e-3, atol=1e-5)
    twice = with_places(place, place)
    shown = scene_engine.render(twice, 0, result="scene")
    np.testing.assert_allclose(shown, plain * 2.0 ** (3.0 * own), rtol=3e-3, atol=1e-5)
    doubled = with_places(Place(mask=place.mask, exposure_EV=1.5, strength_percent=200.0))
    np.testing.assert_allclose(scene_engine.render(doubled, 0), scene_engine.render(twice, 0), atol=1)


def test_no_place_feeds_back_into_a_mask(scene_engine):
    dark = Place(exposure_EV=-3.0)
    own = scene_engine.render(Recipe(), 1, result=mask(SOFT))
    assert np.array_equal(own, scene_engine.render(with_places(dark), 1, result=mask(SOFT)))
    brighter = scene_engine.render(Recipe().change("tone.exposure_EV", 1.0)[0], 1, result=mask(SOFT))
    assert brighter.mean() > own.mean() * 1.05, "but what the whole does is seen"


def test_a_drag_in_a_place_makes_no_mask_anew(scene_engine):
    engine = Engine(scene_engine.frame)
    recipe = with_places(Place(mask=SOFT, exposure_EV=0.5), Place(mask=MASKS[4], chroma_percent=30.0))
    engine.render(recipe, 1)
    runs, ident = dict(engine.runs), recipe.places.order[0]
    engine.render(recipe.change(f"places.{ident}.exposure_EV", 0.8)[0], 1)
    made = {name for name, count in engine.runs.items() if count > runs.get(name, 0)}
    assert made == {"places", "screen"}
    engine.render(recipe.change(f"places.{ident}.mask.p1.exponent", 3.0)[0], 1)
    assert engine.runs["masks of the places"] == runs["masks of the places"] + 1
    assert engine.runs["picks of masks of the places"] == runs["picks of masks of the places"]


def test_warmer_light_and_chroma_keep_luminance():
    for mired in (-150.0, 40.0, 200.0):
        red, _, blue = warmer_stops(mired)
        assert (red > 0 > blue) == (mired > 0) and np.sign(red) == -np.sign(blue)
        weights = np.array([0.2627, 0.6780, 0.0593])
        assert abs(float(2.0 ** warmer_stops(mired) @ weights) - 1.0) < 0.02
    pixels = np.random.default_rng(0).random((6, 7, 3), np.float32)
    ones = np.ones((6, 7, 1), np.float32)
    made = placed(pixels, ones, np.array([[0.0, 0.0, 0.0, 0.5]], np.float32))
    bright = pixels @ np.array([0.2627, 0.6780, 0.0593], np.float32)
    np.testing.assert_allclose(made, bright[..., None] + 1.5 * (pixels - bright[..., None]), atol=1e-5)
    grey = placed(pixels, 2.0 * ones, np.array([[0.0, 0.0, 0.0, -1.0]], np.float32))
    np.testing.assert_allclose(grey, np.repeat(bright[..., None], 3, axis=2), atol=1e-5)


def test_places_go_to_json_and_back_and_through_history():
    recipe = with_places(Place(name="Sky", mask=MASKS[3], warmer_mired=20.0), Place(mask=SOFT))
    assert Recipe.from_json(recipe.to_json()) == recipe
    ident = recipe.places.order[1]
    moved, change = recipe.change(f"places.{ident}.mask.p0.w", 0.9)
    assert moved.places[ident].mask["p0"].w == 0.9
    assert moved.applied(change.before()) == recipe
    assert recipe.untouched() == Recipe() and not recipe.with_plain("places").places


def test_masks_are_written_by_the_command_line(tmp_path, shoot):
    scene_file = shoot / "CORVA_0011.dng"
    out = tmp_path / "mask.png"
    assert main(["mask", str(scene_file), "--part", "ramp,x=0.1,y=0.1,x2=0.8,y2=0.4", "-o", str(out)]) == 0
    codes = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
    assert codes.dtype == np.uint16 and codes.shape == (SMALL[1], SMALL[0])
    assert codes.max() > 60_000 and codes.min() == 0
    recipe = with_places(Place(name="Sky", mask=MASKS[1], exposure_EV=1.0))
    (tmp_path / "r.json").write_text(json.dumps(recipe.to_json()))
    again = tmp_path / "again.png"
    arguments = ["mask", str(scene_file), "--recipe", str(tmp_path / "r.json"), "-o", str(again), "--place"]
    assert main([*arguments, "Sky"]) == 0
    assert np.array_equal(codes, cv2.imread(str(again), cv2.IMREAD_UNCHANGED))
    assert main([*arguments, "Sea"]) == 2 and main(["mask", str(scene_file), "-o", str(out)]) == 2
    assert main(["mask", str(scene_file), "--part", "bright", "-o", str(tmp_path / "a.jpg")]) == 2
