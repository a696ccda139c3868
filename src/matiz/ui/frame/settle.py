"""Waiting for a window to come to rest: for tests, benchmarks and pictures of it."""

import time

from PySide6.QtWidgets import QApplication

from .window import Window

LONGEST_S = 120.0


def settle(window: Window, least_s: float = 0.15) -> None:
    """Run the event loop until the window is at rest."""
    start = time.monotonic()
    calm_since = None
    while time.monotonic() - start < LONGEST_S:
        QApplication.processEvents()
        if window.is_idle():
            calm_since = calm_since or time.monotonic()
            if time.monotonic() - calm_since > least_s:
                return
        else:
            calm_since = None
        time.sleep(0.005)
    raise TimeoutError("the window does not come to rest")
