"""`matiz deliver`: write pictures as their sidecars decide, by an order."""

import argparse
import os
from pathlib import Path

from ..errors import FileError
from .arguments import add_keys, add_order, keys_of, order_of
from .terminal import print

HELP = "Write pictures with the edits in their sidecars, by an order."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    add_order(command)
    command.add_argument("-o", "--output", required=True, metavar="DIR")
    command.add_argument("--replace", action="store_true", help="overwrite files that an earlier delivery wrote")
    command.add_argument("--jobs", type=int, metavar="N", help="processes; as many as there are cores when not given")
    command.add_argument("--cluster", metavar="tcp://HOST:PORT", help="a dask scheduler; needs matiz[cluster]")
    command.add_argument("--trust-network", action="store_true", help="allow an unencrypted cluster on other machines")
    add_keys(command)


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    from ..deliver.batch import chosen_pictures, run_here, tasks_for
    from ..deliver.cluster import check_address, run_on_cluster

    keys = keys_of(chosen)
    if chosen.cluster:
        check_address(chosen.cluster, trusts_network=chosen.trust_network)
    order = order_of(chosen)
    pictures = chosen_pictures([Path(path) for path in chosen.paths], only_kept=chosen.kept)
    if not pictures:
        raise FileError("nothing to deliver: no pictures" + (" marked keep" if chosen.kept else ""))
    out = Path(chosen.output).absolute()
    tasks = tasks_for(pictures, order, out, replaces=chosen.replace)
    jobs = chosen.jobs or min(len(tasks), os.cpu_count() or 1)
    if chosen.cluster:
        made = run_on_cluster(tasks, chosen.cluster, keys=keys, trusts_network=chosen.trust_network)
    else:
        made = run_here(tasks, jobs)
    failed = 0
    for n, done in enumerate(made, 1):
        failed += done.path is None
        what = f"failed: {done.text}" if done.path is None else f"{done.path.name}{'  was there' * done.was_there}"
        print(f"  {n} of {len(tasks)}  {done.task.picture.name}  {what}", flush=True)
    if failed:
        raise FileError(f"{failed} of {len(tasks)} failed; the same command again delivers what is missing")
    return 0
