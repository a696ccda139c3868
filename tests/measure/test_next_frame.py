"""What is said of the next exposure, from readings that are made up and from simulated frames."""

from dataclasses import replace

import pytest

from matiz.measure.detail.blur import BlurReading, Smear
from matiz.measure.detail.noise import LEAST_dB, NoiseReading
from matiz.measure.next_frame import NextFrame, next_frame
from matiz.measure.picture import Meter
from matiz.measure.tone.patches import ClippedPatch, FullReading
from matiz.measure.tone.tone import RangeReading
from matiz.raw.frame import Exposure
from matiz.recipe.model import Recipe
from matiz.wording import time_text

SHOT = Exposure(iso=100, time_s=1 / 500, f_number=8.0, focal_mm=50.0)
SHARP = BlurReading(0.7, 300, (), ())


def told(*, headroom=0.1, things=0, sources=0, darkest_dB=30.0, shot=SHOT, blur=SHARP, raw=True) -> NextFrame:
    kinds = ["thing"] * things + ["source"] * sources
    patches = tuple(ClippedPatch(0, 0, 10, 10, 0.01, "rgb", kind) for kind in kinds)
    noise = NoiseReading(None, (None, darkest_dB, 35.0)) if raw else None
    return next_frame(shot, RangeReading(headroom, (0.0, 0.0, 0.0)), FullReading(patches, 0.0), noise, blur)


def test_what_is_right_is_left_so():
    assert told() == NextFrame(0.0, 0.0, 0, (), None) and told().words() == "nothing to change"
    assert told(headroom=0.5).exposure_EV == 0.0, "too little to speak of"
    assert told(sources=3).exposure_EV == 0.0, "lamps may be full"


def test_headroom_is_light_that_fits_and_what_it_is_worth_in_noise():
    """Twice the photons: their noise grows by the root of two, the signal by two."""
    found = told(headroom=1.7)
    assert found.exposure_EV == pytest.approx(1.5) and found.gain_dB == pytest.approx(4.5, abs=0.1)
    assert "+1.50" in found.words() and "less noise" in found.words()


def test_full_things_ask_for_less_and_for_a_bracket_where_the_darks_are_lost():
    assert told(things=2).exposure_EV == -1.0 and "2 areas are clipped" in told(things=2).words()
    dark = told(things=1, darkest_dB=LEAST_dB - 9.0)
    assert dark.bracket_EV == (-1.0, 1.0, 3.0) and dark.exposure_EV == 0.0
    assert told(things=1, darkest_dB=LEAST_dB - 60.0).bracket_EV == (-1.0, 1.0, 3.0, 5.0, 7.0), "no more than five"
    assert "take 3" in dark.words()


@pytest.mark.parametrize(
    "time_s, focal, blur_px, wanted, why",
    [
        (1 / 60, 50.0, 1.0, 1 / 50.8, None), (1 / 30, 50.0, 1.0, 1 / 50.8, "rule"), (2.0, 50.0, 1.0, None, None),
        (1 / 30, 50.0, None, 1 / 50.8, "rule"), (1 / 30, 50.0, 0.7, None, None),
        (1 / 500, 50.0, 2.0, 1 / 1290, "soft"), (1 / 500, None, 0.7, None, None),
    ],
)  # fmt: skip
def test_the_time_is_held_to_the_focal_length_and_to_what_the_edges_say(time_s, focal, blur_px, wanted, why):
    found = told(shot=replace(SHOT, time_s=time_s, focal_mm=focal), blur=BlurReading(blur_px, 300, (), ()))
    if why is None:
        assert found.time_s is None
    else:
        assert found.time_s == pytest.approx(wanted, rel=0.03) and found.time_why == why
        assert found.time_s < (time_s if why == "soft" else 1 / focal) + 1e-9


def test_a_smear_asks_for_as_much_less_time():
    shot = replace(SHOT, time_s=1 / 60, focal_mm=50.0)
    found = told(shot=shot, blur=BlurReading(0.7, 300, (), (), smear=Smear(1.8, 30.0)))
    assert found.time_why == "smeared" and found.time_s == pytest.approx(1 / 128, rel=0.01), "half of it, and no longer"
    assert "motion blur" in found.words()


def test_a_picture_that_is_not_raw_is_judged_by_its_blur_alone():
    found = told(headroom=3.0, things=2, raw=False, blur=BlurReading(2.0, 300, (), ()))
    assert found.exposure_EV == 0.0 and found.time_why == "soft"
    assert (time_text(1 / 250), time_text(2.5)) == ("1/250\u202fs", "2.5\u202fs")


def test_an_under_exposed_frame_asks_for_the_stops_that_it_lacks(scene_engine):
    reading = Meter(scene_engine).picture(Recipe())
    shot = scene_engine.frame.exposure
    found = next_frame(shot, reading.range, reading.full, reading.noise, reading.blur)
    assert found.exposure_EV == pytest.approx(reading.range.headroom_EV - 0.2, abs=0.06) and found.exposure_EV > 1.0
