"""Decisions given to others of the shoot, and others kept in step, in the real window."""

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from matiz.measure.sort.brief import Brief
from matiz.proposals.given_stations import LEVELLED, MEASURED, OWN, given_stations
from matiz.raw.frame import Exposure
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz.recipe.places import Brush, Place, Stroke
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import Rows
from matiz.shoot.sidecar import load_document
from matiz.ui.frame.settle import settle

EXPOSURE, LIGHT, LEVEL = "tone.exposure_EV", "light.cct_K", "mend.level_deg"


@pytest.fixture
def sort(window):
    window.session.open_picture(window.session.pictures[0])
    settle(window)
    window.go_to(window.stations.sort)
    window.stations.sort.sheet.selectAll()
    return window.stations.sort


def test_chosen_stations_are_given_as_one_step(window, sort):
    session = window.session
    first, second, third = session.pictures
    session.commit([(EXPOSURE, 1.0), (LIGHT, 4000.0), (LEVEL, 2.0)], "x")
    session.record_for(second, [("tone.black_EV", -7.0)], "own")
    sort.stations["mend"].click()
    sort.give.click()
    settle(window)
    assert "Edits copied to 2 pictures" in window.header.word.whole()
    for path in (second, third):
        document = load_document(path)
        recipe = document.recipe
        assert recipe.tone == session.recipe.tone and recipe.light == session.recipe.light
        assert recipe.mend.level_deg == 0.0, "not asked for"
        assert document.version.history.last_label == f"As {first.name}"
    assert load_document(second).version.undo().recipe.tone.black_EV == -7.0
    sort.sheet.clearSelection()
    sort.give.click()
    assert "Select other pictures" in window.header.word.whole()


@pytest.mark.parametrize("is_found", [True, False])
def test_what_is_drawn_is_laid_where_it_belongs_in_the_step_that_gave_it(window, sort, monkeypatch, is_found):
    session = window.session
    _, second, third = session.pictures
    stroke = Stroke(path=Shape.of([(0.3, 0.3), (0.4, 0.32)]), radius_px=20.0)
    place = Place(mask=Rows([("m1", Brush(strokes=Rows([("s1", stroke)])))]), exposure_EV=-1.0)
    session.commit(list(added(session.recipe, [("places", place)])), "x")
    [ident] = session.recipe.places.order
    way = np.array([[1.0, 0.0, 30.0], [0.0, 1.0, -20.0]])
    monkeypatch.setattr("matiz.measure.sort.travel.way_to", lambda *_: way if is_found else None)
    monkeypatch.setattr("matiz.measure.sort.travel.MOST_dE", 200.0)
    sort.give.click()
    settle(window)
    said = window.header.word.whole()
    assert ("was not found" in said) != is_found and ("in 2 pictures" in said) == is_found
    moved = np.array([30.0, -20.0]) / max(session.engine.frame.size) if is_found else np.zeros(2)
    for path in (second, third):
        document = load_document(path)
        points = document.recipe.places[ident].mask["m1"].strokes["s1"].path.points
        assert (points - stroke.path.points).mean(axis=0) == pytest.approx(moved, abs=1e-4)
        assert len(document.version.history.changes) == 1 and document.version.undo().recipe == Recipe()
    sort.stations["places"].click()
    monkeypatch.setattr("matiz.measure.sort.travel.way_to", lambda *_: pytest.fail("Places are not given"))
    session.commit([(EXPOSURE, 1.0)], "y")
    sort.give.click()
    settle(window)
    assert load_document(second).recipe.tone.exposure_EV == 1.0


def test_what_was_changed_there_before_it_could_be_laid_stays(window, sort, monkeypatch):
    session = window.session
    stroke = Stroke(path=Shape.of([(0.3, 0.3), (0.4, 0.32)]), radius_px=20.0)
    place = Place(mask=Rows([("m1", Brush(strokes=Rows([("s1", stroke)])))]), exposure_EV=-1.0)
    session.commit(list(added(session.recipe, [("places", place)])), "x")
    [ident] = session.recipe.places.order
    monkeypatch.setattr("matiz.measure.sort.travel.way_to", lambda *_: np.array([[1.0, 0.0, 30.0], [0.0, 1.0, -20.0]]))
    monkeypatch.setattr("matiz.measure.sort.travel.MOST_dE", 200.0)
    second, third = session.pictures[1:]
    sort.following.give([second, third])
    session.record_for(second, [(f"places.{ident}.exposure_EV", 0.5)], "own")
    settle(window)
    kept, laid = (load_document(path).recipe.places[ident] for path in (second, third))
    assert kept == replace(place, exposure_EV=0.5) and laid.mask != place.mask


