"""The sidecar: NAME.EXT.matiz.json beside the picture, all versions and their histories."""

import json
from pathlib import Path
from typing import Any

from ..errors import FileError, FormatError, RecipeError
from ..files import write_whole
from ..recipe.document import Document

SUFFIX = ".matiz.json"
MOST_BYTES = 64 * 2**20
MOST_DEPTH = 5
"""Of what has lines of its own: versions, a version, its history, the changes."""


def sidecar_path(picture: Path) -> Path:
    return picture.with_name(picture.name + SUFFIX)


def load_document(picture: Path) -> Document:
    """The document of a picture; a fresh one when it has no sidecar.

    Raises FormatError for a sidecar that cannot be read, which is then left as it is.
    """
    path = sidecar_path(picture)
    try:
        if path.stat().st_size > MOST_BYTES:
            raise FormatError(f"{path.name}: too large to be a sidecar")
        return Document.from_json(json.loads(path.read_text(encoding="utf-8")))
    except FileNotFoundError:
        return Document()
    except (json.JSONDecodeError, UnicodeDecodeError, RecipeError) as error:
        raise FormatError(f"{path.name}: cannot be read ({error}); mend it or move it away") from None
    except OSError as error:
        if isinstance(error, FileError):
            raise
        raise FileError(f"{path}: {error.strerror}") from None


Revision = tuple[int, int, int] | None
"""What tells one state of a sidecar from another: inode, size and time in ns; None where there is no file."""


def revision_of(picture: Path) -> Revision:
    """The sidecar's revision on the disk."""
    try:
        found = sidecar_path(picture).stat()
    except OSError:
        return None
    return found.st_ino, found.st_size, found.st_mtime_ns


def save_document(picture: Path, document: Document) -> Revision:
    """Write the sidecar whole; its revision then. FileError when it cannot be written."""
    text = _text(document.to_json())

    def write(path: Path) -> None:
        path.write_text(text + "\n", encoding="utf-8")

    write_whole(sidecar_path(picture), write)
    return revision_of(picture)


def _text(value: Any, depth: int = 0) -> str:
    """JSON that people can read, a line for each change and each section. The library's own indentation is many times
    slower, and holds the interpreter's lock while a hand moves."""
    if depth < MOST_DEPTH and isinstance(value, dict) and value:
        inner = (f"{json.dumps(name, ensure_ascii=False)}: {_text(each, depth + 1)}" for name, each in value.items())
    elif depth < MOST_DEPTH and isinstance(value, list) and value:
        inner = (_text(each, depth + 1) for each in value)
    else:
        return json.dumps(value, ensure_ascii=False)
    opened, closed = "{}" if isinstance(value, dict) else "[]"
    pad = " " * depth
    lines = f",\n{pad} ".join(inner)
    return f"{opened}\n{pad} {lines}\n{pad}{closed}"
