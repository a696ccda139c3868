"""Which pictures of a shoot are shown: words that are typed, all of which a picture has to meet."""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from ..raw.frame import Exposure
from ..recipe.document import Document

NUMBERED = re.compile(r"(rank|iso|mm)(\d+(?:\.\d+)?)([+-]?)", re.IGNORECASE)
SORTED = {"keep": "keep", "hold": "hold", "drop": "drop", "undecided": ""}
"""Words for how a picture is sorted."""
NEAR = 0.5
"""Of a rank, an ISO or a focal length: what is written rounded is meant."""


@dataclass(frozen=True)
class Seen:
    """What is known of a picture."""

    path: Path
    document: Document
    exposure: Exposure | None = None
    """None while its file was not looked at."""
    set_kind: str = ""
    """"burst", "bracket", "focus pair" or "set"; "" in no set."""
    is_merged: bool = False


Test = Callable[[Seen], bool]


def chosen(text: str, pictures: Iterable[Seen]) -> list[Path]:
    """Those that meet every word of a text, in their order; all of them when it is empty.

    `keep`, `hold`, `drop`, `undecided`; `rank3`, `rank3+` (3 or better), `rank2-`; `iso1600+`, `mm400`; `set`, `alone`,
    `burst`, `bracket`, `pair`, `merged`. Any other word is looked for in the name, the lens, the caption and the
    keywords. A minus before a word turns it round: `-drop`.
    """
    tests = [_test(word) for word in text.split()]
    return [each.path for each in pictures if all(test(each) for test in tests)]


def _test(word: str) -> Test:
    if len(word) > 1 and word.startswith("-"):
        other = _test(word[1:])
        return lambda seen: not other(seen)
    name = word.lower()
    if name in SORTED:
        return lambda seen: seen.document.sorted_as == SORTED[name]
    if name in ("set", "alone"):
        return lambda seen: bool(seen.set_kind) == (name == "set")
    if name in ("burst", "bracket", "pair"):
        return lambda seen: seen.set_kind.endswith(name)
    if name == "merged":
        return lambda seen: seen.is_merged
    numbered = NUMBERED.fullmatch(name)
    if numbered is not None:
        what, number, way = numbered.groups()
        return lambda seen: _meets(_number(what, seen), float(number), way)
    return lambda seen: name in seen.path.name.lower() or any(name in text.lower() for text in _texts(seen))


def _number(what: str, seen: Seen) -> float | None:
    if what == "rank":
        return float(seen.document.rank)
    if seen.exposure is None:
        return None
    return seen.exposure.iso if what == "iso" else seen.exposure.focal_mm


def _meets(value: float | None, wanted: float, way: str) -> bool:
    if value is None:
        return False
    if way == "+":
        return value >= wanted - NEAR
    return value <= wanted + NEAR if way == "-" else abs(value - wanted) <= NEAR


def _texts(seen: Seen) -> tuple[str, ...]:
    lens = "" if seen.exposure is None else seen.exposure.lens
    return lens, seen.document.caption, *seen.document.keywords
