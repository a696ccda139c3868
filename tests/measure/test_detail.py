"""Detail readings, and its findings."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from matiz.develop.frame.noise import Scale
from matiz.develop.graph.engine import Engine
from matiz.findings.detail import WANTED_dB, halos, noisiest, noisy, over_smoothed, sharpens_noise, wanted
from matiz.findings.find import fixed
from matiz.measure.detail.detail import choose_spots, halo_L, noise_removed_dB, texture_kept
from matiz.measure.detail.noise import NoiseReading
from matiz.measure.picture import Meter
from matiz.measure.tone.tone import ToneReading
from matiz.raw.noise import Noise
from matiz.recipe.model import Recipe
from matiz_simcam.shoot import DEMO_SHOTS, simulate

STRENGTH, COLOUR = "detail.noise.strength_percent", "detail.noise.colour_percent"
AMOUNT = "detail.sharpen.amount_percent"


@pytest.fixture(scope="module")
def burst():
    """A meter on a frame at ISO 3200."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    return Meter(Engine(simulate(shot.scene, (900, 600), shot.settings, view=shot.view)))


def set_to(*pairs) -> Recipe:
    return Recipe().change_all(list(pairs), label="x")[0]


def test_spots_are_flat_textured_and_edged():
    random = np.random.default_rng(1)
    scene = np.full((240, 360, 3), 0.2, np.float32)
    scene[:, :120] += 0.001 * random.normal(size=(240, 120, 1)).astype(np.float32)
    scene[:, 120:240] += 0.05 * cv2.GaussianBlur(random.normal(size=(240, 120)), (0, 0), 1.0)[..., None].astype(
        np.float32
    )
    scene[:, 300:] = 0.6
    spots = choose_spots(np.maximum(scene, 0.01), 4, (1440, 960))
    middles = [x + w / 2.0 for x, _, w, _ in spots]
    assert middles[0] < 460 or 980 < middles[0] < 1130
    assert 480 < middles[1] < 960 and abs(middles[2] - 1200) < 80
    assert all(x >= 0 and y >= 0 and x + w <= 1440 and y + h <= 960 for x, y, w, h in spots)
    tiny = choose_spots(scene[:20, :30], 1, (30, 20))
    assert tiny.flat == (0, 0, 30, 20)


def test_noise_taken_and_texture_kept_are_told_right():
    scale = Scale(0.001, 0.001, np.ones(3))
    random = np.random.default_rng(1)
    noise = random.normal(size=(160, 160, 3)) * np.sqrt(0.001 * 0.2)
    flat = np.full((160, 160, 3), 0.2)
    before, after = ((flat + share * noise).astype(np.float32) for share in (1.0, 0.25))
    assert noise_removed_dB(scale, before, after) == pytest.approx(12.0, abs=0.3)
    # the transform of independent channels of one variance has that variance
    spread = np.ones((8, 8), np.float32)
    waves = 0.05 * np.sin(np.arange(160) * 1.9)[None, :, None]
    textured = [(flat + kept * waves + share * noise).astype(np.float32) for kept, share in ((1.0, 1.0), (0.7, 0.0))]
    assert texture_kept(scale, spread, *textured, removed_dB=60.0) == pytest.approx(0.49, abs=0.05)
    assert texture_kept(scale, spread, before, after, 12.0) is None
    assert texture_kept(scale, spread, textured[0], textured[0], 0.0) == pytest.approx(1.0), "nothing was done"


def test_halos_are_how_far_an_edge_overshoots():
    plain = np.full((60, 80, 3), 0.2)
    plain[:, 40:] = 0.5
    after = plain.copy()
    after[:, 40:42] = 0.56
    gained = [116.0 * np.cbrt(v) - 16.0 for v in (0.5, 0.56)]
    assert halo_L(plain, after) == pytest.approx(gained[1] - gained[0], abs=0.1)
    assert halo_L(plain, plain) == 0.0


# ---- in a picture


