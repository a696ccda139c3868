"""Masks that are found by themselves, in the picture as it is developed."""

import json

import numpy as np
import pytest
from PIL import Image

from matiz.cli import main
from matiz.develop.engine import Engine
from matiz.develop.graph import mask
from matiz.develop.places import Masked
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe
from matiz.recipe.places import Background, Faces, Ground, Place, Sky, Subject
from matiz.recipe.tree import Rows, added
from matiz.simcam.camera import expose
from matiz.simcam.shoot import DEMO_SHOTS, scene_of, write_frame
from matiz.simcam.truth import truth_of

SIZE = (1500, 1000)


@pytest.fixture(scope="module")
def lizard():
    """The frame of the burst at ISO 3200, and the truth of its subject."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    scene = scene_of(shot.scene, SIZE, view=shot.view)
    truth = truth_of(scene, shot.settings).masks
    return expose(scene, shot.settings), truth["subject"] + truth["eye"]


def mask_of_part(engine, part, recipe=None, level=0, region=None):
    recipe = recipe or Recipe()
    return engine.render(recipe, level, region, result=mask(Masked(Rows([("p", part)]))))[..., 0]


def overlap(a, b) -> float:
    return float(((a > 0.5) & (b > 0.5)).sum() / ((a > 0.5) | (b > 0.5)).sum())


def test_the_subject_of_the_burst_is_found_once_at_every_size_and_its_background_is_the_rest(lizard):
    frame, truth = lizard
    engine = Engine(frame)
    found = mask_of_part(engine, Subject())
    assert overlap(found, truth) > 0.85
    rest = mask_of_part(engine, Background())
    assert np.abs(found + rest - 1.0).max() < 1e-5
    small = mask_of_part(engine, Subject(), level=1)
    assert overlap(small, found[::2, ::2]) > 0.93
    x, y, w, h = 300, 200, 400, 300
    part = mask_of_part(engine, Subject(), region=(x, y, w, h))
    assert np.abs(part - found[y : y + h, x : x + w]).mean() < 0.01
    assert engine.sensor.found.runs == 1


def test_decisions_about_tone_leave_the_subject_where_it_is_and_turning_takes_it_along(lizard):
    engine = Engine(lizard[0])
    plain = mask_of_part(engine, Subject(), level=1)
    darker = Recipe().change_all([("tone.exposure_EV", -1.5)], label="x")[0]
    assert overlap(mask_of_part(engine, Subject(), darker, level=1), plain) > 0.93
    turned = Recipe().change_all([("mend.crop", (0.2, 0.1, 0.6, 0.5))], label="x")[0]
    cropped = mask_of_part(engine, Subject(), turned, level=1)
    x, y = round(0.2 * SIZE[0] / 2), round(0.1 * SIZE[0] / 2)
    height, width = cropped.shape
    assert overlap(cropped, plain[y : y + height, x : x + width]) > 0.93
    assert engine.sensor.found.runs == 1


def test_taps_correct_the_subject(lizard):
    frame, truth = lizard
    engine = Engine(frame)
    plain = mask_of_part(engine, Subject(), level=1)
    y, x = np.argwhere(truth[::2, ::2] > 0.9).mean(axis=0)
    tap = (float(x) * 2 / SIZE[0], float(y) * 2 / SIZE[0])
    without = mask_of_part(engine, Subject(keep_out=(tap,)), level=1)
    assert plain[int(y), int(x)] > 0.9 and without[int(y), int(x)] < 0.1
    swapped = mask_of_part(engine, Background(picks=(tap,)), level=1)
    assert swapped[int(y), int(x)] > 0.9, "a tap on the background says that it is background"


def test_the_sky_of_the_pans_ends_at_the_hills(scene_engine):
    sky = mask_of_part(scene_engine, Sky())
    ground = mask_of_part(scene_engine, Ground())
    assert np.abs(sky + ground - 1.0).max() < 1e-5
    assert sky[:40].mean() > 0.97 and sky[250:].max() < 0.05
    shot = DEMO_SHOTS[0]
    truth = truth_of(scene_of(shot.scene, (600, 400), view=shot.view), shot.settings)
    assert overlap(sky, truth.masks["sky"]) > 0.93


def test_faces_all_or_one(hall_engine):
    every, first = (mask_of_part(hall_engine, Faces(n=n)) for n in (0, 1))
    found = hall_engine.sensor.found.faces()
    assert len(found) >= 2 and 0 < first.sum() < every.sum() and (first <= every + 1e-6).all()
    largest = found[0]
    at = int((largest.y + largest.h / 2) * 600), int((largest.x + largest.w / 2) * 600)
    assert first[at] > 0.9
    assert mask_of_part(hall_engine, Faces(n=99)).max() == 0.0


def test_a_place_on_the_subject_darkens_it_alone(lizard):
    frame, truth = lizard
    engine = Engine(frame)
    place = Place(mask=Rows([("m1", Subject())]), exposure_EV=-2.0)
    recipe = Recipe().change_all([*added(Recipe(), [("places", place)])], label="x")[0]
    before, after = (engine.render(r, 1, result="display").mean(axis=2) for r in (Recipe(), recipe))
    inside = truth[::2, ::2] > 0.99
    ratio = np.median(after[inside] / before[inside])
    assert ratio < 0.5 and np.abs(after - before)[:20].max() < 2e-3


def test_by_the_command_line(tmp_path, lizard, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    path = tmp_path / "a.dng"
    write_frame(lizard[0], path)
    out = tmp_path / "m.png"
    assert main(["mask", str(path), "--part", "subject", "-o", str(out)]) == 0
    written = np.asarray(Image.open(out)).astype(float) / 65535.0
    assert overlap(written, lizard[1]) > 0.85
    kept = list((tmp_path / "cache/matiz/found").glob("*-network.png"))
    assert len(kept) == 1
    assert main(["mask", str(path), "--part", "faces,n=1", "-o", str(out)]) == 0
    schema = json.dumps(Recipe().to_json())
    assert "places" in schema
    assert Engine(read_frame(path)).sensor.found.has("subject"), "kept for the next start"
