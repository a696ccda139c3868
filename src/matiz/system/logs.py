"""The program's own log: what went wrong and where, in a file of the user's state that is kept short.

Not to be mixed up with the log of a shoot (`shoot/log.py`), which is for the photographer.
"""

import logging
import sys
import threading
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType
from typing import Any

from ..wording import printable
from .user_folders import state_folder

MOST_BYTES, KEPT = 1_000_000, 3
_FORMAT = "%(asctime)s %(process)d %(threadName)s %(levelname)s %(name)s: %(message)s"


def log_file() -> Path:
    """Where the log lies."""
    return state_folder() / "matiz.log"


def keep_log(*, debug: bool = False) -> None:
    """Write the log from now on, and tracebacks of errors that nobody expected into it, whatever thread they end.

    debug: everything, and on the standard error too. Where the file cannot be written the standard error has it all.
    """
    root = logging.getLogger("matiz")
    root.setLevel(logging.DEBUG if debug else logging.INFO)
    handlers: list[logging.Handler] = []
    try:
        log_file().parent.mkdir(parents=True, exist_ok=True)
        handlers.append(
            RotatingFileHandler(log_file(), maxBytes=MOST_BYTES, backupCount=KEPT, encoding="utf-8",
                                errors="backslashreplace")
        )  # fmt: skip
    except OSError:
        debug = True
    if debug:
        handlers.append(logging.StreamHandler())
    for handler in handlers:
        handler.setFormatter(_Printable(_FORMAT))
        root.addHandler(handler)
    sys.excepthook = _on_error
    threading.excepthook = _on_thread_error


class _Printable(logging.Formatter):
    """Names of files may hold what steers a terminal."""

    def format(self, record: logging.LogRecord) -> str:
        return printable(super().format(record))


def _on_error(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    logging.getLogger("matiz").critical("unexpected", exc_info=(kind, error, trace))
    sys.__excepthook__(kind, error, trace)


def _on_thread_error(about: Any) -> None:
    if about.exc_value is not None and not issubclass(about.exc_type, SystemExit):
        logging.getLogger("matiz").critical(
            "unexpected, on a thread", exc_info=(about.exc_type, about.exc_value, about.exc_traceback)
        )
