"""Arguments that several commands take, and what they come to."""

import argparse
from pathlib import Path
from typing import Any

from ..errors import ArgumentError, FileError

STATIONS = ("mend", "light", "tone", "colour", "places", "detail", "finish")


def add_input(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="IN")
    command.add_argument("--recipe", metavar="R.json", help="a recipe, or a sidecar")
    command.add_argument(
        "--look", action="append", metavar="NAME[:PERCENT]", help="apply a look, by name or file; repeatable"
    )
    command.add_argument("--set", action="append", metavar="path=value", help="change the recipe; repeatable")


def add_order(command: argparse.ArgumentParser) -> None:
    command.add_argument("paths", nargs="+", metavar="FOLDER|FILE")
    command.add_argument(
        "--order", required=True, metavar="NAME", help="screen, print, 'hand on', archive, or your own"
    )
    command.add_argument("--orders", metavar="FILE", help="a file of orders instead of your own")
    command.add_argument("--kept", action="store_true", help="only pictures marked keep")


def add_keys(command: argparse.ArgumentParser) -> None:
    for name, text in (("ca", "of the authority"), ("cert", "of this side's certificate"), ("key", "of its key")):
        command.add_argument(f"--tls-{name}", metavar="FILE", help=f"PEM file {text}, for tls:// addresses")


def order_of(chosen: argparse.Namespace) -> Any:
    from ..deliver.orders import orders_file, read_orders

    orders = read_orders(Path(chosen.orders) if chosen.orders else orders_file())
    if chosen.order not in orders:
        raise ArgumentError(f"--order: one of {', '.join(map(repr, orders))}; got {chosen.order!r}")
    return orders[chosen.order]


def keys_of(chosen: argparse.Namespace) -> Any:
    from ..deliver.cluster import Keys

    given = [chosen.tls_ca, chosen.tls_cert, chosen.tls_key]
    if not any(given):
        return None
    if not all(given):
        raise ArgumentError("--tls-ca, --tls-cert and --tls-key go together")
    return Keys(*(Path(path).absolute() for path in given))


def recipe_of(chosen: argparse.Namespace, start: str) -> Any:
    from ..recipe.model import plain_recipe
    from ..recipe.parsing import apply_settings

    recipe = load_recipe(Path(chosen.recipe), start) if chosen.recipe else plain_recipe(start)
    for text in chosen.look or ():
        look, strength = _look(text)
        recipe = recipe.change_all(look.settings(recipe, strength), label=look.name)[0]
    return apply_settings(recipe, chosen.set or [])


def region_of(text: str, size: tuple[int, int]) -> tuple[int, int, int, int]:
    try:
        x, y, w, h = (int(part) for part in text.split(","))
    except ValueError:
        raise ArgumentError(f"{text!r}: expected x,y,w,h in px") from None
    if w < 1 or h < 1 or x < 0 or y < 0 or x + w > size[0] or y + h > size[1]:
        raise ArgumentError(f"{text}: does not lie within the picture, {size[0]}x{size[1]} px")
    return x, y, w, h


def size_of(text: str) -> tuple[int, int]:
    try:
        width, height = (int(part) for part in text.lower().split("x"))
    except ValueError:
        raise ArgumentError(f"{text!r}: expected WIDTHxHEIGHT in px") from None
    return width, height


def load_recipe(path: Path, start: str) -> Any:
    """A recipe from its own file, or the current one of a sidecar."""
    from ..shoot.sidecar import MOST_BYTES, read_recipe
    from ..system.own_files import read_small

    text = read_small(path, MOST_BYTES)
    if text is None:
        raise FileError(f"{path}: there is no such file")
    return read_recipe(text, start)


def _look(text: str) -> tuple[Any, float]:
    """A look by its name or its file, and the strength after a colon."""
    from ..recipe.looks import own_looks, read_look

    name, _, percent = text.rpartition(":")
    if not name or not percent.replace(".", "", 1).isdigit():
        name, percent = text, "100"
    if Path(name).suffix == ".json":
        return read_look(Path(name)), float(percent) / 100.0
    looks = {look.name: look for look in own_looks()}
    if name not in looks:
        raise ArgumentError(f"look: a file that ends in .json, or one of {', '.join(looks)}; got {name!r}")
    return looks[name], float(percent) / 100.0
