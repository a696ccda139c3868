"""The catalogue: which pictures the shoot has, in which order they are shown, what is known of them, and their sets."""

import threading
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from ..raw.frame import Exposure, Facts, Merged
from ..recipe.document import Document
from .choosing import Seen, chosen
from .documents import Documents
from .own_sets import OwnSets
from .sets import Proposed

_UNREAD = Document()


class Catalogue:
    """The pictures of one shoot. Safe to be read by other threads; changed by one."""

    def __init__(self, documents: Documents, say: Callable[[str], None], pictures: Iterable[Path] = ()) -> None:
        """documents: for what is decided about the pictures, as far as it was read."""
        self._documents, self._say = documents, say
        self.pictures: list[Path] = list(pictures)
        self.taken_utc: dict[Path, str] = {}
        """When pictures were taken, as far as it was heard."""
        self.exposures: dict[Path, Exposure] = {}
        """How they were, likewise."""
        self.merged: dict[Path, Merged] = {}
        """Those that were made of several, likewise."""
        self.out_of_sight: frozenset[Path] = frozenset()
        """Pictures that are not shown now."""
        self._as_opened: list[Path] = []
        """The order of the pictures while they are arranged in another one."""
        self._own_sets: dict[Path, OwnSets] = {}
        self._set_of: dict[Path, Proposed] = {}
        self._kept_count: tuple[tuple[int, int], int] | None = None
        self._lock = threading.Lock()

    # ---- pictures

    def add(self, path: Path) -> None:
        """One more picture, as the last of the shoot."""
        with self._lock:
            if path not in self.pictures:
                self.pictures = [*self.pictures, path]

    def hear(self, path: Path, facts: Facts) -> None:
        """What a file says of itself."""
        if facts.exposure.time_utc:
            self.taken_utc[path] = facts.exposure.time_utc
        self.exposures[path] = facts.exposure
        if facts.merged is not None:
            self.merged[path] = facts.merged

    def seen(self, path: Path) -> Seen:
        """What is known of a picture by now; nothing is read for it."""
        own, held = self.set_of(path), self._documents.known(path)
        document = held.document if held is not None else _UNREAD
        return Seen(path, document, self.exposures.get(path), own.kind if own else "", path in self.merged)

    def kept_count(self) -> int:
        """How many of the documents that were read yet are sorted as keep; counted anew only once one has changed."""
        state = self._documents.changes, len(self.pictures)
        if self._kept_count is None or self._kept_count[0] != state:
            known = (self._documents.known(path) for path in self.pictures)
            count = sum(each is not None and each.document.sorted_as == "keep" for each in known)
            self._kept_count = state, count
        return self._kept_count[1]

    # ---- order and filter

    def show_only(self, text: str) -> frozenset[Path]:
        """Leave out of sight what does not meet the words of a text, see `choosing.chosen`; what that is."""
        shown = chosen(text, (self.seen(path) for path in self.pictures)) if text.strip() else self.pictures
        self.out_of_sight = frozenset(self.pictures) - frozenset(shown)
        return self.out_of_sight

    def arrange(self, key: Callable[[Path], Any] | None) -> None:
        """Put the pictures into another order, or with None into that in which they were opened."""
        with self._lock:
            self._as_opened = self._as_opened or self.pictures
            came = [path for path in self.pictures if path not in self._as_opened]
            in_order = [*self._as_opened, *came]
            self.pictures = in_order if key is None else sorted(in_order, key=key)
            self._as_opened = [] if key is None else in_order

    @property
    def is_arranged(self) -> bool:
        """Whether the pictures are in another order than that in which they were opened."""
        return bool(self._as_opened)

    # ---- sets

    def regroup(self) -> None:
        """Propose the sets anew, of what was heard by now."""
        heard = {path: self.exposures[path] for path in self.pictures
                 if path in self.exposures and path not in self.merged}  # fmt: skip
        self._set_of = {path: found for found in self.own_sets.over(heard) for path in found.pictures}

    @property
    def own_sets(self) -> OwnSets:
        """What the photographer said of the sets of this shoot."""
        folder = self.pictures[0].parent if self.pictures else Path()
        return self._own_sets.setdefault(folder, OwnSets(folder, self._say))

    @property
    def sets(self) -> list[Proposed]:
        """All of them, as of the last `regroup`."""
        return list({id(found): found for found in self._set_of.values()}.values())

    def set_of(self, path: Path) -> Proposed | None:
        """The set that a picture is in, likewise."""
        return self._set_of.get(path)
