"""Saving in the real window: soon, whatever comes after; sidecars that vanish; what other windows write."""

import shutil
import threading
import time

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication, QMessageBox

from matiz.recipe.document import Document
from matiz.shoot.desk import Desk
from matiz.shoot.sidecar import load_document, save_document, sidecar_path
from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window
from matiz.work import deleted, opening, sorting
from matiz.work.saver import AFTER_MS, DRAG_MS, Saver
from matiz.work.session import Session

from .waiting import pause, wait_for

EXPOSURE = "tone.exposure_EV"
NAME = "CORVA_0011.dng"


@pytest.fixture
def saver(qapp, tmp_path):
    """A saver on a desk with one picture; `written` has the moments of its saves and what was in them."""
    picture = tmp_path / "a.dng"
    picture.write_bytes(b"x")
    desk = Desk()
    desk.open([tmp_path])
    made = Saver(desk)
    made.written, write = [], desk.write

    def noted(unsaved):
        made.written += [(time.monotonic(), one.document) for one in unsaved]
        return write(unsaved)

    desk.write = noted
    made.desk, made.picture = desk, picture
    yield made
    made.settle()
    desk.close_log()


def oldest_unsaved_s(saver, step_ms: int, seconds: float, step) -> float:
    """Steps at a pace; how long the oldest one that was not saved yet had to wait, at most."""
    waiting_since, worst = None, 0.0
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        step()
        now = time.monotonic()
        if saver.written and waiting_since is not None and saver.written[-1][0] >= waiting_since:
            waiting_since = None
        if waiting_since is None and not saver.is_idle():
            waiting_since = now
        worst = max(worst, now - (waiting_since or now))
        pause(step_ms)
    return worst


def test_steps_that_follow_do_not_put_a_save_off(saver):
    """74 steps in 8 s, each less than 250 ms after the one before: nothing was on the disk."""
    made = iter(range(1, 1000))

    def step():
        saver.desk.record(saver.picture, [(EXPOSURE, next(made) / 1000.0)], "step")
        saver.soon()

    assert oldest_unsaved_s(saver, 100, 2.5, step) < 0.7
    assert len(saver.written) >= 5
    assert load_document(saver.picture).recipe.tone.exposure_EV > 0.01


def test_steps_of_many_pictures_do_not_either(saver, tmp_path):
    pictures = []
    for n in range(30):
        pictures.append(tmp_path / f"{n}.dng")
        pictures[-1].write_bytes(b"x")
        saver.desk.record(pictures[-1], [(EXPOSURE, 1.0)], "in step")
        saver.soon()
        pause(50)
        oldest = max(0, n - round(0.7 / 0.05))
        assert all(sidecar_path(path).exists() for path in pictures[:oldest])


def test_a_drag_that_rests_is_saved_too(saver):
    """A hand that holds still moves no more: what it showed last was not written before it let go."""
    edit = saver.desk.begin(saver.picture)
    for n in range(5):
        edit.preview([(EXPOSURE, n / 10.0)])
        saver.drag()
    pause(DRAG_MS + AFTER_MS)
    assert saver.written[-1][1].recipe.tone.exposure_EV == 0.4
    count = len(saver.written)
    for n in range(20):
        edit.preview([(EXPOSURE, n / 100.0)])
        saver.drag()
        pause(10)
    assert len(saver.written) - count <= 2, "a drag is not written with each of its moves"


def test_a_save_that_failed_does_not_keep_the_next_step_waiting(saver, tmp_path):
    away = tmp_path / "away"
    away.mkdir()
    lost = away / "b.dng"
    lost.write_bytes(b"x")
    saver.desk.record(lost, [(EXPOSURE, 1.0)], "x")
    shutil.rmtree(away)
    saver.soon()
    wait_for(lambda: saver.written and saver._writing is None)
    saver.desk.record(saver.picture, [(EXPOSURE, 1.0)], "x")
    saver.soon()
    pause(700)
    assert load_document(saver.picture).recipe.tone.exposure_EV == 1.0


# ---- the window


@pytest.fixture
def soon_asked(monkeypatch):
    monkeypatch.setattr(deleted, "TOGETHER_MS", 50)


@pytest.fixture
def asking_window(soon_asked, window):
    return window


def delete_sidecars_of(window, *names: str) -> list:
    paths = [next(p for p in window.session.pictures if p.name == name) for name in names]
    for path in paths:
        window.session.sort_as(path, rank=4, caption="Dawn")
    wait_for(window.session.saver.is_idle)
    for path in paths:
        sidecar_path(path).unlink()
        window.session.sort_as(path, rank=5)
    wait_for(lambda: window.session.saver.is_idle() and getattr(window, "deleted_question", None) is not None)
    return paths


def press(window, text: str) -> None:
    (button,) = (each for each in window.deleted_question.buttons() if each.text().replace("&", "") == text)
    button.click()
    QApplication.processEvents()


def test_deleted_sidecars_are_saved_again_and_asked_about_once(asking_window):
    window = asking_window
    first, second = delete_sidecars_of(window, NAME, "CORVA_0031.dng")
    question = window.deleted_question
    assert isinstance(question, QMessageBox) and "2 pictures" in question.text() and NAME in question.text()
    assert load_document(first).caption == load_document(second).caption == "Dawn"
    press(window, "Keep the edits")
    assert load_document(first).rank == 5
    window.deleted_question = None
    sidecar_path(first).unlink()
    window.session.sort_as(first, rank=3)
    wait_for(window.session.saver.is_idle)
    pause(200)
    assert window.deleted_question is None and load_document(first) == Document(rank=3, caption="Dawn")