def test_the_reading_follows_what_is_decided(burst):
    plain = burst.take(Recipe(), "detail")
    assert plain.noise_removed_dB == pytest.approx(0.0, abs=1e-6) and plain.halo_L == 0.0
    own = set_to((STRENGTH, 80.0), (COLOUR, 100.0), (AMOUNT, 200.0), ("detail.sharpen.halo_L", 6.0))
    told = burst.take(own, "detail")
    assert told.noise_removed_dB > 8.0 and told.texture_kept > 0.75 and 1.0 < told.halo_L < 6.5
    before, after = burst.take(own, "loupes")[0]
    assert before.shape == after.shape and before.shape[2] == 4 and (before != after).any()


def test_what_is_full_is_read_with_its_noise_and_once(burst):
    burst.picture(Recipe())
    runs = dict(burst.runs)
    burst.picture(set_to((STRENGTH, 33.0)))
    assert burst.runs["full"] == runs["full"] and burst.runs["patch_light"] == runs["patch_light"]
    assert burst.runs["detail"] == runs["detail"] + 1


def test_noise_that_shows_is_found_and_taken_out(burst):
    reading = burst.picture(Recipe())
    [finding] = noisy(reading, Recipe())
    assert finding.evidence["signal_dB"] < WANTED_dB
    better = fixed(Recipe(), finding)
    assert better.detail.noise.strength_percent > 15.0
    assert noisy(burst.picture(better), better) == []
    assert burst.take(better, "detail").noise_removed_dB > 3.0


def test_a_clean_frame_has_no_noise_to_speak_of(scene_engine):
    meter = Meter(scene_engine)
    assert noisy(meter.picture(Recipe()), Recipe()) == []


def zones(**dB) -> NoiseReading:
    told = [None] * 11
    for name, value in dB.items():
        told[int(name[1:])] = value
    return NoiseReading(Noise(1e-4, 1e-3), tuple(told))


def tone_with(share: float) -> ToneReading:
    made = object.__new__(ToneReading)
    object.__setattr__(made, "zones", (share,) * 11)
    return made


def test_the_strength_follows_from_the_zone_that_wants_most():
    two = zones(z3=20.0, z5=30.0)
    assert noisiest(two, tone_with(0.1), Recipe(), {}) == (20.0, 3)
    (_, strength), (_, colour) = wanted(two, tone_with(0.1), Recipe(), {})
    assert strength == round(100.0 * (1.0 - 10.0 ** (-6.0 / 20.0))) and colour == strength + 25.0
    assert noisiest(two, tone_with(0.001), Recipe(), {}) is None, "too little of the picture"
    assert wanted(two, tone_with(0.001), Recipe(), {}) is None
    assert wanted(zones(z0=3.0, z5=28.0), tone_with(0.1), Recipe(), {}) is None, "too dark to be seen"
    lifted = Recipe().change("tone.zones_EV", (0.0,) * 3 + (2.0,) + (0.0,) * 7)[0]
    assert wanted(two, tone_with(0.1), lifted, {})[0][1] > strength, "a lifted shadow asks for more"
    assert wanted(zones(z3=1.0), tone_with(0.1), Recipe(), {})[0][1] == 90.0


def test_findings_of_sharpening_and_smoothing(burst):
    bare = set_to((AMOUNT, 150.0), ("detail.sharpen.gate", "off"))
    [finding] = sharpens_noise(burst.picture(bare), bare)
    assert sharpens_noise(burst.picture(bare), fixed(bare, finding)) == []
    wild = set_to((AMOUNT, 300.0), ("detail.sharpen.halo_L", 20.0), ("detail.sharpen.radius_px", 2.0))
    [finding] = halos(burst.picture(wild), wild)
    better = fixed(wild, finding)
    assert halos(burst.picture(better), better) == [] and burst.take(better, "detail").halo_L < 3.2
    reading = burst.picture(set_to((STRENGTH, 100.0)))
    reading.detail = replace(reading.detail, texture_kept=0.5)
    [finding] = over_smoothed(reading, set_to((STRENGTH, 100.0)))
    assert finding.fix == ((STRENGTH, 75.0),)
    reading.detail = replace(reading.detail, texture_kept=0.9)
    assert over_smoothed(reading, set_to((STRENGTH, 100.0))) == []
