"""From starting Python to the first picture in the window, and to its full answer."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path
from statistics import median

from matiz.develop.graph.as_file import write_frame
from matiz_simcam.shoot import DEMO_SHOTS, simulate

STARTED = """
import sys, time
start = time.perf_counter()
from pathlib import Path
from matiz.raw.decode import shared_decoder
shared_decoder().start()
from matiz.kernels.loader import preload
preload()
from matiz.ui.kit.application import application
from matiz.ui.frame.window import Window
app = application()
window = Window()
window.show()
window.open_paths([Path(sys.argv[1])])
first = None
while window.view.image() is None:
    app.processEvents()
    if first is None and window.view.image_place() is not None:
        first = time.perf_counter() - start
    time.sleep(0.001)
print(first, time.perf_counter() - start, int("halide" in sys.modules))
window.close()
"""


def run() -> dict[str, float]:
    shot = DEMO_SHOTS[0]
    frame = simulate(shot.scene, (3000, 2000), shot.settings, view=shot.view)
    with tempfile.TemporaryDirectory() as folder:
        write_frame(frame, Path(folder) / "a.dng")
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
        rows = []
        for _ in range(4):
            command = [sys.executable, "-c", STARTED, folder]
            done = subprocess.run(command, env=environment, capture_output=True, text=True, check=True)
            rows.append([float(v) for v in done.stdout.split()])
    warm = rows[1:]
    return {
        "start to first picture, 6 MP, s": median(r[0] for r in warm),
        "start to its full answer, s": median(r[1] for r in warm),
        "Halide imported": max(r[2] for r in warm),
    }
