"""The tape: the control for one number. A ruled scale slides under a fixed hairline."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy

from ...errors import RecipeError
from ...recipe.leaves import Number
from ...recipe.parsing import number as typed_number
from ...wording import THIN_SPACE, number
from . import theme
from .line import Line
from .painted import PaintedWidget, painting

Mapping = Callable[[float], float]
TICK_LEAST_PX = 7.0
NARROW_VALUE_PX = 16
"""Of the value where there is little room."""
TYPED = "0123456789.,-+\u2212"
"""Keys that begin typing a value."""


@dataclass(frozen=True)
class Ruling:
    """How values lie on a tape, and where it is ruled."""

    px_per_unit: float
    ticks: tuple[float, ...]
    """Candidates for the distance of ticks, rising."""
    position: Mapping = float
    """Value to tape units; must rise or fall throughout."""
    value: Mapping = float
    """Tape units to value."""


def linear_ruling(spec: Number) -> Ruling:
    """A hand's width of tape for about forty steps."""
    return Ruling(4.0 / spec.step, tuple(spec.step * n for n in (1, 2, 5, 10, 20, 50, 100)))


def mired_ruling() -> Ruling:
    """Kelvin on a tape that is even in mired, as the eye is."""
    return Ruling(1.6, (50, 100, 200, 250, 500, 1000, 2000, 2500, 5000), lambda k: -1e6 / k, lambda p: -1e6 / p)


def _limits(spec: Number) -> str:
    low, high = (number(value, 0 if abs(value) >= 100 else spec.decimals) for value in (spec.low, spec.high))
    return f"From {low} to {high}{THIN_SPACE + spec.unit if spec.unit else ''}."


