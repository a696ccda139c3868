"""The hue strip: all hues unrolled, chroma upward, the picture's colours on it, and pegs that move them."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF

from ....colour.spaces import XYZ_TO_SRGB, Oklab_to_XYZ, encode_sRGB
from ....measure.colour.colour import CHROMA_BINS, HUE_BINS, MOST_CHROMA, ColourReading
from ....recipe.colour import MOST_TURN_DEG, Peg
from ....wording import number
from ...kit import theme
from ...kit.instrument import Instrument

GRAB_PX = 11
FOOT_PX = 24.0
"""Under the strip: hues in degrees, and the feet of the pegs."""
SHOWN_L = 0.72
"""Oklab L that hues are painted at."""
PLAIN_CHROMA = 0.10
"""Where a peg stands over hues that the picture hardly has."""
LEAST_SHARE = 0.0005
ROWS = 96
"""Of the image that the picture's colours are painted in."""
MOST_FACTOR, PER_L_PX = 4.0, 4.0
STEPS = {"hue_deg": 1.0, "chroma": 0.02, "lightness": 1.0}
NONE: NDArray[np.float32] = np.zeros((HUE_BINS, CHROMA_BINS), np.float32)

PegMove = tuple[str, dict[str, float]]
"""The peg's id, and what is set of it."""


@dataclass(frozen=True)
class Strip:
    """Hue in degrees and Oklab chroma to widget px and back; upward by the root of chroma, since most colours are
    weak."""

    left: float
    top: float
    width: float
    height: float

    def to_px(self, hue_deg: float, chroma: float) -> tuple[float, float]:
        y = self.top + (1.0 - min(max(chroma, 0.0) / MOST_CHROMA, 1.0) ** 0.5) * self.height
        return self.left + hue_deg % 360.0 / 360.0 * self.width, y

    def to_value(self, x: float, y: float) -> tuple[float, float]:
        hue = (x - self.left) / self.width * 360.0
        return hue, max(0.0, 1.0 - (y - self.top) / self.height) ** 2 * MOST_CHROMA


def mean_chroma(population: NDArray[np.float32], peg: Peg) -> float:
    """The mean chroma of what a peg holds; a usual one where it holds next to nothing."""
    hues = (np.arange(HUE_BINS) + 0.5) * 360.0 / HUE_BINS
    near = np.abs((hues - peg.at_deg + 180.0) % 360.0 - 180.0) < max(peg.reach_deg * 0.6, 360.0 / HUE_BINS)
    # greys have no hue that a peg could hold
    levels = (np.arange(CHROMA_BINS) + 0.5) * MOST_CHROMA / CHROMA_BINS
    own = population[near][:, 1:].sum(axis=0)
    if own.sum() < LEAST_SHARE:
        return PLAIN_CHROMA
    return float((own * levels[1:]).sum() / own.sum())


def turned(peg: Peg, hue_deg: float) -> float:
    """The turn that takes a peg's hue to another, the short way round, within what a peg may."""
    off = (hue_deg - peg.at_deg + 180.0) % 360.0 - 180.0
    return round(float(np.clip(off, -MOST_TURN_DEG, MOST_TURN_DEG)), 1)


def peg_label(peg: Peg) -> str:
    """What a peg does, in numbers."""
    parts = [f"{number(peg.hue_deg, 1, '°', signed=True)}"] if peg.hue_deg else []
    parts += [f"C ×{number(peg.chroma, 2)}"] if peg.chroma != 1.0 else []
    parts += [f"L* {number(peg.lightness, 1, signed=True)}"] if peg.lightness else []
    return "  ".join(parts)


