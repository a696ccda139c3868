"""`matiz develop`: develop one picture into a file."""

import argparse
from pathlib import Path
from typing import Any

from ..errors import ArgumentError
from .arguments import add_input, recipe_of, region_of

HELP = "Develop one picture into a file."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    add_input(command)
    command.add_argument(
        "-o",
        "--output",
        required=True,
        metavar="OUT",
        help=".jpg, .tif, .png, .webp, .avif, .jxl, .exr, or .npy with --linear",
    )
    command.add_argument(
        "--linear",
        action="store_true",
        help="linear Rec.2020 after Tone's scene part and before the rendition, float32",
    )
    command.add_argument("--region", metavar="x,y,w,h", help="px of the upright full-size picture")
    command.add_argument("--long-side", type=int, metavar="N", help="px; never enlarges")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..deliver.orders import order_for
    from ..deliver.write import deliver
    from ..develop.graph.engine import Engine
    from ..raw.decode import read_frame

    out = Path(chosen.output)
    linear_wanted = out.suffix.lower() == ".npy"
    if linear_wanted != chosen.linear:
        raise ArgumentError("-o OUT.npy and --linear go together: linear data is written as .npy")
    order = None if linear_wanted else order_for(out, long_side=chosen.long_side)
    engine = Engine(read_frame(chosen.file))
    recipe = recipe_of(chosen, engine.frame.start)
    region = region_of(chosen.region, engine.size(recipe)) if chosen.region else None
    if order is None:
        _write_linear(engine, recipe, region, chosen.long_side, out)
    else:
        deliver(engine, recipe, order, out, region=region)
    return 0


def _write_linear(engine: Any, recipe: Any, region: Any, long_side: int | None, out: Path) -> None:
    import numpy as np

    from ..deliver.orders import Order
    from ..deliver.write import resized
    from ..develop.graph.engine import full_picture
    from ..system.outputs import write_output

    if region is None:
        working = full_picture(engine, recipe, result="scene")
    else:
        working = engine.render(recipe, 0, region, result="scene")
    height, width = working.shape[:2]
    working = resized(working, Order(long_side=long_side).size_of((width, height)))
    working = working * np.float32(2.0 ** recipe.in_force().tone.exposure_EV)

    def write(path: Path) -> None:
        with path.open("wb") as file:
            np.save(file, working)

    write_output(out, write, "linear picture")
