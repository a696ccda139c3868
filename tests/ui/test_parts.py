"""The parts the window is made of: bound controls, route, header, findings, queue, sheet."""

import shutil
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QModelIndex, QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from matiz.errors import FileError
from matiz.findings.model import Finding, box
from matiz.recipe.model import Recipe, specs
from matiz.ui.canvas.render import to_image
from matiz.ui.frame.findings_panel import FindingsPanel
from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window
from matiz.ui.kit import theme
from matiz.ui.kit.controls import Words, bind, caption, choice, tape_for
from matiz.ui.kit.loop import QtLoop
from matiz.ui.kit.tape import Tape
from matiz.work import loop
from matiz.work.delivery_queue import Delivery
from matiz.work.session import Session


def test_words_show_without_saying_and_say_when_chosen(qtbot):
    words = Words("Rendition", [("a", "A"), ("b", "B")], "Which one.")
    qtbot.addWidget(words)
    chosen = []
    words.chosen.connect(chosen.append)
    words.show_value("b")
    assert words.button("b").isChecked() and chosen == []
    words.button("a").click()
    assert chosen == ["a"] and not words.button("b").isChecked()
    words.show_value("none of them")
    assert not words.button("a").isChecked() and not words.button("b").isChecked()


def test_binding_goes_both_ways_without_a_loop(window):
    tape = tape_for("tone.exposure_EV", "Exposure")
    bind(tape, window.session, "tone.exposure_EV", lambda v: "x")
    _, words = choice(window.session, "tone.rendition", "R", [("linear", "l"), ("soft", "s")])
    changes = []
    window.session.recipeChanged.connect(lambda _: changes.append(1))
    window.session.commit([("tone.exposure_EV", 1.25)], "elsewhere")
    assert tape.value() == 1.25 and len(changes) == 1
    tape.valueChanged.emit(0.5)
    assert window.session.recipe.tone.exposure_EV == 0.5 and len(changes) == 2
    words.button("soft").click()
    assert window.session.recipe.tone.rendition == "soft"
    settle(window)


def test_a_preview_is_shown_and_not_kept(window):
    grip = window.session.begin()
    grip.preview([("tone.exposure_EV", 2.0)])
    assert window.session.recipe.tone.exposure_EV == 2.0 and window.session.document.recipe == Recipe()
    grip.commit([("tone.exposure_EV", 0.0)], "back where it was")
    assert window.session.recipe == Recipe() and window.session.document.version.history.position == 0
    said = []
    window.session.said.connect(said.append)
    grip = window.session.begin()
    grip.preview([("tone.exposure_EV", 99.0)])
    grip.commit([("tone.exposure_EV", 99.0)], "x")
    assert len(said) == 2 and "-6..6" in said[0] and window.session.recipe == Recipe()
    settle(window)


def test_time_on_a_picture_goes_on_where_it_was(window, shoot):
    first = window.session.path
    window.session.seconds_on[first] = 40.0
    window.session._opened_at = time.monotonic()
    assert 40.0 <= window.session.seconds() < 41.0
    window.session.step(1)
    settle(window)
    assert window.session.seconds() < 40.0, "its own time"
    window.session.step(-1)
    settle(window)
    assert window.session.seconds() >= 40.0


def test_the_route_is_clicked_and_walked_by_keys(window):
    route = window.route
    QTest.mouseClick(route, Qt.MouseButton.LeftButton, pos=QPoint(60, 8 + 62 * 3 + 20))
    assert window.station is window.stations.tone
    QTest.keyClick(route, Qt.Key.Key_Down)
    assert window.station is window.stations.colour
    QTest.keyClick(route, Qt.Key.Key_Up)
    assert window.station is window.stations.tone
    assert route.row_at(5000) == -1
    assert [s.number for s in window.stations] == [1, 2, 3, 4, 5, 6, 7, 8, 9]


def test_the_header_zooms_and_speaks(window):
    window.header._zooms[1.0].click()
    settle(window)
    assert window.view.viewport.zoom == 1.0 and window.header._zooms[1.0].isChecked()
    window.session.said.emit("something to know")
    assert window.header.word.whole() == "something to know"
    assert window.header.name.text().startswith("CORVA_0011.dng")


@pytest.fixture
def panel(qtbot):
    made = FindingsPanel()
    qtbot.addWidget(made)
    made.show()
    return made


EVIDENCE = {"gap_EV": 1.5, "share_%": 2.0, "kind": "word"}
FINDING = Finding(
    "tone.x", "tone", "A claim", EVIDENCE, (box((1, 2, 3, 4)),), (("a", 1),), fix_label="Mend it", certainty=0.8
)


def test_cards_do_show_and_silence(panel):
    panel.show_findings([FINDING], measured=True)
    card = panel.cards()[0]
    heard = []
    panel.done.connect(lambda f: heard.append(("done", f.id)))
    panel.shown.connect(lambda f: heard.append(("shown", f.id)))
    panel.silenced.connect(lambda f, good: heard.append(("never" if good else "hide here", f.id)))
    for text in ("Mend it", "show", "hide here", "never"):
        next(b for b in card.findChildren(QPushButton) if b.text() == text).click()
    assert [h[0] for h in heard] == ["done", "shown", "hide here", "never"]


def test_a_finding_without_fix_or_place_has_no_such_buttons(panel):
    panel.show_findings([Finding("a.b", "a", "Only a claim")], measured=True)
    assert {b.text() for b in panel.cards()[0].findChildren(QPushButton)} == {"hide here", "never"}


