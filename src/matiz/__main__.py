"""Where the program starts, as ``matiz`` or ``python -m matiz``: nothing is imported from the current folder."""

import sys

from .system.cores import leave_cores_to_matiz
from .system.import_path import make_children_safe, remove_current_folder


def main() -> int:
    """Run the command line; returns its exit code."""
    remove_current_folder()
    make_children_safe()
    leave_cores_to_matiz()
    # imported only now: its imports are looked for in the path as it is
    from .cli import main as run
    from .system.logs import keep_log

    keep_log(debug="--debug" in sys.argv)
    return run()


if __name__ == "__main__":
    sys.exit(main())
