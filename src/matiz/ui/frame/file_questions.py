"""What the window asks about files: edits that could not be saved, and sidecars that were deleted."""

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from ...errors import MatizError
from ...wording import counted, printable
from ...work.deleted import discard_edits
from ...work.session import Session

NAMED = 5
"""Files that are named in a question; of the others only the number is given."""


def may_close(parent: QWidget, session: Session) -> bool:
    """Whether all is saved, or the user gives up what cannot be saved."""
    while not session.saver.settle():
        names = ", ".join(one.path.name for one in session.desk.unsaved()[:NAMED])
        asked = _box(parent, "Not saved", f"Your edits to {names} could not be saved.")
        asked.setInformativeText("Make room on the disk or make the folder writable, and try again.")
        again = asked.addButton("Try again", QMessageBox.ButtonRole.AcceptRole)
        elsewhere = asked.addButton("Save elsewhere…", QMessageBox.ButtonRole.AcceptRole)
        stay = asked.addButton("Keep the window open", QMessageBox.ButtonRole.RejectRole)
        asked.addButton("Close without saving", QMessageBox.ButtonRole.DestructiveRole)
        asked.exec()
        if asked.clickedButton() is stay:
            return False
        if asked.clickedButton() is elsewhere:
            if _save_elsewhere(parent, session):
                return True
            continue
        if asked.clickedButton() is not again:
            return True
    return True


def ask_about_deleted(parent: QWidget, session: Session, paths: Sequence[Path]) -> QMessageBox:
    """Ask whether sidecars were deleted on purpose. The edits are saved again already."""
    count = counted(len(paths), "picture")
    names = ", ".join(path.name for path in paths[:NAMED]) + (", and others" if len(paths) > NAMED else "")
    asked = _box(parent, "Sidecars deleted", f"The sidecars of {count} were deleted outside of this window: {names}.")
    asked.setInformativeText("Your edits have been saved again. If you deleted them on purpose, discard the edits.")
    keep = asked.addButton("Keep the edits", QMessageBox.ButtonRole.RejectRole)
    discard = asked.addButton("Discard the edits", QMessageBox.ButtonRole.DestructiveRole)
    asked.setDefaultButton(keep)
    asked.setEscapeButton(keep)
    discard.clicked.connect(lambda: discard_edits(session, tuple(paths)))
    asked.open()
    return asked


def _box(parent: QWidget, title: str, text: str) -> QMessageBox:
    box = QMessageBox(parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setWindowTitle(title)
    box.setText(printable(text))
    return box


def _save_elsewhere(parent: QWidget, session: Session) -> bool:
    """Whether the user chose a folder that took all that is unsaved."""
    folder = QFileDialog.getExistingDirectory(parent, "Save the edits to a folder")
    if not folder:
        return False
    try:
        session.desk.write_apart(Path(folder))
    except MatizError as error:
        session.said.emit(str(error))
        return False
    return True
