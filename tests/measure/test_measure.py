"""Readings against the known truth of the simulated camera."""

import numpy as np
import pytest

from matiz.colour.adaptation import adaptation_matrix
from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import D50_XY, XYZ_to_Lab, xy_to_XYZ
from matiz.colour.tables import observer_bands
from matiz.colour.temperature import cct_to_xy, mired, xy_to_cct
from matiz.develop.graph.engine import Engine
from matiz.findings.find import find
from matiz.findings.light import LEAST_CERTAINTY
from matiz.measure.light.area import read_area
from matiz.measure.picture import Meter
from matiz.measure.report import area_report, report
from matiz.measure.tone.luminances import Luminances
from matiz.measure.tone.patches import black_patches
from matiz.measure.tone.tone import lightness_distribution, raw_range, uneven_light
from matiz.recipe.model import Recipe, Tone
from matiz_simcam.camera import light_spectrum, light_xy_of
from matiz_simcam.shoot import DEMO_SHOTS, simulate
from matiz_simcam.spectra import chart_patches
from matiz_simcam.targets import grey, wedge
from tests.conftest import SMALL, chart_frame, frame_of

RECIPE = Recipe()


def _area(engine, area, recipe=RECIPE):
    camera = engine.render(recipe, 0, area, result="camera")
    return read_area(engine.frame, camera, engine.render(recipe, 0, area, result="working"), recipe.tone.exposure_EV)


