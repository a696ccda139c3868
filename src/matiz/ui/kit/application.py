"""The one QApplication."""

import sys

from PySide6.QtWidgets import QApplication

from . import theme
from .loop import use_qt_loop

SWITCH_S = 0.0005
"""How long another thread may keep the interpreter: Python's own 5 ms would be felt under the hand."""


def application() -> QApplication:
    """The one QApplication, dressed."""
    # the window's thread must not wait long for those that compute
    sys.setswitchinterval(SWITCH_S)
    app = QApplication.instance() or QApplication([sys.argv[0]])
    app.setApplicationName("Matiz")
    app.setDesktopFileName("matiz")
    theme.apply(app)
    use_qt_loop()
    return app
