"""The engine: stages, caching, levels, regions; rendition and curve."""

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from matiz.colour.spaces import LUMINANCE, XYZ_TO_REC2020, XYZ_to_xy
from matiz.colour.temperature import xy_to_cct
from matiz.develop.graph.engine import Engine, full_picture
from matiz.develop.stages.rendition import (
    SIGMOIDS,
    curve,
    display_table,
    rendered,
    s_curve,
    scene_value,
    shown_value,
    through,
)
from matiz.errors import ArgumentError, Cancelled
from matiz.recipe.model import Curve, Recipe, Tone
from matiz_simcam.shoot import DEMO_SHOTS, simulate
from matiz_simcam.targets import wedge
from tests.conftest import frame_of, mean_delta_E
from tests.tolerances import LEVEL_DELTA_E

STANDARD = Recipe()


@pytest.mark.parametrize("rendition", ["linear", *SIGMOIDS])
def test_renditions_rise_and_keep_middle_grey(rendition):
    scene = np.linspace(0, 8, 4000)
    shown = rendered(rendition, scene)
    assert shown[0] == 0 and shown[-1] == pytest.approx(1.0, abs=1e-6) and (np.diff(shown) >= 0).all()
    assert rendered(rendition, 0.18) == pytest.approx(0.18, abs=1e-9)


@pytest.mark.parametrize("name", SIGMOIDS)
def test_sigmoids_have_the_contrast_and_the_white_they_name(name):
    sigmoid = SIGMOIDS[name]
    step = 1e-4
    slope = np.log2(rendered(name, 0.18 * 2**step) / rendered(name, 0.18 * 2**-step)) / (2 * step)
    assert slope == pytest.approx(sigmoid.contrast, rel=1e-4)
    assert rendered(name, 0.18 * 2**sigmoid.white_EV) == pytest.approx(1.0)


def test_an_unknown_rendition_is_refused():
    with pytest.raises(ArgumentError, match="linear, soft"):
        rendered("vivid", 0.2)


def test_the_curve_is_a_monotone_cubic():
    """Fritsch and Carlson, against SciPy's PchipInterpolator."""
    x = np.linspace(0, 1, 201)
    for points in (
        ((0.0, 0.02), (0.3, 0.2), (0.7, 0.85), (1.0, 1.0)),
        ((0.0, 0.0), (0.2, 0.0), (0.5, 0.6), (1.0, 0.6)),
        ((0.0, 0.0), (0.05, 0.6), (0.1, 0.6), (0.9, 0.7), (1.0, 0.7)),
        ((0.1, 0.2), (0.15, 0.9), (0.8, 0.95)),
    ):
        ends = np.clip(x, points[0][0], points[-1][0])
        np.testing.assert_allclose(curve(points, x), PchipInterpolator(*np.array(points).T)(ends), atol=1e-12)
        assert (np.diff(curve(points, x)) >= 0).all()
    np.testing.assert_allclose(curve(((0.2, 0.1), (0.8, 0.9)), [0.0, 0.5, 1.0]), [0.1, 0.5, 0.9])


def test_values_can_be_followed_back_through_the_table():
    tone = Tone(rendition="standard", curve=Curve(((0.0, 0.0), (0.4, 0.5), (1.0, 1.0))))
    for scene in (0.01, 0.18, 0.9):
        assert scene_value(tone, float(shown_value(tone, scene))) == pytest.approx(scene, rel=1e-3)
    assert scene_value(tone, -1.0) == 0.0
    assert not display_table(tone).flags.writeable


def test_moving_a_tone_control_runs_neither_sensor_nor_light_again(scene_engine):
    engine = Engine(scene_engine.frame)
    engine.render(STANDARD, 1)
    before = dict(engine.runs)
    engine.render(STANDARD.change("tone.exposure_EV", 1.0)[0], 1)
    assert engine.runs == {**before, "screen": 2 * before["screen"]}
    engine.render(STANDARD.change("light.cct_K", 4000.0)[0], 1)
    assert engine.runs["sensor"] == 2 * before["sensor"], "parts of a level that is there"
    assert engine.runs["light"] == 2 * before["light"]
    assert len(engine.sensor._levels) == 1
    runs = dict(engine.runs)
    engine.render(STANDARD, 1)
    assert engine.runs == runs, "what was rendered before is kept"


