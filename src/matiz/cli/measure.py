"""`matiz measure`: print the readings of a picture as JSON."""

import argparse
import json

from .arguments import STATIONS, add_input, recipe_of, region_of
from .terminal import print

HELP = "Print the readings of a picture as JSON."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    add_input(command)
    command.add_argument("--station", choices=STATIONS)
    command.add_argument(
        "--area", action="append", metavar="x,y,w,h", help="px of the upright full-size picture; repeatable"
    )
    command.add_argument("--json", action="store_true", help="one line of JSON")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..develop.graph.engine import Engine
    from ..measure.picture import Meter
    from ..measure.report import area_report, pair_reports, report
    from ..raw.decode import read_frame

    engine = Engine(read_frame(chosen.file))
    recipe = recipe_of(chosen, engine.frame.start)
    if chosen.station == "places":
        engine.found.subject_map()  # seconds that nobody else should wait for
    out = report(engine.frame, engine.size(recipe), Meter(engine).picture(recipe))
    if chosen.station:
        out = {key: value for key, value in out.items() if key not in STATIONS or key == chosen.station}
    if chosen.area:
        areas = [region_of(text, engine.size(recipe)) for text in chosen.area]
        out["areas"] = [area_report(engine, recipe, area) for area in areas]
        out["pairs"] = pair_reports(engine, recipe, areas, out["areas"])
    print(json.dumps(out, indent=None if chosen.json else 2))
    return 0
