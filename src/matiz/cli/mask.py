"""`matiz mask`: write a mask as a grey picture of 16 bits."""

import argparse
from pathlib import Path

from ..errors import ArgumentError
from .arguments import add_input, recipe_of

HELP = "Write a mask as a grey picture of 16 bits."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    add_input(command)
    command.add_argument("--part", action="append", default=[], metavar="KIND[,key=value,...]",
                         help="a part of the mask; parts are combined in their order")  # fmt: skip
    command.add_argument("--place", metavar="NAME", help="the mask of a place of the recipe")
    command.add_argument("-o", "--output", required=True, metavar="MASK.png")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..deliver.mask import write_mask
    from ..develop.graph.engine import Engine
    from ..develop.places.weighing import Masked, mask_of
    from ..raw.decode import read_frame
    from ..recipe.parsing import parsed_part
    from ..recipe.places import Place
    from ..recipe.tree import Rows

    if bool(chosen.part) == bool(chosen.place):
        raise ArgumentError("mask: give --part KIND[,key=value,...] once or more, or --recipe R.json with --place NAME")
    wanted = Masked(Rows((f"p{n}", parsed_part(text)) for n, text in enumerate(chosen.part)))
    engine = Engine(read_frame(chosen.file))
    recipe = recipe_of(chosen, engine.frame.start)
    if chosen.place:
        places = {ident: item.name for ident, item in recipe.places.items() if isinstance(item, Place)}
        found = [ident for ident, name in places.items() if chosen.place in (ident, name)]
        if not found:
            named = ", ".join(map(repr, places.values())) or "none"
            raise ArgumentError(f"mask: the recipe has no place {chosen.place!r}; it has {named}")
        wanted = mask_of(recipe, found[0])
    write_mask(engine, recipe, wanted, Path(chosen.output))
    return 0
