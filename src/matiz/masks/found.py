"""What is found in a picture by itself: looked for once, kept, and asked for by masks."""

import hashlib
import os
from collections.abc import Callable, Hashable
from pathlib import Path
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..files import write_whole
from .faces import Face, faces
from .sky import find_sky
from .subject import SubjectMap, find_subject, own_model, tapped

Picture = NDArray[np.uint8]
Share = NDArray[np.float32]
Taps = tuple[tuple[float, float], ...]
FACES_PX = 24.0
"""Least height of a face, px of the picture that is looked through."""
KEPT = 32


class Found:
    """Subject, sky and faces of one frame. Safe to share by threads; what is found is not to be written to."""

    def __init__(self, size: tuple[int, int], picture_of: Callable[[], Picture], digest: str = "") -> None:
        """size: (width, height) of the frame. picture_of: gives the frame in sRGB, smaller, with no recipe.
        digest: stands for the file; what was found is kept on disk under it, when it is given."""
        self.size = size
        self._picture_of, self._digest = picture_of, digest
        self._held: dict[Hashable, Any] = {}
        self._lock = Lock()
        self.runs = 0
        """How often the network ran."""

    @property
    def picture(self) -> Picture:
        return self._once("picture", self._picture_of)  # type: ignore[no-any-return]

    def has(self, what: str) -> bool:
        """Whether it is at hand without a wait of seconds."""
        with self._lock:
            return what in self._held or (what == "subject" and self._file() is not None and self._file().is_file())  # type: ignore[union-attr]

    def subject(self, yes: Taps = (), no: Taps = ()) -> SubjectMap:
        plain: SubjectMap = self._once("subject", self._subject)
        if not (yes or no):
            return plain
        share = self._once(("subject", yes, no), lambda: tapped(self.picture, plain.share, yes, no))
        return SubjectMap(share, plain.how)

    def sky(self) -> Share:
        return self._once("sky", lambda: find_sky(self.picture))  # type: ignore[no-any-return]

    def faces(self) -> list[Face]:
        """In units of the frame's long side, the largest first."""

        def look() -> list[Face]:
            picture = self.picture
            unit = 1.0 / max(picture.shape[:2])
            return [
                Face(
                    f.x * unit,
                    f.y * unit,
                    f.w * unit,
                    f.h * unit,
                    f.score,
                    tuple((x * unit, y * unit) for x, y in f.points),
                )
                for f in faces(picture, least_px=FACES_PX)
            ]

        return self._once("faces", look)  # type: ignore[no-any-return]

    def _subject(self) -> SubjectMap:
        path = self._file()
        if path is not None and path.is_file():
            kept = cv2.imread(str(path), cv2.IMREAD_GRAYSCALE)
            if kept is not None:
                return SubjectMap(kept.astype(np.float32) / 255.0, path.stem.rpartition("-")[2].replace("_", " "))
        self.runs += 1
        found = find_subject(self.picture)
        if self._digest:
            self._keep(found)
        return found

    def _keep(self, found: SubjectMap) -> None:
        path = _folder() / f"{self._digest}-{found.how.replace(' ', '_')}.png"
        _, data = cv2.imencode(".png", np.round(found.share * 255.0).astype(np.uint8))
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_whole(path, lambda temporary: _write(temporary, data.tobytes()))
        except OSError:
            return  # a full disk keeps nobody from working: it is looked for again

    def _file(self) -> Path | None:
        """Where what the network in use has found is kept."""
        if not self._digest:
            return None
        how = "your_own_network" if own_model().is_file() else "network"
        return _folder() / f"{self._digest}-{how}.png"

    def _once(self, key: Hashable, make: Callable[[], Any]) -> Any:
        with self._lock:
            if key in self._held:
                return self._held[key]
        made = make()
        with self._lock:
            while len(self._held) > KEPT:
                old = next((k for k in self._held if isinstance(k, tuple)), None)
                if old is None:
                    break
                del self._held[old]
            return self._held.setdefault(key, made)


def _write(path: Path, data: bytes) -> None:
    path.write_bytes(data)


def digest_of(path: Path) -> str:
    """What stands for a file: its place, size and time; "" where there is none."""
    try:
        told = path.stat()
    except OSError:
        return ""
    if not path.is_file():
        return ""
    return hashlib.blake2b(f"{path.resolve()}|{told.st_size}|{told.st_mtime_ns}".encode(), digest_size=12).hexdigest()


def _folder() -> Path:
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "matiz/found"
