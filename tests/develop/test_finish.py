"""The last touches: fall-off, glow, grain, border, signature."""

import numpy as np
import pytest

from matiz.colour.spaces import encode_sRGB, sRGB_to_Lab
from matiz.develop.graph.engine import Engine
from matiz.develop.places.fall_off import profile, stops_at
from matiz.develop.stages.border import bordered
from matiz.develop.stages.grain import grain_at, grained, signature_box
from matiz.recipe.finish import Border, FallOff, Signature
from matiz.recipe.model import Recipe
from matiz.recipe.places import Ellipse, Place
from matiz.recipe.tree import Rows
from matiz_simcam.shoot import DEMO_SHOTS, simulate
from tests.develop.test_tone import engine_of

DEPTH = "finish.fall_off.depth_EV"
SIZE = (600, 400)


@pytest.fixture(scope="module")
def engine():
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0015.dng")
    return Engine(simulate(shot.scene, SIZE, shot.settings, view=shot.view))


@pytest.fixture(scope="module")
def hall():
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0053.dng")
    return Engine(simulate(shot.scene, SIZE, shot.settings, view=shot.view))


def made(engine, *pairs, result="display", level=0, region=None):
    recipe = Recipe().change_all(list(pairs), label="x")[0] if pairs else Recipe()
    return engine.render(recipe, level, region, result=result)


def lightness(shown):
    return sRGB_to_Lab(shown)[..., 0]


# ---- fall-off


def test_corners_are_as_much_darker_as_is_said_and_the_centre_is_exactly_as_it_was():
    own = FallOff(depth_EV=1.0, start_percent=30.0, protect_percent=0.0)
    stops = stops_at(own, SIZE, (0, 0, *SIZE))
    assert stops[200, 300] == 0.0 and stops[0, 0] == pytest.approx(-1.0, abs=0.01)
    assert stops[-1, -1] == pytest.approx(-1.0, abs=0.01)
    assert (np.diff(stops[200, 300:]) <= 1e-6).all() and -1.0 < stops[200, -1] < 0.0


def test_its_parts_are_the_whole_s(engine):
    own = FallOff(depth_EV=1.3, x=0.3, y=0.8, lift_EV=0.4, round_percent=20.0)
    whole = stops_at(own, SIZE, (0, 0, *SIZE))
    part = stops_at(own, SIZE, (123, 57, 200, 211))
    np.testing.assert_allclose(part, whole[57:268, 123:323], atol=1e-6)
    pairs = ((DEPTH, 1.3), ("finish.glow.amount_percent", 60.0), ("finish.grain.strength_L", 3.0),
             ("finish.signature.text", "Ana"))  # fmt: skip
    shown = made(engine, *pairs)
    np.testing.assert_allclose(made(engine, *pairs, region=(123, 57, 300, 300)), shown[57:357, 123:423], atol=2e-5)


def test_a_moved_centre_one_side_and_the_shape():
    left = stops_at(FallOff(depth_EV=1.0, side="left", start_percent=0.0), SIZE, (0, 0, *SIZE))
    assert left[200, 0] == pytest.approx(-1.0, abs=0.02) and (left[:, 310:] == 0.0).all()
    assert np.ptp(left[:, 100]) < 1e-6
    for side, dark, kept in (
        ("right", (200, 599), (200, 10)),
        ("top", (0, 300), (390, 300)),
        ("bottom", (399, 300), (5, 300)),
    ):
        one = stops_at(FallOff(depth_EV=1.0, side=side, start_percent=0.0), SIZE, (0, 0, *SIZE))
        assert one[dark] == pytest.approx(-1.0, abs=0.02) and one[kept] == 0.0
    moved = stops_at(FallOff(depth_EV=1.0, x=0.0, y=0.0), SIZE, (0, 0, *SIZE))
    assert moved[0, 0] == 0.0 and moved[-1, -1] == pytest.approx(-1.0, abs=0.01)
    circle, own = (stops_at(FallOff(depth_EV=1.0, round_percent=share), SIZE, (0, 0, *SIZE)) for share in (100.0, 0.0))
    # as far from the centre up as to the right: alike for a circle, darker above for the picture's own shape
    assert circle[10, 300] == pytest.approx(circle[200, 490], abs=0.02)
    assert own[10, 300] < own[200, 490] - 0.1


def test_the_profile_says_lift_and_depth():
    told = profile(FallOff(depth_EV=2.0, lift_EV=0.5, start_percent=40.0), np.array([0.0, 0.4, 1.0]))
    np.testing.assert_allclose(told, [0.5, 0.0, -2.0], atol=1e-9)


