"""An order: how deliveries of one kind are made."""

import json
import os
import re
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, fields
from functools import cache
from pathlib import Path
from typing import Any, get_args, get_type_hints

from ..colour.outputs import SPACES
from ..errors import ArgumentError, FormatError, RecipeError
from ..system.files import write_text_whole
from ..system.own_files import read_json, read_or_put_aside
from ..system.user_folders import config_folder

CM_PER_INCH = 2.54
INTENTS = {"perceptual": 0, "relative": 1, "saturation": 2, "absolute": 3}
"""Names, and numbers of ICC.1 7.2.15."""
KEEPS = ("all", "rights", "none")
SHARPENINGS = ("none", "screen", "matte", "glossy")


@dataclass(frozen=True)
class Format:
    """What a kind of file can hold."""

    suffix: str
    bits: int
    """Of a channel; 0 for float."""
    is_lossy: bool = False


FORMATS = {
    "JPEG": Format(".jpg", 8, True),
    "PNG": Format(".png", 16),
    "PNG 8": Format(".png", 8),
    "TIFF": Format(".tif", 16),
    "TIFF 8": Format(".tif", 8),
    "TIFF float": Format(".tif", 0),
    "WebP": Format(".webp", 8, True),
    "AVIF": Format(".avif", 8, True),
    "JPEG XL": Format(".jxl", 8, True),
    "OpenEXR": Format(".exr", 0),
}
"""Float ones are linear, the others encoded."""
_PART = re.compile(r"\{(\w+)(?::0(\d))?\}")
PARTS = ("name", "counter", "date", "time", "rank", "version")
MOST_NAME, MOST_ORDERS = 180, 500
"""Bytes of a name, so that a number and a suffix have room, and orders in a file."""


@dataclass(frozen=True)
class Order:
    """Format, size, colours, sharpness, metadata and names."""

    format: str = "JPEG"
    quality: int = 95
    """Of lossy formats, 50..100."""
    short_side: int | None = None
    """px; None keeps the full size. A picture is never enlarged. The border counts."""
    long_side: int | None = None
    megapixels: float | None = None
    print_cm: float | None = None
    """Long side of a print, at `ppi`."""
    ppi: int = 300
    space: str = "sRGB"
    """One of SPACES, or the path of an ICC profile."""
    intent: str = "relative"
    """For a profile that comes as a file."""
    black_point: bool = True
    sharpening: str = "none"
    """For what the delivery is looked at on."""
    keeps: str = "all"
    """Of the metadata: everything, rights and time only, or nothing."""
    keeps_place: bool = False
    """Whether the place of shooting stays in it."""
    author: str = ""
    """Written as author and for the rights, where it is not empty."""
    pattern: str = "{name}"
    """Of names, of PARTS in braces; {counter:03} has three figures."""

    def __post_init__(self) -> None:
        for name, kind in _kinds().items():
            value = getattr(self, name)
            if not isinstance(value, kind) or (isinstance(value, bool) and kind is not bool):
                raise ArgumentError(f"{name}: expected {kind}, got {value!r:.60}")
        if self.format not in FORMATS:
            raise ArgumentError(f"format: one of {', '.join(FORMATS)}; got {self.format!r}")
        if not 50 <= self.quality <= 100:
            raise ArgumentError(f"quality: 50..100, got {self.quality}")
        for name in ("short_side", "long_side"):
            side = getattr(self, name)
            if side is not None and not 16 <= side <= 60_000:
                raise ArgumentError(f"{name}: 16..60000 px, got {side}")
        if self.megapixels is not None and not 0.01 <= self.megapixels <= 1000.0:
            raise ArgumentError(f"megapixels: 0.01..1000, got {self.megapixels:g}")
        if self.print_cm is not None and not 1.0 <= self.print_cm <= 500.0:
            raise ArgumentError(f"print_cm: 1..500 cm, got {self.print_cm:g}")
        if not 50 <= self.ppi <= 1200:
            raise ArgumentError(f"ppi: 50..1200, got {self.ppi}")
        if self.space not in SPACES and Path(self.space).suffix.lower() not in (".icc", ".icm"):
            raise ArgumentError(f"space: one of {', '.join(SPACES)}, or a file .icc; got {self.space!r}")
        for name, allowed in (("intent", tuple(INTENTS)), ("sharpening", SHARPENINGS), ("keeps", KEEPS)):
            if getattr(self, name) not in allowed:
                raise ArgumentError(f"{name}: one of {', '.join(allowed)}; got {getattr(self, name)!r}")
        if FORMATS[self.format].bits == 0 and self.space not in SPACES:
            raise ArgumentError(f"space: {self.format} is linear and takes one of {', '.join(SPACES)}")
        named(self.pattern, dict.fromkeys(PARTS, "") | {"counter": 1})

    @property
    def names_time(self) -> bool:
        """Whether names say when a picture was taken."""
        return any(found[1] in ("date", "time") for found in _PART.finditer(self.pattern))

    def size_of(self, size: tuple[int, int]) -> tuple[int, int]:
        """(width, height) of the delivery of a picture of `size`."""
        scales = [1.0]
        if self.short_side is not None:
            scales.append(self.short_side / min(size))
        if self.long_side is not None:
            scales.append(self.long_side / max(size))
        if self.megapixels is not None:
            scales.append((self.megapixels * 1e6 / (size[0] * size[1])) ** 0.5)
        if self.print_cm is not None:
            scales.append(self.print_cm / CM_PER_INCH * self.ppi / max(size))
        scale = min(scales)
        return max(1, round(size[0] * scale)), max(1, round(size[1] * scale))


