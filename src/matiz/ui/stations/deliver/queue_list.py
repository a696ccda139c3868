"""The queue of deliveries as a list, and how a row looks."""

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from ....wording import number, printable
from ....work.delivery_queue import WORKING, Delivery, DeliveryQueue
from ...kit import theme
from ...kit.controls import name_tip
from ...kit.models import ROOT, Index
from ...kit.painted import painting_item

ROW_PX = 30


class QueueList(QAbstractListModel):
    """The rows of a queue."""

    def __init__(self, queue: DeliveryQueue) -> None:
        super().__init__()
        self._queue = queue
        queue.adding.connect(self._on_adding)
        queue.added.connect(self._on_added)
        queue.clearing.connect(self._on_clearing)
        queue.cleared.connect(self._on_cleared)
        queue.changed.connect(self._on_changed)

    def rowCount(self, parent: Index = ROOT) -> int:
        return 0 if parent.isValid() else len(self._queue.rows)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self._queue.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{row.path.name if row.path else row.picture.name}, {row.state}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return name_tip(row.text or str(row.path or row.picture))
        return row if role == Qt.ItemDataRole.UserRole else None

    def _on_adding(self, count: int) -> None:
        first = len(self._queue.rows)
        self.beginInsertRows(QModelIndex(), first, first + count - 1)

    def _on_added(self) -> None:
        self.endInsertRows()

    def _on_clearing(self) -> None:
        self.beginResetModel()

    def _on_cleared(self) -> None:
        self.endResetModel()

    def _on_changed(self, row: int) -> None:
        self.dataChanged.emit(self.index(row), self.index(row))


class DeliveryDelegate(QStyledItemDelegate):
    """Name, size, state, a thin progress line."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(0, ROW_PX)

    @painting_item
    def paint(self, painter: QPainter, option: Any, index: Index) -> None:
        row: Delivery = index.data(Qt.ItemDataRole.UserRole)
        area = QRectF(option.rect)  # type: ignore[attr-defined]
        if option.state & QStyle.StateFlag.State_Selected:  # type: ignore[attr-defined]
            painter.fillRect(area, theme.colour("line"))
        inner = area.adjusted(8, 0, -8, 0)
        middle = Qt.AlignmentFlag.AlignVCenter
        state = number(row.share * 100, 0, "%") if row.state == WORKING else row.state
        note = f"{row.order.format}  {state}"
        room = inner.width() - option.fontMetrics.horizontalAdvance(note) - 8  # type: ignore[attr-defined]
        name = printable(row.path.name if row.path else row.picture.name)
        shown = option.fontMetrics.elidedText(name, Qt.TextElideMode.ElideMiddle, int(room))  # type: ignore[attr-defined]
        painter.setPen(theme.colour("text"))
        painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | middle, shown)
        painter.setPen(theme.colour("quiet"))
        painter.drawText(inner, Qt.AlignmentFlag.AlignRight | middle, note)
        if row.state == WORKING:
            painter.fillRect(QRectF(area.left(), area.bottom() - 2, area.width() * row.share, 2), theme.colour("text"))
