"""The route: the stations in working order, each with its live reading."""

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ..kit import theme
from ..kit.painted import painting
from ..stations.base import Station

ROW_PX = 62
WIDTH_PX = 132


class Route(QWidget):
    """Navigation, progress and dashboard in one."""

    chosen = Signal(int)

    def __init__(self, stations: list[Station]) -> None:
        super().__init__()
        self._stations = stations
        self._current = 0
        self._rows: list[tuple[bool, bool, bool, int, str]] = []
        """Of each station: whether it is shown, left out, decided; its findings, its reading."""
        self.setFixedWidth(WIDTH_PX)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Route")
        self.setToolTip("The stations in working order. A filled stop: something was edited; strokes: findings.")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def set_current(self, index: int) -> None:
        self._current = index
        self.refresh()

    def refresh(self) -> None:
        """Ask the stations; painted anew only when one says something else."""
        rows = [
            (n == self._current, s.is_left_out(), s.is_decided(), s.open_findings(), s.reading_text())
            for n, s in enumerate(self._stations)
        ]
        before, self._rows = self._rows, rows
        for index, row in enumerate(rows):
            if index >= len(before) or row != before[index]:
                self.update(0, 8 + ROW_PX * index, self.width(), ROW_PX)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH_PX, ROW_PX * len(self._stations))

    def row_at(self, y: float) -> int:
        """Index of the station at a height of the widget, -1 below the last."""
        index = int((y - 8) // ROW_PX)
        return index if 0 <= index < len(self._stations) else -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self.row_at(event.position().y())
        if index >= 0:
            self.chosen.emit(index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            index = self._current + (1 if event.key() == Qt.Key.Key_Down else -1)
            self.chosen.emit(min(max(index, 0), len(self._stations) - 1))
        else:
            super().keyPressEvent(event)

    @painting
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.colour("panel"))
        line_x = 15.5
        top, bottom = 8 + ROW_PX * 0.5 - 13, 8 + ROW_PX * (len(self._stations) - 0.5) - 13
        painter.setPen(QPen(theme.colour("line"), 2))
        painter.drawLine(QPointF(line_x, top), QPointF(line_x, bottom))
        for index, station in enumerate(self._stations[: len(self._rows)]):
            if event.rect().intersects(QRect(0, 8 + ROW_PX * index, self.width(), ROW_PX)):
                self._paint_row(painter, index, station, line_x)

    def _paint_row(self, painter: QPainter, index: int, station: Station, line_x: float) -> None:
        y = 8 + ROW_PX * index
        row = QRectF(0, y, self.width(), ROW_PX)
        here, left_out, decided, open_findings, reading = self._rows[index]
        if here:
            painter.fillRect(row, theme.colour("line"))
        stop = QPointF(line_x, y + 18)
        painter.setPen(QPen(theme.colour("strong" if here else "quiet"), 1.6))
        filled = decided and not left_out
        painter.setBrush(theme.colour("text") if filled else theme.colour("line" if here else "panel"))
        painter.drawEllipse(stop, 4.5, 4.5)
        if left_out:
            painter.drawLine(stop + QPointF(-7, 0), stop + QPointF(7, 0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        name = QRectF(30, y + 7, row.width() - 36, 22)
        painter.setFont(theme.font(theme.TEXT_PX + 1, QFont.Weight.DemiBold if here else QFont.Weight.Medium))
        painter.setPen(theme.colour("strong" if here else "text"))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(name, Qt.AlignmentFlag.AlignLeft | middle, f"{station.number}  {station.title}")
        if open_findings:
            # as many short strokes as findings, up to five: seen before it is counted
            painter.setPen(QPen(theme.colour("strong"), 2))
            for n in range(min(open_findings, 5)):
                x = row.right() - 12 - 5 * n
                painter.drawLine(QPointF(x, y + 13), QPointF(x, y + 23))
        painter.setFont(theme.font(theme.TEXT_PX))
        painter.setPen(theme.colour("text" if here else "quiet"))
        painter.drawText(
            QRectF(30, y + 29, row.width() - 34, 20),
            Qt.AlignmentFlag.AlignLeft | middle,
            "bypassed" if left_out else reading,
        )