class _Editor(Line):
    """A value that is typed."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
            parent = self.parentWidget()
            if parent is not None:
                parent.setFocus()
        else:
            super().keyPressEvent(event)


class Tape(PaintedWidget):
    """One number. `valueChanging` while it is moved, `valueChanged` when it rests."""

    valueChanging = Signal(float)
    valueChanged = Signal(float)
    refused = Signal(str)

    def __init__(self, label: str, spec: Number, ruling: Ruling | None = None, *, round_to: float = 0.0) -> None:
        super().__init__()
        self.label, self.spec = label, spec
        self._ruling = ruling or linear_ruling(spec)
        self._round_to = round_to
        self._value = spec.default
        self._default: float | None = spec.default
        self._proposal: float | None = None
        self._drag: tuple[float, float] | None = None
        self._moved = False
        self._hidden_number = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(label)
        self._tell()
        self._editor = _Editor(self)
        self._editor.setAccessibleName(f"{label}, typed")
        self._editor.hide()
        self._editor.editingFinished.connect(self._on_typed)

    def _tell(self) -> None:
        how = "Drag, wheel, arrows, or type. Double-click: back to the default."
        self.setToolTip(f"{self.label}. {self.spec.help}\n{_limits(self.spec)}\n{how}")

    def value(self) -> float:
        return self._value

    def let_go(self) -> None:
        """Forget the drag that goes on: what it showed was taken back."""
        self._drag, self._hidden_number = None, False
        self.update()

    def set_value(self, value: float) -> None:
        """Show a value that was decided elsewhere; says nothing back."""
        if value != self._value and self._drag is None:
            self._value = value
            self.update()

    def set_default(self, value: float | None) -> None:
        self._default = value
        self.update()

    def end_at(self, high: float) -> None:
        """Let it go no further than that."""
        self.spec = replace(self.spec, high=high)
        self._tell()

    def set_proposal(self, value: float | None) -> None:
        """The measured value, as a mark on the scale."""
        self._proposal = value
        self.update()

    def text(self) -> str:
        shown = round(self._value / self._round_to) * self._round_to if self._round_to else self._value
        signed = self.spec.low < 0
        return number(shown, self.spec.decimals, self.spec.unit, signed=signed)

    def sizeHint(self) -> QSize:
        return QSize(220, 64)

    def minimumSizeHint(self) -> QSize:
        return QSize(150, 64)

    @painting
    def paintEvent(self, painter: QPainter, _: QPaintEvent) -> None:
        shown = "\u2022\u2022\u2022" if self._hidden_number else self.text()
        small, large, above = self._fonts(shown)
        painter.setFont(small)
        painter.setPen(theme.colour("quiet"))
        left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
        bottom = Qt.AlignmentFlag.AlignBottom
        painter.drawText(QRectF(0, 0, self.width(), 13 if above else 26), left | bottom, self.label)
        painter.setFont(large)
        painter.setPen(theme.colour("strong" if self.hasFocus() else "text"))
        painter.drawText(QRectF(0, 0, self.width(), 32 if above else 28), right | bottom, shown)
        self._paint_scale(painter, QRectF(0, 34, self.width(), 28))

    def _fonts(self, shown: str) -> tuple[QFont, QFont, bool]:
        """Of the label and the value, and whether the label stands above the value for want of room."""
        small = theme.font(theme.SMALL_PX)
        room = self.width() - QFontMetricsF(small).horizontalAdvance(self.label) - 6
        for px in (theme.VALUE_PX, NARROW_VALUE_PX):
            large = theme.font(px, QFont.Weight.Medium)
            if QFontMetricsF(large).horizontalAdvance(shown) <= room:
                return small, large, False
        return small, large, True

    def name_fits(self) -> bool:
        """Whether the label is seen whole."""
        return QFontMetricsF(theme.font(theme.SMALL_PX)).horizontalAdvance(self.label) <= self.width()

    def _paint_scale(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("quiet"), 1))
            painter.drawRect(area.adjusted(0.5, 0.5, -0.5, -0.5))
        painter.save()
        painter.setClipRect(area)
        metrics_font = theme.font(theme.SMALL_PX)
        painter.setFont(metrics_font)
        metrics = QFontMetricsF(metrics_font)
        taken = -1e9
        for value, x, major in self._ticks(area):
            painter.setPen(QPen(theme.colour("quiet" if major else "line"), 1))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.top() + (9 if major else 5)))
            if major:
                text = number(value, max(0, self.spec.decimals - 1) if self.spec.unit != "K" else 0)
                wide = metrics.horizontalAdvance(text)
                if x - wide / 2 > max(taken + 6, area.left() + 2) and x + wide / 2 < area.right() - 2:
                    painter.drawText(QPointF(x - wide / 2, area.bottom() - 5), text)
                    taken = x + wide / 2
        painter.restore()
        for at, shape in ((self._default, "default"), (self._proposal, "proposal")):
            if at is not None:
                self._paint_mark(painter, area, at, shape)
        middle = area.center().x()
        painter.setPen(QPen(theme.colour("strong"), 1.5))
        painter.drawLine(QPointF(middle, area.top() - 3), QPointF(middle, area.top() + 13))

    def _paint_mark(self, painter: QPainter, area: QRectF, value: float, shape: str) -> None:
        """Default: a small open ring; proposal: a filled triangle. Held to the edge when far away."""
        x = min(max(self._x_of(value, area), area.left() + 5), area.right() - 5)
        painter.setPen(QPen(theme.colour("text"), 1.2))
        if shape == "default":
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, area.top() + 3.5), 2.5, 2.5)
        else:
            painter.setBrush(theme.colour("strong"))
            top = area.top()
            painter.drawPolygon(
                QPolygonF([QPointF(x - 4.5, top - 4), QPointF(x + 4.5, top - 4), QPointF(x, top + 3.5)])
            )
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def _x_of(self, value: float, area: QRectF) -> float:
        rule = self._ruling
        return area.center().x() + (rule.position(value) - rule.position(self._value)) * rule.px_per_unit

    def _ticks(self, area: QRectF) -> list[tuple[float, float, bool]]:
        """(value, x, major) of the ticks that can be seen."""
        rule, out = self._ruling, []
        half = area.width() / 2 / rule.px_per_unit
        here = rule.position(self._value)
        ends = []
        for end in (here - half, here + half):
            value = rule.value(end) if rule.position is float or end < -1e-9 else self.spec.high
            ends.append(min(max(value, self.spec.low), self.spec.high))
        low, high = min(ends), max(ends)
        near = self._value
        for n, step in enumerate(rule.ticks):
            px = abs(rule.position(near + step) - rule.position(near)) * rule.px_per_unit
            if px >= TICK_LEAST_PX:
                major_step = next((s for s in rule.ticks[n + 1 :] if s / step >= 4.99), step * 5)
                break
        else:
            step, major_step = rule.ticks[-1], rule.ticks[-1] * 5
        for k in range(
            math.ceil(low / step - 1e-9), min(math.floor(high / step + 1e-9), math.ceil(low / step) + 400) + 1
        ):
            value = k * step
            major = abs(value / major_step - round(value / major_step)) < 1e-6
            out.append((value, self._x_of(value, area), major))
        return out

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._drag = (event.position().x(), self._ruling.position(self._value))
            self._moved = False
            self._hidden_number = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        start_x, start = self._drag
        slow = 0.2 if event.modifiers() & Qt.KeyboardModifier.AltModifier else 1.0
        place = start - (event.position().x() - start_x) / self._ruling.px_per_unit * slow
        if place >= 0 and self._ruling.position is not float and self._ruling.position(self.spec.low) < 0:
            place = self._ruling.position(self.spec.high)
        self._moved = True
        self._move_to(self._snapped(self._ruling.value(place)))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self._drag is not None:
            self._drag = None
            self._hidden_number = False
            self.update()
            if self._moved:
                self.valueChanged.emit(self._value)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self._default is not None:
            self._drag = None
            self._settle(self._default)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._step(event.angleDelta().y() / 120.0, event.modifiers())
        event.accept()

    def keeps(self, event: QKeyEvent) -> bool:
        return bool(event.text()) and event.text() in TYPED

    def keyPressEvent(self, event: QKeyEvent) -> None:
        arrows = {Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1}
        if event.key() in arrows and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._step(arrows[Qt.Key(event.key())], event.modifiers())
        elif event.text() and event.text() in TYPED:
            self._open_editor(event.text())
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self._default is not None:
            self._settle(self._default)
        else:
            super().keyPressEvent(event)

    def is_typing(self) -> bool:
        return self._editor.isVisible()

    def _step(self, steps: float, modifiers: Qt.KeyboardModifier) -> None:
        factor = 1.0
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            factor = 10.0
        elif modifiers & Qt.KeyboardModifier.AltModifier:
            factor = 0.1
        self._settle(self._snapped(self._value + steps * self.spec.step * factor))

    def _snapped(self, value: float) -> float:
        held = min(max(value, self.spec.low), self.spec.high)
        return round(held, self.spec.decimals + 1)

    def _move_to(self, value: float) -> None:
        if value != self._value:
            self._value = value
            self.update()
            self.valueChanging.emit(value)

    def _settle(self, value: float) -> None:
        if value != self._value:
            self._move_to(value)
            self.valueChanged.emit(value)

    def _open_editor(self, text: str) -> None:
        self._editor.setGeometry(self.width() - 110, 0, 110, 28)
        self._editor.setText(text)
        self._editor.show()
        self._editor.setFocus()
        self._editor.setCursorPosition(len(text))

    def _on_typed(self) -> None:
        if not self._editor.isVisible():
            return
        text = self._editor.text()
        self._editor.hide()
        self.setFocus()
        try:
            self._settle(typed_number(self.spec, self.label, text))
        except RecipeError as error:
            self.refused.emit(str(error))
