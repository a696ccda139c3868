"""The window on a 24 MP picture: until readings are seen, and how long a drag holds the window's thread."""

import json
import os
import subprocess
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from matiz.develop.graph.as_file import write_frame
from matiz_simcam.shoot import DEMO_SHOTS, simulate

SIZE = (6000, 4000)
WALK = """
import json, sys, time
from pathlib import Path
from statistics import median
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from matiz.raw.decode import shared_decoder
from matiz.ui.kit.application import application
from matiz.work.session import Session
from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window

app = application()
shared_decoder().start()
window = Window(Session())
window.show()
window.go_to(window.stations.tone)
TONE = set(window.stations.tone.shows)
heard = []
state = {}
session = window.session
session.pictureOpened.connect(lambda: state.setdefault("opened", time.perf_counter()))
session.readingsChanged.connect(lambda names: heard.append((time.perf_counter(), names)))
session.findingsChanged.connect(lambda: state.__setitem__("found", time.perf_counter()))
asked = time.perf_counter()
window.open_paths([Path(sys.argv[1])])
settle(window)
out = {
    "from asking for 24 MP to opened, s": state["opened"] - asked,
    "from opened to the first readings, s": heard[0][0] - state["opened"],
    "from opened to all of Tone's, s": max(t for t, names in heard if names & TONE) - state["opened"],
    "from opened to all readings, s": heard[-1][0] - state["opened"],
    "from opened to the findings, s": state["found"] - state["opened"],
}

def ticks(count, act):
    held, spent = [], []
    for n in range(count):
        begin = time.perf_counter()
        act(n)
        longest = time.perf_counter() - begin
        total = longest
        while time.perf_counter() - begin < 0.033:
            start = time.perf_counter()
            app.processEvents()
            took = time.perf_counter() - start
            longest, total = max(longest, took), total + (took if took > 2e-4 else 0)
            time.sleep(0.001)
        held.append(longest)
        spent.append(total)
    return held, spent

tape = window.stations.tone.exposure
start = QPoint(tape.width() // 2, 48)
QTest.mousePress(tape, Qt.MouseButton.LeftButton, pos=start)
held, spent = ticks(90, lambda n: QTest.mouseMove(tape, start - QPoint(n, 0)))
QTest.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=start - QPoint(89, 0))
out["a drag of exposure holds the window's thread, ms at once, median"] = 1e3 * median(held)
out["the same, the longest of 90 but one"] = 1e3 * sorted(held)[-2]
out["the same, ms in all for a tick"] = 1e3 * median(spent)
settle(window)

steps = []
for n in range(12):
    heard.clear()
    begin = time.perf_counter()
    grip = session.begin()
    grip.preview([("tone.exposure_EV", 0.1 + n / 40)])
    while not any("noise" in names for _, names in heard) and time.perf_counter() - begin < 2:
        app.processEvents()
        time.sleep(0.001)
    steps.append(time.perf_counter() - begin)
    grip.commit(None, "step")
    settle(window)
out["an exposure step until what is seen is read, ms"] = 1e3 * median(steps)

window.set_zoom(1.0)
settle(window)
renders = []
window.view._renderer.answered.connect(lambda request, rendered: renders.append(rendered.is_draft))
pans = []
for n in range(40):
    window.view.look(window.view.viewport.panned(-3, 0))
    begin = time.perf_counter()
    while not window.view._renderer.is_idle():
        app.processEvents()
        time.sleep(0.0005)
    pans.append(time.perf_counter() - begin)
out["a pan of 3 px at 1:1, ms"] = 1e3 * sum(pans) / len(pans)
out["the slowest of 40"] = 1e3 * max(pans)
window.close()
print(json.dumps(out))
"""


def run() -> dict[str, float]:
    shot = DEMO_SHOTS[0]
    small = simulate(shot.scene, (1500, 1000), shot.settings, view=shot.view)
    mosaic = small.mosaic
    assert mosaic is not None
    values = np.ascontiguousarray(np.tile(mosaic.values, (SIZE[1] // 1000, SIZE[0] // 1500)))
    with tempfile.TemporaryDirectory() as folder:
        write_frame(replace(small, mosaic=replace(mosaic, values=values)), Path(folder) / "a.dng")
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
        done = subprocess.run([sys.executable, "-c", WALK, folder], env=environment, capture_output=True, text=True)
        if done.returncode:
            raise RuntimeError(done.stderr)
    figures: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return figures