def test_what_is_drawn_is_laid_in_those_in_step_too_and_looked_for_once(window, sort, monkeypatch):
    session, looked, ways = window.session, [], [np.array([[1.0, 0.0, 30.0], [0.0, 1.0, -20.0]])]
    second, third = session.pictures[1:]

    def way_to(engine, *_):
        looked.append(engine)
        return ways[0] if ways else None

    monkeypatch.setattr("matiz.measure.sort.travel.way_to", way_to)
    monkeypatch.setattr("matiz.measure.sort.travel.MOST_dE", 200.0)
    stroke = Stroke(path=Shape.of([(0.3, 0.3), (0.4, 0.32)]), radius_px=20.0)
    place = Place(mask=Rows([("m1", Brush(strokes=Rows([("s1", stroke)])))]), exposure_EV=-1.0)
    session.commit(list(added(session.recipe, [("places", place)])), "x")
    [ident] = session.recipe.places.order

    def moved(path, name="s1"):
        there = load_document(path).recipe.places[ident].mask["m1"].strokes[name].path.points
        return (there - stroke.path.points).mean(axis=0)

    sort.follow.click()
    settle(window)
    far = np.array([30.0, -20.0]) / max(session.engine.frame.size)
    assert len(looked) == 2
    for path in (second, third):
        assert moved(path) == pytest.approx(far, abs=1e-4)
        assert len(load_document(path).version.history.changes) == 1
    # what the place does is given without a look
    session.commit([(f"places.{ident}.exposure_EV", 0.5), (EXPOSURE, 0.3)], "y")
    settle(window)
    given = load_document(third).recipe
    assert given.places[ident].exposure_EV == 0.5 and given.tone.exposure_EV == 0.3
    assert len(looked) == 2 and moved(third) == pytest.approx(far, abs=1e-4)
    # one stroke more is laid anew; where it is not found again it lies as it did, and is not looked for again
    ways.clear()
    said = []
    session.said.connect(said.append)
    session.commit([(f"places.{ident}.mask.m1.strokes.s2", stroke)], "z")
    settle(window)
    assert len(looked) == 4 and any("was not found" in each for each in said)
    assert moved(second, "s2") == pytest.approx((0.0, 0.0), abs=1e-9)
    session.commit([(EXPOSURE, 0.4)], "y")
    settle(window)
    assert len(looked) == 4
    sort.follow.click()
    sort.stations["places"].click()
    sort.follow.click()
    session.commit([(f"places.{ident}.mask.m1.strokes.s3", stroke)], "z")
    settle(window)
    assert len(looked) == 4, "Places are not given"


def test_those_in_step_follow_and_one_undo_takes_it_back(window, sort):
    session = window.session
    others = session.pictures[1:]
    session.commit([(EXPOSURE, 0.5)], "x")
    sort.follow.click()
    settle(window)
    assert sort.following.anchor == session.path and sort.reading_text() == "2 in step"
    for value in (0.7, 0.9, 1.1):
        session.commit([(EXPOSURE, value)], "x")
        settle(window)
    session.commit([(LIGHT, 4200.0)], "y")
    settle(window)
    for path in others:
        document = load_document(path)
        assert document.recipe.tone.exposure_EV == 1.1 and document.recipe.light.cct_K == 4200.0
        assert len(document.version.history.changes) == 1, "one step, whatever it took"
        assert document.version.undo().recipe == Recipe()
    session.commit([(EXPOSURE, 0.0), ("light.source", "as_shot"), (LIGHT, 5500.0), ("light.source", "as_shot")], "back")
    settle(window)
    assert load_document(others[0]).recipe.tone.exposure_EV == 0.0
    sort.follow.click()
    session.commit([(EXPOSURE, 2.0)], "z")
    settle(window)
    assert load_document(others[0]).recipe.tone.exposure_EV == 0.0 and sort.following.anchor is None


def test_another_picture_that_is_opened_is_no_anchor(window, sort):
    session = window.session
    sort.follow.click()
    session.open_picture(session.pictures[1])
    settle(window)
    session.commit([(EXPOSURE, 3.0)], "own")
    settle(window)
    assert session.document_of(session.pictures[2]).recipe.tone.exposure_EV == 0.0
    assert sort.following.anchor == session.pictures[0]
    window.open_paths([session.pictures[0].parent])
    settle(window)
    assert sort.following.anchor is None


