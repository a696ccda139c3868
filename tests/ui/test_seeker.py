"""The subject is looked for aside: rough first, then exact; ahead of who wants it; and no longer than its picture is
open."""

import threading

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from matiz.develop.graph.graph import place_mask
from matiz.errors import FileError
from matiz.masks.subject import SubjectMap
from matiz.measure.places.mask_edge import EdgeReading
from matiz.recipe.paths import added
from matiz.recipe.places import Place, Ramp, Subject
from matiz.recipe.tree import Rows
from matiz.ui.frame.settle import settle
from matiz.work import seeker as seeker_module
from matiz.work.seeker import CLOSER, LOOKING


class Looks:
    """Stands for the network: of the lower half it finds the left quarter, the left half, then all; each look once it
    is let go."""

    def __init__(self, monkeypatch) -> None:
        self.calls, self.had, self.fails = 0, 0, False
        self.let = threading.Semaphore(0)
        monkeypatch.setattr("matiz.develop.frame.found.find_subject", self)

    def __call__(self, picture, on_look) -> SubjectMap:
        self.calls += 1
        if self.fails:
            raise FileError("no network; delete it")
        for columns in (16, 32, 64):
            assert self.let.acquire(timeout=20)
            share = np.zeros((64, 64), np.float32)
            share[32:, :columns] = 1.0
            found = SubjectMap(share, "network")
            self.had += 1
            if columns < 64:
                on_look(found)
        return found


@pytest.fixture
def looks(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    made = Looks(monkeypatch)
    yield made
    made.let.release(9)


@pytest.fixture
def said(window):
    heard = []
    window.session.said.connect(heard.append)
    return heard


def wait_until(condition) -> None:
    for _ in range(2000):
        if condition():
            return
        QTest.qWait(5)
    raise AssertionError("it did not come")


def share_of_mask(window) -> float:
    recipe = window.session.recipe
    node, n = place_mask(recipe, recipe.places.order[0])
    return float(window.session.engine.render(recipe, 1, result=node)[..., n].mean())


def asked_for(window) -> None:
    window.go_to(window.stations.places)
    window.stations.places.new_place()
    settle(window)
    window.stations.places.add_part(Subject, "add")


@pytest.mark.parametrize("stops", [-2.0, 0.0])
def test_a_mask_is_there_with_the_first_look_and_better_with_each_and_told_of_once_it_is_whole(
    window, looks, said, stops, monkeypatch
):
    monkeypatch.setattr("matiz.measure.places.readings.read_edge", lambda *_: EdgeReading(0.9, (), (), 0.0))
    asked_for(window)
    window.stations.places.set_place("exposure_EV", stops, "Darker")
    ident = window.session.recipe.places.order[0]
    assert said == [LOOKING] and not window.session.recipe.places[ident].mask
    for n, (share, word) in enumerate([(0.125, CLOSER), (0.25, CLOSER), (0.5, "Subject found.")], 1):
        before = len(said)
        looks.let.release()
        wait_until(lambda before=before: len(said) > before)
        if n == 3:
            settle(window)
        assert said[-1] == word and share_of_mask(window) == pytest.approx(share, abs=0.03), n
        if n < 3:
            for name in ("places", "edges"):
                wait_until(lambda name=name: ident not in (window.session.reading.get(name) or {}))
            wait_until(window.session.judging.is_idle)
            assert not any("empty" in finding.claim for finding in window.session.findings)
    assert window.session.reading.get("places")[ident].coverage == pytest.approx(0.5, abs=0.03)
    assert ident in window.session.reading.get("edges"), "of a place that changes nothing yet too"
    assert looks.calls == 1 and len(window.session.recipe.places[ident].mask) == 1
    assert len(window.session.document.version.history.changes) == 2 + bool(stops), "the part was put once"


@pytest.mark.parametrize("name", ["places", "finish", "tone"])
def test_it_is_looked_for_ahead_where_it_is_mostly_asked_for(window, looks, monkeypatch, name):
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 0)
    looks.let.release(6)
    path = window.session.path
    for count in (1, 2):
        if count == 1:
            window.go_to(getattr(window.stations, name))
        else:
            window.session.step(1)
            wait_until(lambda: window.session.path != path and window.session.is_open)
        if name == "tone":
            QTest.qWait(60)
        else:
            wait_until(lambda count=count: looks.calls == count)
    assert name != "tone" or not looks.calls


