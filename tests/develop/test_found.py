"""Masks that are found by themselves, in the picture as it is developed."""

import threading

import cv2
import numpy as np
import pytest
from PIL import Image

from matiz.cli import main
from matiz.develop.frame import found as found_module
from matiz.develop.frame.found import WHOLE, Found
from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.develop.graph.graph import mask
from matiz.develop.places.weighing import Masked
from matiz.errors import Cancelled
from matiz.masks import edges
from matiz.masks.subject import SubjectMap
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz.recipe.places import Background, Faces, Focus, Ground, Lasso, People, Place, SkinOf, Sky, Subject
from matiz.recipe.tree import Rows
from matiz_simcam.camera import expose
from matiz_simcam.shoot import DEMO_SHOTS, scene_of
from matiz_simcam.truth import truth_of

SIZE = (1500, 1000)


@pytest.fixture(scope="module")
def two_faces():
    """Two guests over a shoulder, near enough for their faces to be found in a small frame."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0057.dng")
    return Engine(expose(scene_of(shot.scene, (600, 400), view=shot.view), shot.settings))


@pytest.fixture(scope="module")
def lizard():
    """An engine on a frame of the burst at ISO 3200, and the truth of its subject."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    scene = scene_of(shot.scene, SIZE, view=shot.view)
    truth = truth_of(scene, shot.settings).masks
    return Engine(expose(scene, shot.settings)), truth["subject"] + truth["eye"]


def mask_of_part(engine, part, recipe=None, level=0, region=None):
    recipe = recipe or Recipe()
    return engine.render(recipe, level, region, result=mask(Masked(Rows([("p", part)]))))[..., 0]


def overlap(a, b) -> float:
    return float(((a > 0.5) & (b > 0.5)).sum() / ((a > 0.5) | (b > 0.5)).sum())


def test_the_subject_of_the_burst_is_found_once_at_every_size_and_its_background_is_the_rest(lizard):
    engine, truth = lizard
    found = mask_of_part(engine, Subject())
    assert overlap(found, truth) > 0.85
    rest = mask_of_part(engine, Background())
    assert np.abs(found + rest - 1.0).max() < 1e-5
    small = mask_of_part(engine, Subject(), level=1)
    assert overlap(small, found[::2, ::2]) > 0.93
    x, y, w, h = 300, 200, 400, 300
    part = mask_of_part(engine, Subject(), region=(x, y, w, h))
    assert np.abs(part - found[y : y + h, x : x + w]).mean() < 0.01
    assert engine.found.runs == 1


def test_decisions_about_tone_leave_the_subject_where_it_is_and_turning_takes_it_along(lizard):
    engine, _ = lizard
    plain = mask_of_part(engine, Subject(), level=1)
    darker = Recipe().change_all([("tone.exposure_EV", -1.5)], label="x")[0]
    assert (mask_of_part(engine, Subject(), darker, level=1) == plain).all()
    turned = Recipe().change_all([("mend.crop", (0.2, 0.1, 0.6, 0.5))], label="x")[0]
    cropped = mask_of_part(engine, Subject(), turned, level=1)
    x, y = round(0.2 * SIZE[0] / 2), round(0.1 * SIZE[0] / 2)
    height, width = cropped.shape
    assert np.abs(cropped - plain[y : y + height, x : x + width]).mean() < 1e-3
    assert engine.found.runs == 1


def test_taps_correct_the_subject(lizard):
    engine, truth = lizard
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


def test_faces_all_or_one(two_faces):
    every, first = (mask_of_part(two_faces, Faces(n=n)) for n in (0, 1))
    found = two_faces.found.faces()
    assert len(found) >= 2 and 0 < first.sum() < every.sum() and (first <= every + 1e-6).all()
    largest = found[0]
    at = int((largest.y + largest.h / 2) * 600), int((largest.x + largest.w / 2) * 600)
    assert first[at] > 0.9
    assert mask_of_part(two_faces, Faces(n=99)).max() == 0.0


def test_a_place_on_the_subject_darkens_it_alone(lizard):
    engine, truth = lizard
    place = Place(mask=Rows([("m1", Subject())]), exposure_EV=-2.0)
    recipe = Recipe().change_all([*added(Recipe(), [("places", place)])], label="x")[0]
    before, after = (engine.render(r, 1, result="display").mean(axis=2) for r in (Recipe(), recipe))
    inside = truth[::2, ::2] > 0.99
    ratio = np.median(after[inside] / before[inside])
    assert ratio < 0.5 and np.abs(after - before)[:20].max() < 2e-3