@cache
def _kinds() -> Mapping[str, Any]:
    """What each field of an order may be; a number without decimals is one with decimals too."""
    return {
        name: kind | int if float in (kind, *get_args(kind)) else kind for name, kind in get_type_hints(Order).items()
    }


def named(pattern: str, parts: Mapping[str, Any]) -> str:
    """A file name without suffix, of a pattern. ArgumentError for one that names something else."""

    def put(found: re.Match[str]) -> str:
        if found[1] not in PARTS:
            raise ArgumentError(f"pattern: {found[0]} is none of {', '.join('{' + part + '}' for part in PARTS)}")
        value = parts[found[1]]
        return f"{int(value):0{found[2]}d}" if found[2] and str(value).isdigit() else str(value)

    made = _PART.sub(put, pattern)
    if "{" in made or "}" in made or "/" in pattern or "\\" in pattern or not pattern.strip(". "):
        raise ArgumentError(f"pattern: {pattern!r} makes no file name; use {', '.join('{' + p + '}' for p in PARTS)}")
    # what comes from the picture may hold anything
    safe = "".join("-" if c in '/\\:*?"<>|' or not c.isprintable() else c for c in made).strip(". ")
    # file systems count bytes; half a character must not be left
    return safe.encode("utf-8", "replace")[:MOST_NAME].decode("utf-8", "ignore").strip(". ") or "picture"


def name_for(
    picture: Path, order: Order, taken_utc: str = "", *, counter: int = 1, rank: int = 0, version: str = ""
) -> str:
    """The name without suffix that an order gives a picture. taken_utc: like 2026-05-09T06:12:40Z, or nothing."""
    parts = {"name": picture.stem, "counter": counter, "date": taken_utc[:10],
             "time": taken_utc[11:19].replace(":", "-"), "rank": rank, "version": version}  # fmt: skip
    return named(order.pattern, parts)


OWN: Mapping[str, Order] = {
    "screen": Order(long_side=2560, quality=90, sharpening="screen", keeps="rights"),
    "print": Order("TIFF 8", print_cm=40.0, space="opRGB", sharpening="matte"),
    "hand on": Order("TIFF", space="ROMM RGB"),
    "archive": Order("TIFF", space="Rec.2020", keeps_place=True),
}
"""Orders that ship, by name."""


def order_for(path: Path, *, long_side: int | None = None) -> Order:
    """The order that a file name asks for by its suffix."""
    suffix = path.suffix.lower()
    names = {".jpg": "JPEG", ".jpeg": "JPEG", ".tif": "TIFF", ".tiff": "TIFF", ".png": "PNG", ".webp": "WebP",
             ".avif": "AVIF", ".jxl": "JPEG XL", ".exr": "OpenEXR"}  # fmt: skip
    if suffix not in names:
        raise ArgumentError(f"{path.name}: the output must end in {', '.join(names)} or .npy")
    return Order(names[suffix], long_side=long_side, keeps_place=True)


def free_name(folder: Path, stem: str, order: Order) -> Path:
    """A path in `folder` that is not taken: deliveries never overwrite each other."""
    suffix = FORMATS[order.format].suffix
    path = folder / f"{stem}{suffix}"
    number = 2
    while os.path.lexists(path):  # a link that leads nowhere takes its name too
        path = folder / f"{stem}-{number}{suffix}"
        number += 1
    return path


# ---- kept in a file


def orders_file() -> Path:
    """Where the user's own orders lie."""
    return config_folder() / "orders.json"


def read_orders(path: Path) -> dict[str, Order]:
    """The orders that ship and those of a file, which is missing at first. RecipeError when it is damaged, FileError
    when it cannot be read."""
    try:
        return dict(OWN) | (read_json(path, orders_from) or {})
    except FormatError as error:
        raise RecipeError(f"not a file of orders: {error}; move it away") from None


def own_orders(say: Callable[[str], None]) -> dict[str, Order]:
    """The orders that ship and the user's own. A damaged file is put aside, which `say` hears of."""
    none: dict[str, Order] = {}
    return dict(OWN) | read_or_put_aside(orders_file(), orders_from, none, say)


def orders_from(data: Any) -> dict[str, Order]:
    """Orders of what JSON holds. Raises TypeError, KeyError or ArgumentError for what is none."""
    orders = data["orders"]
    if len(orders) > MOST_ORDERS:
        raise ArgumentError(f"{len(orders)} orders; {MOST_ORDERS} at most")
    return {str(name): order_from(each) for name, each in orders.items()}


def order_from(data: Any) -> Order:
    """An order of what JSON holds; fields that only a newer Matiz knows are left out. Raises likewise."""
    return Order(**{field.name: data[field.name] for field in fields(Order) if field.name in data})


def write_orders(path: Path, orders: Mapping[str, Order]) -> None:
    """Keep those that differ from what ships."""
    own = {name: asdict(order) for name, order in orders.items() if OWN.get(name) != order}
    text = json.dumps({"matiz": "orders 1", "orders": own}, indent=2, ensure_ascii=False)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_text_whole(path, text + "\n")