def test_one_that_was_looked_for_ahead_is_there_when_it_is_asked(window, looks, said, monkeypatch):
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 0)
    looks.let.release(3)
    window.go_to(window.stations.places)
    found = window.session.engine.found
    wait_until(found.is_at_hand)
    wait_until(lambda: window.session.reading.get("attention") is not None)
    settle(window)
    assert not said and looks.calls == 1
    assert window.session.reading.get("attention").subject is not None, "measured with it, unasked"
    window.stations.places.new_place()
    window.stations.places.add_part(Subject, "add")
    assert len(window.session.recipe.places[window.session.recipe.places.order[0]].mask) == 1, "at once"
    settle(window)
    window.go_to(window.stations.tone)
    window.go_to(window.stations.places)
    settle(window)
    assert looks.calls == 1


def test_places_that_do_not_want_it_are_not_read_again_when_it_is_found(window, looks, monkeypatch):
    place = Place(mask=Rows([("m1", Ramp())]), exposure_EV=-1.0)
    window.session.commit(added(window.session.recipe, [("places", place)]), "x")
    settle(window)
    runs = window.session.picture.meter.runs
    before = runs["places"]
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 0)
    looks.let.release(3)
    window.go_to(window.stations.places)
    wait_until(lambda: looks.had == 3 and window.session.seeker._job is None)
    settle(window)
    assert runs["places"] == before and runs["attention"] >= 1


def test_who_asks_while_it_is_looked_for_ahead_joins(window, looks, said, monkeypatch):
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 0)
    window.go_to(window.stations.places)
    looks.let.release()
    wait_until(lambda: window.session.engine.found.looked == 1)
    assert window.session.is_idle(), "who does not wait for it does not see it"
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 10**7)
    asked_for(window)
    assert said[0] == CLOSER and share_of_mask(window) == pytest.approx(0.125, abs=0.03)
    assert not window.session.is_idle()
    looks.let.release(2)
    settle(window)
    assert looks.calls == 1 and said[-1] == "Subject found."


def test_what_is_wrong_is_said_when_it_is_asked(window, looks, said, monkeypatch):
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 0)
    looks.fails = True
    window.go_to(window.stations.places)
    wait_until(lambda: looks.calls == 1)
    wait_until(lambda: window.session.seeker._job is None)
    assert not said
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 10**7)
    asked_for(window)
    settle(window)
    assert said == [LOOKING, "no network; delete it"] and looks.calls == 2
    looks.fails = False
    looks.let.release(3)
    window.stations.places.add_part(Subject, "add")
    settle(window)
    assert said[-1] == "Subject found.", "it can be asked again"


def test_a_picture_that_goes_is_not_looked_at_further(window, looks, said):
    asked_for(window)
    before = window.session.path
    window.session.step(1)
    wait_until(lambda: window.session.path != before and window.session.is_open)
    looks.let.release(3)
    settle(window)
    window.session.seeker._pool.wait()
    QTest.qWait(20)
    assert looks.had == 1 and "Subject found." not in said
    assert not window.session.recipe.places, "what it was looked for is not put to another"
    window.session.step(-1)
    settle(window)
    window.stations.places.add_part(Subject, "add")
    looks.let.release(3)
    settle(window)
    assert looks.calls == 2 and said[-1] == "Subject found."


def test_nothing_is_looked_for_ahead_while_a_hand_drags_or_a_picture_was_just_opened(window, looks, monkeypatch):
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 30)
    window.go_to(window.stations.places)
    assert looks.calls == 0
    monkeypatch.setattr(QApplication, "mouseButtons", lambda: Qt.MouseButton.LeftButton)
    QTest.qWait(150)
    assert looks.calls == 0
    monkeypatch.setattr(QApplication, "mouseButtons", lambda: Qt.MouseButton.NoButton)
    wait_until(lambda: looks.calls == 1)
    looks.let.release(3)
    wait_until(window.session.engine.found.is_at_hand)
    path = window.session.path
    window.session.step(1)
    wait_until(lambda: window.session.path != path and window.session.is_open)
    wait_until(lambda: looks.calls == 2)
    looks.let.release(3)
    settle(window)


def test_who_leaves_before_it_is_looked_for_does_not_have_it_looked_for(window, looks, monkeypatch):
    monkeypatch.setattr(seeker_module, "AHEAD_MS", 60)
    window.go_to(window.stations.places)
    window.go_to(window.stations.tone)
    QTest.qWait(200)
    assert looks.calls == 0


def test_a_picture_of_which_places_want_the_subject_is_looked_at_as_it_opens(window, looks, said):
    place = Place(mask=Rows([("m1", Subject())]), exposure_EV=-2.0)
    window.session.commit(added(window.session.recipe, [("places", place)]), "x")
    looks.let.release(3)
    settle(window)
    assert said[0] == LOOKING and looks.calls == 1 and share_of_mask(window) == pytest.approx(0.5, abs=0.03)
