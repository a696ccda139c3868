"""Many deliveries without a window, on this machine in several processes; `cluster.py` gives them to others."""

import contextlib
import logging
import os
import shutil
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import AbstractContextManager
from dataclasses import dataclass, replace
from pathlib import Path

from ..colour.outputs import SPACES
from ..errors import ArgumentError, FileError, MatizError
from ..recipe.document import Document
from ..shoot.said import words_of
from ..shoot.sidecar import load_document
from ..system.children import process_pool
from ..system.files import TakenError, clear_leftovers
from .orders import FORMATS, Order, name_for

log = logging.getLogger(__name__)
LISTED_PX = 16
LEAST_FREE = 1.5
"""Times what the deliveries may need that must be free on the disk."""
PX_OF_PICTURE = 24e6
"""Taken for a picture's size where it would have to be opened to know it."""
BYTES_PER_PX = {"JPEG": 1.2, "WebP": 1.0, "AVIF": 1.0, "JPEG XL": 1.5, "PNG 8": 3.0, "TIFF 8": 3.0, "PNG": 6.0,
                "TIFF": 6.0, "TIFF float": 12.0, "OpenEXR": 12.0}  # fmt: skip
"""At most, roughly."""


@dataclass(frozen=True)
class Task:
    """One picture to be delivered."""

    picture: Path
    order: Order
    folder: Path
    stem: str
    """Of the name that it shall have."""
    replaces: bool = False
    """Whether a file of that name is written over; else it is left and counts as done."""


@dataclass(frozen=True)
class Done:
    """What became of a task."""

    task: Task
    path: Path | None
    """Where the delivery lies; None when it failed."""
    text: str = ""
    """Why it did."""
    was_there: bool = False


Run = Callable[[Task], Done]


def tasks_for(pictures: Iterable[Path], order: Order, folder: Path, *, replaces: bool = False) -> list[Task]:
    """Every picture once, with its name by the order's pattern; FileError when the folder or its disk has no room."""

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{folder}: cannot be made ({error.strerror}); choose another folder") from None
    clear_leftovers(folder)
    pictures = [picture.absolute() for picture in pictures]
    folder = folder.absolute()
    if order.space not in SPACES:  # a profile's file
        order = replace(order, space=str(Path(order.space).absolute()))
    check_room(folder, order, len(pictures))
    out, taken = [], set()
    for n, picture in enumerate(pictures, 1):
        document = _document(picture)
        stem = name_for(
            picture, order, _taken_utc(picture, order), counter=n, rank=document.rank, version=document.current
        )
        made, again = stem, 2
        while made in taken:
            made, again = f"{stem}-{again}", again + 1
        taken.add(made)
        out.append(Task(picture, order, folder, made, replaces))
    return out


def _document(picture: Path) -> Document:
    """For the picture's name; a sidecar that cannot be read fails when it is the picture's turn, and no other's."""
    try:
        return load_document(picture)
    except MatizError:
        return Document()


def _taken_utc(picture: Path, order: Order) -> str:
    """When it was taken, where its name wants to say so; what cannot be read says nothing until it is its turn."""
    if not order.names_time:
        return ""
    from ..raw.decode import shared_decoder

    try:
        return shared_decoder().listing(picture, LISTED_PX)[1].exposure.time_utc or ""
    except MatizError:
        return ""


def check_room(folder: Path, order: Order, count: int) -> None:
    """FileError when so many deliveries may not fit on the disk."""
    width, height = order.size_of((6000, round(PX_OF_PICTURE / 6000)))
    wanted = LEAST_FREE * count * width * height * BYTES_PER_PX[order.format]
    free = shutil.disk_usage(folder).free
    if wanted > free:
        raise FileError(
            f"{folder}: {count} deliveries may need {wanted / 1e9:.1f} GB, {free / 1e9:.1f} GB are free; free "
            "some space or choose another folder"
        )


def run_task(task: Task) -> Done:
    """Deliver one picture as its sidecar decides. Whatever fails is told in what is returned."""
    from ..shoot.as_decided import as_decided
    from .write import deliver

    path = task.folder / f"{task.stem}{FORMATS[task.order.format].suffix}"
    try:
        if path.is_symlink():
            raise TakenError(f"{path}: a link of that name is there; remove it")
        if path.exists() and not task.replaces:
            return Done(task, path, was_there=True)
        picture = as_decided(task.picture)
        exclusive = "" if task.replaces else "leave"
        made = deliver(
            picture.engine, picture.recipe, task.order, path, said=words_of(picture.document), taken=exclusive
        )
    except TakenError as error:
        # another worker that was taken for dead has written it
        is_there = path.is_file() and not path.is_symlink() and not task.replaces
        return Done(task, path, was_there=True) if is_there else Done(task, None, str(error))
    except (MatizError, OSError, MemoryError) as error:
        return Done(task, None, str(error))
    except Exception as error:  # a fault of ours takes no other picture with it
        log.exception("delivering %s failed", task.picture)
        return Done(task, None, f"{task.picture.name}: unexpected {type(error).__name__}: {error}; see the log")
    return Done(task, made)


def run_here(tasks: list[Task], jobs: int, run: Run = run_task) -> Iterator[Done]:
    """In so many processes, each as it is done. When one dies, what was not done by then is tried again, one by one in
    processes of their own, so that no picture takes others with it."""
    if jobs < 1:
        raise ArgumentError(f"jobs: at least 1, got {jobs}")
    if jobs == 1:
        yield from map(run, tasks)
        return
    with _threads(max(1, (os.cpu_count() or 1) // jobs)):
        left = []
        with _pool(jobs) as pool:
            waiting = {pool.submit(run, task): task for task in tasks}
            for future in as_completed(waiting):
                if isinstance(future.exception(), BrokenProcessPool):
                    left.append(waiting[future])
                else:
                    yield future.result()
        for task in left:
            with _pool(1) as pool:
                try:
                    yield pool.submit(run, task).result()
                except BrokenProcessPool:
                    yield Done(task, None, "its process died, perhaps out of memory")


def _pool(jobs: int) -> AbstractContextManager[ProcessPoolExecutor]:
    return process_pool(jobs)


@contextlib.contextmanager
def _threads(count: int) -> Iterator[None]:
    """Processes that are begun within use so many threads each."""
    own = os.environ.get("HL_NUM_THREADS")
    os.environ["HL_NUM_THREADS"] = str(count)
    try:
        yield
    finally:
        if own is None:
            del os.environ["HL_NUM_THREADS"]
        else:
            os.environ["HL_NUM_THREADS"] = own


def chosen_pictures(paths: list[Path], *, only_kept: bool) -> list[Path]:
    """Pictures of folders and files, in their order; only those sorted as keep when wanted, and those of which that
    cannot be known since their sidecar is damaged."""
    from ..shoot.folder import gather

    found = gather(paths)
    return [path for path in found if _may_be_kept(path)] if only_kept else found


def _may_be_kept(path: Path) -> bool:
    try:
        return load_document(path).sorted_as == "keep"
    except MatizError:
        return True  # whoever works on it says what is wrong with its sidecar
