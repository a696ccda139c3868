"""`matiz merge`: make one frame of a bracket, of frames focused differently, or of a series."""

import argparse
import sys
from pathlib import Path

from .terminal import print

HELP = "Merge a bracket, a focus stack or a series into one frame."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("files", nargs="+", metavar="FILE", help="raw frames of one view")
    command.add_argument(
        "--as", dest="as_", choices=("bracket", "focus", "mean"), help="by what the files say when not given"
    )
    command.add_argument(
        "--hold", choices=("both", "ground", "sky"), default="both", help="of a mean of a night: what is held still"
    )
    command.add_argument("-o", "--output", metavar="OUT.dng", help="beside the first file when not given")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..merge.files import merge_files
    from ..raw.decode import read_frame

    seen: list[str] = []

    def on_progress(_share: float, text: str) -> bool:
        if sys.stderr.isatty() and seen[-1:] != [text]:
            print(text, file=sys.stderr)
            seen.append(text)
        return True

    paths = [Path(name) for name in chosen.files]
    out = Path(chosen.output) if chosen.output else None
    made = merge_files(paths, read_frame, kind=chosen.as_ or "", hold=chosen.hold, out=out, on_progress=on_progress)
    print(made.words)
    return 0
