"""Pictures are measured aside once Sort is seen, and put in order by what is known."""

import time
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from matiz.errors import FileError
from matiz.measure.sort import brief
from matiz.shoot.briefs import Briefs
from matiz.ui.frame.settle import settle
from matiz.ui.stations.sort.tiles import CELL, _as_fits, brief_parts
from matiz.work import looking as at
from tests.ui.aside import done


def looked(window):
    return done(window.stations.sort.sheet.sheet.looking)


def test_every_picture_is_measured_shown_and_put_in_order(window, shoot, monkeypatch):
    looking = window.stations.sort.sheet.sheet.looking
    assert looking.is_done and not looking.briefs, "nothing is looked at before Sort was"
    window.go_to(window.stations.sort)
    before = window.stations.sort.sheet.grab().toImage()
    looked(window)
    settle(window)
    pictures = list(window.session.pictures)
    assert set(looking.briefs) == set(pictures)
    assert window.stations.sort.sheet.grab().toImage() != before
    kept = Briefs(shoot)
    assert all(kept.get(path) == looking.briefs[path] for path in pictures)
    kept.close()
    # the most clipped first, those of which nothing is known last
    for n, path in enumerate(pictures):
        looking.briefs[path] = brief.Brief(None if n == 0 else 2.0 - 0.5 * n, 0.1 * n, 0.0, 30.0)
    box = window.stations.sort.order
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Down)
    window.stations.sort.sheet.arrange(box.currentData())
    assert box.currentData() == "sharp" and window.session.pictures == [pictures[2], pictures[1], pictures[0]]
    window.stations.sort.sheet.arrange("full")
    assert window.session.pictures == pictures[::-1]
    assert window.stations.sort.sheet.current_path() is not None
    settle(window)
    window.stations.sort.sheet.arrange("name")
    assert window.session.pictures == pictures
    # nothing is measured again
    monkeypatch.setattr(at, "brief_of", None)
    window.open_paths([shoot])
    settle(window)
    assert set(looked(window).briefs) == set(pictures) and box.currentIndex() == 0


def test_what_is_kept_is_looked_at_closer(window, shoot):
    window.go_to(window.stations.sort)
    looking = looked(window)
    first, second, _ = window.session.pictures
    assert all(brief.dust is None for brief in looking.briefs.values())
    window.session.sort_as(first, sorted_as="keep")
    window.session.sort_as(second, sorted_as="hold")
    looked(window)
    assert looking.briefs[first].dust is not None and looking.briefs[second].dust is None
    kept = Briefs(shoot)
    assert kept.get(first) == looking.briefs[first], "and it is known at the next start"
    kept.close()


def test_one_that_was_kept_before_it_was_measured_is_looked_at_closer_too(window):
    first = window.session.pictures[0]
    window.session.sort_as(first, sorted_as="keep")
    window.go_to(window.stations.sort)
    assert looked(window).briefs[first].dust is not None


def test_nothing_begins_again_once_the_window_is_closed(window):
    window.go_to(window.stations.sort)
    looking = window.stations.sort.sheet.sheet.looking
    until = time.monotonic() + 20.0
    while looking._job is None and time.monotonic() < until:
        QApplication.processEvents()
    looking.begin()
    looking.end()
    for _ in range(20):
        QApplication.processEvents()
        time.sleep(0.02)
    assert looking.is_done


def test_what_cannot_be_read_is_left_and_the_others_go_on(window, shoot):
    (shoot / "AAA.dng").write_bytes(b"no picture")
    window.open_paths([shoot])
    settle(window)
    window.go_to(window.stations.sort)
    looking = looked(window)
    assert len(looking.briefs) == 3 and shoot / "AAA.dng" not in looking.briefs


def test_where_nothing_can_be_kept_it_is_measured_all_the_same(window, monkeypatch):
    def locked(_folder, _say):
        raise FileError("locked")

    monkeypatch.setattr(at, "Briefs", locked)
    window.go_to(window.stations.sort)
    assert len(looked(window).briefs) == 3


def test_it_stops_when_the_window_closes(window, monkeypatch):
    begun, at_once = [], at.brief_of

    def slow(frame):
        begun.append(frame)
        time.sleep(0.3)
        return at_once(frame)

    monkeypatch.setattr(at, "brief_of", slow)
    window.go_to(window.stations.sort)
    until = time.monotonic() + 20.0
    while not begun and time.monotonic() < until:
        QApplication.processEvents()
    window.stations.sort.sheet.sheet.looking.end()
    assert len(begun) == 1 and len(window.stations.sort.sheet.sheet.looking.briefs) <= 1


def test_a_tile_says_what_matters():
    assert brief_parts(brief.Brief(0.81, 0.0, 0.1, 30.0)) == ["edges 0.8\u202fpx"]
    assert brief_parts(brief.Brief(None, 0.02, 0.0, 30.0)) == ["edges not sure", "clipped 2.0\u202f%"]
    assert brief_parts(brief.Brief(1.2, 0.0, 1.25, 30.0)) == ["edges 1.2\u202fpx", "headroom 1.2\u202fEV"]
    closer = brief.Brief(1.2, 0.0, 0.0, 30.0, dust=3, tilt_deg=-0.8)
    assert brief_parts(closer) == ["edges 1.2\u202fpx", "dust 3", "leans \u22120.8\u00b0"]
    assert brief_parts(replace(closer, dust=0, tilt_deg=0.2)) == ["edges 1.2\u202fpx"]
    long = ["edges 1.2 px", "headroom 1.2 EV"]
    assert _as_fits(long, 400.0) == "edges 1.2 px  headroom 1.2 EV" and _as_fits(long, 120.0) == long[0]
    assert _as_fits(long, 10.0) == long[0]


