"""Each finding appears with its evidence, and its fix removes it."""

from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest

from matiz.colour.spaces import lightness, luminance
from matiz.colour.temperature import cct_to_xy
from matiz.develop.graph.engine import Engine
from matiz.develop.stages.rendition import s_curve
from matiz.errors import RecipeError
from matiz.findings.detail import WANTED_dB, brought_to, least_of_all, noisiest, noisy, shown_dB
from matiz.findings.find import find, fixed
from matiz.findings.model import Finding
from matiz.measure.detail.noise import NoiseReading
from matiz.measure.picture import Meter
from matiz.measure.places.places import PlaceReading
from matiz.measure.tone.tone import ToneReading
from matiz.raw.frame import CameraColour, Frame
from matiz.raw.noise import Noise
from matiz.recipe.model import RENDERED, Recipe, plain_recipe
from matiz.recipe.places import Place
from matiz.recipe.tree import Rows
from matiz_simcam import targets
from matiz_simcam.camera import expose
from matiz_simcam.shoot import DEMO_SHOTS, scene_of, simulate
from tests.conftest import SMALL, frame_of


def _findings(engine, recipe=None):
    recipe = recipe or Recipe()
    return {f.id: f for f in find(engine, Meter(engine).picture(recipe), recipe)}


@pytest.fixture(scope="module")
def off_engine() -> Engine:
    """A chart under 3,600 K that the camera took for 5,000 K."""
    return Engine(frame_of(targets.chart(SMALL, "planck:3600"), ev=-0.2, balance_xy=cct_to_xy(5000.0)))