def test_nothing_found_leaves_a_strip_once_measured(panel):
    panel.show_findings([], measured=False)
    assert panel._empty.text() == "measuring" and not panel.is_strip()
    panel.show_findings([], measured=True)
    assert panel.is_strip() and panel.cards() == [] and not panel.grab().isNull()
    panel.show_findings([FINDING], measured=True)
    assert not panel.is_strip() and len(panel.cards()) == 1


@pytest.mark.parametrize("before", [[], [FINDING] * 2])
def test_cards_that_do_not_fit_are_never_seen_squashed(panel, before):
    """What is posted is done before anything is painted: one turn of the loop is all that there is time for."""
    panel.resize(panel.width(), 400)
    panel.show_findings(before, measured=True)
    for _ in range(3):
        QApplication.processEvents()
    panel.show_findings([replace(FINDING, id=f"tone.{n}") for n in range(7)], measured=True)
    QApplication.processEvents()
    assert len(panel.cards()) == 7
    assert all(card.height() >= card.heightForWidth(card.width()) for card in panel.cards())


def test_deliveries_wait_their_turn_and_failures_are_kept(window, shoot):
    queue, rows = window.stations.deliver.queue, window.stations.deliver.rows
    order = window.stations.deliver.order()
    failed = []
    queue.failed.connect(failed.append)
    queue.add(Delivery(shoot / "gone.dng", window.session.document, order, shoot))
    queue.add(Delivery(shoot / "CORVA_0031.dng", window.session.document, order, shoot))
    queue.add(Delivery(shoot / "CORVA_0052.dng", window.session.document, order, shoot))
    assert [row.state for row in queue.rows] == ["working", "waiting", "waiting"]
    queue.stop(queue.rows[2])
    settle(window)
    assert [row.state for row in queue.rows] == ["failed", "done", "stopped"]
    assert "no such file" in failed[0] and "no such file" in rows.data(rows.index(0), Qt.ItemDataRole.ToolTipRole)
    assert rows.rowCount(QModelIndex()) == 3 and "done" in rows.data(rows.index(1))
    window.go_to(window.stations.deliver)
    assert not window.stations.deliver.list.grab().isNull()


def test_the_sheet_draws_pictures_errors_and_ranks(window, shoot):
    window.go_to(window.stations.sort)
    settle(window)
    model = window.stations.sort.sheet.sheet
    path = shoot / "CORVA_0031.dng"
    image = model.data(model.index(1), Qt.ItemDataRole.DecorationRole)
    assert isinstance(image, QImage) and max(image.width(), image.height()) <= 480
    before = window.stations.sort.sheet.grab().toImage()
    window.session.sort_as(path, sorted_as="drop", rank=2)
    assert window.stations.sort.sheet.grab().toImage() != before
    model._put(path, "the preview is damaged")
    assert not window.stations.sort.sheet.grab().isNull()
    settle(window)


def test_an_image_keeps_its_pixels_alive():
    def made() -> QImage:
        return to_image(np.full((20, 30, 4), 200, np.uint8))

    image = made()
    for _ in range(50):
        np.zeros((20, 30, 4), np.uint8)
    assert image.pixelColor(29, 19).red() == 200 and (image.width(), image.height()) == (30, 20)


def test_captions_and_icons(qapp):
    assert caption("x").property("quiet") is True and caption("x", strong=True).property("quiet") is False
    assert not theme.icon("matiz", 32).isNull()
    assert theme.font(20).pixelSize() == 20 and theme.font().family().startswith("Inter")


def test_a_session_without_pictures_says_so(qapp, tmp_path):
    session = Session()
    said = []
    session.said.connect(said.append)
    session.open_paths([tmp_path])
    assert "no readable pictures" in said[0] and not session.is_open and session.seconds() == 0.0
    session.undo()
    session.step(1)
    with pytest.raises(FileError):
        session.open_paths([Path("/nowhere/at/all")])
    session.end()


def test_a_long_name_is_shortened_in_its_middle(window, shoot):
    long = shoot / f"{'CORVA_0011-0013 bracket ' * 4}.dng"
    shutil.copy(shoot / "CORVA_0011.dng", long)
    window.open_paths([long])
    settle(window)
    name = window.header.name
    assert name.fontMetrics().horizontalAdvance(name.text()) < 0.4 * window.header.width()
    assert "\u2026" in name.text() and name.text().endswith("Version 1") and long.name in name.toolTip()
    assert window.header.word.width() > 60


def test_what_was_said_of_one_picture_is_not_said_of_the_next(window):
    window.session.said.emit("this one is sharp")
    assert window.header.word.whole() == "this one is sharp"
    window.session.step(1)
    settle(window)
    assert window.header.word.whole() != "this one is sharp"


def test_a_tape_that_is_dragged_stays_with_the_hand(qtbot):
    """A value that is decided elsewhere meanwhile, such as by a second window, must not tear it away."""
    tape = Tape("Exposure", specs()["tone.exposure_EV"])
    qtbot.addWidget(tape)
    tape.resize(300, 64)
    tape.show()
    middle = QPoint(150, 48)
    QTest.mousePress(tape, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(tape, middle - QPoint(40, 0))
    held = tape.value()
    assert held != 0.0
    tape.set_value(-3.0)
    assert tape.value() == held
    QTest.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=middle - QPoint(40, 0))
    tape.set_value(-3.0)
    assert tape.value() == -3.0, "after the drag it follows again"


def test_a_window_brings_the_loop_that_its_work_needs(qapp, monkeypatch):
    """Without it nothing would be saved, and no answer would arrive."""
    monkeypatch.setattr(loop._Current, "loop", loop.PlainLoop())
    made = Window()
    assert isinstance(loop.current(), QtLoop)
    made.close()