def _chart_errors(light: str, **settings) -> list[float]:
    """ΔE00 of the 24 patches of a developed chart."""
    frame, scene = chart_frame(light, **settings)
    engine = Engine(frame)
    recipe, _ = RECIPE.change("tone.exposure_EV", 0.3)
    XYZ = scene.XYZ()
    adapt = adaptation_matrix(light_spectrum(light) @ observer_bands(), xy_to_XYZ(D50_XY))
    off = []
    for name in chart_patches():
        x, y, w, h = scene.areas[name]
        truth = XYZ_to_Lab(adapt @ XYZ[y + h // 2, x + w // 2])
        off.append(float(delta_E_2000(truth, _area(engine, (x, y, w, h), recipe).Lab)))
    return off


@pytest.mark.parametrize("light", ["A", "daylight:5003", "daylight:6504", "LED-B3"])
def test_the_chart_comes_back_in_colour(light):
    """24 published reflectances under A, D50, D65 and an LED: mean ΔE00 under 2, worst under 6."""
    off = _chart_errors(light)
    assert np.mean(off) < 2.0 and np.max(off) < 6.0


@pytest.mark.parametrize("light", ["A", "daylight:5003", "daylight:6504", "LED-B3"])
def test_the_chart_comes_back_at_a_high_ISO(light):
    """The same with the noise of ISO 3,200: mean ΔE00 under 3."""
    assert np.mean(_chart_errors(light, iso=3200, noise=True)) < 3.0


@pytest.mark.parametrize("light", ["planck:2700", "daylight:5500"])
def test_a_noisy_grey_patch_still_tells_its_light(light):
    """At ISO 3,200 within 1 % in K and 0.001 Duv: the mean of a patch is not moved by its noise."""
    truth = xy_to_cct(light_xy_of(light_spectrum(light)))
    reading = _area(Engine(frame_of(grey((200, 200), light), iso=3200, noise=True)), (20, 20, 160, 160))
    assert reading.light.cct_K == pytest.approx(truth[0], rel=0.01)
    assert reading.light.duv == pytest.approx(truth[1], abs=0.001)


@pytest.mark.parametrize("light", ["A", "daylight:6504"])
@pytest.mark.filterwarnings("ignore:Aligning")
def test_the_chart_truth_agrees_with_colour_science(light):
    """XYZ of the chart from the scene's 36 bands against colour-science's own integration."""
    colour = pytest.importorskip("colour")
    _, scene = chart_frame(light, size=(120, 80))
    spectra = colour.SDS_COLOURCHECKERS["ISO 17321-1"]
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    illuminant = colour.SDS_ILLUMINANTS["A" if light == "A" else "D65"]
    XYZ = scene.XYZ()
    for name in chart_patches():
        x, y, w, h = scene.areas[name]
        theirs = colour.sd_to_XYZ(spectra[name], cmfs, illuminant) / 100.0
        ours = XYZ[y + h // 2, x + w // 2]
        white = xy_to_XYZ(light_xy_of(light_spectrum(light)))
        assert delta_E_2000(XYZ_to_Lab(ours, white), XYZ_to_Lab(theirs, white)) < 0.25


@pytest.mark.parametrize("kind", ["planck", "daylight"])
@pytest.mark.parametrize("cct_K", [2000, 2700, 4000, 5500, 7500, 12_000])
def test_a_grey_patch_tells_its_light(kind, cct_K):
    """Within 1 % in K and 0.001 Duv, noise off."""
    if kind == "daylight" and cct_K < 4000:
        pytest.skip("daylight begins at 4,000 K")
    light = f"{kind}:{cct_K}"
    truth = xy_to_cct(light_xy_of(light_spectrum(light)))
    reading = _area(Engine(frame_of(grey((64, 64), light))), (8, 8, 40, 40))
    assert reading.light.cct_K == pytest.approx(truth[0], rel=0.01)
    assert reading.light.duv == pytest.approx(truth[1], abs=0.001)


def test_a_grey_patch_is_grey_under_its_own_light():
    engine = Engine(frame_of(grey((64, 64), "planck:3000"), ev=-1.0))
    light = _area(engine, (8, 8, 40, 40)).light
    recipe, _ = RECIPE.change_all([("light.cct_K", light.cct_K), ("light.duv", light.duv)], label="x")
    reading = _area(engine, (8, 8, 40, 40), recipe)
    assert reading.LCh[1] < 0.1
    assert reading.raw.max() < 0.2


@pytest.mark.parametrize("ev, headroom", [(-3.0, 3.12), (-1.0, 1.12), (0.5, 0.0)])
def test_headroom_is_what_was_left(ev, headroom):
    """A white of 0.92 fills green to 2^ev * 0.92: the rest is headroom (ISO 12232 arithmetic)."""
    from matiz_simcam.scene import Scene

    ones = np.ones((40, 60), np.float32)
    scene = Scene((60, 40), {"d": light_spectrum("daylight:6504")}, {"d": ones.copy()})
    scene.put("white", ones)
    frame = frame_of(scene, ev=ev, balance_xy=light_xy_of(light_spectrum("daylight:6504")))
    got, clipped = raw_range(frame)
    assert got == pytest.approx(headroom, abs=0.02)
    assert (clipped[1] > 0.99) == (ev > 0.3)


def test_clipped_patches_have_their_place_and_channels():
    from matiz_simcam.scene import Scene

    ones = np.full((200, 300), 0.2, np.float32)
    scene = Scene((300, 200), {"d": light_spectrum("daylight:6504")}, {"d": ones.copy()})
    scene.put("white", np.ones_like(ones))
    lamp = np.zeros_like(ones)
    lamp[60:100, 180:240] = 5.0
    scene.glow("d", lamp)
    reading = Meter(Engine(frame_of(scene))).picture(RECIPE).full
    assert len(reading.patches) == 1
    patch = reading.patches[0]
    assert patch.channels == "rgb" and patch.kind == "source" and not patch.rebuildable
    assert patch.share == pytest.approx(40 * 60 / (200 * 300), rel=0.1)
    assert abs(patch.x - 180) <= 6 and abs(patch.y - 60) <= 6 and abs(patch.w - 60) <= 12


def test_zones_count_stops_from_middle_grey():
    """Zone V is 18 %; zones are 1 EV wide."""
    engine = Engine(frame_of(wedge((1100, 64)), ev=-2.5, balance_xy=light_xy_of(light_spectrum("daylight:6500"))))
    recipe, _ = RECIPE.change("tone.exposure_EV", 2.5)
    zones = Meter(engine).picture(recipe).tone.zones
    # the steps of the wedge lie at 2^-8 .. 2^2 of white, that is -5.5 .. +4.5 EV from middle grey
    assert sum(zones) == pytest.approx(1.0)
    assert zones[0] == pytest.approx(2 / 11, abs=0.04)
    for n in range(1, 10):
        assert zones[n] == pytest.approx(1 / 11, abs=0.04)


def test_zone_ends_take_the_rest():
    shares = Luminances.of(np.array([[-20.0, -5.4, 0.0, 0.49, 30.0]], np.float32)).zones()
    assert shares[0] == pytest.approx(0.4) and shares[5] == pytest.approx(0.4) and shares[10] == pytest.approx(0.2)


def test_the_distribution_is_of_display_lightness():
    shares = np.array(lightness_distribution(Luminances.of(np.zeros((4, 4), np.float32)), Tone(rendition="linear")))
    # 18 % is L* 49.5
    assert shares.sum() == pytest.approx(1.0) and np.argmax(shares) == int(0.495 * 64)


@pytest.mark.parametrize("cct_K", [3000, 4500, 7500])
def test_the_measured_light_of_a_chart(cct_K):
    """A chart with a wide grey surround: the light is found wherever the camera's own choice lay near it."""
    light = f"planck:{cct_K}"
    frame, _ = chart_frame(light)
    measured = Meter(Engine(frame)).picture(RECIPE).light.measured
    assert abs(float(mired(measured.cct_K)) - 1e6 / cct_K) < 12.0
    assert measured.certainty > 0.3


def test_a_real_photograph_under_a_known_cast():
    """scikit-image's chelsea as it is and cast by a known light: the measured light moves with it."""
    from dataclasses import replace

    from tests.raw.test_frames import _frame, read_linear

    data = pytest.importorskip("skimage.data")
    from matiz.develop.frame.camera_colour import balance
    from matiz.raw.frame import Mosaic
    from matiz_simcam.camera import camera_colour

    linear = read_linear(data.coffee()[:, :, :3]) * 0.5
    found = {}
    for cct_K in (5000.0, 3600.0):
        xy = cct_to_xy(cct_K)
        colour = replace(camera_colour(), as_shot_neutral=np.ones(3))
        to = balance(colour, xy)
        from matiz.colour.spaces import REC2020_TO_SRGB

        camera = linear @ np.linalg.inv(REC2020_TO_SRGB @ to.matrix).T / to.gains
        places = np.tile([[0, 1], [1, 2]], (camera.shape[0] // 2, camera.shape[1] // 2))[..., None]
        picked = np.take_along_axis(camera, places, axis=2)[..., 0]
        counts = np.clip(picked * 15_488 + 512, 0, 16_000).round().astype(np.uint16)
        base = _frame()
        mosaic = Mosaic(counts, base.mosaic.pattern, np.full((2, 2), 512, np.float32), 16_000.0)
        frame = replace(base, mosaic=mosaic, colour=replace(colour, as_shot_neutral=1 / balance(colour, xy).gains))
        found[cct_K] = Meter(Engine(frame)).picture(RECIPE).light.measured
    moved = float(mired(found[3600.0].cct_K) - mired(found[5000.0].cct_K))
    assert moved == pytest.approx(1e6 / 3600 - 1e6 / 5000, abs=15.0)


def test_warm_sand_is_not_taken_for_warm_light():
    """The lizard sits in daylight before sand: whatever the reading says, it must not be sure of it."""
    shot = next(s for s in DEMO_SHOTS if s.scene == "lava-lizard")
    engine = Engine(simulate(shot.scene, SMALL, shot.settings))
    reading = Meter(engine).picture(RECIPE)
    assert reading.light.measured is None or reading.light.measured.certainty < LEAST_CERTAINTY
    assert not [f for f in find(engine, reading, RECIPE) if f.id == "light.balance_differs"]


def test_the_report_has_its_stable_keys(scene_engine):
    out = report(scene_engine.frame, scene_engine.frame.size, Meter(scene_engine).picture(RECIPE))
    assert list(out) == [
        "file", "camera", "size", "exposure", "light", "tone", "colour", "places", "detail", "finish", "next_frame",
        "stored", "noise", "merged", "mend",
    ]  # fmt: skip
    assert set(out["places"]) == {"faces", "faces_spread_EV", "attention"}
    assert set(out["detail"]) == {
        "blur_is_sure", "blur_px", "smear_px", "smear_deg", "blur_after_px", "blur_places_px", "noise_removed_dB",
        "texture_kept", "halo_L",
    }  # fmt: skip
    assert set(out["places"]["attention"]) == {"subject", "subject_area", "pulls"}
    assert list(out["exposure"]) == ["iso", "time_s", "f_number", "time_utc"]
    assert set(out["light"]["measured"]) == {"cct_K", "duv", "certainty"}
    assert set(out["tone"]) == {
        "headroom_EV",
        "clipped",
        "patches",
        "zones",
        "middle_EV",
        "rebuilt",
        "snr_dB",
        "black",
        "middle_L",
        "haze",
        "uneven_EV",
    }
    assert len(out["tone"]["zones"]) == 11 and out["size"] == [600, 400]
    area = area_report(scene_engine, RECIPE, (10, 10, 20, 20))
    assert list(area) == ["XYZ", "Lab", "LCh", "cct_K", "duv", "raw"]


def test_delivery_gauges(hall_engine):
    reading = Meter(hall_engine).picture(RECIPE).delivery
    assert 0.01 < reading.bare_paper < 0.2, "the window and the lanterns"
    assert 0 <= reading.no_shadow < 0.5 and 0 < reading.out_of_gamut["sRGB"] < 0.5
    assert reading.out_of_gamut["Rec.2020"] <= reading.out_of_gamut["Display P3"] <= reading.out_of_gamut["sRGB"]
    darker = Meter(hall_engine).picture(RECIPE.change("tone.exposure_EV", -3.0)[0]).delivery
    assert darker.bare_paper == 0.0 and darker.no_shadow > reading.no_shadow


@pytest.mark.parametrize("across, down", [(0.0, 0.0), (1.2, -0.5), (-0.4, 2.0)])
def test_uneven_light_is_a_plane_in_EV(across, down):
    """A grey wall with dark things and a lamp on it: the plane that lights it comes back within 0.1 EV."""
    y, x = np.meshgrid(np.linspace(-0.5, 0.5, 200), np.linspace(-0.5, 0.5, 300), indexing="ij")
    EV = across * x + down * y - 1.0 + np.random.default_rng(5).normal(0.0, 0.1, x.shape)
    EV[30:70, 40:90] -= 3.0
    EV[150:160, 200:260] += 5.0
    plane, share = uneven_light(EV.astype(np.float32))
    assert plane == pytest.approx((across, down), abs=0.1)
    assert share > 0.35 if across or down else share < 0.05, "of a plain wall it explains nothing"


def test_black_patches_are_listed_with_their_share():
    """Two black areas on grey, and specks too small to be listed."""
    display = np.full((200, 300, 3), 0.2, np.float32)
    display[20:60, 30:90] = 0.0
    display[150:160, 200:230] = 0.0002
    display[100, 100] = 0.0
    share, patches = black_patches(display, 4)
    assert share == pytest.approx((2400 + 300 + 1) / 60_000)
    assert [round(patch.share * 60_000) for patch in patches] == [2400, 300]
    assert patches[0].x in range(112, 121) and patches[0].w in range(240, 257)
    assert black_patches(np.full((20, 30, 3), 0.1, np.float32), 1) == (0.0, ())


@pytest.mark.parametrize("beyond, counted", [(0.0, 0.0), (0.001, 0.0), (0.01, 0.5), (0.2, 0.5)])
def test_colours_outside_srgb_are_counted_but_for_rounding(beyond, counted):
    """Half of the picture lies so far beyond sRGB, on the red side; the widest space holds all of it."""
    from matiz.colour.spaces import SRGB_TO_REC2020
    from matiz.measure.deliver.deliver import read_delivery

    inside = np.full((10, 20, 3), 0.4)
    inside[:, :10, 0] = 1.0 + beyond
    shown = (inside @ SRGB_TO_REC2020.T).astype(np.float32)
    reading = read_delivery(np.clip(inside, 0, 1).astype(np.float32), shown)
    assert reading.out_of_gamut["sRGB"] == counted and reading.out_of_gamut["ROMM RGB"] == 0.0
    assert reading.bare_paper == 0.5 and reading.no_shadow == 0.0


def test_quantiles_and_zones_of_luminances_are_those_of_the_pixels():
    """Against NumPy on the pixels themselves, to a step of the count."""
    from matiz.measure.tone.tone import zone_of

    EV = np.random.default_rng(5).normal(-1.0, 2.5, (200, 300)).astype(np.float32)
    found = Luminances.of(EV)
    for share in (0.01, 0.1, 0.5, 0.9):
        assert found.quantile(share) == pytest.approx(float(np.quantile(EV, share)), abs=3 / 256)
    expected = np.bincount(zone_of(EV).ravel(), minlength=11) / EV.size
    np.testing.assert_allclose(found.zones(), expected, atol=2e-3)


def test_outliers_do_not_sway_a_robust_fit():
    """A line through twenty points, four of them far off; least squares alone would be."""
    from matiz.image.robust import huber

    x = np.linspace(0.0, 1.0, 20)
    values = 2.0 + 3.0 * x
    values[[3, 8, 11, 17]] += 20.0
    terms = np.stack([np.ones(20), x], axis=1)
    np.testing.assert_allclose(huber(terms, values, limit=0.1, rounds=60)[0], [2.0, 3.0], atol=0.1)
    assert abs(np.linalg.lstsq(terms, values, rcond=None)[0][0] - 2.0) > 1.0
    weight = np.ones(20)
    weight[10:] = 0.0
    held = huber(terms, np.where(x > 0.5, 9.0, values), limit=lambda rest: 0.1, weight=weight, rounds=60)[1]
    assert (held[10:] == 0.0).all()


@pytest.mark.parametrize("orientation", range(1, 9))
def test_orientation_agrees_with_pillow(orientation):
    from PIL import Image as Pillow
    from PIL import ImageOps

    from matiz.image.orientation import stored_box, upright

    stored = np.random.default_rng(1).integers(0, 255, (20, 30, 3)).astype(np.uint8)
    picture = Pillow.fromarray(stored)
    picture.getexif()[274] = orientation
    expected = np.asarray(ImageOps.exif_transpose(picture))
    made = upright(stored, orientation)
    np.testing.assert_array_equal(made, expected)
    x, y, w, h = stored_box((2, 3, 5, 7), (made.shape[1], made.shape[0]), orientation)
    np.testing.assert_array_equal(upright(stored[y : y + h, x : x + w], orientation), made[3:10, 2:7])
