"""`matiz recipe`: check a recipe, tell it in words, or print the schema or a new one."""

import argparse
import json
from pathlib import Path

from ..errors import ArgumentError
from .arguments import load_recipe
from .terminal import print

HELP = "Check a recipe, describe it in words, or print the schema or a new one."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("action", choices=("check", "tell", "schema", "new", "looks", "look-schema"))
    command.add_argument("recipe_file", nargs="?", metavar="R.json")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..recipe.looks import own_looks
    from ..recipe.looks import schema as look_schema
    from ..recipe.model import RAW, Recipe
    from ..recipe.schema import json_schema

    printed = {
        "schema": json_schema,
        "new": lambda: Recipe().to_json(),
        "looks": lambda: [look.to_json() for look in own_looks()],
        "look-schema": look_schema,
    }
    if chosen.action == "tell":
        from ..recipe.words import recipe_text

        if not chosen.recipe_file:
            raise ArgumentError("recipe tell: name the recipe's file, or a sidecar")
        print(recipe_text(load_recipe(Path(chosen.recipe_file), RAW)), end="")
    elif chosen.action == "check":
        if not chosen.recipe_file:
            raise ArgumentError("recipe check: name the recipe's file")
        load_recipe(Path(chosen.recipe_file), RAW)
        print("ok")
    else:
        print(json.dumps(printed[chosen.action](), indent=2, ensure_ascii=False))
    return 0
