"""Many deliveries in two processes against one picture's own time, and what each format takes."""

import shutil
import statistics
import tempfile
import time
from pathlib import Path

from matiz.deliver.batch import run_here, run_task, tasks_for
from matiz.deliver.orders import FORMATS, OWN, Order
from matiz.deliver.write import deliver
from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.recipe.model import Recipe
from matiz_simcam.shoot import DEMO_SHOTS, simulate

COUNT, SIZE = 16, (6000, 4000)


def run() -> dict[str, float]:
    out: dict[str, float] = {}
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0012.dng")
    frame = simulate(shot.scene, SIZE, shot.settings, view=shot.view)
    with tempfile.TemporaryDirectory() as folder:
        shoot = Path(folder) / "shoot"
        shoot.mkdir()
        write_frame(frame, shoot / "A_0000.dng")
        for n in range(1, COUNT):
            shutil.copy(shoot / "A_0000.dng", shoot / f"A_{n:04d}.dng")
        pictures = sorted(shoot.glob("*.dng"))
        own = []
        for n, task in enumerate(tasks_for(pictures[:4], OWN["screen"], Path(folder) / "one")):
            began = time.perf_counter()
            run_task(task)
            if n:
                own.append(time.perf_counter() - began)
        out["one picture of 24 MP, s"] = statistics.median(own)
        began = time.perf_counter()
        done = list(run_here(tasks_for(pictures, OWN["screen"], Path(folder) / "many"), 2))
        whole = time.perf_counter() - began
        assert all(each.path for each in done)
        out[f"{COUNT} pictures in two processes, s"] = whole
        out["times half of one picture's own time each"] = whole / (COUNT * out["one picture of 24 MP, s"] / 2.0)
        small = simulate(shot.scene, (3000, 2000), shot.settings, view=shot.view)
        engine = Engine(small)
        for kind in FORMATS:
            began = time.perf_counter()
            deliver(engine, Recipe(), Order(kind), Path(folder) / f"x{FORMATS[kind].suffix}")
            out[f"{kind} of 6 MP, s"] = time.perf_counter() - began
    return out
