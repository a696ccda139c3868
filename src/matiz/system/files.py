"""Writing files so that they are whole or not there, and clearing away what a process that died left of them."""

import contextlib
import os
import re
import tempfile
from collections.abc import Callable
from pathlib import Path

from ..errors import FileError
from .processes import is_alive

_PART = re.compile(r"\.matiz-(\d+)-\w+\.part")
_SHARED = re.compile(r"matiz-(\d+)-\w+")


class TakenError(FileError):
    """A file of that name is there already."""


def write_whole(path: Path, write: Callable[[Path], None], *, exclusive: bool = False) -> None:
    """Let `write` fill a temporary file beside `path`, then flush it to disk and give it its name.

    A crash, a full disk or an error in `write` leaves what was at `path` as it was. exclusive: raise TakenError
    rather than take the place of a file that is there by then.
    """
    temporary = None
    try:
        handle, name = tempfile.mkstemp(prefix=part_prefix(), suffix=".part", dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        write(temporary)
        with temporary.open("rb+") as file:
            os.fsync(file.fileno())
        umask = os.umask(0)
        os.umask(umask)
        temporary.chmod(0o666 & ~umask)
        if exclusive:
            _take_name(temporary, path)
        else:
            os.replace(temporary, path)
    except OSError as error:
        if isinstance(error, FileError):
            raise
        reason = error.strerror or str(error)
        raise FileError(f"{path}: cannot be written ({reason}); free space or choose another folder") from error
    finally:
        if temporary is not None:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)


def write_text_whole(path: Path, text: str) -> None:
    """The same for a text, in UTF-8."""

    def write(part: Path) -> None:
        part.write_text(text, encoding="utf-8")

    write_whole(path, write)


def _take_name(temporary: Path, path: Path) -> None:
    """Rename, but never over another file, also when two processes try at once."""
    try:
        os.link(temporary, path)
    except FileExistsError:
        raise TakenError(f"{path}: there is a file of that name already") from None
    except OSError:
        # a file system without links: an empty file holds the place
        try:
            os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY))
        except FileExistsError:
            raise TakenError(f"{path}: there is a file of that name already") from None
        os.replace(temporary, path)


def xmp_beside(path: Path) -> Path:
    """Where XMP lies beside a picture, or would: NAME.xmp, unless only NAME.EXT.xmp is there. Common practice, no
    source."""
    plain, whole = path.with_suffix(".xmp"), path.with_name(path.name + ".xmp")
    return whole if whole.is_file() and not plain.is_file() else plain


def part_prefix() -> str:
    """How the temporary files of this process begin: with its number, so that another knows whose they are."""
    return f".matiz-{os.getpid()}-"


def shared_prefix() -> str:
    """The same for what lies in shared memory."""
    return f"matiz-{os.getpid()}-"


def clear_leftovers(folder: Path) -> int:
    """Remove temporary files in a folder whose process has died; how many there were."""
    return _clear(folder, _PART)


def clear_shared(folder: Path) -> int:
    """The same for shared memory."""
    return _clear(folder, _SHARED)


def _clear(folder: Path, pattern: re.Pattern[str]) -> int:
    count = 0
    with contextlib.suppress(OSError):
        for path in folder.iterdir():
            found = pattern.fullmatch(path.name)
            if found and not is_alive(int(found.group(1))):
                with contextlib.suppress(OSError):
                    path.unlink()
                    count += 1
    return count
