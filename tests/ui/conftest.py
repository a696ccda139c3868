"""The real window, offscreen."""

import threading

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication

from matiz.ui import theme
from matiz.ui.app import application
from matiz.ui.session import Session
from matiz.ui.shots import settle
from matiz.ui.window import Window


@pytest.fixture(autouse=True, scope="session")
def dressed(qapp):
    """Every widget test has the theme and the fonts."""
    theme.apply(application())


@pytest.fixture(autouse=True)
def nothing_failed_to_paint(caplog):
    """A paint event never raises; that it had to be caught is a fault all the same."""
    yield
    assert not [record for record in caplog.get_records("call") if record.name == "matiz"]


@pytest.fixture
def window(qapp, shoot):
    """The window on a copy of the small shoot, at rest; closing it must end its threads."""
    made = Window(Session())
    made.show()
    made.activateWindow()
    made.open_paths([shoot])
    settle(made)
    yield made
    settle(made)
    made.close()
    left = {t.name for t in threading.enumerate()} & {"render", "measure", "dust view"}
    assert not left, f"threads left behind: {left}"
    made.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
