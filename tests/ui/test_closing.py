"""A window closes within two seconds, whatever is still at work, with everything saved."""

import os
import signal
import subprocess
import sys
import threading
import time

from matiz.shoot.sidecar import load_document
from matiz.ui.frame.settle import settle
from matiz.work import closing
from matiz.work.jobs import Job
from matiz.work.pool import Pool

STUBBORN = """
import sys, time
from pathlib import Path
from PySide6.QtCore import QTimer
from matiz.ui.frame import app
from matiz.work.jobs import Job
from matiz.ui.frame.window import Window

def begin(window):
    if not window.session.is_open:
        QTimer.singleShot(50, lambda: begin(window))
        return
    window.session.commit([("tone.exposure_EV", 0.75)], "x")
    window.session.do_aside(lambda _: time.sleep(60), "stubborn", lambda _: None)
    print(time.monotonic(), flush=True)
    QTimer.singleShot(200, window.close)

class Own(Window):
    def __init__(self):
        super().__init__()
        QTimer.singleShot(100, lambda: begin(self))

app.Window = Own
raise SystemExit(app.run([Path(sys.argv[1])]))
"""


def test_the_program_ends_though_something_does_not(shoot):
    """It took 14 s under load."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    process = subprocess.Popen(
        [sys.executable, "-P", "-c", STUBBORN, str(shoot)], stdout=subprocess.PIPE, text=True, env=environment
    )
    asked = float(process.stdout.readline())
    try:
        assert process.wait(20.0) == 0
    finally:
        process.send_signal(signal.SIGKILL)
    assert time.monotonic() - asked < 8.0, "a generous limit for a busy machine; the work takes 60 s"
    assert load_document(shoot / "CORVA_0011.dng").recipe.tone.exposure_EV == 0.75


def test_waiting_is_limited_in_all(window, monkeypatch):
    settle(window)
    monkeypatch.setattr(closing, "CLOSE_S", 0.3)
    monkeypatch.setattr(closing._State, "is_left", False)
    monkeypatch.setattr(closing._State, "until", None)
    release = threading.Event()
    pool = Pool(1)
    Job(lambda _: release.wait(30.0), "stubborn").start(pool)
    thread = threading.Thread(target=release.wait, args=(30.0,))
    thread.start()
    try:
        began = time.monotonic()
        closing.begin()
        closing.wait_for_pool(pool)
        closing.wait_for_thread(thread)
        assert time.monotonic() - began < 5.0 and closing.is_left_behind()
    finally:
        release.set()
        thread.join()
        assert pool.wait(10.0)
        monkeypatch.setattr(closing._State, "until", None)
