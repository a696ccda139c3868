"""Short readings: those of the open picture, nothing else."""

import json
from dataclasses import replace

import numpy as np
import pytest

from matiz.develop.graph.engine import Engine
from matiz.measure.picture import Meter
from matiz.measure.sort.brief import Brief, brief_of, looked_closer
from matiz.measure.sort.look import likeness, look_of
from matiz.measure.table.values import LightValue
from matiz.recipe.model import Recipe
from matiz_simcam.camera import Settings
from matiz_simcam.shoot import DEMO_SHOTS, simulate


def test_they_are_those_of_the_open_picture():
    shot = next(each for each in DEMO_SHOTS if each.name == "CORVA_0052.dng")
    frame = simulate(shot.scene, (600, 400), shot.settings, view=shot.view)
    reading, brief = Meter(Engine(frame)).picture(Recipe()), brief_of(frame)
    assert brief.full_share == pytest.approx(max(reading.range.clipped), abs=1e-5) and brief.full_share > 0.001
    assert brief.headroom_EV == pytest.approx(reading.range.headroom_EV, abs=0.01)
    assert brief.snr_dB == pytest.approx(reading.noise.zones_dB[3], abs=0.1)
    expected = reading.blur.blur_px if reading.blur.is_sure else None
    assert brief.edges_px == (None if expected is None else pytest.approx(expected, abs=0.01))


def test_more_light_and_more_noise_are_told():
    frames = [simulate("salt-pans", (600, 400), Settings(iso=iso, ev=ev)) for iso, ev in ((100, -1.0), (6400, -1.0))]
    quiet, noisy = (brief_of(frame) for frame in frames)
    assert quiet.snr_dB is not None and noisy.snr_dB is not None and quiet.snr_dB > noisy.snr_dB + 10.0
    bright = brief_of(simulate("salt-pans", (600, 400), Settings(iso=100, ev=2.0)))
    assert bright.full_share > quiet.full_share and bright.headroom_EV < quiet.headroom_EV
    darker = brief_of(simulate("salt-pans", (600, 400), Settings(iso=100, ev=-2.0)))
    assert quiet.level_EV - darker.level_EV == pytest.approx(1.0, abs=0.03), "a stop less light is seen as one"


def test_edges_that_one_place_alone_tells_are_not_told(monkeypatch):
    from matiz.measure.detail.blur import BlurReading

    read = Meter.read
    for is_sure, expected in ((True, 0.5), (False, None)):
        blur = BlurReading(0.5, 30, ((0.5, 1.4),), (True, False), is_sure)
        monkeypatch.setattr(Meter, "read", lambda *given, blur=blur: {**read(*given), "blur": blur})
        assert brief_of(simulate("salt-pans", (600, 400), Settings())).edges_px == expected


def test_light_card_and_look_are_those_of_the_picture_itself():
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0051.dng")
    frame = simulate(shot.scene, (900, 600), shot.settings, view=shot.view)
    brief, meter = brief_of(frame), Meter(Engine(frame))
    reading = meter.take(Recipe(), "light")
    for own, expected in ((brief.light, reading.measured), (brief.as_shot, reading.as_shot)):
        assert own is not None and own.mired == pytest.approx(expected.mired, abs=0.1)
    assert reading.card is not None and brief.card is not None
    assert brief.card.cct_K == pytest.approx(reading.card.light.cct_K, abs=0.1)
    assert likeness(brief.look, look_of(Engine(frame).render(Recipe(), 1, result="small display"))) > 0.98


def test_a_rendered_picture_has_no_noise_that_is_known():
    frame = simulate("salt-pans", (600, 400), Settings())
    picture = np.clip(np.random.default_rng(1).random((300, 400, 3)), 0, 1).astype(np.float32)
    brief = brief_of(replace(frame, mosaic=None, linear=picture, is_rendered=True, noise_profile=()))
    assert brief.snr_dB is None and brief.as_shot is None


def test_what_is_written_is_read_and_nothing_else():
    brief = Brief(0.8, 0.01, 0.4, None)
    assert Brief.from_json(brief.to_json()) == brief
    light = LightValue(5005.0, -0.001, 0.4)
    whole = replace(brief, light=light, as_shot=light, card=light, look="2a" * 24 * 16, level_EV=-2.5)
    assert Brief.from_json(json.loads(json.dumps(whole.to_json()))) == whole
    with pytest.raises(ValueError, match="reshape"):
        Brief.from_json(replace(whole, look="2a").to_json())
    with pytest.raises((KeyError, TypeError, ValueError)):
        Brief.from_json({"edges_px": "sharp", "full_share": 0.0, "headroom_EV": 0.0, "snr_dB": 1.0})
    with pytest.raises(KeyError):
        Brief.from_json({})


def test_closer_is_tilt_and_dust_and_nothing_else_changes():
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0011.dng")
    frame = simulate(shot.scene, (1500, 1000), shot.settings, view=shot.view)
    brief, meter = brief_of(frame), Meter(Engine(frame))
    closer, read = looked_closer(frame, brief), meter.read(Recipe(), ("tilt", "dust"))
    assert replace(closer, tilt_deg=None, dust=None) == brief
    assert closer.dust == sum(speck.certainty >= 0.6 for speck in read["dust"].specks)
    tilt = read["tilt"].tilt
    assert closer.tilt_deg == (pytest.approx(tilt.deg, abs=0.01) if tilt.certainty >= 0.6 else None)
    assert Brief.from_json(json.loads(json.dumps(closer.to_json()))) == closer
    old = {key: value for key, value in brief.to_json().items() if key not in ("tilt_deg", "dust")}
    assert Brief.from_json(old) == brief, "written before there was more"
