"""The tiles of the contact sheet: a thumbnail, and what is known of the picture."""

from collections.abc import Callable, Sequence
from math import isfinite
from pathlib import Path
from typing import Any

from PySide6.QtCore import (
    QObject,
    QPointF,
    QRectF,
    QSize,
    Qt,
)
from PySide6.QtGui import QFont, QFontMetricsF, QImage, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from ....measure.sort.brief import Brief
from ....measure.sort.burst import KIND_WORDS, RankedFrame
from ....shoot.one_light import OneLight
from ....wording import degrees, kelvin, number, percent, printable
from ...kit import theme
from ...kit.models import Index
from ...kit.over_picture import label
from ...kit.painted import painting_item
from .sheet_model import SheetModel

CELL = QSize(252, 216)
LEAST_FULL, LEAST_HEADROOM_EV, LEAST_TILT_DEG = 0.001, 0.5, 0.3
"""That are worth a word."""
LEAST_LIGHT = 2
"""Pictures in one light that have a line over them."""
LABEL_PX = 24.0
"""About the words of a label."""


class SheetDelegate(QStyledItemDelegate):
    """A thumbnail, its name, how it is sorted, its rank, what was measured of it."""

    def __init__(self, sheet: SheetModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session, self.looking, self.renderings = sheet.session, sheet.looking, sheet.renderings
        self.cell = CELL
        self.light_of: Callable[[Path], OneLight | None] = lambda _: None
        """Gives the light that a picture was taken in."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return self.cell

    @painting_item
    def paint(self, painter: QPainter, option: Any, index: Index) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        path: Path = index.data(Qt.ItemDataRole.UserRole)
        document = self.session.document_of(path)
        area = QRectF(option.rect).adjusted(6, 6, -6, -6)  # type: ignore[attr-defined]
        selected = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        if selected:
            painter.fillRect(area, theme.colour("line"))
        frame = area.adjusted(8, 18, -8, -32)
        image = index.data(Qt.ItemDataRole.DecorationRole)
        if isinstance(image, QImage):
            painter.setOpacity(0.35 if document.sorted_as == "drop" else 1.0)
            painter.drawImage(_fitted(image, frame), image)
            painter.setOpacity(1.0)
        else:
            painter.setPen(theme.colour("quiet"))
            wrapped = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(frame, int(wrapped), image or "reading")
        text = QRectF(area.left() + 8, area.bottom() - 28, area.width() - 16, 22)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.font(theme.TEXT_PX, QFont.Weight.Medium if selected else QFont.Weight.Normal))
        painter.setPen(theme.colour("strong" if path == self.session.path else "text"))
        painter.drawText(text, int(Qt.AlignmentFlag.AlignLeft | middle), printable(path.name))
        painter.setPen(theme.colour("text"))
        words = [document.sorted_as] if document.sorted_as else []
        words += [f"rank {document.rank}"] if document.rank else []
        merged = self.session.desk.catalogue.merged.get(path)
        words += [f"of {len(merged.names)}"] if merged is not None else []
        words += ["thumbnail updating"] if self.renderings.is_stale(path) else []
        told = self.session.ranked.get(path)
        brief = self.looking.briefs.get(path)
        if told is not None:
            self._paint_detail(painter, told, frame)
        elif brief is not None and isinstance(image, QImage):
            held = _fitted(image, frame)
            label(painter, _as_fits(brief_parts(brief), held.width()), held.bottomLeft() + QPointF(3.0, -22.0))
        painter.drawText(text, int(Qt.AlignmentFlag.AlignRight | middle), "   ".join(words))
        if not self.session.desk.catalogue.is_arranged:
            self._paint_light(painter, path, QRectF(option.rect))  # type: ignore[attr-defined]
            self._paint_set(painter, path, QRectF(option.rect))  # type: ignore[attr-defined]
        if selected:
            painter.setPen(QPen(theme.colour("text"), 1.5))
            painter.drawRect(area)

    def _paint_detail(self, painter: QPainter, told: RankedFrame, frame: QRectF) -> None:
        """How much of the set's finest detail a frame holds, as a length and in words."""
        kind = f"  {KIND_WORDS[told.kind]}" if told.kind else "  sharpest" if told.detail >= 1.0 else ""
        text = "lost" if told.kind == "lost" else f"{percent(told.detail, 0)}{kind}"
        bar = QRectF(frame.left(), frame.bottom() - 4.0, frame.width(), 4.0)
        painter.fillRect(bar, theme.grey(10, 200))
        bar.setWidth(frame.width() * told.detail)
        painter.fillRect(bar, theme.colour("strong"))
        label(painter, text, QPointF(frame.left() + 2.0, frame.bottom() - 26.0))

    def _paint_light(self, painter: QPainter, path: Path, cell: QRectF) -> None:
        """A dashed line over tiles of one light, with what it is over the first, where a shoot has several."""
        light = self.light_of(path)
        if light is None or len(light.pictures) < LEAST_LIGHT:
            return
        painter.setPen(QPen(theme.colour("quiet"), 1.2, Qt.PenStyle.DashLine))
        _paint_span(painter, light.pictures, path, cell, 1.0)
        if path == light.pictures[0] and isfinite(light.mired):
            painter.setFont(theme.font(theme.SMALL_PX))
            name = QRectF(cell.left() + 8.0, cell.top() + 6.0, cell.width() - 22.0, 15.0)
            words = f"light {kelvin(1e6 / light.mired)}"
            painter.drawText(name, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)

    def _paint_set(self, painter: QPainter, path: Path, cell: QRectF) -> None:
        """A line over tiles that belong together, closed at its ends, with its name over the first."""
        found = self.session.desk.catalogue.set_of(path)
        if found is None:
            return
        painter.setPen(QPen(theme.colour("quiet"), 1.4))
        _paint_span(painter, found.pictures, path, cell, 5.0)
        if path == found.pictures[0]:
            painter.setFont(theme.font(theme.SMALL_PX))
            name = QRectF(cell.left() + 13.0, cell.top() + 6.0, cell.width() - 24.0, 15.0)
            painter.drawText(name, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, found.name)


def _paint_span(painter: QPainter, pictures: Sequence[Path], path: Path, cell: QRectF, down: float) -> None:
    """The part of a line over a row of tiles that lies over one of them, closed at the row's ends."""
    y, first, last = cell.top() + down, path == pictures[0], path == pictures[-1]
    left, right = cell.left() + (8.0 if first else 0.0), cell.right() - (8.0 if last else 0.0)
    painter.drawLine(QPointF(left, y), QPointF(right, y))
    for at, is_end in ((left, first), (right, last)):
        if is_end:
            painter.drawLine(QPointF(at, y), QPointF(at, y + 7.0))


def brief_parts(brief: Brief) -> list[str]:
    """What of a picture is worth a word on its tile, the most telling first."""
    parts = [f"edges {number(brief.edges_px, 1, 'px')}"] if brief.edges_px is not None else ["edges not sure"]
    if brief.full_share >= LEAST_FULL:
        parts.append(f"clipped {percent(brief.full_share, 1)}")
    elif brief.headroom_EV >= LEAST_HEADROOM_EV:
        parts.append(f"headroom {number(brief.headroom_EV, 1, 'EV')}")
    if brief.dust:
        parts.append(f"dust {number(brief.dust, 0)}")
    if brief.tilt_deg is not None and abs(brief.tilt_deg) >= LEAST_TILT_DEG:
        parts.append(f"leans {degrees(brief.tilt_deg)}")
    return parts


def _as_fits(parts: list[str], width: float) -> str:
    """As many as there is room for, and the first."""
    metrics = QFontMetricsF(theme.font(theme.SMALL_PX))
    while len(parts) > 1 and metrics.horizontalAdvance("  ".join(parts)) > width - LABEL_PX:
        parts = parts[:-1]
    return "  ".join(parts)


def _fitted(image: QImage, frame: QRectF) -> QRectF:
    scale = min(frame.width() / image.width(), frame.height() / image.height())
    width, height = image.width() * scale, image.height() * scale
    return QRectF(frame.center().x() - width / 2, frame.center().y() - height / 2, width, height)
