"""`matiz clean`: heal dust that several pictures of a folder have at the same place."""

import argparse
import sys
from pathlib import Path

from .terminal import print

HELP = "Heal dust at the same place in several pictures of a folder."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("folder", metavar="FOLDER")
    command.add_argument("--dry", action="store_true", help="print what would be healed and change nothing")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..shoot.clean import clean

    told = 0
    for path, healed, seen in clean(Path(chosen.folder), lambda text: print(text, file=sys.stderr), dry=chosen.dry):
        if healed:
            told += healed
            frames = ", ".join(f"{count} frames" for count in seen)
            how = "would be healed" if chosen.dry else "healed"
            print(f"{path.name}  {healed} {how}  (seen in {frames})", flush=True)
    print(f"{told} dust {'spot' if told == 1 else 'spots'} {'found' if chosen.dry else 'healed'}")
    return 0
