"""What hand-painted controls share: they look different with focus, keep keys of their own, and never fail to paint."""

import functools
import logging
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEvent
from PySide6.QtGui import QFocusEvent, QKeyEvent, QPainter
from PySide6.QtWidgets import QWidget

_log = logging.getLogger("matiz")


def painting(paint: Callable[[Any, QPainter, Any], None]) -> Callable[[Any, Any], None]:
    """A paintEvent of `paint(self, painter, event)`, antialiased. An error in it is logged and the painter ended: one
    that left a paint event would end the process."""

    @functools.wraps(paint)
    def event(self: QWidget, about: Any) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        try:
            paint(self, painter, about)
        except Exception:  # see above
            _log.exception("painting %s failed", type(self).__name__)
        finally:
            painter.end()

    return event


def painting_item(paint: Callable[..., None]) -> Callable[..., None]:
    """The same for the painting of one item of a list, whose painter is the list's."""

    @functools.wraps(paint)
    def item(self: Any, painter: QPainter, option: Any, index: Any) -> None:
        painter.save()
        try:
            paint(self, painter, option, index)
        except Exception:  # see above
            _log.exception("painting an item of %s failed", type(self).__name__)
        finally:
            painter.restore()

    return item


class PaintedWidget(QWidget):
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
