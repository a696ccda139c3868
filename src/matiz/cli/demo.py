"""`matiz demo`: make the demo shoot if it is missing, and open it."""

import argparse
import os
from pathlib import Path

from ..errors import FileError
from .simcam import require_simcam
from .terminal import print

HELP = "Make the demo shoot if it is missing, and open it."
DEMO_FOLDER = "demo-shoot"


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("--data", metavar="DIR", help=f"where the shoot lies; ./{DEMO_FOLDER} when not given")
    command.add_argument("--data-only", action="store_true", help="make the shoot, open no window")
    command.add_argument("--size", choices=("6MP", "24MP"), default="6MP")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    require_simcam()
    from matiz_simcam.shoot import DEMO_SIZE, make_demo, missing_shots

    folder = Path(chosen.data or Path.cwd() / DEMO_FOLDER)
    size = (6000, 4000) if chosen.size == "24MP" else DEMO_SIZE
    if chosen.data_only or not _display():
        if missing_shots(folder):
            print(f"making the demo shoot in {folder}")
        for done, count, name in make_demo(folder, size=size):
            print(f"  {done} of {count}  {name}", flush=True)
        if not chosen.data_only:
            raise FileError("there is no display to open a window on; the demo shoot is made: see --data-only")
        return 0
    from ..ui.frame.app import run

    return run([folder], demo_size=size)


def _display() -> bool:
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM"))
