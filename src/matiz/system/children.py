"""Child processes that Matiz starts of itself.

They import nothing from the current folder (see `import_path`) and run in the root folder: some libraries read
configuration from the current folder (exiv2 reads ``.exiv2``), and a child must not keep a memory stick busy.
"""

import multiprocessing
import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from typing import Any

from .import_path import make_children_safe, safe_environment

WORKING_FOLDER = "/"


def module_command(module: str, *arguments: str) -> list[str]:
    """The command that runs a module of Matiz in a child process."""
    return [sys.executable, "-P", "-m", module, *arguments]


def run_module(module: str, *arguments: str) -> subprocess.CompletedProcess[bytes]:
    """Run a module of Matiz in a child process and wait for it. Paths among the arguments have to be absolute."""
    command = module_command(module, *arguments)
    return subprocess.run(command, capture_output=True, check=False, env=safe_environment(), cwd=WORKING_FOLDER)


def start_module(module: str, **extra: str) -> subprocess.Popen[bytes]:
    """Start a module of Matiz that answers requests on its standard input. extra: environment variables."""
    return subprocess.Popen(
        module_command(module),
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        env=safe_environment(**extra),
        cwd=WORKING_FOLDER,
    )


@contextmanager
def process_pool(workers: int, initializer: Callable[[], Any] | None = None) -> Iterator[ProcessPoolExecutor]:
    """A pool of fresh processes (the "spawn" method). Paths in what is submitted have to be absolute.

    multiprocessing starts its processes itself, with this one's environment, which has a safe path meanwhile.
    """
    before = dict(os.environ)
    make_children_safe()
    try:
        context = multiprocessing.get_context("spawn")
        with ProcessPoolExecutor(workers, mp_context=context, initializer=_begin, initargs=(initializer,)) as pool:
            yield pool
    finally:
        for name in ("PYTHONSAFEPATH", "PYTHONPATH"):
            os.environ.pop(name, None)
            if name in before:
                os.environ[name] = before[name]


def _begin(initializer: Callable[[], Any] | None) -> None:
    os.chdir(WORKING_FOLDER)
    if initializer is not None:
        initializer()