def test_exposure_is_levelled_by_what_files_say_or_left():
    dark, bright = Exposure(100, 1 / 1000, 8.0), Exposure(400, 1 / 500, 5.6)
    more = bright.light_EV - dark.light_EV
    assert more == pytest.approx(4.0, abs=0.05) and Exposure(iso=100).light_EV is None
    anchor = Recipe().change_all([(EXPOSURE, 1.0), ("tone.black_EV", -7.0)], label="x")[0]
    target = Recipe().change(EXPOSURE, 0.3)[0]
    for how, wanted in ((LEVELLED, 1.0 - more), (OWN, 0.3)):
        settings = given_stations(anchor, target, ("tone",), how, differs_EV=more)
        after = target.change_all(settings, label="x")[0]
        assert after.tone.exposure_EV == pytest.approx(wanted, abs=0.001) and after.tone.black_EV == -7.0
    assert given_stations(anchor, target, ("light",)) == ()


def test_what_cannot_be_levelled_keeps_its_exposure_and_that_is_said(window, sort):
    session = window.session
    first, second, third = session.pictures
    session.desk.catalogue.exposures = {first: Exposure(100, 1 / 100, 8.0), second: Exposure(100, 1 / 400, 8.0)}
    session.commit([(EXPOSURE, 1.0), ("tone.black_EV", -7.0)], "x")
    sort.exposure_given.button(LEVELLED).click()
    sort.give.click()
    settle(window)
    assert load_document(second).recipe.tone.exposure_EV == pytest.approx(3.0)
    assert load_document(third).recipe.tone.exposure_EV == 0.0
    assert load_document(third).recipe.tone.black_EV == -7.0
    assert "1 exposure left" in window.header.word.whole()


def test_exposure_is_levelled_by_what_is_seen_once_that_is_measured(window, sort):
    session = window.session
    first, second, third = session.pictures
    looking = sort.sheet.sheet.looking
    looking.briefs = {
        path: Brief(None, 0.0, 0.0, None, level_EV=level) for path, level in ((first, -3.0), (second, -4.5))
    }
    session.commit([(EXPOSURE, 1.0), ("tone.black_EV", -7.0)], "x")
    sort.exposure_given.button(MEASURED).click()
    sort.give.click()
    settle(window)
    assert load_document(second).recipe.tone.exposure_EV == pytest.approx(2.5)
    assert load_document(third).recipe.tone.exposure_EV == 0.0
    assert "1 exposure left: they have not been measured" in window.header.word.whole()


MANY = """
import sys
from pathlib import Path
from PySide6.QtCore import QTimer
from matiz.ui.kit.application import application
from matiz.work.session import Session
from matiz.ui.frame.window import Window
app = application()
window = Window(Session())
window.show()
window.open_paths([Path(sys.argv[1])])
session, following = window.session, window.stations.sort.following
count = [0]
def decide():
    if not session.is_open or not following.is_idle():
        return
    if following.anchor is None:
        following.follow(session.pictures)
    count[0] += 1
    session.commit([("tone.exposure_EV", count[0] / 100)], "x")
    print(count[0], flush=True)
timer = QTimer(interval=20)
timer.timeout.connect(decide)
timer.start()
app.exec()
"""


def test_two_hundred_follow_and_a_kill_in_the_middle_leaves_every_sidecar_whole(shoot):
    first = shoot / "CORVA_0011.dng"
    for n in range(200):
        os.link(first, shoot / f"CORVA_1{n:03d}.dng")
    for name in ("CORVA_0031.dng", "CORVA_0052.dng"):
        (shoot / name).unlink()
    root = Path(__file__).parents[2]
    process = subprocess.Popen([sys.executable, "-c", MANY, str(shoot)], cwd=root, stdout=subprocess.PIPE, text=True)
    told = 0
    while told < 4:
        told = int(process.stdout.readline() or 4)
    time.sleep(0.25)
    os.kill(process.pid, signal.SIGKILL)
    process.stdout.close()
    process.wait()
    sidecars = sorted(shoot.glob("CORVA_1*.matiz.json"))
    assert len(sidecars) > 150, "they are written while it goes on"
    values = []
    for sidecar in sidecars:
        assert json.loads(sidecar.read_text())
        document = load_document(sidecar.with_name(sidecar.name.removesuffix(".matiz.json")))
        values.append(document.recipe.tone.exposure_EV)
        assert len(document.version.history.changes) == 1
    assert set(values) <= {n / 100 for n in range(1, 12)}
    shutil.rmtree(shoot)
