"""The folder followed: frames that come are taken in, decided as the one before, once they are whole."""

import os
import shutil
import subprocess
import sys
import threading
import time

import pytest
from PySide6.QtWidgets import QApplication

from matiz.shoot.sidecar import load_document
from matiz.ui.frame.settle import settle
from matiz.work import tether as tether_module

from .waiting import wait_for


@pytest.fixture
def followed(window, shoot):
    window.toggle_tether()
    settle(window)
    assert window.tether.folder == shoot and "Watching" in window.header.word.whole()
    return window


def test_a_new_frame_is_shown_as_the_open_one_is_decided(followed, shoot):
    session, sheet = followed.session, followed.stations.sort.sheet.sheet
    rows = sheet.rowCount()
    settings = [("tone.exposure_EV", 0.8), ("tone.contrast.fine_dB", 1.5), ("mend.level_deg", 1.0)]
    session.commit(settings, "x")
    settle(followed)
    recipe = session.recipe
    new = shoot / "CORVA_0090.dng"
    began = time.monotonic()
    shutil.copy(session.pictures[1], new)
    wait_for(lambda: session.path == new)
    took_s = time.monotonic() - began
    settle(followed)
    assert session.pictures[-1] == new and sheet.rowCount() == rows + 1
    assert session.recipe == recipe and took_s < 10.0, "two seconds on a machine that does nothing else"
    (step,) = session.document.version.history.changes
    assert step.label.startswith("As CORVA_")
    session.undo()
    assert session.recipe.tone.exposure_EV == 0.0, "one step takes it all back"
    settle(followed)
    assert load_document(new).version.history.changes


def test_a_half_written_file_is_waited_for(followed, shoot):
    session = followed.session
    data, new = session.pictures[1].read_bytes(), shoot / "CORVA_0091.dng"
    with new.open("wb") as file:
        file.write(data[: len(data) // 3])
        file.flush()
        # the camera pauses for longer than two looks
        deadline = time.monotonic() + 1.5
        while time.monotonic() < deadline:
            QApplication.processEvents()
            time.sleep(0.005)
        assert new not in session.pictures or session.path != new
        file.write(data[len(data) // 3 :])
    wait_for(lambda: session.path == new)


def test_what_was_decided_beside_a_frame_is_left_and_other_files_are_nothing(followed, shoot):
    session = followed.session
    session.commit([("tone.exposure_EV", 0.8)], "x")
    settle(followed)
    (shoot / "notes.txt").write_text("nothing")
    new = shoot / "CORVA_0092.dng"
    own = load_document(session.pictures[1]).change_all([("tone.exposure_EV", -1.0)], label="mine")[0]
    from matiz.shoot.sidecar import save_document

    save_document(new, own)
    shutil.copy(session.pictures[1], new)
    wait_for(lambda: session.path == new)
    settle(followed)
    assert session.recipe.tone.exposure_EV == -1.0
    followed.toggle_tether()
    shutil.copy(session.pictures[1], shoot / "CORVA_0093.dng")
    settle(followed, 1.0)
    assert len(session.pictures) == 4 and followed.tether.folder is None


def test_a_folder_that_stands_still_is_not_listed_again_and_again(followed, shoot, monkeypatch):
    listed = []
    at_once = tether_module.pictures_in
    monkeypatch.setattr(tether_module, "pictures_in", lambda folder: listed.append(1) or at_once(folder))
    monkeypatch.setattr(tether_module, "LIST_S", 60.0)
    settle(followed)
    listed.clear()
    settle(followed, 1.2)
    assert listed == []
    shutil.copy(followed.session.pictures[1], shoot / "CORVA_0094.dng")
    wait_for(lambda: followed.session.path == shoot / "CORVA_0094.dng")


def test_a_file_system_that_tells_no_times_is_followed_too(followed, shoot, monkeypatch):
    monkeypatch.setattr(tether_module, "LIST_S", 0.3)
    kept = shoot.stat()
    shutil.copy(followed.session.pictures[1], shoot / "CORVA_0095.dng")
    os.utime(shoot, ns=(kept.st_atime_ns, kept.st_mtime_ns))
    wait_for(lambda: followed.session.path == shoot / "CORVA_0095.dng")


def test_a_shoot_that_is_opened_while_the_folder_is_read_ends_it(followed, tmp_path, monkeypatch):
    """It followed for ever, and looked no more."""
    let, begun = threading.Event(), threading.Event()
    at_once = tether_module._looked_into

    def slow(*asked):
        begun.set()
        let.wait(10.0)
        return at_once(*asked)

    monkeypatch.setattr(tether_module, "_looked_into", slow)
    wait_for(begun.is_set)
    (tmp_path / "other").mkdir()
    followed.open_paths([tmp_path / "other"])
    let.set()
    wait_for(lambda: followed.tether.folder is None)


def test_another_shoot_ends_it_and_an_empty_folder_can_be_followed(followed, shoot, tmp_path):
    empty = tmp_path / "empty"
    empty.mkdir()
    followed.open_paths([empty])
    settle(followed)
    wait_for(lambda: followed.tether.folder is None)
    followed.toggle_tether()
    command = [sys.executable, "-m", "matiz", "simulate", "--tether", str(empty), "--every", "60", "--size", "300x200"]
    camera = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        wait_for(lambda: followed.session.path is not None and followed.session.path.parent == empty, 60.0)
    finally:
        camera.kill()
        camera.wait()
    settle(followed)
    assert followed.session.pictures == [followed.session.path]
