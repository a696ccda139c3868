"""The tape: drag, wheel, arrows, typing, marks."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from matiz.recipe.leaves import Number
from matiz.ui.kit.controls import tape_for
from matiz.ui.kit.tape import Tape, linear_ruling, mired_ruling

SPEC = Number("EV", -6.0, 6.0, 0.0, 0.05, 2, "Exposure.")


@pytest.fixture
def tape(qtbot):
    made = Tape("Exposure", SPEC)
    made.resize(300, 64)
    qtbot.addWidget(made)
    made.show()
    made.heard = []
    made.valueChanging.connect(lambda v: made.heard.append(("changing", v)))
    made.valueChanged.connect(lambda v: made.heard.append(("changed", v)))
    return made


def _drag(tape, dx: int) -> None:
    QTest.mousePress(tape, Qt.MouseButton.LeftButton, pos=QPoint(150, 48))
    for step in range(1, 5):
        QTest.mouseMove(tape, QPoint(150 + dx * step // 4, 48))
        QApplication.processEvents()
    QTest.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=QPoint(150 + dx, 48))


def test_dragging_the_tape_left_brings_higher_values_and_is_one_step(tape):
    _drag(tape, -80)
    assert tape.value() == pytest.approx(80 / linear_ruling(SPEC).px_per_unit)
    assert [kind for kind, _ in tape.heard].count("changed") == 1
    assert tape.heard[-1] == ("changed", tape.value())


def test_a_drag_never_leaves_the_limits(tape):
    _drag(tape, -5000)
    assert tape.value() == 6.0
    _drag(tape, 9000)
    assert tape.value() == -6.0


@pytest.mark.parametrize(
    "key, modifier, value",
    [
        (Qt.Key.Key_Right, Qt.KeyboardModifier.NoModifier, 0.05),
        (Qt.Key.Key_Down, Qt.KeyboardModifier.NoModifier, -0.05),
        (Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier, 0.5),
        (Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier, -0.005),
    ],
)
def test_arrows_step(tape, key, modifier, value):
    QTest.keyClick(tape, key, modifier)
    assert tape.value() == pytest.approx(value)


def test_the_wheel_steps(tape):
    event = QWheelEvent(
        QPointF(150, 40), QPointF(150, 40), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(tape, event)
    assert tape.value() == pytest.approx(0.1)


def test_typing_takes_units_and_refuses_what_is_outside(tape):
    refused = []
    tape.refused.connect(refused.append)
    QTest.keyClicks(tape, "1")
    assert tape.is_typing()
    QTest.keyClicks(tape._editor, ",5 EV")
    QTest.keyClick(tape._editor, Qt.Key.Key_Return)
    assert tape.value() == 1.5 and not tape.is_typing()
    QTest.keyClicks(tape, "9")
    QTest.keyClick(tape._editor, Qt.Key.Key_Return)
    assert tape.value() == 1.5 and "-6..6 EV" in refused[0]
    QTest.keyClicks(tape, "2")
    QTest.keyClick(tape._editor, Qt.Key.Key_Escape)
    assert tape.value() == 1.5 and not tape.is_typing()


def test_double_click_goes_back_to_the_default(tape):
    tape.set_default(0.7)
    QTest.mouseDClick(tape, Qt.MouseButton.LeftButton, pos=QPoint(100, 48))
    assert tape.value() == 0.7


def test_a_value_from_elsewhere_is_shown_and_not_said_back(tape):
    tape.set_value(2.0)
    assert tape.value() == 2.0 and tape.heard == []
    assert tape.text() == "+2.00\u202fEV"
    tape.set_value(-1.0)
    assert tape.text().startswith("\u2212")


def test_kelvin_is_even_in_mired_and_rounded_to_tens(qtbot):
    tape = tape_for("light.cct_K", "Light", mired_ruling(), round_to=10.0)
    qtbot.addWidget(tape)
    tape.resize(300, 64)
    tape.set_value(5484.0)
    assert tape.text() == "5\u202f480\u202fK"
    rule = mired_ruling()
    assert rule.position(4000) - rule.position(2000) == pytest.approx(250.0)
    _drag(tape, -50_000)
    assert tape.value() == 25_000.0
    _drag(tape, 50_000)
    assert tape.value() == 1500.0


def test_marks_and_every_width_can_be_painted(tape):
    tape.set_proposal(5.0)
    for width in (150, 300, 900):
        tape.resize(width, 64)
        assert not tape.grab().isNull()
