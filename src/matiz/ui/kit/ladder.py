"""The zone ladder: where each zone goes, the share of the picture in it, where it clips, what is left over noise."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Protocol

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QKeyEvent, QMouseEvent, QPainter, QPen

from ...colour.spaces import lightness
from ...develop.stages.rendition import shown_value
from ...kernels.units import MIDDLE_GREY
from ...measure.detail.noise import LEAST_dB, NoiseReading
from ...measure.tone.tone import ZONES, RangeReading
from ...recipe.leaves import Numbers, Values
from ...recipe.model import Tone, specs
from ...recipe.tree import replaced
from ...wording import number, percent
from . import theme
from .instrument import Instrument

PATH = "tone.zones_EV"
PLAIN = Tone()
SHOWN = ("zones_EV", "rendition", "black_EV", "white_EV", "curve")
"""What of Tone the ladder shows."""
NAME_PX, PATCH_PX, MOVE_PX, TEXT_PX, NOISE_PX = 22, 20, 54, 44, 38
GRAB_PX = 9.0
STEP_EV = 0.05


@dataclass(frozen=True)
class Rung:
    """One zone, from zone X at the top down to zone 0."""

    zone: int
    y: float
    height: float
    share: float
    lightness: float
    """Display lightness at which the zone's middle is shown, 0..100."""


def rungs(zones: tuple[float, ...], tone: Tone, height: float) -> list[Rung]:
    """Geometry of the ladder: eleven rungs over `height` px."""
    step = height / len(zones)
    shown = _shown_L(tone)
    return [Rung(zone, height - (zone + 1) * step, step, share, shown[zone]) for zone, share in enumerate(zones)]


@lru_cache(maxsize=8)
def _shown_L(tone: Tone) -> tuple[float, ...]:
    """Display lightness of the middle of each zone."""
    middles = MIDDLE_GREY * 2.0 ** (np.arange(len(ZONES)) - 5.0)
    return tuple(float(value) for value in lightness(shown_value(tone, middles)))


def with_offset(offsets: Values, zone: int, offset_EV: float) -> Values:
    """The offsets with one of them changed, held to what the recipe takes."""
    spec = specs()[PATH]
    assert isinstance(spec, Numbers)
    held = min(max(round(offset_EV / STEP_EV) * STEP_EV, spec.each.low), spec.each.high)
    return (*offsets[:zone], round(held, 4), *offsets[zone + 1 :])


def y_of(zone_EV: float, height: float) -> float:
    """Height on the ladder of a tone given in zones, 5 for middle grey; a zone is a rung."""
    return height - (zone_EV + 0.5) * height / len(ZONES)


def zone_at(y: float, height: float) -> float:
    return (height - y) * len(ZONES) / height - 0.5


class ZoneShares(Protocol):
    """The share of the picture, or of a place, in each zone 0..X."""

    @property
    def zones(self) -> tuple[float, ...]: ...
    @property
    def zones_before(self) -> tuple[float, ...]: ...


