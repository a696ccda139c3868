"""What hand-painted controls share: they look different with focus, and keep keys of their own."""

from PySide6.QtCore import QEvent
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QWidget


class Painted(QWidget):
    """Repaints when focus comes and goes; `keeps(event)` keys are safe from the window's shortcuts."""

    def keeps(self, event: QKeyEvent) -> bool:
        return False

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and self.keeps(event):  # type: ignore[arg-type]
            event.accept()
            return True
        return super().event(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()
