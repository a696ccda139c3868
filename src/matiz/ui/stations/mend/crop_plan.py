"""The plan of the crop: where it lies in the picture, and what is left for paper and screen."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QFont, QPainter, QPen

from ....wording import number
from ...kit import theme
from ...kit.gauges import PPI, print_size_cm
from ...kit.instrument import Instrument

Box = tuple[float, float, float, float]


class CropPlan(Instrument):
    """Shows only."""

    def __init__(self) -> None:
        super().__init__("What is left of the picture")
        self._crop: Box = (0.0, 0.0, 1.0, 1.0)
        self._whole = (1.0, 1.0)
        self.setMinimumWidth(220)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip("What is left of the picture: pixels, megapixels, ratio, and cm on paper at 300 ppi")

    def sizeHint(self) -> QSize:
        return QSize(300, 180)

    def show_crop(self, crop: Box, whole: tuple[float, float]) -> None:
        self.put(_crop=crop, _whole=whole)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(area, theme.colour("window"))
        inner = area.adjusted(12, 10, -12, -10)
        x, y, w, h = self._crop
        size = (round(w), round(h))
        painter.setFont(theme.font(theme.VALUE_PX, QFont.Weight.Medium))
        painter.setPen(theme.colour("text"))
        top = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
        painter.drawText(inner, top, f"{number(size[0], 0)} \u00d7 {number(size[1], 0, 'px')}")
        painter.setFont(theme.font())
        painter.setPen(theme.colour("quiet"))
        wide, high = print_size_cm(size)
        ratio = max(size) / max(min(size), 1)
        rows = (
            f"{number(size[0] * size[1] / 1e6, 1, 'MP')}   ratio 1 : {number(ratio, 2)}",
            f"prints {number(wide, 1)} \u00d7 {number(high, 1, 'cm')} at {number(PPI, 0)} ppi",
        )
        for n, text in enumerate(rows):
            painter.drawText(inner.adjusted(0, 28 + 18 * n, 0, 0), top, text)
        room = inner.adjusted(0, 74, 0, 0)
        scale = min(room.width() / self._whole[0], room.height() / self._whole[1])
        outer = QRectF(room.left(), room.top(), self._whole[0] * scale, self._whole[1] * scale)
        painter.fillRect(outer, theme.colour("panel"))
        kept = QRectF(outer.left() + x * scale, outer.top() + y * scale, w * scale, h * scale)
        painter.fillRect(kept, theme.colour("line"))
        painter.setPen(QPen(theme.colour("text"), 1.2))
        painter.drawRect(kept)
