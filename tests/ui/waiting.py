"""Letting a window work. Qt's own waiting for tests would keep other threads from running."""

import time

from PySide6.QtWidgets import QApplication


def wait_for(condition, seconds: float = 20.0) -> None:
    """Run the event loop until a condition holds; fails when it does not within so many seconds."""
    deadline = time.monotonic() + seconds
    while not condition() and time.monotonic() < deadline:
        QApplication.processEvents()
        time.sleep(0.002)
    assert condition()


def pause(milliseconds: float) -> None:
    """Run the event loop for a while."""
    end = time.monotonic() + milliseconds / 1000.0
    while time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.002)
