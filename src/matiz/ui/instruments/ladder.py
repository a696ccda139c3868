"""The zone ladder: the share of the picture in each zone, and where it clips."""

from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QPainter, QPen

from ...colour.spaces import lightness
from ...develop.rendition import shown_value
from ...measure.noise import NoiseReading
from ...measure.tone import MIDDLE, ZONES, ToneReading
from ...recipe.model import Tone
from ...wording import number, percent
from .. import theme
from .base import Instrument

NAME_PX, PATCH_PX, TEXT_PX, NOISE_PX = 26, 22, 46, 40


@dataclass(frozen=True)
class Rung:
    """One zone, from zone X at the top down to zone 0."""

    zone: int
    y: float
    height: float
    bar: float
    """Length of the bar, 0..1 of the widest."""
    share: float
    lightness: float
    """Display lightness at which the zone's middle is shown, 0..100."""


def rungs(zones: tuple[float, ...], tone: Tone, height: float) -> list[Rung]:
    """Geometry of the ladder: eleven rungs over `height` px."""
    step = height / len(zones)
    widest = max(*zones, 1e-9)
    out = []
    for zone, share in enumerate(zones):
        shown = float(shown_value(tone, MIDDLE * 2.0 ** (zone - 5)))
        y = height - (zone + 1) * step
        out.append(Rung(zone, y, step, share / widest, share, float(lightness(shown))))
    return out


class Ladder(Instrument):
    """Shows only, as yet: rungs cannot be moved."""

    def __init__(self) -> None:
        super().__init__("Zone ladder")
        self._reading: ToneReading | None = None
        self._noise: NoiseReading | None = None
        self._tone = Tone()
        self.setMinimumWidth(190)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip(
            "Share of the picture in each zone at this exposure; zone V is 18 % grey. Each zone is 1 EV. "
            "The patch is the lightness at which the zone is shown; hatching marks what is full in the raw data. "
            "At the right, signal over noise of a pixel in that zone: 20 dB is 10 to 1."
        )

    def sizeHint(self) -> QSize:
        return QSize(210, 208)

    def show_reading(self, reading: ToneReading | None) -> None:
        self._reading = reading
        self.update()

    def show_noise(self, reading: NoiseReading | None) -> None:
        self._noise = reading
        self.update()

    def show_tone(self, tone: Tone) -> None:
        self._tone = tone
        self.update()

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        zones = self._reading.zones if self._reading else (0.0,) * 11
        inner = area.adjusted(4, 6, -6, -6)
        left = inner.left() + NAME_PX + PATCH_PX + 8
        room = inner.right() - left - TEXT_PX - NOISE_PX
        full = max(self._reading.clipped) if self._reading else 0.0
        brightest = max((n for n, share in enumerate(zones) if share > 0), default=10)
        for rung in rungs(zones, self._tone, inner.height()):
            top = inner.top() + rung.y
            middle = QRectF(inner.left(), top, inner.width(), rung.height)
            name = middle.adjusted(0, 0, -(inner.width() - NAME_PX), 0)
            painter.setPen(theme.colour("text" if rung.zone == 5 else "quiet"))
            painter.drawText(name, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, ZONES[rung.zone])
            patch = QRectF(inner.left() + NAME_PX + 4, top + 1, PATCH_PX, rung.height - 2)
            painter.fillRect(patch, theme.grey(rung.lightness))
            bar = QRectF(left, top + 2.5, max(room * rung.bar, 0.0), rung.height - 5)
            painter.fillRect(bar, theme.colour("quiet"))
            end = bar.right()
            if rung.zone == brightest and full > 0:
                hatched = QRectF(bar.left(), bar.top(), room * min(full / max(*zones, 1e-9), 1.0), bar.height())
                painter.fillRect(hatched, QBrush(theme.colour("strong"), Qt.BrushStyle.BDiagPattern))
                end = max(end, hatched.right())
            if rung.share >= 0.0005:
                text = QRectF(end + 5, top, TEXT_PX, rung.height)
                painter.setPen(theme.colour("text"))
                painter.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, percent(rung.share))
            decibels = self._noise.zones_dB[rung.zone] if self._noise else None
            if decibels is not None:
                painter.setPen(theme.colour("quiet"))
                painter.drawText(
                    middle, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, number(decibels, 0, "dB")
                )
            if rung.zone == 5:
                painter.setPen(QPen(theme.colour("line"), 1))
                painter.drawLine(middle.bottomLeft(), middle.bottomRight())
