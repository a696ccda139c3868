"""The deliveries of a shoot that are not written yet, kept so that they survive a restart.

They lie in the user's own state and not beside the pictures: a list that comes with somebody's folder would choose
where the next *retry* writes.
"""

import hashlib
import json
from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from ..errors import ArgumentError, FileError
from ..system.files import write_text_whole
from ..system.own_files import read_or_put_aside
from ..system.user_folders import state_folder
from .orders import Order, order_from

MOST_OWED = 100_000


@dataclass(frozen=True)
class Owed:
    """One picture that is to be delivered."""

    picture: Path
    order: Order
    folder: Path


def queue_path(shoot: Path) -> Path:
    """Where the queue of a folder of pictures lies."""
    key = hashlib.blake2b(str(shoot.resolve()).encode("utf-8", "surrogateescape"), digest_size=12).hexdigest()
    return state_folder() / "deliveries" / f"{key}.json"


def read_queue(shoot: Path, say: Callable[[str], None] = lambda _text: None) -> list[Owed]:
    """What is owed; nothing where there is no queue, and without pictures that are not there any more. A damaged queue
    is put aside, which `say` hears of."""
    nothing: list[Owed] = []
    owed = read_or_put_aside(queue_path(shoot), lambda data: _owed_from(shoot, data), nothing, say)
    return [each for each in owed if each.picture.is_file()]


def _owed_from(shoot: Path, data: Any) -> list[Owed]:
    rows, out = data["owed"], []
    if not isinstance(rows, list) or len(rows) > MOST_OWED:
        raise ValueError(f"expected a list of up to {MOST_OWED} deliveries")
    for row in rows:
        try:
            # names alone: a queue never leads out of its folder
            out.append(Owed(shoot / Path(row["picture"]).name, order_from(row["order"]), Path(row["folder"])))
        except (KeyError, TypeError, AttributeError, ArgumentError):
            continue
    return out


def write_queue(shoot: Path, owed: Iterable[Owed]) -> None:
    """Keep what is owed; an empty queue leaves no file. FileError when it cannot be written."""
    rows = [
        {"picture": each.picture.name, "order": asdict(each.order), "folder": str(each.folder)}
        for each in owed
        if each.picture.parent == shoot
    ]
    path = queue_path(shoot)
    try:
        if not rows:
            path.unlink(missing_ok=True)
            return
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(
            f"{path}: the deliveries that are still to be written cannot be kept ({error.strerror})"
        ) from None
    write_text_whole(path, json.dumps({"matiz": "deliveries 2", "shoot": str(shoot), "owed": rows}, indent=1))