def test_without_depth_it_is_the_identity(engine):
    plain = made(engine)
    pairs = [("finish.fall_off.start_percent", 5.0), ("finish.fall_off.protect_percent", 0.0),
             ("finish.glow.radius_px", 99.0), ("finish.grain.size_px", 3.0)]  # fmt: skip
    assert (made(engine, *pairs) == plain).all()
    off = Recipe().change_all([(DEPTH, 2.0), ("finish.active", "off")], label="x")[0]
    assert (engine.render(off.in_force(), 0, result="display") == plain).all()


def test_protected_ends_stay_exactly(hall):
    plain = made(hall, result="scene")
    EV = np.log2(np.maximum(plain @ np.array([0.2627, 0.678, 0.0593]), 1e-9) / 0.18)
    deep, before = (made(hall, (DEPTH, 2.0), ("finish.fall_off.protect_percent", percent), result="rendered")
                    for percent in (100.0, 0.0))  # fmt: skip
    shown = made(hall, result="rendered")
    ends = (EV > 2.4) | (EV < -6.1)
    assert ends.sum() > 500 and (deep[ends] == shown[ends]).all()
    middle = (EV > -3.5) & (EV < 1.0)
    assert (deep[middle] == before[middle]).all() and (before[ends] != shown[ends]).any()


def test_a_place_can_be_spared(engine):
    place = Place(mask=Rows([("e", Ellipse(x=0.1, y=0.1, w=0.2, h=0.2, soft_percent=0.0))]))
    recipe = Recipe(places=Rows([("sun", place)])).change_all(
        [(DEPTH, 2.0), ("finish.fall_off.protect_percent", 0.0)], label="x"
    )[0]
    spared = recipe.change("finish.fall_off.spares", "sun")[0]
    plain, dark, kept = (engine.render(each, 0, result="display") for each in (Recipe(), recipe, spared))
    assert np.abs(kept[55:65, 55:65] - plain[55:65, 55:65]).max() < 1e-5
    assert dark[60, 60].mean() < 0.7 * plain[60, 60].mean()
    assert np.abs(kept[380:, 580:] - dark[380:, 580:]).max() < 1e-6
    gone = recipe.change("finish.fall_off.spares", "nowhere")[0]
    assert (engine.render(gone, 0, result="display") == dark).all()


# ---- glow


def test_glow_spreads_light_and_leaves_blacks(hall):
    plain, glow = made(hall), made(hall, ("finish.glow.amount_percent", 80.0), ("finish.glow.radius_px", 40.0))
    before, after = lightness(plain), lightness(glow)
    assert (after >= before - 0.05).all()
    assert (after - before)[before < 0.5].max() < 0.5, "no light in the blacks"
    grey = (before > 25) & (before < 60)
    assert (after - before)[grey].mean() > 0.5
    warm = made(hall, ("finish.glow.amount_percent", 80.0), ("finish.glow.radius_px", 40.0),
                ("finish.glow.warmer_mired", 90.0))  # fmt: skip
    added, warmer = (each.mean(axis=(0, 1)) - plain.mean(axis=(0, 1)) for each in (glow, warm))
    assert warmer[0] / warmer[2] > 1.3 * added[0] / added[2]


def test_glow_is_the_same_at_every_size(hall):
    pairs = (("finish.glow.amount_percent", 80.0), ("finish.glow.radius_px", 40.0))
    small, full = made(hall, *pairs, level=1), made(hall, *pairs)
    plain_small, plain = made(hall, level=1), made(hall)
    more = (full - plain).reshape(200, 2, 300, 2, 3).mean(axis=(1, 3))
    assert np.abs((small - plain_small) - more).mean() < 0.02 * np.abs(more).max()
    wide = made(hall, ("finish.glow.amount_percent", 80.0), ("finish.glow.radius_px", 300.0))
    assert np.abs(np.diff(wide - plain, axis=0)).mean() < np.abs(np.diff(full - plain, axis=0)).mean()


# ---- grain


