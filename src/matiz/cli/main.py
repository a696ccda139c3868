"""The command line: a module for each command. Everything but the window works without a display."""

import argparse
import difflib
import os
import sys
from pathlib import Path
from types import ModuleType

from .. import __version__
from ..errors import ArgumentError, MatizError, RecipeError
from . import (
    bench,
    burst,
    check,
    clean,
    cluster,
    deliver,
    demo,
    develop,
    find,
    give_light,
    log,
    mask,
    measure,
    merge,
    recipe,
    sheet,
    shoot,
    simulate,
)
from .terminal import print

_COMMANDS: dict[str, ModuleType] = {
    "demo": demo,
    "develop": develop,
    "check": check,
    "deliver": deliver,
    "cluster": cluster,
    "measure": measure,
    "find": find,
    "burst": burst,
    "merge": merge,
    "give-light": give_light,
    "clean": clean,
    "shoot": shoot,
    "log": log,
    "sheet": sheet,
    "mask": mask,
    "recipe": recipe,
    "simulate": simulate,
    "bench": bench,
}


def main(argv: list[str] | None = None) -> int:
    """Run a command; returns the exit code: 0, 1 on failure, 2 on bad usage."""
    arguments = list(sys.argv[1:] if argv is None else argv)
    parser = _parser()
    try:
        _check_first(arguments)
    except ArgumentError as error:
        return _failed(error, 2, debug=False)
    if arguments[:1] and arguments[0] in _COMMANDS:
        chosen = parser.parse_args(arguments)
    else:
        chosen = _window_parser().parse_args(arguments)
    try:
        return int(chosen.run(chosen) or 0)
    except (ArgumentError, RecipeError) as error:
        return _failed(error, 2, chosen.debug)
    except KeyboardInterrupt:
        print("matiz: stopped", file=sys.stderr)
        return 1
    except BrokenPipeError:
        return 1  # whoever read the output has enough
    except (MatizError, OSError, MemoryError) as error:
        return _failed(error, 1, chosen.debug)


def _check_first(arguments: list[str]) -> None:
    """A mistyped command is no folder: no window is opened on what is not there."""
    first = arguments[0] if arguments else ""
    if not first or first.startswith("-") or first in _COMMANDS or os.path.lexists(first):
        return
    near = difflib.get_close_matches(first.lower(), _COMMANDS, n=1)
    hint = f"did you mean {near[0]!r}?" if near else f"commands are {', '.join(_COMMANDS)}"
    raise ArgumentError(f"{first!r} is neither a command nor a file or folder; {hint}")


def _failed(error: BaseException, code: int, debug: bool) -> int:
    if debug:
        raise error
    print(f"matiz: {error}", file=sys.stderr)
    return code


def _window(chosen: argparse.Namespace) -> int:
    from ..ui.frame.app import run

    return run([Path(p) for p in chosen.paths])


def _window_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        "matiz",
        description="A raw developer that measures. Opens a window on a folder or on files.",
        epilog=f"Commands: {', '.join(_COMMANDS)}. See matiz COMMAND --help.",
    )
    parser.add_argument("paths", nargs="*", metavar="FOLDER|FILE")
    parser.add_argument("--version", action="version", version=f"matiz {__version__}")
    parser.add_argument("--debug", action="store_true", help=argparse.SUPPRESS)
    parser.set_defaults(run=_window)
    return parser


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser("matiz")
    commands = parser.add_subparsers(required=True)
    for name, module in _COMMANDS.items():
        command = commands.add_parser(name, help=module.HELP, description=module.HELP)
        command.add_argument("--debug", action="store_true", help="show where an error comes from")
        command.set_defaults(run=module.run)
        module.add_arguments(command)
    return parser
