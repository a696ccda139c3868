"""Waiting for what is done aside."""

import time

from PySide6.QtWidgets import QApplication


def done(work, longest_s=60.0):
    """The same, see `ui.one_by_one`, once it is done."""
    until = time.monotonic() + longest_s
    while not work.is_done and time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.01)
    assert work.is_done
    return work
