"""Killed in the middle: ``python -m tests.attacks.kills [EDITING] [DELIVERING] [MERGING] [FOLLOWING] [SEED]``.

After each kill the folder is opened again. A fall is a sidecar, a delivery or a merged frame that is not whole, over
0.7 s of work that is lost, or a temporary file that is still there.
"""

import argparse
import math
import os
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PIL import Image as Pillow
from PySide6.QtCore import QTimer

from matiz.deliver.orders import Order, free_name
from matiz.deliver.write import deliver
from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.errors import MatizError
from matiz.merge.files import merge_files
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe
from matiz.shoot.desk import Desk
from matiz.shoot.log import Log
from matiz.shoot.sidecar import load_document
from matiz.system.files import clear_leftovers
from matiz.work.loop import Timer, current
from matiz.work.saver import Saver
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import chart

MOST_LOST_S, WRITING_S = 0.7, 0.15
"""Before the kill, and what one writing may take on a busy machine."""
STEP_EV = 0.001
DRAG = 60
"""Moves in one drag before it ends in a step."""
TURN = 6000
"""Moves until the hand is back at its start."""


def edit(picture: Path) -> None:
    """Drag exposure for ever, and say how far the hand has come."""
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
        beat.start()

    beat = Timer(move, 5)
    beat.start()
    current().run_until(lambda: False, math.inf)


def deliver_all(picture: Path) -> None:
    """Deliver for ever, each under a name of its own."""
    engine = Engine(read_frame(picture))
    while True:
        for kind in ("JPEG", "TIFF", "PNG"):
            order = Order(format=kind)
            path = free_name(picture.parent / "delivered", picture.stem, order)
            deliver(engine, Recipe(), order, path, taken="rename")
            print(path.name, flush=True)


def merge_all(picture: Path) -> None:
    """Merge the same frames for ever, each time into a file of its own."""
    frames = [picture, picture.with_name("b.dng")]
    for n in range(10_000):
        out = picture.with_name(f"merged-{n}-{time.time_ns()}.dng")
        merge_files(frames, read_frame, kind="mean", out=out)
        print(out.name, flush=True)


def follow(picture: Path) -> None:
    """A window that follows the folder, in which every picture that comes gets a rank."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from matiz.ui.frame.window import Window
    from matiz.ui.kit.application import application
    from matiz.work.session import Session

    application = application()
    window = Window(Session())
    window.show()
    window.open_paths([picture.parent])
    window.tether.start()
    ranked: set[Path] = set()

    def rank() -> None:
        for path in window.session.pictures:
            if path not in ranked:
                window.session.sort_as(path, rank=3)
                ranked.add(path)
        print(len(ranked), flush=True)

    timer = QTimer(interval=50)
    timer.timeout.connect(rank)
    timer.start()
    application.exec()


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
    due = [int(moves) for when, moves in said if when < end - MOST_LOST_S - WRITING_S]
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


def fall_of_merge(picture: Path, after_s: float) -> str:
    """What fell when a merge was killed; "" for nothing."""
    other = picture.with_name("b.dng")
    if not other.exists():
        other.write_bytes(picture.read_bytes())
    killed("merge", picture, after_s)
    desk = Desk()
    desk.open([picture.parent])
    desk.close_log()
    fall = ""
    for path in picture.parent.glob("merged-*.dng"):
        try:
            read_frame(path)
        except MatizError as error:
            fall = f"{path.name}: {error}"
        path.unlink()
    left = [path.name for path in picture.parent.iterdir() if path.suffix == ".part"]
    return f"left behind: {left}" if left else fall


def fall_of_following(picture: Path, after_s: float) -> str:
    """What fell when a window that follows a folder was killed, while a camera writes into it; "" for nothing."""
    with tempfile.TemporaryDirectory() as name:
        first = Path(name) / "a.dng"
        first.write_bytes(picture.read_bytes())
        command = [sys.executable, "-m", "matiz", "simulate", "--tether", name, "--every", "0.2", "--size", "90x60"]
        camera = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        try:
            killed("follow", first, after_s)
        finally:
            camera.kill()
            camera.wait()
        desk = Desk()
        desk.open([Path(name)])
        desk.close_log()
        for path in desk.catalogue.pictures:
            try:
                read_frame(path)
                load_document(path)
            except MatizError as error:
                return f"{path.name}: {error}"
        left = [path.name for path in Path(name).iterdir() if path.suffix == ".part"]
        return f"left behind: {left}" if left else ""


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("editing", type=int, nargs="?", default=200)
    parser.add_argument("delivering", type=int, nargs="?", default=60)
    parser.add_argument("merging", type=int, nargs="?", default=20)
    parser.add_argument("following", type=int, nargs="?", default=20)
    parser.add_argument("seed", type=int, nargs="?", default=1)
    parser.add_argument("--child", nargs=2)
    given = parser.parse_args()
    if given.child:
        tasks = {"edit": edit, "deliver": deliver_all, "merge": merge_all, "follow": follow}
        tasks[given.child[0]](Path(given.child[1]))
    chance, falls = random.Random(given.seed), 0
    with tempfile.TemporaryDirectory() as folder:
        picture = Path(folder) / "a.dng"
        write_frame(expose(chart((600, 400)), Settings()), picture)
        for name, count, fall_of in (
            ("editing", given.editing, fall_of_edit),
            ("delivering", given.delivering, fall_of_delivery),
            ("merging", given.merging, fall_of_merge),
            ("following", given.following, fall_of_following),
        ):
            fell = [fall for _ in range(count) if (fall := fall_of(picture, chance.uniform(0.05, 2.5)))]
            print(f"{count} kills while {name}: {len(fell)} fell", *fell[:5], sep="\n", flush=True)
            falls += len(fell)
    return 1 if falls else 0


if __name__ == "__main__":
    raise SystemExit(main())
