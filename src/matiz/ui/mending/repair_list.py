"""The repairs of a picture in their order: chosen, switched off and on, put earlier or later."""

from collections.abc import Mapping

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem

from ...recipe.mending import Repair
from ...wording import number

IDENT = Qt.ItemDataRole.UserRole


def told(item: Repair) -> str:
    """A repair in a few words."""
    shape = "outline" if item.outline == "on" else "spot" if len(item.path) == 1 else "stroke"
    size = "" if shape == "outline" else f" {number(item.radius_px, 0, 'px')}"
    return f"{item.KIND}, {shape}{size}"


class RepairList(QListWidget):
    """Emits what the hand asks for; shows what the recipe has."""

    chosen = Signal(str)
    switched = Signal(str, bool)
    ordered = Signal(tuple)
    removed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Repairs, in the order in which they are done")
        self.setToolTip(
            "Repairs, in the order in which they are done. Drag one, or Shift with up or down, to do it earlier or "
            "later; the box switches it off; Delete takes it away."
        )
        self.setMinimumWidth(220)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self._shown: tuple[tuple[str, str, bool], ...] = ()
        self.currentItemChanged.connect(lambda item, _: self.chosen.emit(item.data(IDENT) if item else ""))
        self.itemChanged.connect(
            lambda item: self.switched.emit(item.data(IDENT), item.checkState() == Qt.CheckState.Checked)
        )
        self.model().rowsMoved.connect(lambda *_: self.ordered.emit(self.order()))

    def order(self) -> tuple[str, ...]:
        return tuple(self.item(row).data(IDENT) for row in range(self.count()))

    def show_repairs(self, repairs: Mapping[str, Repair], chosen: str) -> None:
        numbered = enumerate(repairs.items(), 1)
        rows = tuple((ident, f"{n}  {told(item)}", item.active == "on") for n, (ident, item) in numbered)
        with QSignalBlocker(self):
            if rows != self._shown:
                self._shown = rows
                self.clear()
                for ident, text, is_on in rows:
                    item = QListWidgetItem(text, self)
                    item.setData(IDENT, ident)
                    item.setCheckState(Qt.CheckState.Checked if is_on else Qt.CheckState.Unchecked)
            row = self.order().index(chosen) if chosen in repairs else -1
            if row != self.currentRow():
                self.setCurrentRow(row)
        if row >= 0:
            self.scrollToItem(self.item(row))

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


_STEPS = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