def test_who_deleted_them_on_purpose_can_let_the_edits_go(asking_window):
    window = asking_window
    window.session.commit([(EXPOSURE, 1.0)], "x")
    (path,) = delete_sidecars_of(window, NAME)
    press(window, "Discard the edits")
    settle(window)
    assert not sidecar_path(path).exists() and window.session.document == Document()
    assert window.session.recipe.tone.exposure_EV == 0.0 and window.session.desk.is_saved


def test_what_another_window_has_changed_is_shown(window, shoot):
    """The open picture is drawn anew, and the tile of any other one."""
    other = Desk()
    other.open([shoot])
    path, second = shoot / NAME, shoot / "CORVA_0031.dng"
    window.session.document_of(second)
    other.record(path, [("light.cct_K", 4300.0)], "Light")
    other.save()
    other.close_log()
    save_document(second, Document(rank=2))
    shown, sorted_pictures = [], []
    window.session.recipeChanged.connect(shown.append)
    window.session.sortingChanged.connect(sorted_pictures.append)
    window.session.sort_as(path, rank=3)
    window.session.sort_as(second, caption="Dawn")
    wait_for(lambda: window.session.recipe.light.cct_K == 4300.0 and any("light" in each for each in shown))
    wait_for(lambda: load_document(second) == Document(rank=2, caption="Dawn"))
    wait_for(lambda: sorted_pictures.count((second,)) == 2)
    window.session.undo()
    assert window.session.recipe.light.cct_K == 4300.0, "a step of the other window is taken back there"


def test_paging_there_and_back_leaves_no_picture_damaged(qapp, shoot, monkeypatch):
    """B, A, B within 0.3 s: B was called damaged, 2 of 2 tries."""
    monkeypatch.setattr(opening, "INTERRUPT_MS", 30)
    made = Window(Session())
    try:
        made.show()
        made.open_paths([shoot])
        settle(made)
        failed = []
        made.session.pictureFailed.connect(failed.append)
        first, second = shoot / NAME, shoot / "CORVA_0031.dng"
        for turn in range(2):
            for path in (second, first, second) if turn % 2 else (first, second, first):
                made.session.open_picture(path)
                pause(20)
            wait_for(lambda: made.session._opener.is_idle(), 30.0)
            assert not failed and made.session.is_open and made.session.path == (second if turn % 2 else first)
        settle(made)
    finally:
        made.close()
        made.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


# ---- names of files


@pytest.mark.parametrize("name", ["<img src='x'>&.dng", "a\x1b[31m\u202e.dng", "a&b.dng"])
def test_a_name_is_shown_as_it_is(window, shoot, name):
    """Qt took it for a formatted text, a mnemonic, or the other direction of writing."""
    path = shoot / name
    path.write_bytes((shoot / NAME).read_bytes())
    window.open_paths([shoot])
    window.session.open_picture(path)
    wait_for(lambda: window.session.path == path)
    settle(window)
    tips = [window.header.name.toolTip(), window.header.word.toolTip()]
    assert all(not tip.startswith("Versions of <") for tip in tips)
    assert not any(c in window.header.name.text() + "".join(tips) for c in "\x1b\u202e")
    assert "&b" not in window.header.name.text().replace("&&", "")
    window.go_to(window.stations.sort)
    settle(window)
    window.grab()


# ---- many pictures at once


def test_many_pictures_are_sorted_as_one_act(window, shoot, monkeypatch):
    """Ranks for 1,000 took 4.5 s: a signal, a count and a save for each."""
    for n in range(30):
        (shoot / f"CORVA_1{n:03d}.dng").write_bytes((shoot / NAME).read_bytes())
    window.open_paths([shoot])
    settle(window)
    window.go_to(window.stations.sort)
    settle(window)
    signals, drawn = [], []
    window.session.sortingChanged.connect(signals.append)
    window.stations.sort.sheet.sheet.dataChanged.connect(lambda *_: drawn.append(1))
    window.session.sort_as(*window.session.pictures, rank=4)
    assert len(signals) == 1 and len(signals[0]) == 33 and len(drawn) == 1
    assert window.session.desk.catalogue.kept_count() == 0
    window.session.sort_as(*window.session.pictures[:5], sorted_as="keep")
    assert window.session.desk.catalogue.kept_count() == 5
    wait_for(window.session.saver.is_idle)
    assert all(load_document(path).rank == 4 for path in window.session.pictures)


def test_sidecars_of_many_are_read_aside_first(window, shoot, monkeypatch):
    monkeypatch.setattr(sorting, "READ_AT_ONCE", 0)
    known = window.session.desk.documents
    with known._lock:
        known._tracked = {path: held for path, held in known._tracked.items() if path == window.session.path}
    threads = []
    read = known._read

    def noted(path, start):
        threads.append(threading.current_thread())
        return read(path, start)

    monkeypatch.setattr(known, "_read", noted)
    window.session.sort_as(*window.session.pictures, rank=2)
    wait_for(lambda: all(load_document(path).rank == 2 for path in window.session.pictures))
    assert threads and threading.main_thread() not in threads
