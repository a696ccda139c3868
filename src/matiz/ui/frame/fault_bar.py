"""What is said of a fault of ours: that it happened, what it was, and where the details lie."""

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QHBoxLayout, QWidget

from ...system.logs import log_file
from ...wording import printable
from ..kit.controls import caption, push


class FaultBar(QWidget):
    """Under the header, until it is closed; another fault takes the place of the one before."""

    def __init__(self) -> None:
        super().__init__()
        self._shown = ""
        self._closed: set[str] = set()
        self.setObjectName("chrome")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 8, 4)
        self.text = caption(strong=True)
        self.text.setWordWrap(True)
        row.addWidget(self.text, 1)
        self.open = push("Open the log")
        self.open.setToolTip("Show the file with the details, for a bug report")
        self.open.clicked.connect(self._on_open)
        self.dismiss = push("Close")
        self.dismiss.setToolTip("Do not show this one again")
        self.dismiss.clicked.connect(self._on_closed)
        row.addWidget(self.open)
        row.addWidget(self.dismiss)
        self.hide()

    def show_fault(self, text: str) -> None:
        """text: what failed, and how. What was closed once is not said again."""
        if text in self._closed or (text == self._shown and self.isVisible()):
            return
        self._shown = text
        self.text.setText(
            f"Something in Matiz failed. You can go on working. The details are in {log_file()}.\n{printable(text)}"
        )
        self.show()

    def _on_closed(self) -> None:
        self._closed.add(self._shown)
        self.hide()

    def _on_open(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(log_file())))
