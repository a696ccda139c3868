"""`matiz cluster`: start a dask scheduler and workers on this machine, for deliver --cluster."""

import argparse

from .arguments import add_keys, keys_of
from .terminal import print

HELP = "Start a dask scheduler and workers on this machine, for deliver --cluster."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("--workers", type=int, default=0, metavar="N", help="as many as cores when not given")
    command.add_argument("--host", default="127.0.0.1", help="address of an interface; others than this need TLS")
    command.add_argument("--port", type=int, default=0, help="of the scheduler; a free one when not given")
    add_keys(command)


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    import time

    from ..deliver.cluster import local_cluster

    keys = keys_of(chosen)
    with local_cluster(chosen.workers, host=chosen.host, port=chosen.port, keys=keys) as address:
        print(f"{address}\nCtrl+C stops it. Elsewhere: matiz deliver ... --cluster {address}", flush=True)
        while True:
            time.sleep(1.0)
