"""The demo shoot: who makes which frame, what frames of a place share, and what the scenes hold."""

import os
from dataclasses import replace

import numpy as np
import pytest

from matiz.develop.graph.as_file import write_frame
from matiz.raw.decode import read_frame
from matiz_simcam.camera import expose
from matiz_simcam.scenes.grain_hall import grain_hall
from matiz_simcam.scenes.lava_lizard import lava_lizard
from matiz_simcam.scenes.salt_pans import STANDPOINTS as PANS
from matiz_simcam.scenes.salt_pans import salt_pans
from matiz_simcam.shoot import DEMO_SHOTS, _place_of, _roomy_memory, scene_of

SIZE = (360, 240)


def test_frames_of_one_place_are_made_together():
    places: dict = {}
    for shot in DEMO_SHOTS:
        places.setdefault((shot.scene, _place_of(shot)), []).append(shot.name)
    sizes = sorted(len(names) for names in places.values())
    assert sum(sizes) == len(DEMO_SHOTS) and sizes[-1] == 6, "the burst shares its rock"
    bracket = [s for s in DEMO_SHOTS if s.scene == "salt-pans" and s.view == 5]
    assert len({_place_of(s) for s in bracket}) == 1


def test_memory_settings_are_taken_back(monkeypatch):
    monkeypatch.setenv("MALLOC_TOP_PAD_", "17")
    monkeypatch.delenv("MALLOC_TRIM_THRESHOLD_", raising=False)
    with _roomy_memory():
        assert os.environ["MALLOC_TOP_PAD_"] != "17" and "MALLOC_TRIM_THRESHOLD_" in os.environ
    assert os.environ["MALLOC_TOP_PAD_"] == "17" and "MALLOC_TRIM_THRESHOLD_" not in os.environ


@pytest.mark.parametrize("make, view", [(salt_pans, 1), (lava_lizard, 2), (grain_hall, 1)])
def test_scenes_are_the_same_every_time_and_possible(make, view):
    first, again = make(SIZE, view), make(SIZE, view)
    light = first.XYZ()
    np.testing.assert_array_equal(light, again.XYZ())
    assert np.isfinite(light).all() and light.min() > -1e-4
    for amounts in (first.materials, first.emission, first.irradiance):
        assert all(np.isfinite(m).all() and m.min() > -1e-3 for m in amounts.values())
    assert all(m.min() > -1e-4 and m.max() < 1.001 for m in first.masks.values())


def test_frames_of_a_burst_share_the_rock_and_not_the_head():
    first, second = lava_lizard(SIZE, 0), lava_lizard(SIZE, 2)
    moved = np.abs(first.XYZ()[..., 1] - second.XYZ()[..., 1])
    assert moved[200:].max() < 1e-3, "the foot of the rock"
    assert moved.max() > 0.05
    assert first.masks["subject"].sum() == pytest.approx(second.masks["subject"].sum(), rel=0.05)


def test_the_dawn_has_water_that_mirrors_and_a_plank_where_planned():
    with_plank = [n for n, stand in enumerate(PANS) if stand.plank]
    assert with_plank and len(with_plank) < len(PANS)
    scene = salt_pans(SIZE, with_plank[0])
    assert 0.001 < scene.masks["plank"].mean() < 0.1 and 0.05 < scene.masks["water"].mean() < 0.7
    assert "plank" not in salt_pans(SIZE, 1).masks
    wet = scene.masks["water"] > 0.9
    # water sends on the blue of the sky; dry ground gives off none of its own but haze
    assert scene.emission["blue"][wet].mean() > 0.005
    near = np.zeros_like(wet)
    near[220:] = True
    assert scene.emission["blue"][near & (scene.masks["water"] < 0.01)].max(initial=0.0) < 1e-3


def test_the_focus_pair_is_sharp_in_different_places():
    pair = [s for s in DEMO_SHOTS if s.scene == "salt-pans" and s.view == 6]
    scene = scene_of("salt-pans", (900, 600), view=6)
    detail = []
    for shot in pair:
        frame = expose(scene, replace(shot.settings, noise=False))
        green = frame.mosaic.values[0::2, 1::2].astype(float)
        fine = np.abs(np.diff(green, axis=1))
        detail.append((fine[-40:].mean(), fine[90:120].mean()))
    (near_near, near_far), (far_near, far_far) = detail
    assert near_near > 1.15 * far_near and far_far > near_far


def test_a_written_frame_says_how_it_was_taken(tmp_path):
    shot = next(s for s in DEMO_SHOTS if s.settings.shake > 0)
    write_frame(expose(scene_of(shot.scene, SIZE, view=shot.view), shot.settings), tmp_path / "a.dng")
    taken = read_frame(tmp_path / "a.dng").exposure
    assert taken.focus_m == pytest.approx(shot.settings.focus_m, rel=1e-3)
    assert taken.iso == shot.settings.iso and taken.focal_mm == shot.settings.focal_mm
