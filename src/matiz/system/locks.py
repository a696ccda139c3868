"""Locks between processes of one user, such as two windows on the same folder."""

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from filelock import FileLock, Timeout

from ..errors import FileError
from .user_folders import state_folder

WAIT_S = 10.0


@contextmanager
def folder_lock(folder: Path) -> Iterator[None]:
    """Hold the lock of a folder of pictures while sidecars in it are compared and written.

    It lies in the user's own state, not in the folder: a foreign folder, a read-only one or a network drive decides
    nothing about it, and a process that dies lets go of it. Raises FileError where another holds it for over WAIT_S.
    Where the user's state cannot be written there is no lock; saves still compare revisions then.
    """
    name = hashlib.blake2b(str(folder.absolute()).encode("utf-8", "surrogateescape"), digest_size=12).hexdigest()
    lock = FileLock(state_folder() / "locks" / f"{name}.lock", timeout=WAIT_S)
    is_held = _acquired(lock, folder)
    try:
        yield
    finally:
        if is_held:
            lock.release()


def _acquired(lock: FileLock, folder: Path) -> bool:
    try:
        Path(lock.lock_file).parent.mkdir(parents=True, exist_ok=True)
        lock.acquire()
    except Timeout:
        raise FileError(f"{folder}: another window has been writing here for {WAIT_S:.0f} s; try again") from None
    except (OSError, NotImplementedError):
        return False
    return True