class Ladder(Instrument):
    """`changing` and `changed` carry the eleven offsets."""

    own_keys = (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Delete, Qt.Key.Key_Backspace)

    def __init__(self) -> None:
        super().__init__("Zone ladder")
        self._reading: ZoneShares | None = None
        self._noise: NoiseReading | None = None
        self._range: RangeReading | None = None
        self._tone = Tone()
        self._selected = 5
        self.setMinimumWidth(224)
        self.setToolTip(
            "Drag the end of a line: up makes that zone lighter, a rung is 1 EV. Bars are the share of the picture in "
            "each zone, outlined as it was before; hatching marks what is clipped in the raw data. At the "
            "right, signal "
            "over noise of a pixel: 20 dB is 10 to 1; underlined where noise will show, and a bar on the lines marks "
            "how far such a zone can be lifted before it does. "
            "Keys: Page Up and Page Down choose a zone, Up and Down move it, Delete puts it back."
        )

    def sizeHint(self) -> QSize:
        return QSize(290, 208)

    def selected(self) -> int:
        return self._selected

    def show_reading(self, reading: ZoneShares | None) -> None:
        self.put(_reading=reading)

    def show_range(self, reading: RangeReading | None) -> None:
        self.put(_range=reading)

    def show_noise(self, reading: NoiseReading | None) -> None:
        self.put(_noise=reading)

    def show_tone(self, tone: Tone) -> None:
        # exposure, haze and local contrast move none of the rungs
        self.put(_tone=replaced(PLAIN, **{name: getattr(tone, name) for name in SHOWN}))

    def inner(self) -> QRectF:
        return self.area().adjusted(4, 6, -6, -6)

    def end_of(self, zone: int) -> QPointF:
        """Where the end of a zone's line lies."""
        inner = self.inner()
        return QPointF(self._lines_to(), inner.top() + y_of(zone + self._tone.zones_EV[zone], inner.height()))

    def hit(self, x: float, y: float) -> object | None:
        near = [(abs(self.end_of(zone).y() - y), zone) for zone in range(len(ZONES))]
        distance, zone = min(near)
        return zone if distance <= GRAB_PX and self._lines_from() <= x <= self._lines_to() + GRAB_PX else None

    def dragged(self, x: float, y: float) -> object | None:
        zone, inner = int(self.grabbed), self.inner()  # type: ignore[call-overload]
        self._selected = zone
        return with_offset(self._tone.zones_EV, zone, zone_at(y - inner.top(), inner.height()) - zone)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        zone = self.hit(event.position().x(), event.position().y())
        if zone is not None:
            self.changed.emit(with_offset(self._tone.zones_EV, int(zone), 0.0))  # type: ignore[call-overload]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, far = event.key(), 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        here = self._tone.zones_EV[self._selected]
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            by = 1 if key == Qt.Key.Key_PageUp else -1
            self._selected = min(max(self._selected + by, 0), len(ZONES) - 1)
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = STEP_EV * far * (1 if key == Qt.Key.Key_Up else -1)
            self.changed.emit(with_offset(self._tone.zones_EV, self._selected, here + step))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.changed.emit(with_offset(self._tone.zones_EV, self._selected, 0.0))
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        zones = self._reading.zones if self._reading else (0.0,) * 11
        before = self._reading.zones_before if self._reading else zones
        inner = self.inner()
        left = self._lines_to() + 12
        room = inner.right() - left - TEXT_PX - NOISE_PX
        widest = max(*zones, *before, 1e-9)
        full = max(self._range.clipped) if self._range else 0.0
        brightest = max((n for n, share in enumerate(zones) if share > 0), default=10)
        for rung in rungs(zones, self._tone, inner.height()):
            line = QRectF(inner.left(), inner.top() + rung.y, inner.width(), rung.height)
            self._paint_name(painter, rung, line)
            bar = QRectF(left, line.top() + 3, room * rung.share / widest, rung.height - 6)
            painter.fillRect(bar, theme.colour("quiet"))
            painter.setPen(QPen(theme.colour("text"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if abs(before[rung.zone] - rung.share) > 0.002:
                painter.drawRect(QRectF(left, line.top() + 1.5, room * before[rung.zone] / widest, rung.height - 3))
            end = max(bar.right(), left + room * before[rung.zone] / widest)
            if rung.zone == brightest and full > 0:
                hatched = QRectF(bar.left(), bar.top(), room * min(full / widest, 1.0), bar.height())
                painter.fillRect(hatched, QBrush(theme.colour("strong"), Qt.BrushStyle.BDiagPattern))
                end = max(end, hatched.right())
            if rung.share >= 0.0005:
                painter.setPen(theme.colour("text"))
                text = QRectF(end + 5, line.top(), TEXT_PX, rung.height)
                painter.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, percent(rung.share))
            self._paint_noise(painter, rung, line)
        self._paint_lines(painter, inner)

    def _paint_name(self, painter: QPainter, rung: Rung, line: QRectF) -> None:
        name = QRectF(line.left(), line.top(), NAME_PX, line.height())
        painter.setPen(theme.colour("text" if rung.zone == 5 else "quiet"))
        painter.drawText(name, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, ZONES[rung.zone])
        patch = QRectF(line.left() + NAME_PX + 4, line.top() + 1, PATCH_PX, line.height() - 2)
        painter.fillRect(patch, theme.grey(rung.lightness))

    def _paint_noise(self, painter: QPainter, rung: Rung, line: QRectF) -> None:
        decibels = self._noise.zones_dB[rung.zone] if self._noise else None
        if decibels is None:
            return
        noisy = decibels < LEAST_dB
        painter.setPen(theme.colour("strong" if noisy else "quiet"))
        painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, number(decibels, 0, "dB"))
        if noisy:
            painter.drawLine(QPointF(line.right() - 32, line.bottom() - 2), QPointF(line.right(), line.bottom() - 2))

    def _paint_lines(self, painter: QPainter, inner: QRectF) -> None:
        """From each zone as it is to where it is moved."""
        for zone, offset in enumerate(self._tone.zones_EV):
            start = QPointF(self._lines_from(), inner.top() + y_of(zone, inner.height()))
            self._paint_limit(painter, zone, inner)
            chosen = zone == self._selected and (self.hasFocus() or self.grabbed is not None)
            painter.setPen(QPen(theme.colour("strong" if offset else "quiet"), 1.6 if offset else 1.0))
            painter.drawLine(start, self.end_of(zone))
            painter.setBrush(theme.colour("strong" if chosen else "window"))
            painter.drawEllipse(self.end_of(zone), 3.5, 3.5)

    def _paint_limit(self, painter: QPainter, zone: int, inner: QRectF) -> None:
        """How far up a noisy zone may go: a dotted way there, and a bar across its end."""
        most = self._noise.most_lift_EV(zone) if self._noise else None
        if most is None:
            return
        x = self._lines_to() - 3.0 * (len(ZONES) - zone)
        start, end = (inner.top() + y_of(zone + lift, inner.height()) for lift in (0.0, most))
        painter.setPen(QPen(theme.colour("strong"), 1.0, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(x, start), QPointF(x, end))
        painter.setPen(QPen(theme.colour("strong"), 1.6))
        painter.drawLine(QPointF(x - 3.0, end), QPointF(x + 3.0, end))

    def _lines_from(self) -> float:
        return self.inner().left() + NAME_PX + PATCH_PX + 8

    def _lines_to(self) -> float:
        return self._lines_from() + MOVE_PX
