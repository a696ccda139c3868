"""Every command of the window, to be found by typing, with what it does and its key; Enter or a click runs it."""

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractListModel, QEvent, QModelIndex, QObject, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QAction, QFont, QFontMetricsF, QKeyEvent, QKeySequence, QPainter, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QDialog,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ..kit import theme
from ..kit.controls import caption
from ..kit.models import ROOT, Index
from ..kit.painted import painting_item
from .actions import HANDS

SIZE = QSize(960, 620)
COLUMNS, ROW_PX = 2, 44


@dataclass(frozen=True)
class Command:
    """One line: an action that can be run, or a hand that is only told of."""

    text: str
    keys: str
    help: str
    action: QAction | None = None

    def matches(self, typed: str) -> bool:
        """Whether every word typed is in its name, its help or its key."""
        told = f"{self.text} {self.help} {self.keys}".casefold()
        return all(word in told for word in typed.casefold().split())


def commands_of(actions: list[QAction]) -> list[Command]:
    """The actions in their order, then the hands."""
    found = []
    for action in actions:
        keys = ", ".join(key.toString(QKeySequence.SequenceFormat.NativeText) for key in action.shortcuts())
        found.append(Command(action.text().rstrip("\u2026"), keys, action.toolTip(), action))
    return found + [Command(text, keys, told) for keys, text, told in HANDS]


class CommandModel(QAbstractListModel):
    """The commands that match what is typed."""

    def __init__(self, commands: list[Command]) -> None:
        super().__init__()
        self._all = commands
        self.shown = commands

    def rowCount(self, parent: Index = ROOT) -> int:
        return 0 if parent.isValid() else len(self.shown)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        command = self.shown[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{command.text}, {command.keys}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return command.help
        return command if role == Qt.ItemDataRole.UserRole else None

    def flags(self, index: Index) -> Qt.ItemFlag:
        command = self.shown[index.row()]
        runs = command.action is not None and command.action.isEnabled()
        return super().flags(index) if runs else Qt.ItemFlag.ItemIsEnabled

    def narrow(self, typed: str) -> None:
        """Those whose name matches first, then those that match in their help."""
        self.beginResetModel()
        found = [command for command in self._all if command.matches(typed)]
        self.shown = sorted(found, key=lambda command: typed.casefold() not in command.text.casefold())
        self.endResetModel()


class CommandDelegate(QStyledItemDelegate):
    """Name and key on a line, what it does below."""

    def __init__(self, view: QListView) -> None:
        super().__init__(view)
        self._view = view

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return self._view.gridSize()

    @painting_item
    def paint(self, painter: QPainter, option: Any, index: Index) -> None:
        command: Command = index.data(Qt.ItemDataRole.UserRole)
        cell = QRectF(option.rect).adjusted(2, 1, -2, -1)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(cell, theme.colour("line"))
        area = cell.adjusted(8, 4, -8, -4)
        top = Qt.AlignmentFlag.AlignTop
        painter.setFont(theme.font(theme.TEXT_PX, QFont.Weight.Medium))
        painter.setPen(theme.colour("strong" if command.action else "text"))
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft | top, command.text)
        painter.setFont(theme.font(theme.SMALL_PX))
        painter.setPen(theme.colour("text"))
        painter.drawText(area, Qt.AlignmentFlag.AlignRight | top, command.keys)
        painter.setPen(theme.colour("quiet"))
        told = QFontMetricsF(painter.font()).elidedText(command.help, Qt.TextElideMode.ElideRight, area.width())
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom, told)


class CommandSheet(QDialog):
    """Type to search; arrows choose; Enter runs what is chosen; Escape leaves."""

    chosen = Signal(object)

    def __init__(self, parent: QWidget, actions: list[QAction]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Commands")
        self.setModal(True)
        self.resize(SIZE.boundedTo(parent.size() - QSize(32, 48)))
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(8)
        self.typed = QLineEdit(placeholderText="Type what you want to do")
        self.typed.setAccessibleName("Search commands")
        self.typed.installEventFilter(self)
        self.model = CommandModel(commands_of(actions))
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(CommandDelegate(self.list))
        self.list.setFlow(QListView.Flow.LeftToRight)
        self.list.setWrapping(True)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setUniformItemSizes(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.list.setAccessibleName("Commands")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.told = caption()
        self.told.setWordWrap(True)
        for part in (self.typed, self.list, self.told):
            column.addWidget(part, 1 if part is self.list else 0)
        self.typed.textChanged.connect(self._on_typed)
        self.list.clicked.connect(self._run)
        self.list.selectionModel().currentChanged.connect(lambda index, _: self._tell(index))
        self._on_typed("")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_columns()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._fit_columns()

    def _fit_columns(self) -> None:
        # a list breaks its rows a little before they are full
        self.list.setGridSize(QSize((self.list.viewport().width() - 4) // COLUMNS, ROW_PX))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            steps = {Qt.Key.Key_Up: -COLUMNS, Qt.Key.Key_Down: COLUMNS, Qt.Key.Key_PageUp: -10, Qt.Key.Key_PageDown: 10}
            if event.key() in steps:
                self._choose(self.list.currentIndex().row() + steps[Qt.Key(event.key())])
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run(self.list.currentIndex())
                return True
        return super().eventFilter(watched, event)

    def _on_typed(self, text: str) -> None:
        self.model.narrow(text)
        self._choose(0)

    def _choose(self, row: int) -> None:
        count = self.model.rowCount()
        if count:
            self.list.setCurrentIndex(self.model.index(min(max(row, 0), count - 1)))
        else:
            self.told.setText("No command matches.")

    def _tell(self, index: QModelIndex) -> None:
        command: Command | None = index.data(Qt.ItemDataRole.UserRole)
        self.told.setText(command.help if command else "")

    def _run(self, index: QModelIndex) -> None:
        command: Command | None = index.data(Qt.ItemDataRole.UserRole)
        if command is not None and command.action is not None and command.action.isEnabled():
            self.accept()
            command.action.trigger()
