"""`matiz log`: tell what was done in a shoot, how long it took, and when it is done."""

import argparse
from pathlib import Path

from ..errors import FileError
from .terminal import print

HELP = "Print what was done in a shoot, how long it took, and when it will be done."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("folder", metavar="FOLDER")
    how = command.add_mutually_exclusive_group()
    how.add_argument("--csv", action="store_true", help="a line for each picture")
    how.add_argument("--markdown", action="store_true", help="the same as a table, with the sentences below")
    command.add_argument("-o", "--output", metavar="FILE", help="printed when not given")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..shoot.record import as_csv, as_markdown, entries, sentences

    folder = Path(chosen.folder)
    if not folder.is_dir():
        raise FileError(f"{folder}: there is no such folder")
    found = entries(folder)
    text = (
        as_csv(found) if chosen.csv else as_markdown(found) if chosen.markdown else "\n".join(sentences(found)) + "\n"
    )
    if chosen.output:
        from ..system.outputs import write_text_output

        write_text_output(Path(chosen.output), text, "log")
    else:
        print(text, end="")
    return 0
