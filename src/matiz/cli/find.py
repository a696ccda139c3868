"""`matiz find`: print the findings of a picture."""

import argparse
import json

from .arguments import add_input, recipe_of
from .terminal import print

HELP = "Print the findings of a picture."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    add_input(command)
    command.add_argument("--json", action="store_true", help="one line of JSON")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..develop.graph.engine import Engine
    from ..findings.find import find
    from ..measure.picture import Meter
    from ..raw.decode import read_frame

    engine = Engine(read_frame(chosen.file))
    recipe = recipe_of(chosen, engine.frame.start)
    findings = find(engine, Meter(engine).picture(recipe), recipe)
    if chosen.json:
        print(json.dumps([f.to_json() for f in findings]))
        return 0
    for finding in findings:
        print(f"{finding.station}: {finding.claim}")
        if finding.fix_label:
            print(f"    {finding.fix_label}")
    if not findings:
        print("nothing found")
    return 0
