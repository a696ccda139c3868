"""The tone stage: zones without rims, haze of known depth, local contrast, and nothing at all by default."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import LUMINANCE, REC2020_TO_SRGB, encode_sRGB, sRGB_to_Lab
from matiz.develop.graph.engine import Engine, full_picture
from matiz.develop.stages.haze import haze_of
from matiz.develop.stages.rendition import rendered
from matiz.develop.stages.tone import contrast_gain, is_plain, zone_table
from matiz.kernels.tone import log_luminance, table_EV
from matiz.raw.frame import CameraColour, Frame
from matiz.raw.noise import common_noise
from matiz.recipe.model import Curve, Mend, Recipe, Tone
from matiz.recipe.toning import Contrast
from matiz_simcam.camera import Settings
from matiz_simcam.shoot import DEMO_SHOTS, scene_of, simulate
from tests.conftest import mean_delta_E

MIDDLE = 0.18


def engine_of(pixels: np.ndarray) -> Engine:
    """A developed picture as a frame: its values are the scene's own."""
    return Engine(Frame(Path("a.tif"), CameraColour(), linear=np.ascontiguousarray(pixels, np.float32)))


def grey_of(EV: np.ndarray) -> np.ndarray:
    return (MIDDLE * 2.0**EV).astype(np.float32)[..., None].repeat(3, axis=2)


def EV_of(pixels: np.ndarray) -> np.ndarray:
    return np.log2(np.maximum(pixels @ LUMINANCE, 1e-9) / MIDDLE)


def toned(engine: Engine, **tone) -> np.ndarray:
    return engine.render(Recipe(tone=Tone(**tone)), 0, result="scene")


