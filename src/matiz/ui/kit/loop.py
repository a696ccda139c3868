"""Qt's event loop as the loop of all work: see `work/loop.py`."""

import math
import threading

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from shiboken6 import isValid

from ...work import loop
from ...work.loop import Call, Later


class QtLoop(QObject):
    """The thread that makes it is the loop's."""

    _posted = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._thread = threading.get_ident()
        self._posted.connect(self._call, Qt.ConnectionType.QueuedConnection)
        self._later = Later()
        # one timer for all: what has a timer of Qt's own must not be collected by another thread
        self._timer = QTimer(self, singleShot=True, timerType=Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._call_due)

    def is_here(self) -> bool:
        return threading.get_ident() == self._thread

    def post(self, call: Call) -> None:
        self._posted.emit(call)

    def at(self, due_s: float, call: Call) -> None:
        self._later.add(due_s, call)
        self._wait()

    def is_alive(self, owner: object) -> bool:
        return isValid(owner)

    def _wait(self) -> None:
        wait_s = self._later.wait_s()
        if wait_s is not None:
            self._timer.start(math.ceil(1000.0 * wait_s))

    def _call_due(self) -> None:
        calls = self._later.due()
        # before they are called: one of them may run a loop of its own, as a dialogue does
        self._wait()
        for call in calls:
            self.post(call)

    def _call(self, call: Call) -> None:
        call()


def use_qt_loop() -> None:
    """Have all work belong to Qt's loop from now on; without it nothing would be saved, and no answer would arrive."""
    if not isinstance(loop.current(), QtLoop):
        loop.use(QtLoop())