def test_the_cache_keeps_to_its_size(scene_engine):
    engine = Engine(scene_engine.frame, cache_bytes=1_000_000)
    for n in range(9):
        engine.render(STANDARD.change("light.cct_K", 4000.0 + 100 * n)[0], 1)
        assert engine.cache.bytes <= 1_000_000


@pytest.mark.parametrize("level", [0, 1, 2])
@pytest.mark.parametrize("result", ["camera", "working", "screen", "display"])
def test_a_region_is_that_part_of_the_whole(scene_engine, level, result):
    whole = scene_engine.render(STANDARD, level, result=result)
    x, y, w, h = 21, 10, 40, 33
    part = scene_engine.render(STANDARD, level, (x, y, w, h), result=result)
    np.testing.assert_allclose(part, whole[y : y + h, x : x + w], rtol=1e-4, atol=1 if result == "screen" else 1e-5)
    assert scene_engine.render(STANDARD, level, (5, 5, 1, 1), result=result).shape[:2] == (1, 1)
    np.testing.assert_array_equal(
        scene_engine.render(STANDARD, level, (149 >> level, 3, 1, 1), result=result)[0, 0],
        scene_engine.render(STANDARD, level, (149 >> level, 3, 2, 1), result=result)[0, 0],
    )


@pytest.mark.parametrize("level", [1, 2, 3])
def test_the_screen_shows_what_is_delivered_at_every_level(scene_engine, hall_engine, level):
    for engine in (scene_engine, hall_engine):
        import cv2

        full = full_picture(engine, STANDARD)
        shown = engine.render(STANDARD, level, result="display")
        height, width = shown.shape[:2]
        delivered = cv2.resize(full[: height << level, : width << level], (width, height), interpolation=cv2.INTER_AREA)
        assert mean_delta_E(shown, np.ascontiguousarray(delivered)) < LEVEL_DELTA_E


def test_strips_make_the_same_picture_and_can_be_stopped(scene_engine, monkeypatch):
    monkeypatch.setattr("matiz.develop.frame.tiles.TILE_PX", 64)
    whole = scene_engine.render(STANDARD, 0, result="display")
    heard = []
    full = full_picture(scene_engine, STANDARD, progress=lambda share: heard.append(share) or True)
    np.testing.assert_allclose(full, whole, atol=1e-5)
    assert heard == sorted(heard) and heard[-1] == 1.0
    with pytest.raises(Cancelled):
        full_picture(scene_engine, STANDARD, progress=lambda share: share < 0.3)


@pytest.mark.parametrize(
    "call, says",
    [
        (dict(level=9), "level"),
        (dict(level=0, region=(590, 0, 40, 40)), "600x400"),
        (dict(level=0, result="paper"), "result"),
    ],
)
def test_impossible_requests_are_refused(scene_engine, call, says):
    with pytest.raises(ArgumentError, match=says):
        scene_engine.render(STANDARD, **call)


def test_exposure_is_counted_in_stops():
    """Steps of the simulated wedge are 1 EV apart; so are the developed ones, and +1 EV doubles them."""
    scene = wedge((660, 40))
    engine = Engine(frame_of(scene, ev=-2.5))
    values = []
    for n in range(11):
        x, y, w, h = scene.areas[f"step {n}"]
        values.append(engine.render(STANDARD, 0, (x, y, w, h), result="working").mean())
    np.testing.assert_allclose(np.diff(np.log2(values)), 1.0, atol=0.02)


def test_stored_pixels_of_processing_version_1():
    """An old recipe is rendered as before: these pixels were stored when version 1 was made."""
    engine = Engine(frame_of(wedge((660, 40)), ev=-1.0))
    recipe, _ = STANDARD.change_all(
        [("light.cct_K", 5200.0), ("light.duv", 0.004), ("tone.exposure_EV", 0.7), ("tone.rendition", "strong"),
         ("tone.curve.lightness", [[0, 0.03], [0.5, 0.55], [1, 1]])],
        label="x",
    )  # fmt: skip
    shown = engine.render(recipe, 1)[10, 15::30, 2::-1]
    expected = STORED_VERSION_1
    assert np.abs(shown.astype(int) - np.array(expected)).max() <= 1, shown.tolist()


