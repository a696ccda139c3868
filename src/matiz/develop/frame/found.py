"""What is found in a frame by itself: looked for once, kept, and fitted to the frame's own edges where a view asks.

All of it follows from the frame as the camera held it, not from what is decided about it: a drag finds it ready.
"""

import hashlib
import math
import zlib
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from ...errors import FileError
from ...masks.cut import Picture, Share
from ...masks.faces import Face, faces
from ...masks.focus import MOST_PX, find_focus
from ...masks.people import person, skin
from ...masks.sky import find_sky
from ...masks.subject import SubjectMap, apart, find_subject, tapped
from ...masks.subject_network import own_model
from ...masks.view import Mask, MaskWindow, Point
from ...system.files import write_whole
from ...system.user_folders import cache_folder
from .along_edges import HAIR_PX, TAPPED_PX, AlongEdges, FrameMap
from .cache import Cache
from .tiles import Region, Size, level_for, level_size

PICTURE_PX, MOST_GAIN = 1024, 16.0
"""Least long side of the picture that is looked through, and by how much it is lightened at most."""
FULL = 0.9
"""Where its lights are brought to, linear."""
FACES_PX = 24.0
"""Least height of a face, px of that picture."""
MOST_BYTES = 128 * 2**20
MOST_SIDE = 4096
"""Of a map on disk."""
KEPT_AS = {"network": "closer", "your own network": "own"}
"""What is kept on disk, by what found it: a guess from contrast is not. Another way to look gets another word."""


WHOLE = -1
"""Looks at a subject after which all is known of it."""


@dataclass(frozen=True, eq=False)
class KnownMap:
    """What is known of a subject after so many looks."""

    looks: int
    found: SubjectMap


