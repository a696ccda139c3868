"""Dust: planted by the simulated sensor and on the skies of photographs; proven by other views; not seen in things."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from matiz.colour.spaces import decode_sRGB
from matiz.develop.frame.sensor import Sensor
from matiz.develop.graph.engine import Engine
from matiz.findings.find import find, fixed
from matiz.measure.mend.dust import Speck, find_dust, proven, view_of
from matiz.measure.picture import Meter
from matiz.recipe.model import Recipe
from matiz_simcam.sensor import SensorFaults
from matiz_simcam.sensor import SensorSpeck as Planted
from matiz_simcam.shoot import DEMO_SHOTS, simulate

SIZE = (1500, 1000)
SURE = 0.5
# far from the clouds: x, y, width in px of 1,500, depth as it comes out
SPOTS = ((200, 60, 20, 0.12), (420, 40, 34, 0.06), (700, 50, 14, 0.2), (820, 30, 26, 0.09), (1250, 45, 40, 0.15))


def dusty(name: str = "CORVA_0015", spots=SPOTS) -> Engine:
    shot = next(s for s in DEMO_SHOTS if s.name.startswith(name))
    spread = 0.7 + 0.3 * 16.0 / shot.settings.f_number
    planted = tuple(
        Planted(x / SIZE[0], y / SIZE[0], w / 2 / SIZE[0] / spread, depth * spread**2) for x, y, w, depth in spots
    )
    settings = replace(shot.settings, faults=SensorFaults(specks=planted))
    return Engine(simulate(shot.scene, SIZE, settings, view=shot.view))


@pytest.fixture(scope="module")
def engine() -> Engine:
    return dusty()


def test_planted_shadows_are_found_as_they_are(engine):
    found = [s for s in Meter(engine).take(Recipe(), "dust").specks if s.certainty >= SURE]
    assert len(found) <= len(SPOTS) + 1 and max(s.certainty for s in found) <= 0.7, "one frame proves nothing"
    for x, y, width, depth in SPOTS:
        near = [s for s in found if np.hypot(s.x - x, s.y - y) < width / 4]
        assert len(near) == 1, (x, y, found)
        assert near[0].depth == pytest.approx(depth, rel=0.15)
        assert near[0].r == pytest.approx(width / 2, rel=0.15)


def test_the_finding_heals_them_and_then_is_silent(engine):
    meter, recipe = Meter(engine), Recipe()
    found = {f.id: f for f in find(engine, meter.picture(recipe), recipe)}["mend.dust"]
    assert found.claim.startswith("5 dust spots") and len(found.outlines) == len(found.adds) == 5
    healed = fixed(recipe, found)
    assert len(healed.mend.repairs) == 5
    runs = meter.runs["dust"]
    assert "mend.dust" not in {f.id for f in find(engine, meter.picture(healed), healed)}
    assert meter.runs["dust"] == runs, "what is healed is not looked for again"
    shot = next(s for s in DEMO_SHOTS if s.name.startswith("CORVA_0015"))
    clean = Engine(simulate(shot.scene, SIZE, replace(shot.settings, faults=SensorFaults()), view=shot.view))
    for level in (0, 1):
        before, after, truth = (
            each.render(r, level, result="camera") for each, r in ((engine, recipe), (engine, healed), (clean, recipe))
        )
        for x, y, width, depth in SPOTS:
            spot = np.s_[(y - 3) >> level : (y + 4) >> level, (x - 3) >> level : (x + 4) >> level]
            left = abs(after[spot].mean() / truth[spot].mean() - 1.0)
            assert left < 0.035 + 0.2 * depth < abs(before[spot].mean() / truth[spot].mean() - 1.0), (x, width, level)


@pytest.mark.parametrize("name", ["CORVA_0031", "CORVA_0052", "CORVA_0054"])
def test_things_are_not_dust(name):
    """A lizard on sand, guests in a hall: at most one false find, and no sure one."""
    found = Meter(dusty(name, ())).take(Recipe(), "dust").specks
    assert sum(s.certainty >= 0.3 for s in found) <= 1 and not [s for s in found if s.certainty >= 0.6]


def test_photographs_without_dust_have_none_and_planted_skies_do():
    data = pytest.importorskip("skimage.data")
    china, flower = pytest.importorskip("sklearn.datasets").load_sample_images().images
    for picture in (data.chelsea(), flower, data.rocket(), china):
        linear = decode_sRGB(picture[..., :3] / 255.0).astype(np.float32)
        assert sum(s.certainty >= SURE for s in find_dust(linear)) <= 1
    linear = decode_sRGB(china / 255.0).astype(np.float32)
    places = ((420, 30), (500, 60), (560, 25), (600, 80), (330, 20))
    y, x = np.mgrid[0 : linear.shape[0], 0 : linear.shape[1]]
    for px, py in places:
        linear *= (1.0 - 0.12 * np.exp(-((np.hypot(x - px, y - py) / 7.0) ** 2.5)))[..., None].astype(np.float32)
    found = [s for s in find_dust(linear) if s.certainty >= SURE]
    hits = sum(any(np.hypot(s.x - px, s.y - py) < 3 for s in found) for px, py in places)
    assert hits >= 4 and len(found) - hits <= 1


def test_proof_needs_another_view():
    rng = np.random.default_rng(2)
    here, there = (cv2.resize(rng.random((6, 6, 3)).astype(np.float32), (90, 60)) for _ in range(2))
    one, same = Speck(100, 50, 8, 0.1, 0.4), Speck(103, 52, 9, 0.08, 0.5)
    far = Speck(200, 50, 8, 0.1, 0.9)
    frames = {"a": (one, far), "b": (same,), "c": (one,)}
    views = {"a": view_of(here), "b": view_of(there), "c": view_of(1.7 * here)}
    found = proven(frames, views)
    assert [s.frames for s in found["a"]] == [2] and found["a"][0].certainty > 0.7
    assert [s.frames for s in found["b"]] == [3], "seen in both others"
    assert proven({"a": (one,), "c": (one,)}, views) == {"a": (), "c": ()}, "the same view proves nothing"


def test_a_frame_too_small_for_dust_has_none():
    assert find_dust(np.full((40, 40, 3), 0.3, np.float32)) == ()
    assert Sensor(dusty(spots=()).frame).frame.size == SIZE
