"""`matiz check`: say what to look at before pictures are written by an order."""

import argparse
import json
import sys
from pathlib import Path

from ..errors import FileError, MatizError
from .arguments import add_order, order_of
from .terminal import print

HELP = "Check pictures before they are written by an order."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    add_order(command)
    command.add_argument("--json", action="store_true", help="a line of JSON for each picture")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..deliver.batch import chosen_pictures
    from ..deliver.checks import checks
    from ..findings.find import judged
    from ..measure.picture import Meter
    from ..shoot.as_decided import as_decided

    order, failed = order_of(chosen), 0
    pictures = chosen_pictures([Path(path) for path in chosen.paths], only_kept=chosen.kept)
    for path in pictures:
        try:
            picture = as_decided(path)
        except MatizError as error:
            failed += 1
            print(f"matiz: {error}", file=sys.stderr)
            continue
        recipe, engine = picture.recipe, picture.engine
        reading = Meter(engine).picture(recipe)
        found = [*checks(reading, recipe, order, engine.size(recipe)), *judged(reading, recipe)]
        found = [each for each in found if not {each.id, each.key} & set(picture.document.silenced)]
        if chosen.json:
            print(json.dumps({"picture": str(path), "found": [each.to_json() for each in found]}), flush=True)
            continue
        print(path.name, "" if found else "  nothing to say", flush=True)
        for each in found:
            fix = f"  ({each.fix_label})" if each.has_fix else ""
            print(f"  {each.station.capitalize()}: {each.claim}{fix}", flush=True)
    if failed:
        raise FileError(f"{failed} of {len(pictures)} could not be checked")
    return 0
