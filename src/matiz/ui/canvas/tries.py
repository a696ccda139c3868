"""Six alternatives of the open picture side by side; one click takes one."""

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from ...colour.spaces import encode_sRGB
from ...proposals.tries import Try, tries
from ...wording import number
from ...work.jobs import Job
from ...work.session import Session
from ..kit import theme
from ..kit.painted import PaintedWidget, painting
from .render import to_image

COLUMNS, ROWS = 3, 2
GAP_PX, NAME_PX = 14.0, 24.0


class TriesSheet(PaintedWidget):
    """Shown in place of the picture. `taken` carries what was chosen, None for nothing."""

    taken = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._tries: list[Try] = []
        self._images: list[QImage] = []
        self._chosen = 0
        self._job: Job | None = None
        self._turn = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tries")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def begin(self) -> bool:
        """Work out the tries of the open picture; False when it is not open or not measured yet."""
        engine, reading, recipe = self.session.engine, self.session.reading, self.session.recipe
        if engine is None or not reading.has(("light", "tone")):
            return False
        self._show([])
        job = Job(lambda _: tries(engine, reading, recipe), "tries")
        # an answer about another picture, or an older recipe, comes too late
        self._turn += 1
        turn = self._turn
        job.returned.connect(lambda found: self._show(found) if turn == self._turn else None)
        job.failed.connect(self.session.said.emit)
        job.finished.connect(lambda: self._on_finished(turn))
        self._job = job.start()
        return True

    def is_idle(self) -> bool:
        return self._job is None

    def names(self) -> list[str]:
        return [one.name for one in self._tries]

    def tile(self, index: int) -> QRectF:
        """Where a try lies in the widget, its name below the picture included."""
        wide = (self.width() - GAP_PX * (COLUMNS + 1)) / COLUMNS
        tall = (self.height() - GAP_PX * (ROWS + 1)) / ROWS
        column, row = index % COLUMNS, index // COLUMNS
        return QRectF(GAP_PX + column * (wide + GAP_PX), GAP_PX + row * (tall + GAP_PX), wide, tall)

    def keeps(self, event: QKeyEvent) -> bool:
        return event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -COLUMNS, Qt.Key.Key_Down: COLUMNS}
        if event.key() in moves and self._tries:
            self._chosen = min(max(self._chosen + moves[Qt.Key(event.key())], 0), len(self._tries) - 1)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._tries:
            self.taken.emit(self._tries[self._chosen])
        elif event.key() == Qt.Key.Key_Escape:
            self.taken.emit(None)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for index, one in enumerate(self._tries):
            if self.tile(index).contains(event.position()):
                self.taken.emit(one)
                return

    @painting
    def paintEvent(self, painter: QPainter, _: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour("window"))
        painter.setFont(theme.font(theme.TEXT_PX))
        if not self._tries:
            painter.setPen(theme.colour("text"))
            text = "Working out the tries" if self._job is not None else "Nothing to try: all of it looks the same"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
        for index, (one, image) in enumerate(zip(self._tries, self._images, strict=True)):
            self._paint_tile(painter, self.tile(index), one, image, chosen=index == self._chosen)

    def _paint_tile(self, painter: QPainter, tile: QRectF, one: Try, image: QImage, *, chosen: bool) -> None:
        room = tile.adjusted(0, 0, 0, -NAME_PX)
        scale = min(room.width() / image.width(), room.height() / image.height())
        wide, tall = image.width() * scale, image.height() * scale
        place = QRectF(room.center().x() - wide / 2, room.bottom() - tall, wide, tall)
        painter.drawImage(place, image)
        if chosen and self.hasFocus():
            painter.setPen(QPen(theme.colour("strong"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(place.adjusted(-3, -3, 3, 3))
        line = QRectF(place.left(), place.bottom() + 3, place.width(), NAME_PX - 3)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setPen(theme.colour("text"))
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft | middle, one.name)
        painter.setPen(theme.colour("quiet"))
        painter.drawText(line, Qt.AlignmentFlag.AlignRight | middle, f"\u0394E {number(one.delta_E, 1)}")

    def _show(self, found: list[Try]) -> None:
        self._tries, self._images, self._chosen = found, [_image(one) for one in found], 0
        self.update()

    def _on_finished(self, turn: int) -> None:
        if turn == self._turn:
            self._job = None
            self.update()


def _image(one: Try) -> QImage:
    codes = np.full((*one.display.shape[:2], 4), 255, np.uint8)
    codes[..., :3] = np.rint(encode_sRGB(one.display)[..., ::-1] * 255.0)
    return to_image(codes)