class Found:
    """Subject, people, sky, and what is in focus, of one frame.

    Safe to share by threads; what is given is not to be written to.
    """

    def __init__(self, size: Size, plain: Callable[[int, Region], Picture], path: Path) -> None:
        """size: of the frame. plain: gives regions of its levels in sRGB, with nothing decided. path: of its file,
        under which the subject is kept on disk; none where there is no such file."""
        self._size, self._plain, self._path = size, plain, path
        self._cache = Cache(MOST_BYTES)
        self._edges = AlongEdges(size, self._lit, self._cache)
        self._was_found = False
        self._so_far: KnownMap | None = None
        self.in_haste = False
        """Whether masks are made of what is known so far while the subject that they want is not at hand, rather than
        waited for; empty ones while nothing is."""
        self.runs = 0
        """How often a subject was looked for."""

    def is_at_hand(self) -> bool:
        """Whether the subject is given without a wait of seconds."""
        if not self._was_found:
            self._was_found = _kept(self._file()) is not None
        return self._was_found

    def subject_map(
        self, yes: tuple[Point, ...] = (), no: tuple[Point, ...] = (), on_look: Callable[[], object] = lambda: None
    ) -> SubjectMap:
        """Over the whole frame; yes, no: taps that say what is meant too, and what is not.

        on_look: told before each further look that this call takes at it; what it raises ends the search. Who asks
        meanwhile waits, and hears of that end.
        """
        plain: SubjectMap = self._once("subject", lambda: self._subject(on_look))
        self._was_found, self._so_far = True, None
        return self._tapped(KnownMap(WHOLE, plain), yes, no)

    def _tapped(self, known: KnownMap, yes: tuple[Point, ...], no: tuple[Point, ...]) -> SubjectMap:
        plain = known.found
        if not (yes or no):
            return plain
        share = self._once(("subject", known.looks, yes, no), lambda: tapped(self.picture, plain.share, yes, no))
        return replace(plain, share=share)

    def _known(self) -> KnownMap:
        """What masks are made of: in haste what is known so far."""
        so_far = self._so_far
        return so_far if so_far is not None and self.is_waiting else KnownMap(WHOLE, self.subject_map())

    @property
    def looked(self) -> int:
        """After how many looks masks are made that want the subject: 0 while nothing is known of it, WHOLE once all
        is."""
        so_far = self._so_far
        if not self.is_waiting:
            return WHOLE
        return so_far.looks if so_far is not None else 0

    def sky_map(self) -> Share:
        return self._once("sky", lambda: find_sky(self.picture))

    def person_map(self, n: int) -> Share:
        """The person of the n-th face, from 1; nothing where there are fewer."""
        found = self.faces()
        if not 1 <= n <= len(found):
            return np.zeros((8, 8), np.float32)
        known = self._known()
        return self._once(("person", known.looks, n), lambda: person(self.picture, found, n - 1, known.found.share))

    def people_map(self) -> Share:
        """All of them."""
        each = [self.person_map(n + 1) for n in range(len(self.faces()))]
        return np.asarray(np.max(each, axis=0), np.float32) if each else np.zeros((8, 8), np.float32)

    def skin_map(self) -> Share:
        def make() -> Share:
            found = self.faces()
            return skin(self.picture, found, [self.person_map(n + 1) for n in range(len(found))])

        return self._once(("skin", self.looked), make)

    def focus_map(self) -> Share:
        def make() -> Share:
            level = level_for(self._size, MOST_PX)
            return find_focus(self._lit(level, (0, 0, *level_size(self._size, level))))

        return self._once("focus", make)

    def faces(self) -> list[Face]:
        """In units of the frame's long side, the largest first."""
        return self._once("faces", self._faces)

    @property
    def is_waiting(self) -> bool:
        """Whether masks that want the subject are not what they will be."""
        return self.in_haste and not self.is_at_hand()

    def subject(self, view: MaskWindow, yes: tuple[Point, ...] = (), no: tuple[Point, ...] = (), n: int = 0) -> Mask:
        known = self._known()
        share, name = self._tapped(known, yes, no).share, ("subject", known.looks, yes, no, n)
        if n:
            whole = share
            share = self._once(name, lambda: apart(whole, n))
        return self._edges.seen(FrameMap(name, share, _hair_px(known.looks, TAPPED_PX if yes or no else HAIR_PX)), view)

    def sky(self, view: MaskWindow) -> Mask:
        return self._edges.seen(FrameMap("sky", self.sky_map()), view)

    def people(self, view: MaskWindow, n: int) -> Mask:
        looked, share = self.looked, self.person_map(n) if n else self.people_map()
        return self._edges.seen(FrameMap(("person", looked, n), share, _hair_px(looked, HAIR_PX)), view)

    def skin(self, view: MaskWindow) -> Mask:
        return self._edges.seen(FrameMap(("skin", self.looked), self.skin_map(), hair_px=0.0), view)

    def focus(self, view: MaskWindow) -> Mask:
        return self._edges.seen(FrameMap("focus", self.focus_map(), hair_px=0.0), view)

    @property
    def picture(self) -> Picture:
        """The frame, small, its light full, sRGB (height, width, 3)."""
        level = level_for(self._size, PICTURE_PX)
        return self._once("picture", lambda: self._lit(level, (0, 0, *level_size(self._size, level))))

    def _lit(self, level: int, region: Region) -> Picture:
        def gain() -> float:
            small = level_for(self._size, PICTURE_PX // 4)
            shown = self._plain(small, (0, 0, *level_size(self._size, small)))
            light = float(np.quantile((shown.max(axis=2) / 255.0) ** GAMMA, 0.99))
            return min(max(FULL / max(light, 1e-4), 1.0), MOST_GAIN)

        factor = self._once("gain", gain) ** (1.0 / GAMMA)
        table = np.clip(np.round(np.arange(256) * factor), 0, 255).astype(np.uint8)
        return np.asarray(table[self._plain(level, region)])

    def _faces(self) -> list[Face]:
        unit = 1.0 / max(self.picture.shape[:2])
        return [face.moved(lambda points: points * unit) for face in faces(self.picture, least_px=FACES_PX)]

    def _subject(self, on_look: Callable[[], object]) -> SubjectMap:
        file = self._file()
        kept = _kept(file)
        if kept is not None:
            how = next(how for how, word in KEPT_AS.items() if file is not None and file.stem.endswith(f"-{word}"))
            return SubjectMap(kept, how)
        self.runs += 1

        def looked(seen: SubjectMap) -> None:
            before = self._so_far
            self._so_far = KnownMap(before.looks + 1 if before is not None else 1, seen)
            on_look()

        found = find_subject(self.picture, looked)
        if file is not None and found.how in KEPT_AS:
            _keep(file, found.share)
        return found

    def _file(self) -> Path | None:
        """Where what the network in use finds is kept: named by the place, size and time of the frame's file."""
        try:
            told = self._path.stat()
        except OSError:
            return None
        if not self._path.is_file():
            return None
        key = f"{self._path.resolve()}|{told.st_size}|{told.st_mtime_ns}".encode()
        which = KEPT_AS["your own network" if own_model().is_file() else "network"]
        return cache_folder() / "found" / f"{hashlib.blake2b(key, digest_size=12).hexdigest()}-{which}.map"

    def _once(self, key: Hashable, make: Callable[[], Any]) -> Any:
        return self._cache.get(key, key, make)


def _hair_px(looked: int, hair_px: float) -> float:
    """What is not known to the end is not made exact: the next look comes first."""
    return hair_px if looked == WHOLE else 0.0


GAMMA = 2.2
"""Near enough to how sRGB is encoded."""


def _keep(path: Path, share: Share) -> None:
    data = zlib.compress(np.round(share * 255.0).astype(np.uint8).tobytes(), 6)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, lambda temporary: _write(temporary, data))
    except (OSError, FileError):
        return  # a full disk keeps nobody from working: it is looked for again


def _kept(path: Path | None) -> Share | None:
    """A square map from disk; None where there is none, or none that is whole."""
    try:
        packed = path.read_bytes() if path is not None else b""
        data = zlib.decompressobj().decompress(packed, MOST_SIDE**2)
    except (OSError, zlib.error):
        return None
    side = math.isqrt(len(data))
    if not side or side * side != len(data):
        return None
    return np.frombuffer(data, np.uint8).reshape(side, side).astype(np.float32) / np.float32(255.0)


def _write(path: Path, data: bytes) -> None:
    path.write_bytes(data)
