"""`matiz bench`: run the benchmarks of the source tree."""

import argparse

from ..errors import ArgumentError

HELP = "Run the benchmarks of the source tree."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("name", nargs="?", help="one benchmark; all when not given")
    command.add_argument("--json", action="store_true")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    try:
        from bench.run import run  # type: ignore[import-not-found]
    except ImportError:
        raise ArgumentError("bench: the benchmarks are part of the source tree; run ./dev bench there") from None
    return int(run(chosen.name, as_json=chosen.json))
