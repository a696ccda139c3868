"""The loupes: a flat, a textured and an edged spot at 1:1, as it comes and with what is decided, side by side."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QImage, QMouseEvent, QPainter

from ....measure.detail.detail import KINDS
from ...canvas.render import to_image
from ...kit import theme
from ...kit.instrument import Instrument

GAP, FOOT_PX = 4.0, 18.0
Pixels = NDArray[np.uint8]


class Loupes(Instrument):
    """`changed` carries the number of a spot that is clicked, from 0: it is to be shown at 1:1."""

    def __init__(self) -> None:
        super().__init__("Flat, texture and edge, before and after")
        self._pairs: list[tuple[QImage, QImage]] = []
        self.setMinimumWidth(330)
        self.setToolTip(
            "A flat, a textured and an edge area of the picture at 1:1: unedited on the left, with the edits made here "
            "on the right. Click one to go there."
        )

    def sizeHint(self) -> QSize:
        return QSize(640, 208)

    def show_pairs(self, pairs: Sequence[tuple[Pixels, Pixels]]) -> None:
        """Blue-green-red-255 (height, width, 4) each."""
        self._pairs = [(to_image(before), to_image(after)) for before, after in pairs]
        self.update()

    def cells(self) -> list[tuple[QRectF, QRectF]]:
        """Where each pair is painted."""
        area = self.area()
        count = len(KINDS)
        width = (area.width() - (count - 1) * 3 * GAP) / count
        out = []
        for n in range(count):
            left = area.left() + n * (width + 3 * GAP)
            half = (width - GAP) / 2
            high = area.height() - FOOT_PX
            out.append((QRectF(left, area.top(), half, high), QRectF(left + half + GAP, area.top(), half, high)))
        return out

    def hit(self, x: float, y: float) -> object | None:
        for n, cells in enumerate(self.cells()):
            if any(cell.contains(x, y) for cell in cells) and n < len(self._pairs):
                return n
        return None

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if isinstance(self.grabbed, int):
            self.changed.emit(self.grabbed)
        super().mouseReleaseEvent(event)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        for n, cells in enumerate(self.cells()):
            for cell, image in zip(cells, self._pairs[n] if n < len(self._pairs) else (), strict=False):
                wide, high = min(cell.width(), image.width()), min(cell.height(), image.height())
                # px for px, their middles
                part = QRectF((image.width() - wide) / 2, (image.height() - high) / 2, wide, high)
                painter.drawImage(QRectF(cell.left(), cell.top(), wide, high), image, part)
            painter.setPen(theme.colour("quiet"))
            foot = QRectF(cells[0].left(), area.bottom() - FOOT_PX, 2 * cells[0].width() + GAP, FOOT_PX)
            painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter, KINDS[n])
