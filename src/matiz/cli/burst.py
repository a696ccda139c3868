"""`matiz burst`: rank frames by how sharp they are where they must be."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..errors import ArgumentError
from .terminal import print

HELP = "Rank frames by how sharp they are where they must be."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("files", nargs="+", metavar="FILE", help="frames; the spot is shown in the first")
    command.add_argument("--at", required=True, metavar="x,y", help="what must be sharp, px of the upright full size")
    command.add_argument("--json", action="store_true", help="a line of JSON for each, the sharpest first")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..measure.sort.burst import area_round, detail_at, find_spot, ranked, words
    from ..measure.sort.same import thing_at
    from ..shoot.as_decided import as_decided

    details: dict[Path, Any] = {}
    thing, side = None, 0
    for name in chosen.files:
        picture = as_decided(Path(name))
        path, frame, recipe, engine = Path(name), picture.frame, picture.recipe, picture.engine
        if thing is None:
            x, y = _place(chosen.at, engine.size(recipe))
            area = area_round(x, y, engine.size(recipe))
            thing, side = thing_at(engine, recipe, area), area[2]
            details[path] = area, detail_at(frame, recipe, area)
            continue
        found = find_spot(engine, recipe, thing, side)
        details[path] = None if found is None else (found, detail_at(frame, recipe, found))
    order = ranked(details)
    if chosen.json:
        for each in order:
            told = {"picture": str(each.path), "area": each.area, "detail": round(each.detail, 4), "kind": each.kind,
                    "blur_px": round(each.blur_px, 3), "along_deg": each.along_deg}  # fmt: skip
            print(json.dumps(told))
    else:
        print(words(order))
    return 0


def _place(text: str, size: tuple[int, int]) -> tuple[float, float]:
    parts = text.split(",")
    try:
        x, y = (float(part) for part in parts)
    except ValueError:
        raise ArgumentError(f"--at: expected x,y in px, got {text!r}") from None
    if not (0 <= x < size[0] and 0 <= y < size[1]):
        raise ArgumentError(f"--at: {text} lies outside of the picture, {size[0]}x{size[1]} px")
    return x, y
