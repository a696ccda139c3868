"""`matiz give-light`: balance pictures for the light of another one."""

import argparse
from pathlib import Path
from typing import Any

from ..errors import FileError
from .terminal import print

HELP = "Copy the white balance of one picture to others."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("file", metavar="FROM", help="the picture whose light, in its sidecar, is copied")
    command.add_argument("others", nargs="+", metavar="TO", help="pictures whose sidecars get it, as one step each")
    command.add_argument(
        "--relative", action="store_true", help="move each one's light as shot as far as that of FROM was moved"
    )


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..proposals.given_light import given_light
    from ..raw.decode import read_frame
    from ..shoot.desk import start_of
    from ..shoot.sidecar import load_document, sidecar_path, update_document

    source = Path(chosen.file)
    recipe = load_document(source).recipe
    colour = read_frame(source).colour
    for path in (Path(name) for name in chosen.others):
        own = read_frame(path).colour if chosen.relative else None
        if own is None and not path.is_file():
            raise FileError(f"{path}: there is no such file")
        given = given_light(colour, recipe, own)

        def change(document: Any, given: Any = given) -> Any:
            return document.change_all(given, label=f"Light of {source.name}")[0]

        light = update_document(path, start_of(path), change).recipe.light
        print(f"{sidecar_path(path)}  {light.cct_K:.0f} K  Duv {light.duv:+.4f}")
    return 0
