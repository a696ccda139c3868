"""The documents of pictures: read when they are asked for, changed in memory, written beside the pictures.

Safe to be used by several threads. No file is read or written while the lock is held that a window's thread may wait
for. What happens when another window wrote the same sidecar is decided by `tracked.py`.
"""

import threading
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..errors import FileError, MatizError
from ..recipe.document import Document
from ..system.locks import folder_lock
from .sidecar import Revision, load_document, revision_of, save_document, sidecar_path
from .tracked import Snapshot, ToWrite, Tracked, to_write

Settings = Iterable[tuple[str, Any]]
AT_ONCE = 40
"""Documents that are written while the lock of a folder is held."""


@dataclass(frozen=True)
class Unsaved:
    """What is to be written for one picture."""

    path: Path
    snapshot: Snapshot

    @property
    def document(self) -> Document:
        """As if a drag that is under way had ended."""
        return self.snapshot.with_draft(self.snapshot.document).with_draft_decided()


class Documents:
    """Those of the pictures that were asked for.

    The three callbacks are called on the thread that saves. on_message: what the user should know. on_joined: a picture
    whose document has changed because another window wrote it. on_deleted: a picture whose sidecar was deleted by
    somebody while it was in use, and that was written again.
    """

    def __init__(
        self,
        on_message: Callable[[str], None],
        on_joined: Callable[[Path], None] = lambda _path: None,
        on_deleted: Callable[[Path], None] = lambda _path: None,
    ) -> None:
        self.on_message, self.on_joined, self.on_deleted = on_message, on_joined, on_deleted
        self._tracked: dict[Path, Tracked] = {}
        self.changes = 0
        """Counts whatever became of documents: who keeps what follows from them looks whether it is still the same."""
        self._unsaved: set[Path] = set()
        self._unreadable: set[Path] = set()
        """Pictures whose sidecar cannot be read, which the user was told."""
        self._failed: dict[Path, str] = {}
        """Why a picture could not be saved, as the user was told last."""
        self._lock = threading.RLock()

    def forget_saved(self) -> None:
        """Another shoot is opened: what could not be written is kept until it can."""
        with self._lock:
            self._tracked = {path: held for path, held in self._tracked.items() if path in self._unsaved}
            self._unreadable.clear()
            self._failed.clear()

    # ---- in memory

    def get(self, path: Path, start: str) -> Document | None:
        """The document of a picture that starts from `start`, read when it is asked for first. None when its sidecar
        cannot be read, which the user is told once, or when picture and sidecar are both away."""
        held = self._tracked.get(path) or self._read(path, start)
        return held.document if held else None

    def is_known(self, path: Path) -> bool:
        """Whether the document has been read already."""
        return path in self._tracked

    def known(self, path: Path) -> Tracked | None:
        """What is known of it; nothing is read for it."""
        return self._tracked.get(path)

    def take(self, path: Path, document: Document, revision: Revision, start: str) -> Document:
        """Take a document that was read elsewhere, unless there is one, which is given back; see `Document.begun`."""
        with self._lock:
            held = self._tracked.setdefault(path, Tracked(document, document, revision))
            held = held.changed(held.document.begun(start))
            self._set(path, held)
        return held.document

    def put(self, path: Path, document: Document) -> None:
        """Make a document the picture's own; it is unsaved now. Nothing happens where its sidecar cannot be read."""
        with self._lock:
            held = self._tracked.get(path)
            if held is not None:
                self._set(path, held.changed(document))
                self._unsaved.add(path)

    def put_silently(self, path: Path, document: Document) -> None:
        """The same for what a picture's own file says, which needs no sidecar."""
        with self._lock:
            held = self._tracked.get(path)
            if held is not None:
                self._set(path, held.changed(document))

    def _set(self, path: Path, held: Tracked) -> None:
        self._tracked[path] = held
        self.changes += 1

    def _read(self, path: Path, start: str) -> Tracked | None:
        try:
            revision = revision_of(path)
            document = load_document(path)
            if revision is None and not path.exists():
                raise FileError(f"{path}: is not there at the moment; its folder may be on a disk that is away")
        except MatizError as error:
            with self._lock:
                is_new = path not in self._unreadable
                self._unreadable.add(path)
            if is_new:
                self.on_message(str(error))
            return None
        with self._lock:
            self._unreadable.discard(path)
            self.changes += 1
            return self._tracked.setdefault(path, Tracked(document.begun(start), document, revision))

    # ---- on the disk

    @property
    def is_saved(self) -> bool:
        return not self._unsaved

    def touch(self, path: Path) -> None:
        """What is on the disk is not what is decided: write it with the next save."""
        with self._lock:
            self._unsaved.add(path)

    def unsaved(self, drafts: Mapping[Path, tuple[Settings, str]]) -> list[Unsaved]:
        """What is to be written now. drafts: values of drags that are under way, and what they will be called."""
        with self._lock:
            paths = [path for path in self._unsaved | drafts.keys() if path in self._tracked]
            return [Unsaved(path, self._tracked[path].snapshot(*drafts.get(path, ()))) for path in paths]

    def write(self, unsaved: Iterable[Unsaved]) -> list[Path]:
        """Write documents, joined with what another window has written meanwhile; the pictures for which that failed,
        which the user is told. They stay unsaved then."""
        failed: list[Path] = []
        by_folder: dict[Path, list[Unsaved]] = defaultdict(list)
        for one in unsaved:
            by_folder[one.path.parent].append(one)
        for folder, ones in by_folder.items():
            # others get their turn between
            for first in range(0, len(ones), AT_ONCE):
                failed += self._write_some(folder, ones[first : first + AT_ONCE])
        return failed

    def _write_some(self, folder: Path, ones: list[Unsaved]) -> list[Path]:
        done = []
        try:
            with folder_lock(folder):
                done = [one.path for one in ones if self._write_one(one)]
        except MatizError as error:
            for one in ones:
                self._tell_failed(one.path, str(error))
        return [one.path for one in ones if one.path not in done]

    def _write_one(self, one: Unsaved) -> bool:
        """Within the folder's lock; whether it is on the disk."""
        tracked = self._tracked.get(one.path)
        if tracked is None:
            return True
        try:
            theirs, was_deleted = self._found(one.path, tracked)
            made = to_write(tracked, one.snapshot, theirs)
            revision = save_document(one.path, made.document)
        except MatizError as error:
            self._tell_failed(one.path, str(error))
            return False
        with self._lock:
            self._failed.pop(one.path, None)
            held = self._tracked.get(one.path, tracked).written(one.snapshot, made, revision)
            self._set(one.path, held)
            if held.is_on_disk():
                self._unsaved.discard(one.path)
            else:
                self._unsaved.add(one.path)
        self._tell(one.path, made, was_deleted)
        return True

    def _found(self, path: Path, tracked: Tracked) -> tuple[Document | None, bool]:
        """What another has written since this window read or wrote the sidecar, None for nothing; and whether the
        sidecar was deleted. FileError when it is away with its picture, or cannot be read."""
        revision = revision_of(path)
        if revision == tracked.revision:
            if revision is None and not path.exists():
                raise FileError(_away(path))
            return None, False
        if revision is not None:
            return load_document(path), False
        if not path.exists():
            raise FileError(_away(path))
        return None, True

    def _tell_failed(self, path: Path, text: str) -> None:
        with self._lock:
            is_new = self._failed.get(path) != text
            self._failed[path] = text
        if is_new:
            self.on_message(f"not saved: {text}")

    def _tell(self, path: Path, made: ToWrite, was_deleted: bool) -> None:
        if was_deleted:
            self.on_message(f"{path.name}: the sidecar was deleted; your edits were saved again.")
            self.on_deleted(path)
        if made.is_joined:
            text = f"{path.name} was also changed in another window; both are kept"
            self.on_message(f"{text}, yours as {', '.join(made.kept_apart)}." if made.kept_apart else f"{text}.")
            self.on_joined(path)

    def write_apart(self, unsaved: Iterable[Unsaved], folder: Path) -> Iterator[Path]:
        """Write documents as sidecars in another folder, over nothing that is there. They stay unsaved. FileError."""
        for one in unsaved:
            picture, number = folder / one.path.name, 2
            while sidecar_path(picture).exists():
                picture = folder / f"{one.path.stem}-{number}{one.path.suffix}"
                number += 1
            save_document(picture, one.document)
            yield sidecar_path(picture)

    def discard(self, path: Path, start: str) -> None:
        """Forget what is decided of a picture and delete its sidecar. FileError when that is not possible."""
        with folder_lock(path.parent):
            try:
                sidecar_path(path).unlink(missing_ok=True)
            except OSError as error:
                raise FileError(f"{sidecar_path(path)}: cannot be deleted ({error.strerror})") from None
        with self._lock:
            self._unsaved.discard(path)
            self._set(path, Tracked(Document().begun(start), Document(), None))


def _away(path: Path) -> str:
    return f"{path}: picture and sidecar are not there at the moment; your edits are kept and saved when they are back"
