"""The items of a table of the recipe in their order: chosen, switched off and on, named, put earlier or later."""

from collections.abc import Iterable
from dataclasses import dataclass

from PySide6.QtCore import QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem

from .controls import name_tip

ROW_PX = 26
IDENT = Qt.ItemDataRole.UserRole
_STEPS = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}


@dataclass(frozen=True)
class ListRow:
    """One item as it is shown."""

    ident: str
    text: str
    is_on: bool | None = None
    """Whether its box is ticked; None for an item without one."""
    tip: str = ""


class RowsList(QListWidget):
    """Emits what the hand asks for; shows what the recipe has."""

    chosen = Signal(str)
    switched = Signal(str, bool)
    renamed = Signal(str, str)
    ordered = Signal(tuple)
    removed = Signal(str)

    def __init__(self, name: str, tip: str, *, has_names: bool = False) -> None:
        """has_names: whether the texts are names that can be edited."""
        super().__init__()
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        if not has_names:
            self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self._has_names = has_names
        self._shown: tuple[ListRow, ...] = ()
        self.currentItemChanged.connect(lambda item, _: self.chosen.emit(item.data(IDENT) if item else ""))
        self.itemChanged.connect(self._on_item)
        self.model().rowsMoved.connect(lambda *_: self.ordered.emit(self.order()))

    def order(self) -> tuple[str, ...]:
        return tuple(self.item(row).data(IDENT) for row in range(self.count()))

    def show_rows(self, rows: Iterable[ListRow], chosen: str) -> None:
        rows = tuple(rows)
        with QSignalBlocker(self):
            if rows != self._shown:
                self._shown = rows
                self.clear()
                for row in rows:
                    self._add(row)
            order = self.order()
            current = order.index(chosen) if chosen in order else -1
            if current != self.currentRow():
                self.setCurrentRow(current)
        if current >= 0:
            self.scrollToItem(self.item(current))

    def _add(self, row: ListRow) -> None:
        item = QListWidgetItem(row.text, self)
        item.setData(IDENT, row.ident)
        item.setToolTip(name_tip(row.tip))
        item.setSizeHint(QSize(0, ROW_PX))
        if self._has_names:
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
        if row.is_on is not None:
            item.setCheckState(Qt.CheckState.Checked if row.is_on else Qt.CheckState.Unchecked)

    def _on_item(self, item: QListWidgetItem) -> None:
        row = next((row for row in self._shown if row.ident == item.data(IDENT)), None)
        if row is None:
            return
        is_on = item.checkState() == Qt.CheckState.Checked
        if row.is_on is not None and is_on != row.is_on:
            self.switched.emit(row.ident, is_on)
        elif item.text() != row.text:
            self.renamed.emit(row.ident, item.text().strip())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, row = event.key(), self.currentRow()
        if row >= 0 and key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.removed.emit(self.item(row).data(IDENT))
        elif row >= 0 and event.modifiers() & Qt.KeyboardModifier.ShiftModifier and key in _STEPS:
            order, to = list(self.order()), min(max(row + _STEPS[Qt.Key(key)], 0), self.count() - 1)
            order.insert(to, order.pop(row))
            self.ordered.emit(tuple(order))
        else:
            super().keyPressEvent(event)
