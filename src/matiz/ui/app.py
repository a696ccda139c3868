"""Start the application."""

import sys
from pathlib import Path

from PySide6.QtWidgets import QApplication

from ..kernels.loader import preload
from ..raw.decode import shared_decoder
from . import theme
from .window import Window

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
    return app


def run(paths: list[Path], *, demo_size: tuple[int, int] | None = None) -> int:
    """Open the window on files and folders; with `demo_size`, on the demo shoot in paths[0]."""
    shared_decoder().start()
    preload()
    app = application()
    window = Window()
    window.show()
    if demo_size is not None:
        window.demo.open(paths[0], demo_size)
    elif paths:
        window.open_paths(paths)
    else:
        window.open_folder()
    return app.exec()
