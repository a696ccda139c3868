"""The gauges of Deliver: size, print size, range and gamut of what will be written."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QFont, QPainter

from ...measure.deliver.deliver import DeliveryReading
from ...wording import number, percent
from . import theme
from .instrument import Instrument

PPI = 300.0
FULL_SCALE = 0.10
"""Share of the picture at which a gauge is full."""


def print_size_cm(size: tuple[int, int], ppi: float = PPI) -> tuple[float, float]:
    """Width and height in cm of a picture printed at `ppi`."""
    return size[0] / ppi * 2.54, size[1] / ppi * 2.54


class Gauges(Instrument):
    """Shows only."""

    def __init__(self) -> None:
        super().__init__("Size, range and gamut of the delivery")
        self._size = (0, 0)
        self._reading: DeliveryReading | None = None
        self._space = "sRGB"
        self.setMinimumWidth(280)
        self.setToolTip(
            "What will be written: pixels, megapixels, cm on paper; the shares of the picture, in %, that print "
            "as bare "
            "paper or without shadow detail, and that lie outside the colour space."
        )
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def sizeHint(self) -> QSize:
        return QSize(340, 208)

    def show_size(self, size: tuple[int, int]) -> None:
        self.put(_size=size)

    def show_reading(self, reading: DeliveryReading | None, space: str) -> None:
        """space: of the delivery; what lies outside a profile of a file is not told."""
        self.put(_reading=reading, _space=space)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        inner = area.adjusted(12, 10, -12, -10)
        width, height = self._size
        painter.setFont(theme.font(theme.VALUE_PX, QFont.Weight.Medium))
        painter.setPen(theme.colour("text"))
        top = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
        painter.drawText(inner, top, f"{number(width, 0)} \u00d7 {number(height, 0, 'px')}")
        painter.setFont(theme.font())
        painter.setPen(theme.colour("quiet"))
        wide, high = print_size_cm(self._size)
        mega = number(width * height / 1e6, 1, "MP")
        printed = f"{mega}   prints {number(wide, 1)} \u00d7 {number(high, 1, 'cm')} at {number(PPI, 0)} ppi"
        painter.drawText(inner.adjusted(0, 28, 0, 0), top, printed)
        if self._reading is None:
            return
        rows = [
            ("bare paper, over 245 of 255", self._reading.bare_paper, Qt.BrushStyle.BDiagPattern),
            ("no shadow detail, under 8 of 255", self._reading.no_shadow, Qt.BrushStyle.Dense5Pattern),
        ]
        outside = self._reading.out_of_gamut.get(self._space)
        if outside is not None:
            rows.append((f"outside {self._space}, compressed", outside, Qt.BrushStyle.SolidPattern))
        for n, (name, share, pattern) in enumerate(rows):
            y = inner.top() + 54 + 42 * n
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QRectF(inner.left(), y, inner.width(), 18), Qt.AlignmentFlag.AlignLeft, name)
            painter.setPen(theme.colour("text"))
            painter.drawText(QRectF(inner.left(), y, inner.width(), 18), Qt.AlignmentFlag.AlignRight, percent(share, 2))
            bar = QRectF(inner.left(), y + 20, inner.width(), 8)
            painter.fillRect(bar, theme.colour("panel"))
            filled = QRectF(bar.left(), bar.top(), bar.width() * min(share / FULL_SCALE, 1.0), bar.height())
            painter.fillRect(filled, QBrush(theme.colour("text"), pattern))
        painter.setPen(theme.colour("quiet"))
        corner = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
        painter.drawText(inner, corner, f"bars end at {percent(FULL_SCALE, 0)}")