def step_edge(low: float = -4.0, high: float = 2.0, size=(900, 600)) -> np.ndarray:
    """Dark left, bright right, the edge a pixel wide."""
    EV = np.full((size[1], size[0]), low)
    EV[:, size[0] // 2 :] = high
    return EV


def ladder(**zones: float) -> tuple[float, ...]:
    names = ("0", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X")
    return tuple(zones.get(f"z{name}", 0.0) for name in names)


def test_nothing_is_done_by_default(scene_engine):
    assert is_plain(Tone()) and not is_plain(Tone(haze_percent=1.0))
    scene = scene_engine.render(Recipe(), 0, result="scene")
    assert np.array_equal(scene, scene_engine.render(Recipe(), 0, result="working"))


def chroma(pixels: np.ndarray) -> np.ndarray:
    """Largest channel's distance from luminance, as a share of it."""
    bright = pixels @ LUMINANCE
    return np.abs(pixels - bright[..., None]).max(axis=2) / np.maximum(bright, 1e-9)


def test_lifted_darks_leave_the_colour_of_noise_behind():
    """Darks at twice their noise keep half of their chroma when lifted far, their luminance all of the lift; what is
    well above the noise keeps its colour, and so does everything that is not lifted. As before version 4: all."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0052.dng")
    engine = Engine(simulate(shot.scene, (300, 200), shot.settings, view=shot.view))
    noise = common_noise(engine.frame.exposure.iso)
    working = engine.render(Recipe(), 0, result="working")
    bright = working @ LUMINANCE
    lift = Recipe(tone=Tone(zones_EV=(3.0,) * 11))
    now, before = (engine.render(replace(lift, processing=n), 0, result="scene") for n in (4, 3))
    np.testing.assert_allclose(now @ LUMINANCE, before @ LUMINANCE, rtol=2e-3, atol=1e-6)
    some = bright > 1e-3
    np.testing.assert_allclose(chroma(before)[some], chroma(working)[some], rtol=2e-3, atol=1e-4)
    signal = np.linspace(0.0, 0.2, 4000)
    murk = np.interp(2.0, signal / np.sqrt(noise.variance(signal)), signal)
    at, well = (bright > 0.9 * murk) & (bright < 1.1 * murk), bright > 8.0 * murk
    assert at.sum() > 20 and well.sum() > 200
    # an eighth is not lifted
    assert np.median(chroma(now)[at] / chroma(working)[at]) == pytest.approx(1.0 - 0.875 * 0.5, abs=0.03)
    assert chroma(now)[well].sum() > 0.985 * chroma(working)[well].sum()
    darkened = engine.render(Recipe(tone=Tone(zones_EV=(-3.0,) * 11)), 0, result="scene")
    np.testing.assert_allclose(chroma(darkened)[at], chroma(working)[at], rtol=2e-3)


def test_nothing_is_done_by_default_exactly():
    assert (zone_table((0.0,) * 11) == 0.0).all()


def test_a_rung_moves_its_zone_and_leaves_those_further_off():
    table = zone_table(ladder(zV=0.5))
    at = dict(zip(np.round(table_EV(), 4), table, strict=True))
    assert at[0.0] == pytest.approx(0.5, abs=1e-6)
    assert all(at[float(k)] == pytest.approx(0.0, abs=1e-6) for k in (-5, -3, -2, -1, 1, 2, 3, 5, 8, -12))


@pytest.mark.parametrize("seed", range(12))
def test_no_two_tones_change_places(seed):
    """Whatever the rungs, luminance after rises with luminance before."""
    zones = tuple(np.random.default_rng(seed).uniform(-4, 4, 11))
    after = table_EV() + zone_table(zones)
    assert (np.diff(after) > 0).all()


def test_a_lifted_dark_side_has_no_rim():
    """An edge of 6 EV, the dark side lifted by 2 EV: over- and undershoot under 0.1 EV on both sides."""
    EV = step_edge()
    engine = engine_of(grey_of(EV))
    zones = (2.0,) * 4 + (1.0,) + (0.0,) * 6
    after = EV_of(toned(engine, zones_EV=zones))
    dark, bright = after[:, :450], after[:, 450:]
    assert abs(np.median(dark) - (-2.0)) < 0.02 and abs(np.median(bright) - 2.0) < 0.02
    assert max(np.abs(dark - np.median(dark)).max(), np.abs(bright - np.median(bright)).max()) < 0.1


def test_a_soft_edge_has_no_rim_either():
    EV = cv2.GaussianBlur(step_edge(), (0, 0), 3.0)
    after = EV_of(toned(engine_of(grey_of(EV)), zones_EV=(2.0,) * 4 + (1.0,) + (0.0,) * 6))
    assert after[:, :440].min() > -2.1 and after[:, 460:].max() < 2.1
    assert (np.diff(after.mean(axis=0)) > -0.03).all(), "brightness rises across the edge"


def test_detail_within_a_zone_keeps_its_contrast():
    """Fine texture of 0.2 EV in the darks: lifted by 2 EV, its contrast is the same within 15 %."""
    rng = np.random.default_rng(1)
    texture = cv2.GaussianBlur(rng.normal(size=(600, 900)), (0, 0), 1.5)
    texture *= 0.2 / texture.std()
    zones = (2.0,) * 3 + (1.5, 0.5) + (0.0,) * 6
    plain = np.full((600, 900), -2.5)
    after = EV_of(toned(engine_of(grey_of(plain + texture)), zones_EV=zones))
    assert after.std() == pytest.approx(0.2, rel=0.15)
    # the same zones as a curve would flatten it: their slope there is far from 1
    table = np.interp(plain + texture, table_EV(), zone_table(zones))
    assert (plain + texture + table).std() < 0.6 * 0.2


def test_exposure_decides_which_zone_a_tone_is_in():
    flat = grey_of(np.full((300, 400), -3.0))
    assert EV_of(toned(engine_of(flat), zones_EV=ladder(zII=1.0)))[0, 0] == pytest.approx(-2.0, abs=0.02)
    raised = toned(engine_of(flat), zones_EV=ladder(zV=1.0), exposure_EV=3.0)
    assert EV_of(raised)[0, 0] == pytest.approx(-2.0, abs=0.02), "in zone V by exposure, which comes after"


def test_regions_and_levels_agree(scene_engine):
    """A region is the same as that part of the whole; a deeper level shows the same within 1 ΔE00."""
    tone = Tone(exposure_EV=1.0, zones_EV=ladder(zII=1.5, zIII=1.0, zVII=-0.7), haze_percent=40.0,
                contrast=Contrast(3.0, 2.0, 2.0))  # fmt: skip
    recipe = Recipe(tone=tone)
    whole = scene_engine.render(recipe, 0, result="scene")
    part = scene_engine.render(recipe, 0, (210, 130, 150, 90), result="scene")
    assert np.allclose(part, whole[130:220, 210:360], rtol=2e-3, atol=1e-5)
    full = scene_engine.render(recipe, 0, result="display")
    half = scene_engine.render(recipe, 1, result="display")
    reduced = cv2.resize(full, (half.shape[1], half.shape[0]), interpolation=cv2.INTER_AREA)
    assert mean_delta_E(reduced, half) < 1.0


@pytest.mark.parametrize("name, sigma", [("fine_dB", 0.6), ("middle_dB", 3.0), ("broad_dB", 24.0)])
def test_contrast_acts_on_its_own_size(name, sigma):
    """6 dB doubles weak detail of its size, within a third; negative values soften."""
    rng = np.random.default_rng(2)
    texture = cv2.GaussianBlur(rng.normal(size=(800, 1200)), (0, 0), sigma)
    texture *= 0.1 / texture.std()
    engine = engine_of(grey_of(texture))
    more = EV_of(toned(engine, contrast=Contrast(**{name: 6.0}))).std() / 0.1
    less = EV_of(toned(engine, contrast=Contrast(**{name: -6.0}))).std() / 0.1
    assert 1.3 < more < 2.1 and 0.5 < less < 0.85


def test_contrast_draws_no_rim_at_a_strong_edge():
    contrast = Contrast(6.0, 6.0, 6.0)
    after = EV_of(toned(engine_of(grey_of(step_edge(-3.0, 2.0))), contrast=contrast))
    # all three doubled at once, at an edge of 5 EV
    assert after[:, :450].min() > -3.3 and after[:, 450:].max() < 2.3


def test_a_gain_in_dB():
    assert contrast_gain(0.0) == 0.0 and contrast_gain(6.0206) == pytest.approx(1.0, abs=1e-4)
    assert contrast_gain(-6.0206) == pytest.approx(-0.5, abs=1e-4)


@pytest.fixture(scope="module")
def pans():
    """A landscape without haze, and its depth."""
    shot = DEMO_SHOTS[0]
    frame = simulate(shot.scene, (900, 600), shot.settings, view=1)
    clear = Engine(frame).render(Recipe(), 0, result="working") * 1.5
    return clear, scene_of(shot.scene, (900, 600), view=1).depth_m


@pytest.mark.parametrize("thinnest", [0.3, 0.5, 0.7, 0.9])
def test_transmission_is_measured_from_the_picture(pans, thinnest):
    """Haze laid over by the true depth (Koschmieder 1924): transmission within 0.1 on the mean, in very thin
    haze within 0.12."""
    clear, depth = pans
    far = np.percentile(depth, 90)
    through = thinnest ** (np.minimum(depth, far) / far)
    air = np.array([0.75, 0.8, 0.9])
    hazy = clear * through[..., None] + air * (1.0 - through[..., None])
    found = haze_of(hazy.astype(np.float32))
    assert np.abs(found.transmission - through).mean() < (0.12 if thinnest > 0.8 else 0.1)


def test_haze_goes_and_comes(pans):
    """Taking haze away raises contrast, adding it lowers contrast."""
    clear, depth = pans
    through = 0.5 ** np.minimum(depth / np.percentile(depth, 90), 1.0)
    hazy = clear * through[..., None] + 0.8 * (1.0 - through[..., None])
    engine = engine_of(hazy)
    spread = {share: EV_of(toned(engine, haze_percent=share)).std() for share in (-50.0, 0.0, 60.0)}
    assert spread[-50.0] < spread[0.0] < spread[60.0]


@pytest.mark.parametrize("thinnest", [0.3, 0.5, 0.7, 0.9])
def test_haze_taken_away_leaves_no_cast(pans, thinnest):
    """Haze in the air's own colour, measured and taken away: the mean colour is the clear picture's within
    ΔE00 3, lightness aside."""
    clear, depth = pans
    through = thinnest ** np.minimum(depth / np.percentile(depth, 90), 1.0)
    hazy = clear * through[..., None] + np.array([0.75, 0.8, 0.9]) * (1.0 - through[..., None])
    cleared = toned(engine_of(hazy), haze_percent=100.0)
    shown = (rendered("standard", picture @ REC2020_TO_SRGB.T) for picture in (clear, cleared))
    means = [sRGB_to_Lab(picture.mean(axis=(0, 1))) for picture in shown]
    means[1][0] = means[0][0]
    assert delta_E_2000(*means) < 3.0


def test_no_haze_is_seen_in_a_hall_or_close_by():
    """And then none is taken away, whatever the tape says."""
    for name in ("CORVA_0052", "CORVA_0057"):
        shot = next(s for s in DEMO_SHOTS if s.name.startswith(name))
        engine = Engine(simulate(shot.scene, (300, 200), shot.settings, view=shot.view))
        assert not haze_of(engine.render(Recipe(), 0, result="working")).is_seen
        assert np.allclose(toned(engine, haze_percent=80.0), toned(engine), rtol=1e-4, atol=1e-6)


def test_taking_haze_away_leaves_no_rim_before_a_sky():
    """A dark tower before an even bright sky: the sky beside it changes as much as the sky far from it."""
    pixels = np.full((300, 450, 3), (0.5, 0.55, 0.65), np.float32)
    pixels[200:] = (0.08, 0.08, 0.06)
    pixels[60:200, 210:240] = 0.03
    before, after = (encode_sRGB(np.clip(toned(engine_of(pixels), **kw), 0, 1)) for kw in ({}, {"haze_percent": 60.0}))
    change = (after - before)[100:150].mean(axis=(0, 2))
    assert abs(change[20:60].mean()) > 0.01, "some is taken away"
    assert np.abs(change[242:270] - change[20:60].mean()).max() < 0.02


def test_fine_contrast_leaves_a_plain_hazy_area_alone():
    """What haze takes away is no detail: a flat part of a hazy picture is the same with fine contrast and without."""
    pixels = grey_of(step_edge(-0.5, 1.0))
    pixels[200:400, 300:600] += np.random.default_rng(5).normal(0, 0.02, (200, 300, 3)).astype(np.float32)
    engine = engine_of(pixels)
    plain = toned(engine, haze_percent=60.0)
    fine = toned(engine, haze_percent=60.0, contrast=Contrast(6.0, 0.0, 0.0))
    assert np.abs(EV_of(fine) - EV_of(plain))[:150, :400].max() < 0.02


def test_the_small_picture_lies_where_the_picture_does_under_distortion(pans):
    """Haze and contrast are steered by a quick small picture: its content lies where that of the picture does."""
    shot = DEMO_SHOTS[0]
    engine = Engine(simulate(shot.scene, (900, 600), shot.settings, view=1))
    recipe = Recipe(mend=Mend(distortion_percent=-12.0))
    quick, exact = (EV_of(engine.render(recipe, 1, result=way)) for way in ("small working", "working"))
    shift, _ = cv2.phaseCorrelate(quick[:150, :225].astype(np.float64), exact[:150, :225].astype(np.float64))
    assert max(map(abs, shift)) < 0.5


def test_log_luminance_is_in_EV():
    pixels = grey_of(np.array([[-6.0, 0.0], [2.5, 5.0]]))
    assert np.allclose(log_luminance(pixels), [[-6.0, 0.0], [2.5, 5.0]], atol=2e-3)


def test_white_and_black_points_leave_middle_grey():
    for rendition in ("linear", "soft", "standard", "strong"):
        for points in ({"white_EV": 1.0}, {"white_EV": -1.0}, {"black_EV": -4.0}, {"white_EV": 0.5, "black_EV": -5.0}):
            assert rendered(rendition, MIDDLE, **points) == pytest.approx(MIDDLE, abs=1e-6)
        shown = rendered(rendition, MIDDLE * 2.0 ** np.linspace(-8, 6, 400), white_EV=1.0, black_EV=-4.0)
        assert (np.diff(shown) >= 0).all() and shown[0] == 0.0 and shown[-1] == pytest.approx(1.0)
        later = rendered(rendition, MIDDLE * 2.0**2.4, white_EV=1.0)
        assert later < rendered(rendition, MIDDLE * 2.0**2.4), "a later white point keeps lights apart"


def test_channel_curves_act_on_their_channel_alone(scene_engine):
    """Of the working primaries; and of sRGB after the fit in a recipe of version 1, which is rendered as it was."""
    curve = Curve(red=((0.0, 0.0), (0.5, 0.6), (1.0, 1.0)))
    for processing, result in ((2, "rendered"), (1, "display")):
        recipes = [Recipe(tone=tone, processing=processing) for tone in (Tone(), Tone(curve=curve))]
        plain, warm = (scene_engine.render(recipe, 1, result=result) for recipe in recipes)
        np.testing.assert_allclose(plain[..., 1:], warm[..., 1:], atol=1e-6)
        assert (warm[..., 0] >= plain[..., 0] - 1e-6).all()
        assert (warm[..., 0] - plain[..., 0]).max() > 0.02
        shown = scene_engine.render(recipes[1], 1)[..., 2::-1].astype(float)
        file = scene_engine.render(recipes[1], 1, result="display")
        assert np.abs(shown - encode_sRGB(file) * 255.0).max() < 1.6


EVERYTHING = Tone(exposure_EV=0.5, zones_EV=ladder(zII=1.0, zVII=-0.5), haze_percent=50.0, white_EV=0.5, black_EV=-6.0,
                  contrast=Contrast(3.0, 3.0, 3.0))  # fmt: skip


@pytest.mark.parametrize("size", [(16, 16), (17, 40), (300, 20), (64, 700)])
def test_small_and_narrow_pictures_are_toned(size):
    """Nothing is too small for its surroundings to be read, and nothing is made infinite."""
    pixels = np.random.default_rng(8).random((size[1], size[0], 3)).astype(np.float32)
    shown = engine_of(pixels).render(Recipe(tone=EVERYTHING), 0, result="display")
    assert shown.shape == pixels.shape and np.isfinite(shown).all()


def test_a_6x6_mosaic_is_toned_at_every_level():
    engine = Engine(simulate("lava-lizard", (900, 600), Settings(iso=400, focus_m=1.2, mosaic="6x6")))
    recipe = Recipe(tone=EVERYTHING)
    full, half = (engine.render(recipe, level, result="display") for level in (0, 1))
    reduced = cv2.resize(full, (half.shape[1], half.shape[0]), interpolation=cv2.INTER_AREA)
    assert mean_delta_E(reduced, half) < 1.5


def test_black_and_endless_values_stay_finite():
    """Nothing at all, values under black, and a sun: no NaN, no infinity, black stays dark."""
    pixels = np.zeros((120, 160, 3), np.float32)
    pixels[:, 40:80] = -0.02
    pixels[:, 80:120] = 1e4
    pixels[:, 120:] = 0.2
    shown = engine_of(pixels).render(Recipe(tone=EVERYTHING), 0, result="display")
    assert np.isfinite(shown).all() and shown[:, :36].max() < 0.2 and shown[:, 84:116].min() > 0.9


def test_tiles_of_a_delivery_are_the_whole_picture():
    """The whole picture tile by tile is the same as in one piece, with every control in use."""
    frame = simulate("salt-pans", (600, 1100), DEMO_SHOTS[0].settings, view=1)
    recipe = Recipe(tone=EVERYTHING)
    whole = Engine(frame).render(recipe, 0, result="display")
    np.testing.assert_allclose(full_picture(Engine(frame), recipe), whole, atol=1e-4)
