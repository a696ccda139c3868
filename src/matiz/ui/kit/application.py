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
    there = QApplication.instance()
    app = there if isinstance(there, QApplication) else QApplication([sys.argv[0]])
    app.setApplicationName("Matiz")
    app.setDesktopFileName("matiz")
    theme.apply(app)
    use_qt_loop()
    return app


def running() -> QApplication:
    """The application that is there; RuntimeError when there is none."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        raise RuntimeError("no application is running: call application() first")
    return app
