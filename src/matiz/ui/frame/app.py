"""Start the application."""

import logging
import os
import sys
from pathlib import Path

from PySide6.QtCore import QMessageLogContext, QtMsgType, qInstallMessageHandler

from ...kernels.loader import preload
from ...raw.decode import shared_decoder
from ...system.libraries import missing_message
from ...work import closing
from ..kit.application import application
from .window import Window

log = logging.getLogger(__name__)


class QtMessages:
    """Qt's messages, on the standard error. While the application starts they are held back: where Qt cannot open a
    window it would say several misleading lines and abort the process; one line says what to do instead."""

    def __init__(self) -> None:
        self._held_back: list[str] | None = []

    def take(self, kind: QtMsgType, _: QMessageLogContext, text: str) -> None:
        """The handler for `qInstallMessageHandler`."""
        if kind == QtMsgType.QtFatalMsg:
            reason = missing_message() or f"no window can be opened ({(self._held_back or [text])[0]})"
            print(f"matiz: {reason}", file=sys.stderr, flush=True)
            os._exit(1)
        if self._held_back is None:
            log.warning("Qt: %s", text)
            print(text, file=sys.stderr)
        else:
            self._held_back.append(text)

    def has_started(self) -> None:
        """The application is there: nothing is held back any more."""
        held_back, self._held_back = self._held_back, None
        for text in held_back or ():
            print(text, file=sys.stderr)


def run(paths: list[Path], *, demo_size: tuple[int, int] | None = None) -> int:
    """Open the window on files and folders; with `demo_size`, on the demo shoot in paths[0]."""
    messages = QtMessages()
    qInstallMessageHandler(messages.take)
    app = application()
    messages.has_started()
    shared_decoder().start()
    preload()
    window = Window()
    window.show()
    if demo_size is not None:
        window.demo.open(paths[0], demo_size)
    elif paths:
        window.open_paths(paths)
    else:
        window.open_folder()
    code = app.exec()
    if closing.is_left_behind():
        # what is still at work would keep the process for as long as it likes; all decisions are saved
        shared_decoder().stop()
        logging.shutdown()
        sys.stdout.flush()
        os._exit(code)
    return code
