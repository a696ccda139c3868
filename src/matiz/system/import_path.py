"""The import path of this process and of its children, kept free of the folder that one happens to stand in.

Python puts the current folder first in the import path of ``python -m module``. For a program that people start inside
folders of pictures, which somebody else may have sent, that means running whatever ``numpy.py`` lies there. See
"PYTHONSAFEPATH" and ``-P`` in the Python documentation.

This module imports nothing that Python has not loaded by itself: it runs before the path is clean.
"""

import os
import sys


def remove_current_folder() -> None:
    """Take the current folder, and relative entries of PYTHONPATH, out of this process's own import path.

    For the start of the program, before anything else is imported.
    """
    try:
        here = os.getcwd()  # noqa: PTH109
    except OSError:  # the folder is gone, and nothing can be imported from it
        return
    if not sys.flags.safe_path and sys.path[:1] in ([""], [here]):
        del sys.path[0]
    given = os.environ.get("PYTHONPATH", "")
    relative = [entry for entry in given.split(os.pathsep) if not entry.startswith("/")] if given else []
    unsafe = {os.path.abspath(entry or here) for entry in relative}  # noqa: PTH100
    sys.path[:] = [entry for entry in sys.path if entry and entry not in unsafe]


def safe_environment(**extra: str) -> dict[str, str]:
    """The environment of a child: this process's own, with a safe import path, and `extra`."""
    environment = {**os.environ, "PYTHONSAFEPATH": "1", **extra}
    entries = [entry for entry in environment.pop("PYTHONPATH", "").split(os.pathsep) if entry.startswith("/")]
    if entries:
        environment["PYTHONPATH"] = os.pathsep.join(entries)
    return environment


def make_children_safe() -> None:
    """Give every Python process that this one starts from now on, by whatever library, a safe import path."""
    environment = safe_environment()
    if "PYTHONPATH" in os.environ and "PYTHONPATH" not in environment:
        del os.environ["PYTHONPATH"]
    os.environ.update(environment)
