"""Which process wrote something, and whether it is still running."""

import os
import socket
from contextlib import suppress
from functools import lru_cache
from pathlib import Path


def own_name() -> str:
    """A name of this process that no other has: its machine, number and time of start."""
    process = os.getpid()
    return _own_name(process)


@lru_cache(maxsize=4)
def _own_name(process: int) -> str:
    return f"{socket.gethostname()}:{process}:{_started(process)}"


def is_running(name: str) -> bool | None:
    """Whether the process of that name still runs; None where it is another machine's, or the name is none."""
    machine, _, rest = name.rpartition(":")[0].rpartition(":")
    started = name.rpartition(":")[2]
    if machine != socket.gethostname() or not rest.isdigit():
        return None
    process = int(rest)
    return is_alive(process) and _started(process) == started


def is_alive(process: int) -> bool:
    """Whether a process of this machine runs, by its number."""
    try:
        os.kill(process, 0)
    except (ProcessLookupError, OverflowError):
        return False
    except OSError:
        return True
    # one that died and that nobody asked after yet still has its number
    return _stat(process)[:1] != ["Z"]


def _started(process: int) -> str:
    """When it was started, in clock ticks since the machine was: field 22 of proc(5)."""
    fields = _stat(process)
    return fields[19] if len(fields) > 19 else ""


def _stat(process: int) -> list[str]:
    with suppress(OSError):
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()
    return []
