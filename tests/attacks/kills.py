"""Killed while editing and while delivering: ``python -m tests.attacks.kills [EDITING] [DELIVERING] [SEED]``.

After each kill the folder is opened again. A fall is a sidecar or a delivery that is not whole, over a second of
work that is lost, or a temporary file that is still there.
"""

import argparse
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PIL import Image as Pillow
from PySide6.QtCore import QCoreApplication, QTimer

from matiz.deliver.orders import Order, free_name
from matiz.deliver.write import deliver
from matiz.develop.as_file import write_frame
from matiz.develop.engine import Engine
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe
from matiz.shoot.desk import Desk
from matiz.shoot.log import Log
from matiz.shoot.sidecar import load_document
from matiz.simcam.camera import Settings, expose
from matiz.simcam.targets import chart
from matiz.system.files import clear_leftovers
from matiz.ui.saver import Saver

MOST_LOST_S = 1.0
STEP_EV = 0.001
DRAG = 60
"""Moves in one drag before it ends in a step."""
TURN = 6000
"""Moves until the hand is back at its start."""


def edit(picture: Path) -> None:
    """Drag exposure for ever, and say how far the hand has come."""
    application = QCoreApplication([])
    desk = Desk()
    desk.open([picture.parent])
    saver = Saver(desk)
    begun, moves = desk.begin(picture), round(load_document(picture).recipe.tone.exposure_EV / STEP_EV)

    def move() -> None:
        nonlocal begun, moves
        moves = (moves + 1) % TURN
        begun.preview([("tone.exposure_EV", round(moves * STEP_EV, 3))], "Exposure")
        saver.drag()
        if moves % DRAG == 0:
            begun.commit()
            saver.soon()
            begun = desk.begin(picture)
        print(moves, flush=True)

    timer = QTimer(interval=5)
    timer.timeout.connect(move)
    timer.start()
    application.exec()


def deliver_all(picture: Path) -> None:
    """Deliver for ever, each under a name of its own."""
    engine = Engine(read_frame(picture))
    while True:
        for kind in ("JPEG", "TIFF", "PNG"):
            order = Order(format=kind)
            path = free_name(picture.parent / "delivered", picture.stem, order)
            deliver(engine, Recipe(), order, path, taken="rename")
            print(path.name, flush=True)


def killed(task: str, picture: Path, after_s: float) -> list[tuple[float, str]]:
    """What the process said, and when, until it was killed `after_s` after its first word."""
    asked = [sys.executable, "-m", "tests.attacks.kills", "--child", task, str(picture)]
    process = subprocess.Popen(asked, stdout=subprocess.PIPE, text=True)
    assert process.stdout
    said = [(time.monotonic(), process.stdout.readline().strip())]
    end = time.monotonic() + after_s
    while time.monotonic() < end:
        said.append((time.monotonic(), process.stdout.readline().strip()))
    process.kill()
    process.wait()
    return said


def fall_of_edit(picture: Path, after_s: float) -> str:
    """What fell when an edit was killed; "" for nothing."""
    said = killed("edit", picture, after_s)
    end = time.monotonic()
    desk = Desk()
    desk.open([picture.parent])
    desk.close_log()
    log = Log(picture.parent)
    log.close()
    left = [path.name for path in picture.parent.iterdir() if path.suffix == ".part"]
    if left:
        return f"left behind: {left}"
    kept = round(load_document(picture).recipe.tone.exposure_EV / STEP_EV)
    due = [int(moves) for when, moves in said if when < end - MOST_LOST_S - 0.1]
    behind = (due[-1] - kept) % TURN if due else 0
    return f"kept {kept} of {due[-1]}" if 0 < behind < TURN / 2 else ""


def fall_of_delivery(picture: Path, after_s: float) -> str:
    """What fell when a delivery was killed; "" for nothing."""
    folder = picture.parent / "delivered"
    folder.mkdir(exist_ok=True)
    killed("deliver", picture, after_s)
    clear_leftovers(folder)
    for path in folder.iterdir():
        if path.suffix == ".part":
            return f"left behind: {path.name}"
        try:
            with Pillow.open(path) as delivered:
                delivered.load()
        except OSError as error:
            return f"{path.name}: {error}"
        path.unlink()
    return ""


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("editing", type=int, nargs="?", default=200)
    parser.add_argument("delivering", type=int, nargs="?", default=60)
    parser.add_argument("seed", type=int, nargs="?", default=1)
    parser.add_argument("--child", nargs=2)
    given = parser.parse_args()
    if given.child:
        (edit if given.child[0] == "edit" else deliver_all)(Path(given.child[1]))
    chance, falls = random.Random(given.seed), 0
    with tempfile.TemporaryDirectory() as folder:
        picture = Path(folder) / "a.dng"
        write_frame(expose(chart((600, 400)), Settings()), picture)
        for name, count, fall_of in (
            ("editing", given.editing, fall_of_edit),
            ("delivering", given.delivering, fall_of_delivery),
        ):
            fell = [fall for _ in range(count) if (fall := fall_of(picture, chance.uniform(0.05, 2.5)))]
            print(f"{count} kills while {name}: {len(fell)} fell", *fell[:5], sep="\n", flush=True)
            falls += len(fell)
    return 1 if falls else 0


if __name__ == "__main__":
    raise SystemExit(main())
