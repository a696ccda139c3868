"""Writing files so that they are whole or not there."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from .errors import FileError


def write_whole(path: Path, write: Callable[[Path], None]) -> None:
    """Let `write` fill a temporary file beside `path`, then flush it to disk and rename it.

    A crash, a full disk or an error in `write` leaves what was at `path` as it was.
    """
    temporary = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        write(temporary)
        with temporary.open("rb+") as file:
            os.fsync(file.fileno())
        umask = os.umask(0)
        os.umask(umask)
        temporary.chmod(0o666 & ~umask)
        os.replace(temporary, path)
    except OSError as error:
        if isinstance(error, FileError):
            raise
        reason = error.strerror or str(error)
        raise FileError(f"{path}: cannot be written ({reason}); free space or choose another folder") from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