def test_by_the_command_line(tmp_path, lizard, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    share = cv2.resize(lizard[1].astype(np.float32), (512, 512), interpolation=cv2.INTER_AREA)
    monkeypatch.setattr(found_module, "find_subject", lambda *_: SubjectMap(share, "network"))
    path = tmp_path / "a.dng"
    write_frame(lizard[0].frame, path)
    out = tmp_path / "m.png"
    assert main(["mask", str(path), "--part", "subject", "-o", str(out)]) == 0
    written = np.asarray(Image.open(out)).astype(float) / 65535.0
    assert overlap(written, lizard[1]) > 0.85
    kept = list((tmp_path / "cache/matiz/found").glob("*-closer.map"))
    assert len(kept) == 1
    assert main(["mask", str(path), "--part", "faces,n=1", "-o", str(out)]) == 0
    assert Engine(read_frame(path)).sensor.found.is_at_hand(), "kept for the next start"


class Network:
    """Stands for the network: counts, and finds a diagonal."""

    def __init__(self, monkeypatch, how: str = "network") -> None:
        self.calls, self.how = 0, how
        monkeypatch.setattr(found_module, "find_subject", self)

    def __call__(self, picture, on_look=lambda _: None) -> SubjectMap:
        self.calls += 1
        return SubjectMap(np.eye(64, dtype=np.float32), self.how)


@pytest.fixture
def file(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    path = tmp_path / "a.dng"
    path.write_bytes(b"x")
    return path


def found_in(file) -> Found:
    return Found((512, 512), lambda _, region: np.full((region[3], region[2], 3), 90, np.uint8), file)


def test_what_was_found_is_kept_and_found_again_after_a_restart(file, monkeypatch):
    network = Network(monkeypatch)
    first = found_in(file)
    assert not first.is_at_hand()
    assert first.subject_map() is first.subject_map() and network.calls == 1 and first.is_at_hand()
    again = found_in(file)
    assert again.is_at_hand() and (again.subject_map().share == np.eye(64)).all()
    assert network.calls == 1 and again.subject_map().how == "network"
    for kept in (file.parent / "cache/matiz/found").iterdir():
        kept.write_bytes(kept.read_bytes()[:-9])
    assert not found_in(file).is_at_hand(), "a map that is not whole"
    file.write_bytes(b"changed")
    assert not found_in(file).is_at_hand()


def test_a_guess_from_contrast_is_not_kept(file, monkeypatch):
    network = Network(monkeypatch, "contrast")
    assert found_in(file).subject_map().how == found_in(file).subject_map().how == "contrast" and network.calls == 2


def test_in_haste_masks_are_made_of_what_is_known_so_far_and_only_the_last_is_made_exact(file, monkeypatch):
    """A third, two thirds, all of the picture; a network for edges, and hair, are for the last alone."""
    asked = []

    def looking(picture, on_look) -> SubjectMap:
        for n in (1, 2):
            share = np.zeros((64, 64), np.float32)
            share[:, : 64 * n // 3] = 1.0
            on_look(SubjectMap(share, "network"))
        return SubjectMap(np.ones((64, 64), np.float32), "network")

    monkeypatch.setattr(found_module, "find_subject", looking)
    found = found_in(file)
    monkeypatch.setattr(found._edges, "seen", lambda of, view: asked.append(of))
    found.in_haste = True
    seen = [found.looked]
    found.subject_map(on_look=lambda: (seen.append(found.looked), found.subject(None), found.people(None, 0)))
    found.subject(None, n=1)
    assert seen == [0, 1, 2] and found.looked == WHOLE and not found.is_waiting
    subjects = [of for of in asked if of.name[0] == "subject"]
    assert [round(float(of.share.mean()), 1) for of in subjects] == [0.3, 0.7, 1.0]
    assert [of.hair_px > 0.0 for of in subjects] == [False, False, True]
    assert len({of.name for of in asked}) == len(asked), "what follows from another look is another map"
    assert all(of.hair_px == 0.0 for of in asked if of.name[0] == "person")


def test_who_is_not_in_haste_waits_for_the_whole(file, monkeypatch):
    Network(monkeypatch)
    found = found_in(file)
    assert found.looked == WHOLE and not found.is_waiting and found.person_map(1).max() == 0.0


def test_a_search_that_is_ended_leaves_nothing_and_can_begin_again(file, monkeypatch):
    def looking(picture, on_look) -> SubjectMap:
        on_look(SubjectMap(np.eye(64, dtype=np.float32), "network"))
        return SubjectMap(np.ones((64, 64), np.float32), "network")

    monkeypatch.setattr(found_module, "find_subject", looking)
    found = found_in(file)

    def stop():
        raise Cancelled

    with pytest.raises(Cancelled):
        found.subject_map(on_look=stop)
    assert not found.is_at_hand() and not list(file.parent.glob("cache/matiz/found/*"))
    assert found.subject_map().share.min() == 1.0 and found.is_at_hand() and found.runs == 2


def test_two_who_ask_at_once_wait_for_one(file, monkeypatch):
    gate, network = threading.Event(), Network(monkeypatch)
    monkeypatch.setattr(found_module, "find_subject", lambda picture, _: gate.wait(5) and network(picture))
    found = found_in(file)
    asking = [threading.Thread(target=found.subject_map) for _ in range(3)]
    for each in asking:
        each.start()
    gate.set()
    for each in asking:
        each.join()
    assert network.calls == 1


def test_a_folder_that_cannot_be_written_keeps_nobody_from_working(file, monkeypatch):
    (file.parent / "cache").write_text("a file where a folder should be")
    Network(monkeypatch)
    assert found_in(file).subject_map().share.shape == (64, 64)


def test_a_drag_finds_the_subject_ready(lizard, monkeypatch):
    engine, _ = lizard
    place = Place(mask=Rows([("m1", Subject())]), exposure_EV=-1.0)
    base = Recipe().change_all([*added(Recipe(), [("places", place)])], label="x")[0]
    engine.render(base, 1)
    monkeypatch.setattr(edges, "exact", lambda *_: pytest.fail("fitted anew"))
    engine.render(base.change_all([("tone.exposure_EV", 0.4)], label="x")[0], 1)


def test_a_mask_that_is_fitted_is_the_same_in_a_region_and_over_all(scene_engine):
    outline = ((0.0, 0.0), (1.0, 0.0), (1.0, 0.13), (0.0, 0.13))
    part = Lasso(path=outline, fit_px=20.0)
    whole = mask_of_part(Engine(scene_engine.frame), part)
    assert np.abs(whole - mask_of_part(scene_engine, Lasso(path=outline))).mean() > 0.002, "it is moved"
    x, y, w, h = 200, 60, 150, 100
    # nothing but the region is made
    region = Engine(scene_engine.frame).peek(Recipe(), 0, (x, y, w, h), result=mask(Masked(Rows([("p", part)]))))[
        ..., 0
    ]
    assert np.abs(region - whole[y : y + h, x : x + w]).max() < 0.02


@pytest.mark.parametrize("kind", [People, SkinOf, Focus])
def test_people_skin_and_focus_by_their_parts(two_faces, kind, monkeypatch):
    monkeypatch.setattr(found_module, "find_subject", lambda *_: SubjectMap(np.ones((64, 64), np.float32), "network"))
    engine = Engine(two_faces.frame)
    found = mask_of_part(engine, kind())
    assert found.max() > 0.9 and found.min() < 0.1
    if kind is People:
        first = mask_of_part(engine, People(n=1))
        assert 0.0 < first.sum() < found.sum()
        face = engine.found.faces()[0]
        assert first[int((face.y + face.h / 2) * 600), int((face.x + face.w / 2) * 600)] > 0.9
        assert mask_of_part(engine, People(n=99)).max() == 0.0


def test_things_may_have_hair_and_qualities_of_surfaces_have_none(two_faces, monkeypatch):
    found = two_faces.found
    monkeypatch.setattr(found._edges, "seen", lambda of, view: of.hair_px)
    for name in ("skin_map", "focus_map", "sky_map"):
        monkeypatch.setattr(found, name, lambda: np.zeros((4, 4), np.float32))
    monkeypatch.setattr(found, "person_map", lambda n: np.zeros((4, 4), np.float32))
    assert found.skin(None) == found.focus(None) == 0.0
    assert found.sky(None) == found.people(None, 1) > 0.0
