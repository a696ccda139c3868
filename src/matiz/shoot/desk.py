"""The desk: the open shoot with its catalogue, the documents of its pictures, and what of them is not on the disk yet.

It has no thread of its own. Whoever owns it asks for what is unsaved and writes it, on this thread or another. What
another window has written meanwhile is joined (`documents.py`, `tracked.py`, `recipe.merge`).
"""

from collections.abc import Callable, Iterable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ..raw.frame import Facts
from ..recipe.change import Change
from ..recipe.document import Document, Version
from ..recipe.given import given_by
from ..recipe.model import RAW, RENDERED, Recipe
from ..system.files import clear_leftovers
from .catalogue import Catalogue
from .documents import Documents, Unsaved
from .folder import gather
from .log import Event, LogWriter
from .sidecar import Revision, sidecar_path

RENDERED_SUFFIXES = (".jpg", ".jpeg", ".png")
"""Of files that hold rendered pictures whatever is in them."""


def start_of(path: Path) -> str:
    """What the recipe of a file starts from, as far as its name tells; its frame knows for sure."""
    return RENDERED if path.suffix.lower() in RENDERED_SUFFIXES else RAW


Say = Callable[[str], None]


class Desk:
    """Documents of the pictures of one shoot at a time. Safe to be saved from another thread."""

    def __init__(
        self,
        say: Say = lambda _text: None,
        on_joined: Callable[[Path], None] = lambda _path: None,
        on_deleted: Callable[[Path], None] = lambda _path: None,
    ) -> None:
        """on_joined, on_deleted: see `Documents`."""
        self.say = say
        self.documents = Documents(say, on_joined, on_deleted)
        self.catalogue = Catalogue(self.documents, say)
        self.shoot = 0
        """Counts the shoots that were opened: work that was begun for another one comes too late."""
        self._edits: dict[Path, Edit] = {}
        self._log: LogWriter | None = None

    # ---- the shoot

    def open(self, paths: Iterable[Path]) -> None:
        """Make the pictures of folders and files the shoot. What is unsaved of the one before is written first.

        Raises FileError for a path that is not there; the shoot before stays open then.
        """
        pictures = gather(list(paths))
        self.save()
        self.catalogue = Catalogue(self.documents, self.say, pictures)
        self.documents.forget_saved()
        self.shoot += 1
        self.close_log()
        for folder in {path.parent for path in pictures}:
            clear_leftovers(folder)
        if pictures:
            self._log = LogWriter(pictures[0], self.say)

    def read_all(self) -> None:
        """Read the documents of all pictures that were not asked for yet."""
        for path in self.catalogue.pictures:
            self.document(path)

    def flush_log(self) -> None:
        """Wait until the log has all that was noted, for those who read it."""
        if self._log:
            self._log.flush()

    def close_log(self) -> None:
        if self._log:
            self._log.close()
            self._log = None

    # ---- documents

    def document(self, path: Path) -> Document | None:
        """The document of a picture, read when it is asked for first; None, which is said once, when its sidecar
        cannot be read and is to be kept."""
        return self.documents.get(path, start_of(path))

    def is_known(self, path: Path) -> bool:
        """Whether the document has been read already."""
        return self.documents.is_known(path)

    def hold(self, path: Path, document: Document, revision: Revision, start: str) -> Document:
        """Take a document that was read elsewhere, unless the desk has its own, which is given back; for a picture of
        that kind, see `Document.begun`."""
        return self.documents.take(path, document, revision, start)

    def put(self, path: Path, document: Document) -> None:
        """Make a document the picture's own; it is unsaved now."""
        if self.document(path) is not None:
            self.documents.put(path, document)

    def change(self, path: Path, **decisions: Any) -> bool:
        """Set fields of a document, such as `sorted_as` and `rank`; False when its sidecar cannot be read."""
        document = self.document(path)
        if document is None:
            return False
        self.put(path, replace(document, **decisions))
        return True

    def hear(self, path: Path, facts: Facts) -> bool:
        """What a file says of itself: its rating is its rank until the user gives one. True when that is new."""
        self.catalogue.hear(path, facts)
        document = self.document(path)
        if document is None or not facts.rating or document.rank or sidecar_path(path).exists():
            return False
        self.documents.put_silently(path, replace(document, rank=facts.rating))
        return True

    # ---- the recipe of a picture

    def begin(self, path: Path) -> "Edit":
        """An edit of one picture. One that was begun before and not ended is ended as it is."""
        before = self._edits.pop(path, None)
        if before is not None:
            before.commit()
        edit = Edit(self, path)
        self._edits[path] = edit
        return edit

    def edit_of(self, path: Path | None) -> "Edit | None":
        """The edit that a picture is in."""
        return self._edits.get(path) if path is not None else None

    def recipe(self, path: Path) -> Recipe:
        """As it is now, with what is being dragged."""
        edit, document = self._edits.get(path), self.document(path)
        return edit.recipe if edit is not None else (document or Document()).recipe

    def record(
        self, path: Path, settings: Iterable[tuple[str, Any]], label: str, *, anew: bool = False
    ) -> Change | None:
        """Record values as one step of a picture; None when it changed nothing. anew: a last step of that label is
        made anew, so that both are one. Raises RecipeError."""
        document = self.document(path)
        if document is None:
            return None
        settings, before = tuple(settings), document
        if anew and settings and document.version.history.last_label == label:
            # what that step set, and this need not set again, stays set
            wanted = document.recipe.change_all(settings, label=label)[0]
            document = document.with_version(document.version.undo())
            settings = given_by(wanted, document.recipe)
        document, change = document.change_all(settings, label=label)
        if document == before:
            return None
        self.put(path, document)
        if self._log:
            self._log.add_change(path.name, change)
        return change

    def step(self, path: Path, kind: str) -> bool:
        """Take the last step back ("undo") or do it again ("redo"); False when there is none. Raises RecipeError."""
        document, held = self.document(path), self.documents.known(path)
        if document is None:
            return False
        if kind == "undo" and held is not None and held.last_is_foreign:
            self.say("The last step was made in another window: undo it there.")
            return False
        version = document.version.undo() if kind == "undo" else document.version.redo()
        if version == document.version:
            return False
        self.put(path, document.with_version(version))
        self.note(path, kind)
        return True

    def add_version(self, path: Path) -> None:
        """A copy of the current version under a free name, made current."""
        document = self.document(path)
        if document is not None:
            self.put(path, document.with_version(Version(document.recipe), document.free_name()))

    def note(self, path: Path, kind: str, label: str = "") -> None:
        """A line in the log."""
        stamp = datetime.now(UTC).isoformat(timespec="milliseconds")
        if self._log:
            self._log.add(Event(stamp, path.name, kind, label))

    # ---- saving

    @property
    def is_saved(self) -> bool:
        return self.documents.is_saved

    def unsaved(self) -> list[Unsaved]:
        """What is to be written now, with the values of drags that are under way."""
        moved = {path: (edit.settings, edit.label) for path, edit in self._edits.items() if edit.is_moved}
        return self.documents.unsaved(moved)

    def save(self) -> list[Path]:
        """Write all that is unsaved; the pictures for which that failed, which was said."""
        return self.write(self.unsaved())

    def write(self, unsaved: Iterable[Unsaved]) -> list[Path]:
        """Write documents; the pictures for which that failed, which was said. They stay unsaved then."""
        return self.documents.write(unsaved)

    def write_apart(self, folder: Path) -> list[Path]:
        """Write what is unsaved as sidecars in another folder, over nothing that is there; the files. It stays unsaved.

        Raises FileError.
        """
        return list(self.documents.write_apart(self.unsaved(), folder))

    def discard(self, path: Path) -> None:
        """Forget what is decided of a picture and delete its sidecar. FileError when that is not possible."""
        self.documents.discard(path, start_of(path))

    # ---- inside

    def _ended(self, edit: "Edit") -> None:
        if self._edits.get(edit.path) is edit:
            del self._edits[edit.path]
        held = self.documents.known(edit.path)
        if held is not None and held.has_draft:
            self.documents.touch(edit.path)


