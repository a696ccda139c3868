"""`matiz shoot`: tell the lights of a folder, and what is found of it as a whole."""

import argparse
import json
import math
import sys
from pathlib import Path
from typing import Any

from .terminal import print

HELP = "Print the lights of a folder, and findings about it as a whole."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("folder", metavar="FOLDER")
    command.add_argument("--json", action="store_true")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..shoot.looked_through import looked_through
    from ..wording import counted, kelvin

    lights, found = looked_through(Path(chosen.folder), lambda text: print(text, file=sys.stderr))
    if chosen.json:
        of_lights: list[dict[str, Any]] = []
        for light in lights:
            own_K = round(1e6 / light.mired) if math.isfinite(light.mired) else None
            of_lights.append({"pictures": [path.name for path in light.pictures], "light_K": own_K})
        of_shoot = [each.to_json() | {"pictures": [path.name for path in each.pictures]} for each in found]
        print(json.dumps({"lights": of_lights, "found": of_shoot}))
        return 0
    for light in lights:
        of = f", {kelvin(1e6 / light.mired)}" if math.isfinite(light.mired) else ""
        print(f"{counted(len(light.pictures), 'picture')} in one light{of}: {light.pictures[0].name} and on")
    for each in found:
        print(each.claim)
        if each.fix_label:
            print(f"    {each.fix_label}")
    return 0
