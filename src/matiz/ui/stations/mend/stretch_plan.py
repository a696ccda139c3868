"""The plan of a warp: how much longer each part of the picture is shown than it was."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QImage, QPainter

from ....colour.types import Array
from ....wording import number
from ...kit import theme
from ...kit.instrument import Instrument

WHOLE = 0.5
"""Stretch that is drawn white; as much squeezed black."""
LEAST = 0.005
"""Less is called nothing."""


class StretchPlan(Instrument):
    """Shows only."""

    def __init__(self) -> None:
        super().__init__("Stretch of the picture")
        self._stretch: Array | None = None
        self._image: QImage | None = None
        self.setMinimumWidth(220)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip("How much each part is stretched: light is stretched, dark is squeezed")

    def sizeHint(self) -> QSize:
        return QSize(300, 180)

    def show_stretch(self, stretch: Array | None) -> None:
        """(rows, columns) of the whole frame, as a share; None where nothing is bent."""
        self._stretch, self._image = stretch, None
        if stretch is not None:
            codes = np.clip(90.0 + stretch * (165.0 / WHOLE), 0.0, 255.0).astype(np.uint8)
            height, width = codes.shape
            self._image = QImage(codes.tobytes(), width, height, width, QImage.Format.Format_Grayscale8).copy()
        self.update()

    def lines(self) -> tuple[str, ...]:
        if self._stretch is None or np.abs(self._stretch).max() < LEAST:
            return ("nothing is stretched",)
        ends = (("stretched most", self._stretch.max()), ("squeezed most", self._stretch.min()))
        return tuple(f"{text} {number(100.0 * float(value), 0, '%', signed=True)}" for text, value in ends)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(area, theme.colour("window"))
        inner = area.adjusted(12, 10, -12, -10)
        painter.setFont(theme.font(theme.TEXT_PX, QFont.Weight.Medium))
        painter.setPen(theme.colour("text"))
        for n, text in enumerate(self.lines()):
            painter.drawText(QPointF(inner.left(), inner.top() + 12 + 18 * n), text)
        if self._image is None:
            return
        room = inner.adjusted(0, 42, 0, 0)
        scale = min(room.width() / self._image.width(), room.height() / self._image.height())
        size = self._image.width() * scale, self._image.height() * scale
        painter.drawImage(QRectF(room.left(), room.top(), *size), self._image)