class Edit:
    """One drag of one picture: shown while the hand moves, recorded as one step, or taken back.

    It belongs to the picture it was begun for, whatever is opened meanwhile, and is dead once it is ended.
    """

    def __init__(self, desk: Desk, path: Path) -> None:
        self.path = path
        self._desk = desk
        self.settings: tuple[tuple[str, Any], ...] = ()
        """What is shown, as values of the recipe."""
        self.label = "Changed"
        self._start = (desk.document(path) or Document()).recipe
        self.recipe = self._start
        self.is_alive = True

    @property
    def is_moved(self) -> bool:
        return self.recipe is not self._start

    def preview(self, settings: Iterable[tuple[str, Any]], label: str = "") -> None:
        """Show values; nothing is recorded yet. Raises RecipeError, and keeps what was shown before."""
        if self.is_alive:
            settings = tuple(settings)
            self.recipe = self._start.change_all(settings, label="")[0]
            self.settings, self.label = settings, label or self.label

    def commit(self, settings: Iterable[tuple[str, Any]] | None = None, label: str = "") -> Change | None:
        """Record the values, those shown last when none are given, as one step. None when nothing changed.

        Raises RecipeError, and the edit is over then too.
        """
        if not self.is_alive:
            return None
        self._end()
        settings = self.settings if settings is None else tuple(settings)
        return self._desk.record(self.path, settings, label or self.label) if settings else None

    def cancel(self) -> None:
        """Back to where it began; nothing is recorded."""
        if self.is_alive:
            self._end()

    def _end(self) -> None:
        self.is_alive = False
        self._desk._ended(self)