@pytest.fixture(scope="module")
def bright_hall() -> Engine:
    """The supper exposed for the dark corners: the table cloth is full."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0052.dng")
    settings = replace(shot.settings, ev=shot.settings.ev + 1.6)
    return Engine(simulate(shot.scene, SMALL, settings, view=shot.view))


def picture_of(lightness: np.ndarray) -> Engine:
    """A grey developed picture of given CIE lightness 0..100, as a linear frame."""
    linear = luminance(lightness).astype(np.float32)[..., None].repeat(3, axis=2)
    return Engine(Frame(Path("a.tif"), CameraColour(), linear=np.ascontiguousarray(linear)))


def ramp(low: float, high: float) -> np.ndarray:
    return np.tile(np.linspace(low, high, 600), (400, 1))


def test_two_lights_are_one_finding_with_the_greater_as_its_fix():
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0057.dng")
    scene = scene_of(shot.scene, SMALL, view=shot.view)
    engine = Engine(expose(scene, replace(shot.settings, balance_xy=cct_to_xy(4200.0))))
    found = _findings(engine)
    assert "light.balance_differs" not in found, "there is no one neutral"
    finding = found["light.two_lights"]
    assert finding.evidence["apart_mired"] > 150 and "Two lights" in finding.claim
    assert finding.evidence["second_K"] != finding.evidence["first_K"]
    after = _findings(engine, fixed(Recipe(), finding))
    assert not {"light.two_lights", "light.balance_differs"} & set(after)


def test_a_lift_past_the_noise_is_said_before_it_is_delivered():
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0054.dng")
    engine = Engine(simulate(shot.scene, SMALL, replace(shot.settings, iso=12_800), view=shot.view))
    assert "tone.lifted_past_noise" not in _findings(engine)
    lifted = Recipe().change("tone.zones_EV", (3.0, 3.0, 2.5, 1.5, 0.5, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0))[0]
    finding = _findings(engine, lifted)["tone.lifted_past_noise"]
    assert finding.evidence["left_dB"] < 15 and finding.evidence["lift_EV"] > 0
    held = fixed(lifted, finding)
    assert "tone.lifted_past_noise" not in _findings(engine, held)
    assert held.tone.zones_EV[0] > 0, "where it stays too dark to be seen, a noisy zone may be lifted"


def test_what_a_place_lifts_has_more_noise_to_be_seen():
    noise = NoiseReading(Noise(1e-3, 1e-3), (None, None, 20.0, 24.0, 28.0, *[34.0] * 6))
    zones = (0.0, 0.0, 0.01, 0.2, 0.3, 0.49, *[0.0] * 5)
    tone = ToneReading(zones, zones, -1.0, (1.0,), 0.0, (0.0, 0.0), 0.0, 0.0, 0.0, (), 0.0, (40.0, 40.0, 40.0))
    in_zone_4 = tuple(float(zone == 4) for zone in range(11))

    def least(coverage, lift):
        return noisiest(noise, tone, Recipe(), {"p1": PlaceReading(coverage, in_zone_4, in_zone_4, inside_EV=lift)})

    assert least(0.2, 0.0) == least(0.2, -2.0) == (24.0, 3), "zone II is hardly there; darker shows no more"
    dB, zone = least(0.2, 2.0)
    assert zone == 4 and dB == pytest.approx(28.0 - 6.02, abs=0.01)
    assert least(0.01, 2.0) == (24.0, 3), "a place that holds next to nothing of a zone"

    def of_all(place, lift):
        recipe = replace(Recipe(), places=Rows([("p1", place)]))
        readings = {"p1": PlaceReading(0.2, in_zone_4, in_zone_4, inside_EV=lift)}
        return recipe, dict(brought_to(WANTED_dB, least_of_all(noise, tone, recipe, readings), recipe)), readings

    path, whole = "places.p1.denoise_percent", "detail.noise.strength_percent"
    recipe, settings, readings = of_all(Place(exposure_EV=2.0), 2.0)
    assert settings[whole] == round(100.0 * (1.0 - 10.0 ** (-2.0 / 20.0))), "as zone III alone wants"
    left = (1.0 - settings[whole] / 100.0) * (1.0 - settings[path] / 100.0)
    assert 20.0 * np.log10(1.0 / left) == pytest.approx(26.0 - 28.0 + 6.02, abs=0.1), "and the place what it lifts"
    half = of_all(Place(exposure_EV=2.0, strength_percent=50.0), 2.0)[1]
    assert half[path] == pytest.approx(2 * settings[path], abs=1)
    assert path not in of_all(Place(), 0.0)[1]
    assert path not in of_all(Place(denoise_percent=40.0), 0.0)[1], "what a hand took out is left to it"

    def left_of(ident):
        return 0.5 if ident == "p1" else 0.8

    now = shown_dB(noise, recipe, readings, left_of)
    assert now[3] == pytest.approx(24.0 + 1.94, abs=0.01) and now[4] == pytest.approx(28.0 - 6.02 + 6.02, abs=0.01)
    reading = SimpleNamespace(noise=noise, tone=tone, places=readings)
    [finding] = noisy(reading, recipe)
    assert dict(finding.fix)[path] == settings[path] and "where a place lifts" in finding.fix_label
    there = f"{settings[path]:.0f}\u202f% of the rest where a place lifts"
    assert finding.fix_label == f"Reduce noise by 21\u202f%, and by {there}"


def test_a_flat_picture_gets_more_contrast():
    engine = picture_of(ramp(42.0, 68.0))
    recipe = Recipe().change("tone.rendition", "linear")[0]
    finding = _findings(engine, recipe)["tone.flat"]
    assert finding.evidence["to_L"] - finding.evidence["from_L"] < 45
    curved = fixed(recipe, finding)
    assert not {"tone.flat", "tone.crushed"} & set(_findings(engine, curved))
    shown = lightness(engine.render(curved, 1, result="display")[..., 1])
    assert np.quantile(shown, 0.98) - np.quantile(shown, 0.02) == pytest.approx(60.0, abs=4.0)
    assert "tone.flat" not in _findings(picture_of(ramp(2.0, 98.0)), recipe)


def test_a_curve_that_crushes_is_halved_until_it_does_not():
    engine = picture_of(ramp(5.0, 95.0))
    recipe = Recipe().change_all(
        [("tone.rendition", "linear"), ("tone.curve.lightness", ((0.0, 0.0), (0.45, 0.02), (0.55, 0.98), (1.0, 1.0)))],
        label="",
    )[0]
    finding = _findings(engine, recipe)["tone.crushed"]
    assert finding.evidence["share_%"] > 30
    assert "tone.crushed" not in _findings(engine, fixed(recipe, finding))


def test_even_out_fills_the_range_and_keeps_the_middle():
    """A picture from dark grey to light grey with a little white, as a soft day gives it."""
    lightness = ramp(30.0, 76.0)
    lightness[:5] = 92.0
    engine = picture_of(lightness)
    finding = _findings(engine)["tone.even_out"]
    paths = [path for path, _ in finding.fix]
    assert "tone.white_EV" in paths and set(paths) <= {"tone.white_EV", "tone.black_EV"}
    recipe = fixed(Recipe(), finding)
    assert "tone.even_out" not in _findings(engine, recipe)
    before, after = (engine.render(r, 2, result="display")[..., 1] for r in (Recipe(), recipe))
    assert after.max() - after.min() > before.max() - before.min()
    middle = np.abs(before - 0.18) < 0.01
    assert np.abs(after[middle] - 0.18).max() < 0.02


def test_a_picture_without_black_gets_a_black_point():
    engine = picture_of(ramp(24.0, 97.0))
    recipe = Recipe().change("tone.rendition", "linear")[0]
    finding = _findings(engine, recipe)["tone.end_gap"]
    assert finding.evidence["darkest_L"] == pytest.approx(24.0, abs=2.5)
    assert "tone.end_gap" not in _findings(engine, fixed(recipe, finding))


def test_contrast_that_darkens_the_whole_is_held_by_a_point():
    """A dark picture under an S-shaped curve sinks; held, its middle is where it was and the curve still an S."""
    engine = picture_of(ramp(6.0, 62.0))
    steep = Recipe().change("tone.curve.lightness", s_curve(1.5))[0]
    finding = _findings(engine, steep)["tone.middle_moved"]
    moved = finding.evidence["after_L"] - finding.evidence["before_L"]
    assert moved < -3 and "\u2212" in finding.claim
    held = fixed(steep, finding)
    assert "tone.middle_moved" not in _findings(engine, held)
    shown = [np.median(lightness(engine.render(r, 1, result="display")[..., 1])) for r in (Recipe(), steep, held)]
    assert shown[1] == pytest.approx(shown[0] + moved, abs=1.0) and shown[2] == pytest.approx(shown[0], abs=1.0)
    brighter = Recipe().change("tone.curve.lightness", ((0.0, 0.0), (0.5, 0.65), (1.0, 1.0)))[0]
    assert "tone.middle_moved" not in _findings(engine, brighter), "a curve that lifts the middle is meant to"


def test_uneven_light_across_is_found_and_a_sky_is_not():
    rise = np.tile(np.linspace(-0.9, 0.9, 600), (400, 1)) + np.random.default_rng(1).normal(0, 0.1, (400, 600))
    wall = picture_of(lightness(0.18 * 2.0**rise))
    finding = _findings(wall)["tone.uneven"]
    assert finding.evidence["across_EV"] == pytest.approx(1.8, abs=0.15) and "right" in finding.claim
    done = fixed(Recipe(), finding)
    assert "tone.uneven" not in _findings(wall, done)
    left, right = (wall.render(done, 2, result="display")[:, part, 1].mean() for part in (np.s_[:20], np.s_[-20:]))
    before = wall.render(Recipe(), 2, result="display")[..., 1]
    assert abs(np.log2(right / left)) < 0.25 * abs(np.log2(before[:, -20:].mean() / before[:, :20].mean()))
    leaning = done.change("mend.level_deg", 2.0)[0]
    assert "tone.uneven" not in _findings(wall, leaning), "never a second ramp"
    turned = Recipe().change("mend.mirror", "on")[0]
    other = _findings(wall, turned)["tone.uneven"]
    assert "left" in other.claim
    assert other.adds[0][1].mask == finding.adds[0][1].mask, "the same part of the frame"
    sky = picture_of(lightness(0.18 * 2.0 ** np.rot90(rise)))
    assert "tone.uneven" not in _findings(sky), "skies are brighter than the ground"


def test_a_station_that_is_left_out_is_not_judged(scene_engine):
    left_out = Recipe().change("tone.active", "off")[0]
    assert "tone.under_exposed" in _findings(scene_engine) and "tone.under_exposed" not in _findings(
        scene_engine, left_out
    )


def test_an_even_picture_has_no_findings():
    engine = Engine(frame_of(targets.chart(SMALL, "daylight:5500"), ev=-0.2, balance_xy=cct_to_xy(5500.0, 0.003)))
    assert _findings(engine) == {}


@pytest.mark.parametrize(
    "which, finding_id",
    [("scene_engine", "tone.under_exposed"), ("bright_hall", "tone.clipped"), ("off_engine", "light.balance_differs")],
)
def test_the_fix_removes_the_finding(request, which, finding_id):
    engine = request.getfixturevalue(which)
    finding = _findings(engine)[finding_id]
    assert finding.fix and finding.fix_label and finding.evidence and finding.gain > 0
    assert 0 < finding.certainty <= 1
    assert finding_id not in _findings(engine, fixed(Recipe(), finding))


def test_under_exposure_is_measured_in_stops(scene_engine):
    first = _findings(scene_engine)["tone.under_exposed"].evidence["gap_EV"]
    second = _findings(scene_engine, Recipe().change("tone.exposure_EV", -1.0)[0])["tone.under_exposed"].evidence[
        "gap_EV"
    ]
    assert second - first == pytest.approx(1.0, abs=0.02)


def test_what_is_dark_on_purpose_is_no_sure_claim():
    """A stage: most in the blacks, some lit, nothing near white. A dim day is under-exposed all the same."""
    stage = np.full((400, 600), 3.0)
    stage[150:250, 250:350] = 70.0
    finding = _findings(picture_of(stage))["tone.under_exposed"]
    assert finding.claim.startswith("Dark, perhaps on purpose") and finding.certainty < 0.3
    day = _findings(picture_of(ramp(30.0, 70.0)))["tone.under_exposed"]
    assert day.claim.startswith("Under-exposed") and day.certainty > 0.6


def test_pictures_that_are_rendered_already_are_judged_less_surely():
    engine = picture_of(ramp(20.0, 70.0))
    finished = _findings(engine, plain_recipe(RENDERED))["tone.under_exposed"]
    assert finished.certainty <= 0.6 < _findings(engine)["tone.under_exposed"].certainty


def test_a_clipped_thing_points_at_its_place_and_lamps_may_be_white(hall_engine, bright_hall):
    assert "tone.clipped" not in _findings(hall_engine), "only the windows and the lanterns are full"
    finding = _findings(bright_hall)["tone.clipped"]
    x, y, w, h = finding.area
    masks = scene_of("grain-hall", SMALL, view=1).masks
    bright = np.maximum(masks["window"], masks["lanterns"])
    assert bright[y : y + h, x : x + w].mean() < 0.25, "what is lit, not what gives the light"
    assert finding.evidence["shown_of_255"] > 245


def test_the_measured_light_is_the_fix(off_engine):
    finding = _findings(off_engine)["light.balance_differs"]
    fix = dict(finding.fix)
    assert fix["light.source"] == "manual"
    assert fix["light.cct_K"] == pytest.approx(3600, rel=0.03)
    assert "bluer" in finding.claim
    assert finding.evidence["difference_mired"] == pytest.approx(1e6 / 5000 - 1e6 / 3600, abs=12)


def test_findings_are_sorted_by_what_they_change(scene_engine):
    recipe = Recipe()
    gains = [f.gain for f in find(scene_engine, Meter(scene_engine).picture(recipe), recipe)]
    assert len(gains) >= 1 and gains == sorted(gains, reverse=True)


def test_json_of_a_finding(scene_engine):
    out = _findings(scene_engine)["tone.under_exposed"].to_json()
    assert list(out) == ["id", "station", "claim", "evidence", "area", "fix", "certainty"]
    assert out["fix"] == [{"path": "tone.exposure_EV", "value": pytest.approx(1.6, abs=0.3)}]


def test_a_finding_without_a_fix_says_so():
    with pytest.raises(RecipeError, match="no fix"):
        fixed(Recipe(), Finding("x.y", "x", "a claim"))


def test_a_limit_is_never_left(scene_engine):
    recipe = Recipe().change("tone.exposure_EV", -6.0)[0]
    fix = dict(_findings(scene_engine, recipe)["tone.under_exposed"].fix)
    assert fix["tone.exposure_EV"] <= 6.0
    assert np.isfinite(fix["tone.exposure_EV"])
