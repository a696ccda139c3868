"""Show mode in the real window: nothing can be changed, and only the PIN ends it."""

import pytest
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from matiz.ui.frame.settle import settle
from matiz.ui.frame.show_mode import PinAsk

EXPOSURE = "tone.exposure_EV"


@pytest.fixture
def shown(window):
    window.session.open_picture(window.session.pictures[0])
    window.go_to(window.stations.light)
    window.stations.light.pick.setChecked(True)
    settle(window)
    assert window.show_mode.begin("2468")
    settle(window)
    yield window
    if window.show_mode.is_on:
        window.show_mode.end("2468")


def answer(pin: str, *, accept: bool = True) -> None:
    """To the dialog that is about to open."""

    def fill() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, PinAsk)
        dialog.pin.setText(pin)
        (dialog.go if accept else dialog.stay).click()

    QTimer.singleShot(50, fill)


def test_no_key_action_or_hand_changes_anything(shown):
    session, view = shown.session, shown.view
    before, path = session.document, session.path
    assert shown.isFullScreen() and not shown.panels.decks.isVisible() and not shown.header.isVisible()
    for key in (Qt.Key.Key_0, Qt.Key.Key_4, Qt.Key.Key_Delete, Qt.Key.Key_Return, Qt.Key.Key_F1, Qt.Key.Key_F7):
        QTest.keyClick(view, key)
    for key in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_3, Qt.Key.Key_Z):
        QTest.keyClick(view, key, Qt.KeyboardModifier.ControlModifier)
    assert not any(action.isEnabled() for action in shown.actions_by_name.values())
    at = view.image_place().center().toPoint()
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view, at + QPoint(60, 30))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at + QPoint(60, 30))
    settle(shown)
    assert session.document == before and session.path == path and shown.station is shown.stations.light
    shown.close()
    assert shown.isVisible() and shown.show_mode.is_on, "closing needs the PIN too"


def test_pictures_are_stepped_through_and_zoomed(shown):
    session = shown.session
    QTest.keyClick(shown.view, Qt.Key.Key_Right)
    settle(shown)
    assert session.path == session.pictures[1]
    QTest.keyClick(shown.view, Qt.Key.Key_PageUp)
    settle(shown)
    assert session.path == session.pictures[0]
    QTest.keyClick(shown.view, Qt.Key.Key_F3)
    assert shown.view.viewport.zoom == 1.0
    QTest.keyClick(shown.view, Qt.Key.Key_F2)
    assert shown.view.viewport.zoom == 0.0


def test_only_the_pin_ends_it(shown):
    for pin, accept in (("1111", True), ("2468", False), ("", True)):
        answer(pin, accept=accept)
        QTest.keyClick(shown.view, Qt.Key.Key_Escape)
        assert shown.show_mode.is_on
    assert "2468" not in repr(vars(shown.show_mode)), "it is not kept as it is"
    answer("2468")
    QTest.keyClick(shown.view, Qt.Key.Key_Escape)
    settle(shown)
    assert not shown.show_mode.is_on and shown.panels.decks.isVisible() and not shown.isFullScreen()
    assert all(action.isEnabled() for action in shown.actions_by_name.values())
    assert shown.stations.light.pick.isChecked() and not shown.view.only_looks, "tools are in hand again"
    shown.session.commit([(EXPOSURE, 0.5)], "x")
    assert shown.session.recipe.tone.exposure_EV == 0.5


def test_the_client_marks_only_where_that_was_allowed(window):
    session = window.session
    session.open_picture(session.pictures[0])
    settle(window)
    assert not window.show_mode.begin("12") and "4 characters" in window.header.word.whole()
    answer("2468")
    window.begin_show()
    assert window.show_mode.is_on
    QTest.keyClick(window.view, Qt.Key.Key_Return)
    assert session.document.sorted_as == ""
    assert window.show_mode.end("2468") and window.show_mode.begin("8642", may_mark=True)
    QTest.keyClick(window.view, Qt.Key.Key_Return)
    assert session.document.sorted_as == "keep"
    QTest.keyClick(window.view, Qt.Key.Key_Return)
    assert session.document.sorted_as == ""
    assert not window.show_mode.end("2468") and window.show_mode.end("8642")
    answer("", accept=False)
    window.begin_show()
    assert not window.show_mode.is_on
