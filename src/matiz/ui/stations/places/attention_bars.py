"""The attention bars: what the subject fills and holds, and what pulls the eye away, each as a length."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from ....measure.places.attention import AttentionReading
from ....wording import percent
from ...kit import theme
from ...kit.instrument import Instrument

ROW_PX, NAME_PX, SHARE_PX, BAR_PX = 22.0, 118.0, 44.0, 9.0
LEAST_FULL = 0.1
"""The share that a bar shows at full length, at least."""


def lengths(reading: AttentionReading) -> list[float]:
    """Of each bar, 0..1: what the subject fills, what it holds, then each pull."""
    shares = [reading.subject_area or 0.0, reading.subject or 0.0, *(pull.share for pull in reading.pulls)]
    full = max(*shares, LEAST_FULL)
    return [share / full for share in shares]


class AttentionBars(Instrument):
    """`changed` carries the number of the pull that is chosen, from 0."""

    def __init__(self) -> None:
        super().__init__("What draws the eye")
        self._reading: AttentionReading | None = None
        self._before: AttentionReading | None = None
        self._chosen = 0
        self.setMinimumWidth(260)
        self.setToolTip(
            "The subject's share of the picture and of the attention, with a tick for its share without places; "
            "below it what pulls the eye elsewhere, strongest first. Click one, or choose it with up and down."
        )

    own_keys = (Qt.Key.Key_Up, Qt.Key.Key_Down)

    def sizeHint(self) -> QSize:
        return QSize(360, int(7 * ROW_PX) + 8)

    def show_reading(self, reading: AttentionReading | None, before: AttentionReading | None, chosen: int) -> None:
        self.put(_reading=reading, _before=before, _chosen=chosen)

    def hit(self, x: float, y: float) -> object | None:
        row = int((y - 4.0) // ROW_PX) - 2
        return row if self._reading is not None and 0 <= row < len(self._reading.pulls) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if isinstance(self.grabbed, int):
            self.changed.emit(self.grabbed)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is None or self._reading is None or not self._reading.pulls:
            super().keyPressEvent(event)
            return
        self.changed.emit(min(max(self._chosen + step, 0), len(self._reading.pulls) - 1))

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        reading = self._reading
        if reading is None:
            return
        known = reading.subject is not None
        names = ["subject fills", "and holds", *(f"{n}  {pull.why}" for n, pull in enumerate(reading.pulls, 1))]
        shares = [reading.subject_area or 0.0, reading.subject or 0.0, *(pull.share for pull in reading.pulls)]
        for row, (name, share, length) in enumerate(zip(names, shares, lengths(reading), strict=True)):
            y = area.top() + 4.0 + row * ROW_PX
            if row < 2 and not known:
                continue
            is_chosen = row - 2 == self._chosen
            painter.setPen(theme.colour("strong" if is_chosen or row == 1 else "text"))
            upright = Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(area.left() + 6, y, NAME_PX, ROW_PX), upright, name)
            bar = QRectF(area.left() + NAME_PX, y + (ROW_PX - BAR_PX) / 2, 0.0, BAR_PX)
            bar.setWidth(max((area.width() - NAME_PX - SHARE_PX) * length, 1.0))
            painter.fillRect(bar, theme.colour("strong" if row == 1 or is_chosen else "quiet"))
            told = QRectF(area.right() - SHARE_PX, y, SHARE_PX - 6, ROW_PX)
            painter.drawText(told, upright | Qt.AlignmentFlag.AlignRight, percent(share, 1))
            if row == 1 and self._before is not None and self._before.subject and share:
                x = bar.left() + min(bar.width() * self._before.subject / share, area.width() - NAME_PX - SHARE_PX)
                painter.setPen(QPen(theme.colour("text"), 1.5))
                painter.drawLine(QPointF(x, y + 2), QPointF(x, y + ROW_PX - 2))
        if not reading.pulls:
            painter.setPen(theme.colour("quiet"))
            place = QRectF(area.left() + 6, area.top() + 4 + 2 * ROW_PX, area.width() - 12, ROW_PX)
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, "Nothing else pulls the eye.")
