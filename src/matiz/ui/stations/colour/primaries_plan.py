"""The triangle of the working primaries in u'v', its corners dragged about white."""

import math
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from ....colour.spaces import D65_XY, primaries_uv, xy_to_uv
from ....colour.types import Array
from ....recipe.colour import Primaries
from ....wording import number
from ...kit import theme
from ...kit.instrument import Instrument

NAMES = ("red", "green", "blue")
LETTERS = {"red": "R", "green": "G", "blue": "B"}
MOST_DEG, LEAST_X, MOST_X = 30.0, 0.5, 1.5
GRAB_PX = 14
STEP_DEG, STEP_X = 0.5, 0.01
SPAN_UV = ((-0.06, 0.66), (-0.06, 0.66))
"""The part of the plane that must be seen, u' and v'."""

CornerMove = tuple[str, float, float]
"""Which primary, by how many degrees it is turned, and how many times as far from white it lies."""
_WHITE = xy_to_uv(D65_XY)
CORNER = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom


@dataclass(frozen=True)
class PrimariesPlane:
    """u'v' to widget px and back, equal scales."""

    width: float
    height: float

    @property
    def px_per_unit(self) -> float:
        (left, right), (bottom, top) = SPAN_UV
        return min(self.width / (right - left), self.height / (top - bottom))

    def to_px(self, uv: Array) -> Array:
        (left, right), (bottom, top) = SPAN_UV
        x = self.width / 2 + (np.asarray(uv)[..., 0] - (left + right) / 2) * self.px_per_unit
        y = self.height / 2 - (np.asarray(uv)[..., 1] - (bottom + top) / 2) * self.px_per_unit
        return np.stack([x, y], axis=-1)

    def to_uv(self, x: float, y: float) -> Array:
        (left, right), (bottom, top) = SPAN_UV
        return np.array(
            [(left + right) / 2 + (x - self.width / 2) / self.px_per_unit,
             (bottom + top) / 2 - (y - self.height / 2) / self.px_per_unit]
        )  # fmt: skip


def corner(primaries: Primaries, name: str) -> Array:
    """Where a primary lies now, u'v'."""
    off = primaries_uv("Rec.2020")[NAMES.index(name)] - _WHITE
    turn, factor = math.radians(getattr(primaries, f"{name}_deg")), getattr(primaries, f"{name}_chroma")
    cos, sin = math.cos(turn), math.sin(turn)
    return _WHITE + factor * np.array([off[0] * cos - off[1] * sin, off[0] * sin + off[1] * cos])


def move_to(name: str, uv: Array) -> CornerMove:
    """What takes a primary to a place, within its limits."""
    off, wanted = primaries_uv("Rec.2020")[NAMES.index(name)] - _WHITE, uv - _WHITE
    turn = math.degrees(math.atan2(wanted[1], wanted[0]) - math.atan2(off[1], off[0]))
    turn = (turn + 180.0) % 360.0 - 180.0
    factor = float(np.hypot(*wanted) / np.hypot(*off))
    return name, round(min(max(turn, -MOST_DEG), MOST_DEG), 1), round(min(max(factor, LEAST_X), MOST_X), 2)


class PrimariesPlan(Instrument):
    """Drag a corner: `changing` and `changed` carry a CornerMove."""

    chosen = Signal(str)
    own_keys = (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)

    def __init__(self) -> None:
        super().__init__("Triangle of the primaries in u′v′")
        self._primaries, self._chosen = Primaries(), "red"
        self.setMinimumWidth(220)
        self.setToolTip(
            "Drag a corner around white to shift the hue of its colours, away from white for more chroma. Keys: "
            "Page Up and "
            "Page Down choose a corner, left and right turn it, up and down move it."
        )

    def sizeHint(self) -> QSize:
        return QSize(300, 208)

    def show_primaries(self, primaries: Primaries, chosen: str) -> None:
        self.put(_primaries=primaries, _chosen=chosen)

    def plane(self) -> PrimariesPlane:
        return PrimariesPlane(float(self.width()), float(self.height()))

    def hit(self, x: float, y: float) -> object | None:
        far = {name: np.hypot(*(self.plane().to_px(corner(self._primaries, name)) - (x, y))) for name in NAMES}
        nearest = min(far, key=far.__getitem__)
        return nearest if far[nearest] <= GRAB_PX else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if self.grabbed is not None:
            self.chosen.emit(str(self.grabbed))

    def dragged(self, x: float, y: float) -> object | None:
        return move_to(str(self.grabbed), self.plane().to_uv(x, y))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, name = Qt.Key(event.key()), self._chosen
        far = 8.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        turn, factor = getattr(self._primaries, f"{name}_deg"), getattr(self._primaries, f"{name}_chroma")
        turns = {Qt.Key.Key_Left: 1, Qt.Key.Key_Right: -1}
        scales = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
        if key in turns or key in scales:
            turn = min(max(turn + turns.get(key, 0) * STEP_DEG * far, -MOST_DEG), MOST_DEG)
            factor = min(max(factor + scales.get(key, 0) * STEP_X * far, LEAST_X), MOST_X)
            self.changed.emit((name, round(turn, 1), round(factor, 2)))
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.chosen.emit(NAMES[(NAMES.index(name) + (1 if key == Qt.Key.Key_PageUp else -1)) % 3])
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        plane = self.plane()
        painter.fillRect(area, theme.colour("window"))
        for space, style in (("Rec.2020", Qt.PenStyle.DotLine), ("sRGB", Qt.PenStyle.DashLine)):
            painter.setPen(QPen(theme.colour("quiet"), 1, style))
            painter.drawPolygon(_polygon(plane.to_px(primaries_uv(space))))
        painter.drawText(area.adjusted(8, 6, -8, -6), CORNER, "– – sRGB\n· · as they are")
        moved = plane.to_px(np.stack([corner(self._primaries, name) for name in NAMES]))
        painter.setPen(QPen(theme.colour("strong"), 1.8))
        painter.drawPolygon(_polygon(moved))
        white = plane.to_px(_WHITE)
        painter.drawLine(QPointF(white[0] - 4, white[1]), QPointF(white[0] + 4, white[1]))
        painter.drawLine(QPointF(white[0], white[1] - 4), QPointF(white[0], white[1] + 4))
        for name, point in zip(NAMES, moved, strict=True):
            is_chosen = name == self._chosen
            radius = 9.0 if is_chosen else 7.0
            painter.setPen(QPen(theme.colour("strong"), 2.0 if is_chosen else 1.2))
            painter.setBrush(theme.CHANNELS[name[0]])
            painter.drawEllipse(QPointF(*point), radius, radius)
            painter.setPen(theme.grey(5.0))
            box = QRectF(point[0] - radius, point[1] - radius, 2 * radius, 2 * radius)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, LETTERS[name])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.colour("quiet"))
        name = self._chosen
        turn, factor = getattr(self._primaries, f"{name}_deg"), getattr(self._primaries, f"{name}_chroma")
        told = f"{name}\n{number(turn, 1, '°', signed=True)}  ×{number(factor, 2)}\nu′v′"
        painter.drawText(area.adjusted(8, 6, -8, -6), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, told)


def _polygon(points: Array) -> QPolygonF:
    return QPolygonF([QPointF(float(x), float(y)) for x, y in points])
