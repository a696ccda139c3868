"""Faults of ours: what nobody expected, as it is written into the log."""

import logging

from . import loop
from .signals import Signal

LOGGER = "matiz"


class Faults:
    """Emits `came(text)` for each error with a traceback that any part of Matiz writes into its log, whatever thread it
    happened on."""

    came = Signal()

    def __init__(self) -> None:
        self._handler = _Handler(self)
        logging.getLogger(LOGGER).addHandler(self._handler)

    def end(self) -> None:
        """Hear of no more."""
        logging.getLogger(LOGGER).removeHandler(self._handler)


class _Handler(logging.Handler):
    def __init__(self, faults: Faults) -> None:
        super().__init__(logging.ERROR)
        self._faults = faults

    def emit(self, record: logging.LogRecord) -> None:
        error = record.exc_info[1] if record.exc_info else None
        if error is not None:
            text = f"{record.getMessage()}: {type(error).__name__}: {error}"
            # never at once: it may be a paint event that failed
            loop.current().post(lambda: self._faults.came.emit(text))
