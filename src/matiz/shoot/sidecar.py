"""The sidecar: NAME.EXT.matiz.json beside the picture, all versions and their histories."""

import json
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

import orjson

from ..errors import FileError, FormatError, RecipeError
from ..recipe.document import Document
from ..recipe.model import Recipe
from ..system.files import write_whole
from ..system.locks import folder_lock
from ..system.own_files import read_small
from ..system.processes import is_running

SUFFIX = ".matiz.json"
MOST_BYTES = 64 * 2**20
STILL_DRAGGED_S = 30.0
T = TypeVar("T")
MOST_DEPTH = 5
"""Of what has lines of its own: versions, a version, its history, the changes."""


def sidecar_path(picture: Path) -> Path:
    return picture.with_name(picture.name + SUFFIX)


def load_document(picture: Path) -> Document:
    """The document of a picture; a fresh one when it has no sidecar.

    A drag whose process has died counts as a step: what it showed is not lost. One that is still under way, in this
    window or another, is not decided and left out.

    Raises FormatError for a sidecar that cannot be read, which is then left as it is.
    """
    path = sidecar_path(picture)
    try:
        text = read_small(path, MOST_BYTES)
        if text is None:
            return Document()
        document = read_document(text)
        if document.draft is None:
            return document
        is_dragged = is_running(document.draft.process)
        if is_dragged is None:  # on another machine: a drag is written anew every second
            is_dragged = time.time() - path.stat().st_mtime < STILL_DRAGGED_S
        return replace(document, draft=None) if is_dragged else document.with_draft_decided()
    except RecipeError as error:
        raise FormatError(f"{path.name}: cannot be read ({error}); repair it or move it away") from None
    except OSError as error:
        if isinstance(error, FileError):
            raise
        raise FileError(f"{path}: {error.strerror}") from None


def update_document(picture: Path, start: str, change: Callable[[Document], Document]) -> Document:
    """Read the document of a picture that starts from `start`, change it and write it, while no other window of this
    user writes there. What it is then; nothing is written where nothing changed. Raises as reading and writing do."""
    with folder_lock(picture.parent):
        document = load_document(picture).begun(start)
        changed = change(document)
        if changed != document:
            save_document(picture, changed)
        return changed


def read_document(text: str) -> Document:
    """A document from the text of a sidecar. RecipeError says what is wrong with it, whatever it is."""
    return _read(text, Document.from_json)


def read_recipe(text: str, start: str) -> Recipe:
    """A recipe from its own text, or the current one of a sidecar's. RecipeError as above.

    start: what the picture starts from that it is for; a recipe may be silent about it.
    """

    def either(data: Any) -> Recipe:
        is_sidecar = isinstance(data, dict) and "versions" in data
        return Document.from_json(data).recipe if is_sidecar else Recipe.from_json(data, start)

    return _read(text, either)


def _read(text: str, make: Callable[[Any], T]) -> T:
    """The one door for what others may have written."""
    try:
        return make(_parsed(text))
    except RecipeError:
        raise
    except RecursionError:
        raise RecipeError("it is nested too deeply") from None
    except (ValueError, TypeError, AttributeError, KeyError, OverflowError) as error:
        raise RecipeError(f"{type(error).__name__}: {str(error)[:160]}") from None


def _parsed(text: str) -> Any:
    try:
        return orjson.loads(text)
    except (ValueError, RecursionError):
        return json.loads(text)  # halves of characters, numbers of many figures: and a message that says where


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
    try:
        data = _bytes(document.to_json())
    except (TypeError, ValueError, RecursionError):  # half a character that came in as an escape goes out as one
        data = json.dumps(document.to_json()).encode("ascii")

    def write(path: Path) -> None:
        path.write_bytes(data + b"\n")

    write_whole(sidecar_path(picture), write)
    return revision_of(picture)


def _bytes(value: Any, depth: int = 0) -> bytes:
    """JSON that people can read, a line for each change and each section. By pieces: each call of the library holds the
    interpreter's lock while a hand moves."""
    if depth < MOST_DEPTH and isinstance(value, dict) and value:
        inner = [orjson.dumps(name) + b": " + _bytes(each, depth + 1) for name, each in value.items()]
    elif depth < MOST_DEPTH and isinstance(value, list) and value:
        inner = [_bytes(each, depth + 1) for each in value]
    else:
        return orjson.dumps(value)
    opened, closed = (b"{", b"}") if isinstance(value, dict) else (b"[", b"]")
    pad = b" " * depth
    lines = (b",\n" + pad + b" ").join(inner)
    return opened + b"\n" + pad + b" " + lines + b"\n" + pad + closed
