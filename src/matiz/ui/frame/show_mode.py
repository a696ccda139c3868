"""Show mode: the picture alone, full screen, for a client. Nothing can be changed; leaving needs the PIN that was set
on entering."""

import hashlib
import hmac
import secrets
from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...work.session import Session
from ..canvas.picture_view import PictureView
from ..kit.controls import caption, push
from ..kit.line import Line

LEAST_PIN = 4
COST = 2**13
"""Of scrypt, RFC 7914: some 20 ms for each guess."""


class PinAsk(QDialog):
    """Asks for a PIN; on entering also whether the client may mark."""

    def __init__(self, parent: QWidget, *, entering: bool) -> None:
        super().__init__(parent)
        self.setWindowTitle("Show mode" if entering else "End of show mode")
        column = QVBoxLayout(self)
        told = (
            "Choose a PIN of at least four characters. It is asked for on leaving."
            if entering
            else "The PIN that was set"
        )
        column.addWidget(caption(told))
        self.pin = Line(maxLength=64)
        self.pin.setEchoMode(QLineEdit.EchoMode.Password)
        self.pin.setAccessibleName("PIN")
        self.pin.setToolTip("PIN of show mode; only a hash of it is kept, and only until you leave")
        column.addWidget(self.pin)
        self.marking = QCheckBox("The client may mark pictures as keep, with Return")
        self.marking.setToolTip("Return then marks the picture on screen as keep, or unmarks it")
        self.marking.setVisible(entering)
        column.addWidget(self.marking)
        row = QHBoxLayout()
        row.addStretch(1)
        self.go, self.stay = push("Show" if entering else "Leave"), push("Cancel")
        self.go.setToolTip("Start show mode" if entering else "Leave show mode")
        self.stay.setToolTip("Cancel; change nothing")
        self.go.clicked.connect(self.accept)
        self.stay.clicked.connect(self.reject)
        self.pin.returnPressed.connect(self.accept)
        row.addWidget(self.stay)
        row.addWidget(self.go)
        column.addLayout(row)


class ShowMode(QObject):
    """Whether it is on, and who may end it."""

    changed = Signal()

    def __init__(self, session: Session, view: PictureView, actions: Callable[[], list[QAction]]) -> None:
        """actions: every action of the window; those that change something are shut while it is on."""
        super().__init__()
        self.session, self.view = session, view
        self._actions = actions
        self._salt, self._hash = b"", b""
        self.may_mark = False
        self._shut: list[QAction] = []

    @property
    def is_on(self) -> bool:
        return bool(self._hash)

    def begin(self, pin: str, *, may_mark: bool = False) -> bool:
        """False, which is said, for a PIN that is too short."""
        if len(pin) < LEAST_PIN:
            self.session.said.emit(f"The PIN needs at least {LEAST_PIN} characters.")
            return False
        self._salt = secrets.token_bytes(16)
        self._hash, self.may_mark = _hashed(pin, self._salt), may_mark
        self.session.cancel_edit()
        self._shut = [action for action in self._actions() if action.isEnabled()]
        for action in self._shut:
            action.setEnabled(False)
        self.view.let_go()
        self.view.only_looks = True
        self.changed.emit()
        return True

    def end(self, pin: str) -> bool:
        """Whether that was the PIN."""
        if not self.is_on or not hmac.compare_digest(_hashed(pin, self._salt), self._hash):
            self.session.said.emit("That is not the PIN.")
            return False
        self._hash = b""
        for action in self._shut:
            action.setEnabled(True)
        self._shut, self.view.only_looks = [], False
        self.changed.emit()
        return True

    def take_key(self, event: QKeyEvent) -> bool:
        """What a key does while it is on; True for all that is not to go further."""
        key = Qt.Key(event.key())
        step = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -1, Qt.Key.Key_Left: -1}.get(key)
        zoom = {Qt.Key.Key_F2: 0.0, Qt.Key.Key_F3: 1.0, Qt.Key.Key_F4: 2.0}.get(key)
        if step is not None:
            self.session.step(step)
        elif zoom is not None:
            self.view.set_zoom(zoom)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.may_mark:
            self._mark()
        return True

    def _mark(self) -> None:
        path = self.session.path
        if path is not None:
            kept = self.session.document_of(path).sorted_as == "keep"
            self.session.sort_as(path, sorted_as="" if kept else "keep")
            self.view.update()


def _hashed(pin: str, salt: bytes) -> bytes:
    return hashlib.scrypt(pin.encode("utf-8"), salt=salt, n=COST, r=8, p=1)