class HueStrip(Instrument):
    """Drag a peg: `changing` and `changed` carry a PegMove. Sideways turns hue, upward gives chroma, with Shift
    lightness."""

    asked = Signal(str, float)
    """ "add" with a hue in degrees, or "remove" with nothing."""
    chosen = Signal(str)
    own_keys = (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Insert)
    lifts = False
    """Whether upward means lightness, without Shift: in black and white there is no chroma to give."""

    def __init__(self) -> None:
        super().__init__("Hue strip with pegs")
        self._pegs: dict[str, Peg] = {}
        self._chosen = ""
        self._now, self._before = NONE, NONE
        self._outline: list[tuple[float, float]] = []
        self._mark: tuple[float, float] | None = None
        self._grabbed_at = QPointF()
        self._held: Peg | None = None
        self._image: QImage | None = None
        self.setMinimumWidth(320)
        self.setToolTip(
            "Double-click to add a peg. Drag one sideways to turn its hue, up for chroma, with Shift up for lightness. "
            "Keys: Page Up and Page Down choose a peg, arrows move it, Insert adds one, Delete removes it."
        )

    def sizeHint(self) -> QSize:
        return QSize(600, 208)

    def show_pegs(self, pegs: Mapping[str, Peg], chosen: str) -> None:
        self.put(_pegs=dict(pegs), _chosen=chosen)

    def show_readings(self, now: ColourReading | None, before: ColourReading | None) -> None:
        shares = [reading.population if reading is not None else NONE for reading in (now, before)]
        if shares[0] is not self._now or shares[1] is not self._before:
            self._now, self._before = shares
            self._outline = outline(self._before)
            self._image = None
            self.update()

    def show_mark(self, mark: tuple[float, float] | None) -> None:
        """Hue and chroma under the pointer in the picture."""
        self.put(_mark=mark)

    def strip(self) -> Strip:
        return Strip(1.0, 4.0, self.width() - 2.0, self.height() - 4.0 - FOOT_PX)

    def head(self, peg: Peg) -> tuple[float, float]:
        """Where a peg's head stands, px."""
        chroma = mean_chroma(self._before, peg) * peg.chroma
        return self.strip().to_px(peg.at_deg + peg.hue_deg, chroma)

    # ---- hands

    def hit(self, x: float, y: float) -> object | None:
        near = {}
        for ident, peg in self._pegs.items():
            head_x, head_y = self.head(peg)
            foot_x = self.strip().to_px(peg.at_deg, 0.0)[0]
            far = min(np.hypot(head_x - x, head_y - y), np.hypot(foot_x - x, self.height() - FOOT_PX - y))
            if far <= GRAB_PX:
                # one under another can be reached when it is the chosen one
                near[ident] = far - (GRAB_PX if ident == self._chosen else 0.0)
        return min(near, key=near.__getitem__) if near else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if self.grabbed is not None:
            self._grabbed_at, self._held = event.position(), self._pegs[str(self.grabbed)]
            self.chosen.emit(str(self.grabbed))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        x, y = event.position().x(), event.position().y()
        if event.button() == Qt.MouseButton.LeftButton and self.hit(x, y) is None:
            self.asked.emit("add", round(self.strip().to_value(x, y)[0] % 360.0, 1))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._is_lightness = self.lifts or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        super().mouseMoveEvent(event)

    _is_lightness = False

    def dragged(self, x: float, y: float) -> object | None:
        peg = self._held
        if peg is None:
            return None
        # by how far the hand went, since a foot can be held as well
        strip, (head_x, head_y) = self.strip(), self.head(peg)
        off_x, off_y = x - self._grabbed_at.x(), y - self._grabbed_at.y()
        if self._is_lightness:
            L = float(np.clip(peg.lightness - off_y / PER_L_PX, -40.0, 40.0))
            return str(self.grabbed), {"lightness": round(L, 1)}
        hue, chroma = strip.to_value(head_x + off_x, head_y + off_y)
        values = {"hue_deg": turned(peg, hue) if off_x else peg.hue_deg}
        if off_y:
            values["chroma"] = round(min(chroma / mean_chroma(self._before, peg), MOST_FACTOR), 2)
        return str(self.grabbed), values

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, is_shift = Qt.Key(event.key()), self.lifts or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        peg = self._pegs.get(self._chosen)
        upward = "lightness" if is_shift else "chroma"
        moves = {Qt.Key.Key_Left: ("hue_deg", -1), Qt.Key.Key_Right: ("hue_deg", 1),
                 Qt.Key.Key_Up: (upward, 1), Qt.Key.Key_Down: (upward, -1)}  # fmt: skip
        if key in moves and peg is not None:
            name, sign = moves[key]
            wanted = getattr(peg, name) + sign * STEPS[name]
            low, high = {"hue_deg": (-MOST_TURN_DEG, MOST_TURN_DEG), "chroma": (0.0, MOST_FACTOR),
                         "lightness": (-40.0, 40.0)}[name]  # fmt: skip
            self.changed.emit((self._chosen, {name: round(min(max(wanted, low), high), 2)}))
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and self._pegs:
            idents = sorted(self._pegs, key=lambda ident: self._pegs[ident].at_deg)
            at = idents.index(self._chosen) if self._chosen in idents else 0
            self.chosen.emit(idents[(at + (1 if key == Qt.Key.Key_PageUp else -1)) % len(idents)])
        elif key == Qt.Key.Key_Insert:
            self.asked.emit("add", self._widest())
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.asked.emit("remove", 0.0)
        else:
            super().keyPressEvent(event)

    def _widest(self) -> float:
        """The middle of the widest stretch without a peg; the commonest hue where there is none."""
        at = sorted(peg.at_deg for peg in self._pegs.values())
        if not at:
            return float(np.argmax(self._now[:, 2:].sum(axis=1))) * 360.0 / HUE_BINS
        gaps = [(b - a, a) for a, b in zip(at, [*at[1:], at[0] + 360.0], strict=True)]
        wide, start = max(gaps)
        return round((start + wide / 2.0) % 360.0, 1)

    # ---- painting

    def paint(self, painter: QPainter, area: QRectF) -> None:
        strip = self.strip()
        painter.fillRect(area, theme.colour("window"))
        place = QRectF(strip.left, strip.top, strip.width, strip.height)
        if self._image is None:
            self._image = density(self._now)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(place, self._image)
        self._paint_before(painter, strip)
        self._paint_scale(painter, strip)
        for ident, peg in self._pegs.items():
            if ident != self._chosen:
                self._paint_peg(painter, strip, peg, is_chosen=False)
        if self._chosen in self._pegs:
            self._paint_peg(painter, strip, self._pegs[self._chosen], is_chosen=True)
        if self._mark is not None:
            x, y = strip.to_px(*self._mark)
            painter.setPen(QPen(theme.colour("strong"), 1.2))
            painter.drawLine(QPointF(x - 6, y), QPointF(x + 6, y))
            painter.drawLine(QPointF(x, y - 6), QPointF(x, y + 6))

    def _paint_before(self, painter: QPainter, strip: Strip) -> None:
        """How strong each hue was before: what all but one in twenty of it stays below."""
        if self._before is NONE or not self._pegs:
            return
        path, is_drawn = QPainterPath(), False
        for n, (share, level) in enumerate(self._outline):
            x, y = strip.to_px((n + 0.5) * 360.0 / HUE_BINS, level * MOST_CHROMA / CHROMA_BINS)
            is_seen = share > LEAST_SHARE
            if is_seen:
                path.lineTo(x, y) if is_drawn else path.moveTo(x, y)
            is_drawn = is_seen
        painter.setPen(QPen(theme.colour("text"), 1.2, Qt.PenStyle.DotLine))
        painter.drawPath(path)

    def _paint_scale(self, painter: QPainter, strip: Strip) -> None:
        bottom = strip.top + strip.height
        painter.drawImage(QRectF(strip.left, bottom, strip.width, 4.0), _hues())
        painter.setPen(theme.colour("quiet"))
        metrics = QFontMetricsF(painter.font())
        for hue in range(0, 361, 60):
            x = strip.left + hue / 360.0 * strip.width
            text = f"{hue}°"
            wide = metrics.horizontalAdvance(text)
            painter.drawText(QPointF(min(max(x - wide / 2, 1.0), self.width() - wide - 1.0), self.height() - 5.0), text)
        painter.drawText(QPointF(strip.left + 6, strip.top + 14), "chroma ↑   hue →")

    def _paint_peg(self, painter: QPainter, strip: Strip, peg: Peg, *, is_chosen: bool) -> None:
        strong = theme.colour("strong")
        foot_x, foot_y = strip.to_px(peg.at_deg, 0.0)
        head_x, head_y = self.head(peg)
        if is_chosen:
            painter.setPen(QPen(strong, 1.2))
            for start in (foot_x, foot_x - strip.width, foot_x + strip.width):
                half = peg.reach_deg / 360.0 * strip.width
                painter.drawLine(QPointF(start - half, foot_y + 7), QPointF(start + half, foot_y + 7))
                for end in (start - half, start + half):
                    painter.drawLine(QPointF(end, foot_y + 4), QPointF(end, foot_y + 10))
        painter.setPen(QPen(strong, 2.0 if is_chosen else 1.2))
        # the short way round the strip's end
        for shift in (0.0, strip.width, -strip.width):
            if abs(head_x + shift - foot_x) <= strip.width / 2:
                painter.drawLine(QPointF(foot_x, foot_y), QPointF(head_x + shift, head_y))
                if shift:
                    painter.drawLine(QPointF(foot_x - shift, foot_y), QPointF(head_x, head_y))
        painter.setBrush(theme.colour("strong" if is_chosen else "window"))
        foot = [QPointF(foot_x, foot_y), QPointF(foot_x - 4, foot_y + 7), QPointF(foot_x + 4, foot_y + 7)]
        painter.drawPolygon(QPolygonF(foot))
        half = 6.0 if is_chosen else 4.5
        rise = peg.lightness / 2.0
        head = [QPointF(head_x - half, head_y), QPointF(head_x, head_y - half - max(rise, 0.0)),
                QPointF(head_x + half, head_y), QPointF(head_x, head_y + half - min(rise, 0.0))]  # fmt: skip
        painter.drawPolygon(QPolygonF(head))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        text = peg_label(peg)
        if text and (is_chosen or len(self._pegs) <= 6):
            metrics = QFontMetricsF(painter.font())
            wide = metrics.horizontalAdvance(text)
            x = head_x + 12 if head_x + 16 + wide < self.width() else head_x - 12 - wide
            box = QRectF(x - 3, head_y - 8, wide + 6, 16)
            painter.fillRect(box, theme.colour("window", 200))
            painter.setPen(theme.colour("text"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def outline(population: NDArray[np.float32]) -> list[tuple[float, float]]:
    """For each bin of hue the share of the picture about it, and the bin of chroma that all but one in twenty of it
    stays below."""
    own = population[:, 1:]
    # neighbours count too: single bins say little
    own = own + 0.5 * (np.roll(own, 1, axis=0) + np.roll(own, -1, axis=0))
    total, summed = own.sum(axis=1), np.cumsum(own, axis=1)
    levels = np.arange(2, CHROMA_BINS + 1, dtype=np.float64)
    reach = [float(np.interp(0.95 * all_, each, levels)) for all_, each in zip(total, summed, strict=True)]
    return list(zip((total / 2.0).tolist(), reach, strict=True))


def density(population: NDArray[np.float32]) -> QImage:
    """The picture's colours as an image, hue across and chroma up, each in its own colour where there are any."""
    hue = np.radians((np.arange(HUE_BINS) + 0.5) * 360.0 / HUE_BINS)[None, :]
    share_up = (1.0 - (np.arange(ROWS) + 0.5) / ROWS) ** 2
    rgb = _in_colour(hue, np.clip(share_up * MOST_CHROMA, 0.06, 0.16)[:, None])
    # few are seen beside many; greys would outshine all else and have no hue
    shares = population.T.copy()
    shares[0] = 0.0
    place = share_up * CHROMA_BINS - 0.5
    low = np.clip(place.astype(int), 0, CHROMA_BINS - 2)
    part = np.clip(place - low, 0.0, 1.0)[:, None]
    shares = shares[low] * (1.0 - part) + shares[low + 1] * part
    most = float(shares.max())
    alpha = (shares / most) ** 0.5 if most > 0.0 else shares
    out = np.empty((ROWS, HUE_BINS, 4), np.uint8)
    out[..., :3] = rgb[..., ::-1]
    out[..., 3] = np.round(255.0 * np.clip(alpha, 0.0, 1.0))
    return QImage(out.data, HUE_BINS, ROWS, HUE_BINS * 4, QImage.Format.Format_ARGB32).copy()


@cache
def _hues() -> QImage:
    hue = np.radians(np.arange(0.0, 360.0))[None, :]
    rgb = np.ascontiguousarray(_in_colour(hue, np.full((1, 1), 0.11)))
    return QImage(rgb.data, 360, 1, 360 * 3, QImage.Format.Format_RGB888).copy()


def _in_colour(hue: NDArray[np.float64], chroma: NDArray[np.float64]) -> NDArray[np.uint8]:
    """sRGB codes of hues in radians and Oklab chromas, as far as they can be shown."""
    a, b = np.broadcast_arrays(chroma * np.cos(hue), chroma * np.sin(hue))
    linear = Oklab_to_XYZ(np.stack([np.full_like(a, SHOWN_L), a, b], axis=-1)) @ XYZ_TO_SRGB.T
    return np.round(255.0 * encode_sRGB(np.clip(linear, 0.0, 1.0))).astype(np.uint8)
