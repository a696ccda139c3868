"""The deliveries of a shoot that are not written yet, kept beside it so that they survive a restart."""

import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass, fields
from pathlib import Path

from ..errors import ArgumentError, FileError
from ..system.files import write_text_whole
from .orders import Order

NAME = "deliveries.json"


@dataclass(frozen=True)
class Owed:
    """One picture that is to be delivered."""

    picture: Path
    order: Order
    folder: Path


def queue_path(shoot: Path) -> Path:
    """Where the queue of a folder of pictures lies."""
    return shoot / ".matiz" / NAME


def read_queue(shoot: Path) -> list[Owed]:
    """What is owed; nothing where there is no queue, and without what cannot be understood or lies elsewhere by now."""
    try:
        rows = json.loads(queue_path(shoot).read_text(encoding="utf-8"))["owed"]
    except (OSError, ValueError, KeyError, TypeError):
        return []
    known, out = {field.name for field in fields(Order)}, []
    for row in rows if isinstance(rows, list) else []:
        try:
            order = Order(**{key: value for key, value in row["order"].items() if key in known})
            # names alone: a queue never leads out of its folder
            picture, folder = shoot / Path(row["picture"]).name, Path(row["folder"])
        except (KeyError, TypeError, AttributeError, ArgumentError):
            continue
        if picture.is_file():
            out.append(Owed(picture, order, folder))
    return out


def write_queue(shoot: Path, owed: Iterable[Owed]) -> None:
    """Keep what is owed; an empty queue leaves no file. FileError when it cannot be written."""
    rows = [
        {"picture": each.picture.name, "order": asdict(each.order), "folder": str(each.folder)}
        for each in owed
        if each.picture.parent == shoot
    ]
    path = queue_path(shoot)
    if not rows:
        path.unlink(missing_ok=True)
        return
    text = json.dumps({"matiz": "deliveries 1", "owed": rows}, indent=1, ensure_ascii=False)

    try:
        path.parent.mkdir(exist_ok=True)
    except OSError as error:
        raise FileError(f"{path.parent}: cannot be made ({error.strerror})") from None
    write_text_whole(path, text)
