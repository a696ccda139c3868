"""Tiles of pictures about which something is decided: rendered aside, and kept beside the shoot."""

from contextlib import suppress
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..develop.graph.engine import LITTLE_CACHE, Engine
from ..errors import MatizError
from ..shoot.renderings import keep_rendering, rendering_of
from ..shoot.sidecar import sidecar_path
from .jobs import Job
from .one_by_one import OneByOne
from .session import Session

LONG_PX = 480
Pixels = NDArray[np.uint8]


class Renderings(OneByOne):
    """Small pictures as they are decided now, as far as they are made."""

    name = "renderings"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._made: dict[Path, tuple[Path, Pixels]] = {}

    def forget(self) -> None:
        self._made = {}

    def pixels_of(self, path: Path) -> Pixels | None:
        """Small pixels (height, width, 4), blue first, the newest there are; None where nothing is decided.

        They may be of an older recipe, see `is_stale`.
        """
        held = self._made.get(path)
        return held[1] if held is not None and self._wanted(path) is not None else None

    def is_stale(self, path: Path) -> bool:
        """Whether a picture is decided otherwise than its tile shows."""
        wanted, held = self._wanted(path), self._made.get(path)
        return wanted is not None and (held is None or held[0] != wanted)

    def todo(self) -> list[Path]:
        """All that may be decided otherwise than is shown; documents that were not read are looked into there."""
        desk = self.session.desk
        return [path for path in self.session.pictures if not desk.is_known(path) or self.is_stale(path)]

    def one(self, path: Path, job: Job) -> bool:
        desk = self.session.desk
        if not desk.is_known(path) and not sidecar_path(path).exists():
            return False
        document, own = desk.document(path), self._made
        file = None if document is None else rendering_of(path, document.recipe)
        if document is None or file is None or own.get(path, (None,))[0] == file:
            return False
        pixels = self._kept(path, file)
        if pixels is None:
            self.wait_for_rest(job)
            try:
                engine = self._engine_of(path, job)
                pixels = engine.render(document.recipe, engine.level_for(document.recipe, LONG_PX))
            except MatizError:
                return False  # which is told where it is opened
            with suppress(MatizError):  # a full disk, a locked card: it is made again at the next start
                keep_rendering(file, pixels)
        own[path] = file, pixels.copy()
        return True

    def _engine_of(self, path: Path, job: Job) -> Engine:
        picture = self.session.picture
        # while it waits for its subject, masks of the open picture are empty
        if picture is not None and picture.path == path and not picture.engine.found.is_waiting:
            return picture.engine
        return Engine(self.decoder.read_for(job)(path), cache_bytes=LITTLE_CACHE)

    def _kept(self, path: Path, file: Path) -> Pixels | None:
        """One that was made before, if it is whole and no older than what it is a picture of."""
        try:
            if file.stat().st_mtime < path.stat().st_mtime:
                return None
            return self.decoder.listing(file, LONG_PX)[0]
        except (MatizError, OSError):
            return None

    def _wanted(self, path: Path) -> Path | None:
        desk = self.session.desk
        if not desk.is_known(path):
            return None
        document = desk.document(path)
        return None if document is None else rendering_of(path, document.recipe)
