"""Small files that Matiz writes for itself, such as choices and lists, read as if somebody else had written them."""

import json
import os
import stat
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TypeVar

from ..errors import FileError, FormatError, MatizError

MOST_BYTES = 4 * 2**20
T = TypeVar("T")
Say = Callable[[str], None]


def read_small(path: Path, most_bytes: int = MOST_BYTES) -> str | None:
    """The text of a small file; None where there is none. Raises as `read_small_bytes`, and FormatError for what is not
    UTF-8."""
    data = read_small_bytes(path, most_bytes)
    try:
        return None if data is None else data.decode("utf-8")
    except UnicodeDecodeError as error:
        raise FormatError(f"{path}: not UTF-8 ({error.reason} at byte {error.start})") from None


def read_small_bytes(path: Path, most_bytes: int = MOST_BYTES) -> bytes | None:
    """What is in a small file; None where there is none. A pipe or a device is not waited for.

    Raises FormatError for what is not a regular file or too large, FileError for what cannot be read.
    """
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except FileNotFoundError:
        return None
    except OSError as error:
        raise FileError(f"{path}: cannot be read ({error.strerror})") from None
    found = os.fstat(handle)
    if not stat.S_ISREG(found.st_mode):
        os.close(handle)
        raise FormatError(f"{path}: is not a regular file; move it away")
    with os.fdopen(handle, "rb") as file:
        try:
            data = b"" if found.st_size > most_bytes else file.read(most_bytes + 1)
        except OSError as error:
            raise FileError(f"{path}: cannot be read ({error.strerror})") from None
    if max(found.st_size, len(data)) > most_bytes:
        raise FormatError(f"{path}: too large, over {most_bytes / 2**20:.2g} MiB")
    return data


def read_json(path: Path, make: Callable[[Any], T], most_bytes: int = MOST_BYTES) -> T | None:
    """What `make` makes of the JSON in a small file; None where there is no file.

    make: checks what it gets and raises ValueError, TypeError, KeyError or an error of Matiz's for what it cannot use;
    that becomes a FormatError which names the file. FormatError and FileError otherwise as in `read_small`.
    """
    text = read_small(path, most_bytes)
    if text is None:
        return None
    try:
        return make(json.loads(text))
    except RecursionError:
        raise FormatError(f"{path}: nested too deeply") from None
    except (MatizError, ValueError, TypeError, KeyError, AttributeError, OverflowError) as error:
        raise FormatError(f"{path}: damaged ({type(error).__name__}: {error!s:.160})") from None


def read_or_put_aside(path: Path, make: Callable[[Any], T], otherwise: T, say: Say, most_bytes: int = MOST_BYTES) -> T:
    """The same, and `otherwise` where there is no file or a damaged one. The damaged one is kept under another name, so
    that the next write does not replace it, and `say` hears of it."""
    try:
        found = read_json(path, make, most_bytes)
    except FormatError as error:
        kept = put_aside(path)
        say(f"{error}; kept as {kept.name}" if kept else f"{error}; it could not be moved aside")
        return otherwise
    except FileError as error:
        say(str(error))
        return otherwise
    return otherwise if found is None else found


def put_aside(path: Path) -> Path | None:
    """Give a damaged file another name beside its own; that, or None where it cannot be moved."""
    stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%S")
    for number in range(100):
        kept = path.with_name(f"{path.name}.damaged-{stamp}{f'-{number}' if number else ''}")
        if not os.path.lexists(kept):
            try:
                path.rename(kept)
            except OSError:
                return None
            return kept
    return None


def make_own_folder(folder: Path) -> Path:
    """Make a folder of Matiz's own, such as `.matiz` among pictures, if its parent is there. FileError when it cannot
    be made, or is a link: what somebody sends must not lead what is written elsewhere."""
    try:
        if folder.is_symlink():
            raise FileError(f"{folder}: is a link; remove it, so that Matiz can make a folder of its own there")
        folder.mkdir(exist_ok=True)
    except OSError as error:
        if isinstance(error, FileError):
            raise
        raise FileError(f"{folder}: cannot be made ({error.strerror})") from None
    return folder
