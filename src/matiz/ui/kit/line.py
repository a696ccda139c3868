"""A line to type into, which keeps plain keys for itself."""

from PySide6.QtCore import QEvent, Qt
from PySide6.QtWidgets import QLineEdit


class Line(QLineEdit):
    """While something is typed, no shortcut of the window may take a key, Return least of all."""

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:  # type: ignore[attr-defined]
            event.accept()
            return True
        return super().event(event)
