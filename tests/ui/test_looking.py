"""Pictures are measured aside once Sort is seen, and put in order by what is known."""

import time

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from matiz.errors import FileError
from matiz.measure import brief
from matiz.shoot.briefs import Briefs
from matiz.ui import looking as at
from matiz.ui.contact_sheet import brief_text
from matiz.ui.shots import settle


def looked(window):
    looking, until = window.sort.sheet.sheet.looking, time.monotonic() + 60.0
    while not looking.is_done and time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.01)
    assert looking.is_done
    return looking


def test_every_picture_is_measured_shown_and_put_in_order(window, shoot, monkeypatch):
    looking = window.sort.sheet.sheet.looking
    assert looking.is_done and not looking.briefs, "nothing is looked at before Sort was"
    window.go_to(window.sort)
    before = window.sort.sheet.grab().toImage()
    looked(window)
    settle(window)
    pictures = list(window.session.pictures)
    assert set(looking.briefs) == set(pictures)
    assert window.sort.sheet.grab().toImage() != before
    kept = Briefs(shoot)
    assert all(kept.get(path) == looking.briefs[path] for path in pictures)
    kept.close()
    # the fullest first, those of which nothing is known last
    for n, path in enumerate(pictures):
        looking.briefs[path] = brief.Brief(None if n == 0 else 2.0 - 0.5 * n, 0.1 * n, 0.0, 30.0)
    box = window.sort.order
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Down)
    window.sort.sheet.arrange(box.currentData())
    assert box.currentData() == "sharp" and window.session.pictures == [pictures[2], pictures[1], pictures[0]]
    window.sort.sheet.arrange("full")
    assert window.session.pictures == pictures[::-1]
    assert window.sort.sheet.current_path() is not None
    settle(window)
    window.sort.sheet.arrange("name")
    assert window.session.pictures == pictures
    # nothing is measured again
    monkeypatch.setattr(at, "brief_of", None)
    window.open_paths([shoot])
    settle(window)
    assert set(looked(window).briefs) == set(pictures) and box.currentIndex() == 0


def test_what_cannot_be_read_is_left_and_the_others_go_on(window, shoot):
    (shoot / "AAA.dng").write_bytes(b"no picture")
    window.open_paths([shoot])
    settle(window)
    window.go_to(window.sort)
    looking = looked(window)
    assert len(looking.briefs) == 3 and shoot / "AAA.dng" not in looking.briefs


def test_where_nothing_can_be_kept_it_is_measured_all_the_same(window, monkeypatch):
    def locked(_folder):
        raise FileError("locked")

    monkeypatch.setattr(at, "Briefs", locked)
    window.go_to(window.sort)
    assert len(looked(window).briefs) == 3


def test_it_stops_when_the_window_closes(window, monkeypatch):
    begun, at_once = [], at.brief_of

    def slow(frame):
        begun.append(frame)
        time.sleep(0.3)
        return at_once(frame)

    monkeypatch.setattr(at, "brief_of", slow)
    window.go_to(window.sort)
    until = time.monotonic() + 20.0
    while not begun and time.monotonic() < until:
        QApplication.processEvents()
    window.sort.sheet.sheet.looking.end()
    assert len(begun) == 1 and len(window.sort.sheet.sheet.looking.briefs) <= 1


def test_a_tile_says_what_matters():
    assert brief_text(brief.Brief(0.81, 0.0, 0.1, 30.0)) == "edges 0.8\u202fpx"
    assert brief_text(brief.Brief(None, 0.02, 0.0, 30.0)) == "edges not sure  full 2.0\u202f%"
    assert brief_text(brief.Brief(1.2, 0.0, 1.25, 30.0)) == "edges 1.2\u202fpx  headroom 1.2\u202fEV"
