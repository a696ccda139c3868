"""Pictures and versions side by side, in the real window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from matiz.ui.canvas.render import pixels_of
from matiz.ui.frame.settle import settle


@pytest.fixture
def compared(window):
    window.session.open_picture(window.session.pictures[1])
    settle(window)
    window.go_to(window.stations.sort)
    window.stations.sort.sheet.selectAll()
    window.show_side_by_side()
    settle(window)
    return window.side_by_side


def test_all_are_shown_with_what_is_measured_and_the_open_one_is_chosen(window, compared):
    assert window.panels.stack.currentWidget() is compared and len(compared.panes) == 3
    assert compared.path() == window.session.pictures[1]
    for index, pane in enumerate(compared.panes):
        assert pane.shown is not None and "ISO" in pane.told and "headroom" in pane.told
        tile = compared.tile(index).toRect()
        seen = pixels_of(compared.grab(tile).toImage())[..., :3]
        assert np.ptp(seen.reshape(-1, 3).astype(int), axis=0).max() > 60, "there is a picture"


def test_zoom_and_place_are_those_of_all(window, compared):
    at = compared.tile(0).center()
    turn = QWheelEvent(at, compared.mapToGlobal(at), QPoint(), QPoint(0, 720), Qt.MouseButton.NoButton,
                       Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(compared, turn)
    settle(window)
    views = [pane.shown.view for pane in compared.panes]
    assert len({(view.zoom, view.centre) for view in views}) == 1 and views[0].zoom > 1.0
    before = views[0].centre
    start = compared.tile(1).center().toPoint()
    QTest.mousePress(compared, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(compared, start + QPoint(-20, -10))
    QTest.mouseMove(compared, start + QPoint(-40, -20))
    QTest.mouseRelease(compared, Qt.MouseButton.LeftButton, pos=start + QPoint(-40, -20))
    settle(window)
    after = {pane.shown.view.centre for pane in compared.panes}
    assert len(after) == 1 and after.pop()[0] > before[0]
    assert compared.chosen == 1, "a drag chooses nothing"
    window.set_zoom(1.0)
    settle(window)
    assert {pane.shown.view.zoom for pane in compared.panes} == {1.0}
    window.set_zoom(0.0)
    settle(window)
    assert {pane.shown.view.zoom for pane in compared.panes} == {0.0}


def test_one_is_chosen_kept_and_opened(window, compared):
    QTest.mouseClick(compared, Qt.MouseButton.LeftButton, pos=compared.tile(0).center().toPoint())
    assert compared.path() == window.session.pictures[0]
    QTest.keyClick(compared, Qt.Key.Key_Right)
    QTest.keyClick(compared, Qt.Key.Key_Right)
    assert compared.path() == window.session.pictures[2]
    QTest.keyClick(compared, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert window.session.document_of(window.session.pictures[2]).sorted_as == "keep"
    assert window.session.document_of(window.session.pictures[0]).sorted_as == ""
    QTest.keyClick(compared, Qt.Key.Key_Return)
    settle(window)
    assert window.session.path == window.session.pictures[2] and window.panels.stack.currentWidget() is window.view
    assert compared.panes == [], "nothing of them is held"


def test_escape_goes_back_and_going_to_a_station_too(window, compared):
    QTest.keyClick(compared, Qt.Key.Key_Escape)
    assert window.panels.stack.currentWidget() is window.stations.sort.sheet and compared.panes == []
    window.show_side_by_side()
    window.go_to(window.stations.tone)
    assert window.panels.stack.currentWidget() is window.view and compared.panes == []
    settle(window)


def test_versions_of_one_picture(window):
    session = window.session
    session.open_picture(session.pictures[0])
    settle(window)
    window.stations.sort.sheet.clearSelection()
    window.show_side_by_side()
    assert "Select two to six" in window.header.word.whole()
    session.desk.add_version(session.path)
    session.commit([("tone.exposure_EV", 2.0)], "bright")
    settle(window)
    window.show_side_by_side()
    settle(window)
    panes = window.side_by_side.panes
    assert [pane.name for pane in panes] == ["Version 1", "Version 2"]
    means = [pixels_of(pane.shown.image)[..., :3].mean() for pane in panes]
    assert means[1] > 1.3 * means[0]


def test_one_that_cannot_be_read_says_so(window, shoot):
    window.session.pictures[2].write_bytes(b"no picture")
    window.go_to(window.stations.sort)
    window.stations.sort.sheet.selectAll()
    window.show_side_by_side()
    settle(window)
    panes = window.side_by_side.panes
    assert panes[2].shown is None and "CORVA_0052" in panes[2].told and panes[0].shown is not None
    at = QPointF(window.side_by_side.tile(2).center())
    QTest.mouseClick(window.side_by_side, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert not window.side_by_side.grab().isNull()