def test_stored_pixels_of_haze_in_processing_version_2(pans_engine):
    """These were stored when version 2 was current; version 3 takes haze away without rims."""
    older, newer = (Recipe(processing=n, tone=Tone(haze_percent=60.0)) for n in (2, 3))
    made = pans_engine.render(older, 0, result="scene")
    found = [made[place].tolist() for place in ((20, 30), (90, 150), (150, 270), (60, 220))]
    np.testing.assert_allclose(found, STORED_HAZE_OF_VERSION_2, rtol=2e-3)
    assert not np.allclose(pans_engine.render(newer, 0, result="scene"), made, rtol=0.05)


@pytest.fixture(scope="module")
def pans_engine():
    shot = DEMO_SHOTS[0]
    return Engine(simulate(shot.scene, (300, 200), shot.settings, view=shot.view))


STORED_HAZE_OF_VERSION_2 = [
    [0.07481, 0.08283, 0.12699],
    [0.21393, 0.18679, 0.1571],
    [0.06125, 0.04302, 0.03438],
    [0.07401, 0.05868, 0.04156],
]

STORED_VERSION_1 = [
    [11, 11, 11],
    [12, 12, 13],
    [14, 15, 17],
    [21, 24, 30],
    [40, 47, 60],
    [75, 87, 106],
    [128, 142, 166],
    [190, 200, 219],
    [234, 238, 247],
    [251, 254, 255],
    [255, 255, 255],
]


def test_partial_adaptation_keeps_some_of_the_light(scene_engine):
    """At 100 % nothing changes; at 0 % a neutral keeps the light's colour; between, in even steps of mired."""
    from matiz.develop.frame.camera_colour import balance, light_xy, partly, xy_to_neutral

    colour = scene_engine.frame.colour
    full = balance(colour, light_xy(colour, Recipe().light))
    assert partly(full, 1.0) is full
    white = xy_to_neutral(colour, full.xy)
    seen = []
    for share in (1.0, 0.5, 0.0):
        part = partly(full, share)
        working = part.matrix @ (part.gains * white)
        XYZ = np.linalg.inv(XYZ_TO_REC2020) @ working
        seen.append(1e6 / xy_to_cct(XYZ_to_xy(XYZ))[0])
        assert working @ LUMINANCE == pytest.approx(LUMINANCE @ (full.matrix @ (full.gains * white)), rel=3e-3)
    assert seen[0] == pytest.approx(1e6 / 6504, abs=2)
    assert abs(seen[1] - seen[0]) == pytest.approx(abs(seen[2] - seen[1]), rel=0.15)


def test_a_station_left_out_renders_as_its_defaults(scene_engine):
    recipe = Recipe().change_all([("tone.exposure_EV", 1.0), ("light.cct_K", 3200.0)], label="")[0]
    out = recipe.change("tone.active", "off")[0]
    only_light = Recipe().change("light.cct_K", 3200.0)[0]
    assert np.array_equal(scene_engine.render(out, 1), scene_engine.render(only_light, 1))
    assert not np.array_equal(scene_engine.render(recipe, 1), scene_engine.render(out, 1))


@pytest.mark.parametrize("x, y", [(0.3, 0.5), (0.5, 0.1), (0.0, 0.2), (1.0, 0.7), (0.36, 0.9)])
def test_a_curve_is_put_through_a_point(x, y):
    """It passes there, stays a curve of the recipe, and keeps its ends."""
    points = through(s_curve(1.4), x, y)
    Recipe().change("tone.curve.lightness", points)
    at = min(max(x, 0.04), 0.96)
    assert float(curve(points, at)) == pytest.approx(y, abs=1e-6)
    assert points[0] == (0.0, 0.0) and points[-1] == (1.0, 1.0)


def test_two_calibrations_for_one_light_are_one(scene_engine):
    """Unknown illuminants are legal: nothing is divided by the distance of two that are the same."""
    from dataclasses import replace

    from matiz.develop.frame.camera_colour import as_shot_xy, interpolated

    colour = scene_engine.frame.colour
    first, second = (replace(one, cct_K=6504.0) for one in colour.calibrations)
    same = replace(colour, calibrations=(first, second))
    assert interpolated(same, 3000.0) is first and np.isfinite(as_shot_xy(same)).all()
