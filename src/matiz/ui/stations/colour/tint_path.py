"""The tint path: the colours that are laid over dark, middle and light tones, as a way on one a*, b* plane."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen

from ....colour.spaces import XYZ_TO_SRGB, Lab_to_XYZ, encode_sRGB
from ....develop.stages.colour import TINT_ENDS, tint_at
from ....recipe.colour import TintNode
from ....recipe.tree import Rows
from ....wording import number
from ...kit import theme
from ...kit.instrument import Instrument

MOST = 24.0
"""a* and b* from the middle to the rim."""
MOST_NODE = 40.0
GRAB_PX = 12
STEP = 0.5

NodeMove = tuple[str, dict[str, float]]


@dataclass(frozen=True)
class TintPlane:
    """a* rightward and b* upward to widget px and back, equal scales."""

    width: float
    height: float

    @property
    def px_per_unit(self) -> float:
        return min(self.width, self.height) / (2.0 * MOST)

    def to_px(self, a: float, b: float) -> tuple[float, float]:
        return self.width / 2 + a * self.px_per_unit, self.height / 2 - b * self.px_per_unit

    def to_value(self, x: float, y: float) -> tuple[float, float]:
        return (x - self.width / 2) / self.px_per_unit, (self.height / 2 - y) / self.px_per_unit


def held(value: float) -> float:
    return round(float(np.clip(value, -MOST_NODE, MOST_NODE)), 1)


class TintPath(Instrument):
    """Drag a node: `changing` and `changed` carry a NodeMove."""

    asked = Signal(str)
    """ "add" or "remove"."""
    chosen = Signal(str)
    own_keys = (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Insert)

    def __init__(self) -> None:
        super().__init__("Tint path from dark to light")
        self._nodes: dict[str, TintNode] = {}
        self._chosen = ""
        self._image = _ground()
        self.setMinimumWidth(220)
        self.setToolTip(
            "Drag a node to the colour for its tone; luminance stays. Keys: Page Up and Page Down "
            "choose a node, arrows move it, Insert adds one, Delete removes it."
        )

    def sizeHint(self) -> QSize:
        return QSize(300, 208)

    def show_nodes(self, nodes: Mapping[str, TintNode], chosen: str) -> None:
        self.put(_nodes=dict(nodes), _chosen=chosen)

    def plane(self) -> TintPlane:
        return TintPlane(float(self.width()), float(self.height()))

    def hit(self, x: float, y: float) -> object | None:
        far = {ident: np.hypot(*np.subtract(self.plane().to_px(node.a, node.b), (x, y)))
               for ident, node in self._nodes.items()}  # fmt: skip
        near = {ident: d - (0.5 if ident == self._chosen else 0.0) for ident, d in far.items() if d <= GRAB_PX}
        return min(near, key=near.__getitem__) if near else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if self.grabbed is not None:
            self.chosen.emit(str(self.grabbed))

    def dragged(self, x: float, y: float) -> object | None:
        a, b = self.plane().to_value(x, y)
        return str(self.grabbed), {"a": held(a), "b": held(b)}

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        key, node = Qt.Key(event.key()), self._nodes.get(self._chosen)
        far = 8.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        if key in moves and node is not None:
            a, b = (value + step * far * STEP for value, step in zip((node.a, node.b), moves[key], strict=True))
            self.changed.emit((self._chosen, {"a": held(a), "b": held(b)}))
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and self._nodes:
            idents = sorted(self._nodes, key=lambda ident: self._nodes[ident].at)
            at = idents.index(self._chosen) if self._chosen in idents else 0
            self.chosen.emit(idents[(at + (1 if key == Qt.Key.Key_PageUp else -1)) % len(idents)])
        elif key == Qt.Key.Key_Insert:
            self.asked.emit("add")
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.asked.emit("remove")
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        plane = self.plane()
        painter.fillRect(area, theme.colour("window"))
        side = 2.0 * MOST * plane.px_per_unit
        square = QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(square, self._image)
        painter.setPen(QPen(theme.colour("line"), 1))
        middle = QPointF(*plane.to_px(0.0, 0.0))
        painter.drawLine(QPointF(square.left(), middle.y()), QPointF(square.right(), middle.y()))
        painter.drawLine(QPointF(middle.x(), square.top()), QPointF(middle.x(), square.bottom()))
        for ring in (5.0, 10.0, 20.0):
            painter.drawEllipse(middle, ring * plane.px_per_unit, ring * plane.px_per_unit)
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(square.left() + 5, square.top() + 14), "b* ↑   a* →")
        painter.drawText(QPointF(middle.x() + 10.0 * plane.px_per_unit + 3, middle.y() + 12), "10")
        self._paint_path(painter, plane)
        for ident, node in sorted(self._nodes.items(), key=lambda item: item[0] == self._chosen):
            self._paint_node(painter, plane, node, is_chosen=ident == self._chosen)

    def _paint_path(self, painter: QPainter, plane: TintPlane) -> None:
        L = np.linspace(TINT_ENDS, 100.0 - TINT_ENDS, 60)
        a, b = tint_at(Rows(self._nodes.items()), L)
        points = [plane.to_px(float(x), float(y)) for x, y in zip(a, b, strict=True)]
        path = QPainterPath(QPointF(*points[0]))
        for x, y in points[1:]:
            path.lineTo(x, y)
        painter.setPen(QPen(theme.colour("strong"), 1.6))
        painter.drawPath(path)

    def _paint_node(self, painter: QPainter, plane: TintPlane, node: TintNode, *, is_chosen: bool) -> None:
        """As light as the tone that it stands for."""
        point = QPointF(*plane.to_px(node.a, node.b))
        radius = 8.0 if is_chosen else 6.0
        painter.setPen(QPen(theme.colour("strong"), 2.4 if is_chosen else 1.4))
        painter.setBrush(theme.grey(node.at))
        painter.drawEllipse(point, radius, radius)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if is_chosen:
            text = f"L* {number(node.at, 0)}"
            painter.setPen(theme.colour("strong"))
            painter.drawText(QPointF(point.x() + 12, point.y() + 4), text)


def _ground() -> QImage:
    """The colours of the plane, pale, dark enough for what is drawn upon it."""
    size = 49
    b, a = np.mgrid[MOST : -MOST : size * 1j, -MOST : MOST : size * 1j]
    linear = Lab_to_XYZ(np.stack([np.full_like(a, 42.0), a, b], axis=-1)) @ XYZ_TO_SRGB.T
    rgb = np.ascontiguousarray(np.round(255.0 * encode_sRGB(np.clip(linear, 0.0, 1.0))).astype(np.uint8))
    return QImage(rgb.data, size, size, size * 3, QImage.Format.Format_RGB888).copy()