def rows_shown(window):
    sheet = window.stations.sort.sheet
    return [path for row, path in enumerate(window.session.pictures) if not sheet.isRowHidden(row)]


def test_only_what_is_asked_for_is_shown(window, shoot):
    window.go_to(window.stations.sort)
    pictures = list(window.session.pictures)
    window.session.sort_as(pictures[1], sorted_as="keep", rank=4)
    QTest.keyClick(window, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    assert window.stations.sort.words.hasFocus()
    QTest.keyClicks(window.stations.sort.words, "rank3+")
    settle(window)
    assert rows_shown(window) == [pictures[1]] and window.stations.sort.reading_text() == "1 of 3 shown"
    assert window.stations.sort.sheet.current_path() == pictures[1], "what is chosen is seen"
    QTest.keyClick(window.stations.sort.words, Qt.Key.Key_Return)
    assert window.stations.sort.sheet.hasFocus()
    window.session.sort_as(pictures[1], rank=2)
    assert rows_shown(window) == []
    window.stations.sort.words.setText("-keep")
    settle(window)
    assert rows_shown(window) == [pictures[0], pictures[2]]
    window.stations.sort.sheet.arrange("noise")
    assert set(rows_shown(window)) == {pictures[0], pictures[2]}, "in another order too"
    window.stations.sort.sheet.arrange("name")
    window.session.open_picture(pictures[0])
    settle(window)
    window.session.step(1)
    settle(window)
    assert window.session.path == pictures[2], "next is the next that is shown"
    window.stations.sort.words.setText("")
    assert rows_shown(window) == pictures and window.stations.sort.reading_text() == "1 of 3 kept"
    window.stations.sort.words.setText("no such picture")
    window.open_paths([shoot])
    settle(window)
    assert window.stations.sort.words.text() == "" and len(rows_shown(window)) == 3


def test_what_is_not_seen_is_not_sorted(window, shoot):
    window.go_to(window.stations.sort)
    settle(window)
    sheet, pictures = window.stations.sort.sheet, list(window.session.pictures)
    sheet.selectAll()
    assert sheet.selected_paths() == pictures
    window.stations.sort.words.setText(pictures[1].stem)
    settle(window)
    sheet.selectAll()
    assert sheet.selected_paths() == [pictures[1]]
    window.stations.sort.sort_as("drop")
    window.stations.sort.words.setText("no such picture")
    assert sheet.current_path() is None
    window.stations.sort.sort_as("keep")
    window.sort_as("keep")
    assert [window.session.document_of(path).sorted_as for path in pictures] == ["", "drop", ""]


def test_files_out_of_sight_are_asked_what_they_say(window, shoot):
    window.go_to(window.stations.sort)
    model = window.stations.sort.sheet.sheet
    settle(window)
    first = window.session.pictures[0]
    exposure = window.session.desk.catalogue.exposures.pop(first)
    model._images.pop(first)
    model._asked.discard(first)
    (shoot / "damaged.dng").write_bytes(b"nothing")
    window.session.desk.catalogue.add(shoot / "damaged.dng")
    window.stations.sort.sheet.show_only(f"iso{exposure.iso:.0f}")
    settle(window)
    assert window.session.desk.catalogue.exposures[first] == exposure and first in rows_shown(window)
    window.stations.sort.sheet.show_only("iso1")
    settle(window)
    assert rows_shown(window) == [], "a file that cannot be read is asked once"


def test_tiles_have_three_sizes(window):
    window.go_to(window.stations.sort)
    settle(window)
    sheet = window.stations.sort.sheet
    wide = []
    for name in ("small", "middle", "large"):
        window.stations.sort.tiles.setCurrentIndex(window.stations.sort.tiles.findData(name))
        window.stations.sort.tiles.activated.emit(window.stations.sort.tiles.currentIndex())
        settle(window)
        wide.append(sheet.visualRect(sheet.sheet.index(0)).width())
    assert wide[1] == CELL.width() and wide[0] < 0.7 * wide[1] < wide[1] < 0.7 * wide[2]


def test_sets_are_joined_parted_and_put_back(window, shoot):
    window.go_to(window.stations.sort)
    settle(window)
    sheet, desk, said = window.stations.sort.sheet, window.session.desk, []
    window.session.said.connect(said.append)
    window.session.desk.catalogue.regroup()
    pictures = list(window.session.pictures)
    before = [desk.catalogue.set_of(path) for path in pictures]
    sheet.choose(pictures[0])
    window.actions_by_name["set_join"].trigger()
    assert "two pictures or more" in said[-1]
    sheet.selectAll()
    window.actions_by_name["set_join"].trigger()
    settle(window)
    joined = desk.catalogue.set_of(pictures[0])
    assert joined is not None and joined.pictures == tuple(pictures)
    window.open_paths([shoot])
    settle(window)
    desk.catalogue.regroup()
    assert desk.catalogue.set_of(pictures[2]).pictures == tuple(pictures), "kept in the folder"
    sheet.choose(pictures[2])
    window.actions_by_name["set_part"].trigger()
    assert desk.catalogue.set_of(pictures[2]) is None and desk.catalogue.set_of(pictures[0]).pictures == tuple(
        pictures[:2]
    )
    window.actions_by_name["set_proposed"].trigger()
    sheet.choose(pictures[0])
    window.actions_by_name["set_proposed"].trigger()
    assert [desk.catalogue.set_of(path) for path in pictures] == before
