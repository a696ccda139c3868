"""What is known of one sidecar, as a value, and how it moves on: changed here, compared with the disk, written.

Nothing here touches a disk or a lock; `documents.py` does. A save goes through three steps:

1. `Tracked.snapshot`: what is to be written now,
2. `to_write`: joined with what the disk holds, where another window has written it meanwhile,
3. `Tracked.written`: what is known once that is on the disk, whatever was decided while it was written.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from ..errors import RecipeError
from ..recipe.change import Change
from ..recipe.document import Document, Draft
from ..recipe.merge import merged
from ..system.processes import own_name
from .sidecar import Revision

Settings = tuple[tuple[str, Any], ...]
Step = tuple[str, str, frozenset[str]]


@dataclass(frozen=True)
class Snapshot:
    """What one save writes: the document as it is decided, and a drag that is under way."""

    document: Document
    draft: Settings = ()
    label: str = ""

    def with_draft(self, document: Document) -> Document:
        """A document with the values of the drag beside what is decided; without them where another window has taken
        away what is dragged."""
        try:
            change = document.recipe.change_all(self.draft, label=self.label)[1]
        except RecipeError:
            return document
        return replace(document, draft=Draft(change, own_name())) if change else document


@dataclass(frozen=True)
class ToWrite:
    """What a save puts on the disk, and how it came about."""

    document: Document
    """With the values of a drag beside what is decided."""
    decided: Document
    """The same without them: what this window holds from now on."""
    foreign: frozenset[Step] = frozenset()
    """Steps of another window that were joined to this one's."""
    kept_apart: tuple[str, ...] = ()
    """Names of versions under which this window's were kept, since another has changed the same values."""
    is_joined: bool = False


@dataclass(frozen=True)
class Tracked:
    """The document of a picture as it is decided here, and the one that is on the disk."""

    document: Document
    on_disk: Document
    """As it was read or written last; a fresh one where there is no sidecar."""
    revision: Revision
    has_draft: bool = False
    """Whether a drag is on the disk too."""
    foreign: frozenset[Step] = frozenset()
    """Steps that another window made: they are taken back there."""
    stays_on: str = ""
    """The version that this window stays on although another window has made a different one the current one."""

    def changed(self, document: Document) -> "Tracked":
        """With another document decided."""
        stays_on = self.stays_on if document.current == self.stays_on else ""
        return replace(self, document=document, stays_on=stays_on)

    def snapshot(self, draft: Iterable[tuple[str, Any]] = (), label: str = "") -> Snapshot:
        return Snapshot(self.document, tuple(draft), label)

    @property
    def last_is_foreign(self) -> bool:
        """Whether the step that undo would take back is another window's."""
        history = self.document.version.history
        return history.position > 0 and _step(history.changes[history.position - 1]) in self.foreign

    def written(self, snapshot: Snapshot, made: ToWrite, revision: Revision) -> "Tracked":
        """After a save. What was decided since the snapshot stays decided, and is still to be written."""
        shown, document, stays_on = self.document.current, made.decided, self.stays_on
        if self.document is not snapshot.document:
            names = _kept_as(snapshot.document, made)
            before, ours = _renamed(snapshot.document, names), _renamed(self.document, names)
            shown, document = ours.current, merged(before, ours, made.decided)[0]
        if document.current != shown and shown in document.versions and document.current not in made.kept_apart:
            # this window goes on with the version that it shows
            stays_on, document = shown, replace(document, current=shown)
        foreign = self.foreign | made.foreign
        return Tracked(document, made.decided, revision, made.document.draft is not None, foreign, stays_on)

    def is_on_disk(self) -> bool:
        """Whether what is decided is on the disk. A drag whose values are there too is no more to be saved until it
        moves or ends."""
        return self._for_disk(self.document) == self.on_disk

    def _for_disk(self, document: Document) -> Document:
        """A version that this window alone stays on is not made the current one for others."""
        if self.stays_on and document.current == self.stays_on and self.on_disk.current in document.versions:
            return replace(document, current=self.on_disk.current)
        return document


def _kept_as(document: Document, made: ToWrite) -> dict[str, str]:
    """The names under which versions of a document were kept apart, by those that they had."""
    names = {}
    for kept in made.kept_apart:
        same = [name for name, version in document.versions.items() if version is made.decided.versions[kept]]
        names.update(dict.fromkeys(same, kept))
    return names


def _renamed(document: Document, names: dict[str, str]) -> Document:
    versions = {names.get(name, name): version for name, version in document.versions.items()}
    return replace(document, versions=versions, current=names.get(document.current, document.current))


def to_write(tracked: Tracked, snapshot: Snapshot, theirs: Document | None) -> ToWrite:
    """What a save writes. theirs: the sidecar as it is on the disk, where that is not what this window left there; None
    where it is, or where there is none any more (a sidecar that vanished is not an empty one)."""
    decided = tracked._for_disk(snapshot.document)
    if theirs is None or theirs == tracked.on_disk:
        return ToWrite(snapshot.with_draft(decided), decided)
    joined, apart = merged(tracked.on_disk, decided, theirs)
    foreign = _steps(theirs) - _steps(snapshot.document)
    return ToWrite(snapshot.with_draft(joined), joined, foreign, apart, is_joined=True)


def _steps(document: Document) -> frozenset[Step]:
    return frozenset(_step(change) for version in document.versions.values() for change in version.history.changes)


def _step(change: Change) -> Step:
    """When it was made and what it moved: two windows make no two steps that are alike in both."""
    return change.at_utc, change.label, change.paths
