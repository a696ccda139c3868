"""`matiz sheet`: write a contact sheet as PDF."""

import argparse
import sys
from pathlib import Path

from ..errors import ArgumentError, FileError
from .terminal import print

HELP = "Write a contact sheet as PDF."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("paths", nargs="+", metavar="FOLDER|FILE")
    command.add_argument("-o", "--output", required=True, metavar="SHEET.pdf")
    command.add_argument("--kept", action="store_true", help="only pictures marked keep")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..deliver.batch import chosen_pictures
    from ..ui.stations.deliver.sheet_pdf import cell_of, write_sheet

    pictures = chosen_pictures([Path(path) for path in chosen.paths], only_kept=chosen.kept)
    if not pictures:
        raise FileError("no pictures there" + (" marked keep" if chosen.kept else ""))
    out = Path(chosen.output)
    if out.suffix.lower() != ".pdf":
        raise ArgumentError(f"{out.name}: a contact sheet is written as .pdf")

    def said(done: int) -> bool:
        print(f"  {done} of {len(pictures)}", flush=True)
        return True

    failed = write_sheet(out, map(cell_of, pictures), pictures[0].parent.name, said)
    for text in failed:
        print(f"matiz: {text}", file=sys.stderr)
    if failed:
        raise FileError(f"{len(failed)} of {len(pictures)} have no picture on the sheet")
    return 0