def test_grain_has_its_strength_and_size_and_stays_where_it_is():
    grain = grain_at(1.6, 0, (0, 0, 512, 512))
    assert grain.std() == pytest.approx(1.0, abs=0.02) and abs(grain.mean()) < 0.02
    coarse = grain_at(5.0, 0, (0, 0, 512, 512))
    assert np.abs(np.diff(coarse, axis=0)).mean() < 0.5 * np.abs(np.diff(grain, axis=0)).mean()
    assert (grain_at(1.6, 0, (100, 30, 50, 60)) == grain[30:90, 100:150]).all()
    half = grain_at(1.6, 1, (0, 0, 256, 256))
    np.testing.assert_allclose(half, grain.reshape(256, 2, 256, 2).mean(axis=(1, 3)), atol=1e-6)
    assert grain_at(1.6, 14, (0, 0, 4, 4)).shape == (4, 4)


@pytest.mark.parametrize("L, share", [(50.0, 1.0), (97.0, 0.22), (12.0, 0.49)])
def test_grain_is_strongest_in_middle_tones(L, share):
    grey = np.full((200, 200, 3), ((L + 16) / 116) ** 3, np.float32)
    told = lightness(grained(grey, np.float32(3.0) * grain_at(1.6, 0, (0, 0, 200, 200))))
    assert told.std() == pytest.approx(3.0 * share, rel=0.25) and told.mean() == pytest.approx(L, abs=0.3)


# ---- border and signature


def test_a_border_lies_round_the_picture():
    picture = np.full((200, 300, 3), 0.3, np.float32)
    out = bordered(picture, Border(width_percent=5.0, tone_L=50.0))
    assert out.shape == (220, 320, 3) and (out[10:-10, 10:-10] == picture).all()
    assert out[0, 0, 0] == pytest.approx(0.184, abs=0.001)
    assert bordered(picture, Border()) is picture
    assert bordered(picture, Border(1.0, 100.0))[0, 0, 0] == pytest.approx(1.0)


def test_a_signature_stands_in_its_corner(engine):
    pairs = [("finish.signature.text", "Ana Corva"), ("finish.signature.height_percent", 5.0)]
    plain = made(engine)
    for corner, (rows, columns) in {
        "lower_right": (1, 1),
        "upper_left": (0, 0),
        "upper_right": (0, 1),
        "lower_left": (1, 0),
    }.items():
        moved = np.abs(made(engine, *pairs, ("finish.signature.corner", corner)) - plain).max(axis=2) > 1e-3
        y, x = np.nonzero(moved)
        assert (y.min() >= 200) == bool(rows) and (x.min() >= 300) == bool(columns)
        assert (y.max() < 200) != bool(rows) and y.size > 300
    box = signature_box(Signature("Ana Corva", 5.0), SIZE)
    assert box is not None and 15 <= box[3] <= 32
    assert signature_box(Signature("", 5.0), SIZE) is None and signature_box(Signature("A", 1.0), (90, 60)) is None
    dark = made(engine, *pairs, ("finish.signature.tone", "dark"), ("finish.signature.opacity_percent", 100.0))
    assert (dark - plain).min() < -0.01 and (dark - plain).max() <= 1e-6


def test_it_is_on_the_screen_as_in_the_file(engine):
    pairs = (("finish.grain.strength_L", 3.0), ("finish.signature.text", "Ana"), (DEPTH, 1.0))
    codes = made(engine, *pairs, result="screen")[..., 2::-1]
    assert np.abs(codes / 255.0 - encode_sRGB(np.clip(made(engine, *pairs), 0, 1))).max() < 0.012


@pytest.mark.parametrize("start", [0.0, 10.0, 29.0, 60.0])
def test_a_lift_has_at_least_three_tenths_of_the_way(start):
    """Where the fall-off starts nearer than 30 % the lift would be a spot."""
    own = FallOff(depth_EV=0.0, lift_EV=1.0, start_percent=start)
    reach = max(start / 100.0, 0.3)
    told = profile(own, np.array([0.0, reach / 2.0, reach, 1.0]))
    np.testing.assert_allclose(told, [1.0, 0.5, 0.0, 0.0], atol=1e-9)


def test_glow_is_added_in_the_units_of_the_scene():
    """Half the exposure needs twice the light in the scene for the same glow on the screen."""
    added = []
    for exposure_EV in (0.0, 2.0):
        scene = np.full((96, 96, 3), 0.02, np.float32)
        scene[40:56, 40:56] = 2.0
        engine = engine_of(scene * np.float32(2.0**-exposure_EV))
        glow = (("finish.glow.amount_percent", 80.0), ("finish.glow.radius_px", 20.0))
        plain, lit = (made(engine, ("tone.exposure_EV", exposure_EV), *more) for more in ((), glow))
        added.append(float((lit - plain)[10:86, 10:86].mean()))
    assert added[0] > 1e-3 and added[1] == pytest.approx(added[0], rel=0.02)
