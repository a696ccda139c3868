"""Every writer on a disk that fills up in the middle: ``python -m tests.attacks.full_disk [ROUNDS] [SEED]``.

On a real small file system (tmpfs of 4 MiB, and ext4 in a file that is mounted, where the system allows it). A fall is
a file that is neither the old one nor the new one, whole; a temporary file that is left; or an error that is not
Matiz's.
"""

import argparse
import random
import subprocess
import tempfile
import traceback
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image as Pillow

from matiz.cli import main as command
from matiz.deliver.mask import write_mask
from matiz.deliver.orders import OWN, Order, write_orders
from matiz.deliver.queue_file import Owed, queue_path, write_queue
from matiz.deliver.write import deliver
from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.develop.places.weighing import Masked
from matiz.errors import MatizError
from matiz.recipe.document import Document
from matiz.recipe.model import Recipe
from matiz.recipe.places import Bright
from matiz.recipe.tree import Rows
from matiz.shoot.desk import Desk
from matiz.shoot.own_sets import OwnSets
from matiz.shoot.renderings import keep_rendering
from matiz.shoot.sidecar import load_document, save_document, sidecar_path
from matiz.shoot.silenced import Silenced
from matiz.system.outputs import write_text_output
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import chart

MIB = 4
SIZE = (300, 200)
TILE = ".matiz/tiles/a.dng.0.jpg"


class NoMount(Exception):
    """A small file system cannot be mounted here."""


@contextmanager
def small_disk(kind: str) -> Iterator[Path]:
    """A file system of a few MiB, "tmpfs" or "ext4"; NoMount where that is not allowed."""
    with tempfile.TemporaryDirectory(prefix="matiz-full-") as folder:
        at = Path(folder) / "disk"
        at.mkdir()
        if kind == "tmpfs":
            _mount("mount", "-t", "tmpfs", "-o", f"size={MIB}m", "tmpfs", str(at))
        else:
            image = Path(folder) / "image"
            image.write_bytes(bytes((MIB + 4) * 2**20))
            _mount("mkfs.ext4", "-q", "-F", "-O", "^has_journal", str(image))
            _mount("mount", "-o", "loop", str(image), str(at))
        try:
            yield at
        finally:
            subprocess.run(["umount", str(at)], check=False, capture_output=True)


def _mount(*command: str) -> None:
    try:
        done = subprocess.run(command, capture_output=True, text=True, check=False)
    except OSError as error:
        raise NoMount(str(error)) from None
    if done.returncode:
        raise NoMount(done.stderr.strip())


@dataclass(frozen=True)
class Writer:
    """One writer, and how its file is looked at."""

    write: Callable[[int], None]
    """Write, a little otherwise for each number."""
    file: Path
    is_whole: Callable[[Path], bool]


def writers(disk: Path) -> dict[str, Writer]:
    """All of them, by name, each with a file of its own on the disk."""
    frame = expose(chart(SIZE), Settings())
    engine, picture = Engine(frame), disk / "a.dng"
    picture.write_bytes(b"x")
    masked = Masked(Rows([("m", Bright())]))
    (disk / "out").mkdir(exist_ok=True)

    def document(n: int) -> None:
        held = load_document(picture)
        for k in range(10):
            held = held.change_all([("tone.exposure_EV", (n % 50 + k) / 100.0)], label=f"step {n} {k}")[0]
        save_document(picture, held if len(held.version.history.changes) < 2000 else Document(rank=n % 6))

    def desk(n: int) -> None:
        made = Desk()
        made.open([disk])
        made.change(picture, caption=f"caption {n} " * 100)
        failed = made.save()
        made.close_log()
        if failed:
            raise MatizError("not saved")

    def delivered(kind: str) -> Writer:
        order = Order(kind, quality=90)
        path = disk / "out" / f"{kind.replace(' ', '-')}{'.jpg' if kind == 'JPEG' else '.out'}"
        return Writer(lambda n: _delivered(engine, order, path, n), path, lambda p: p.stat().st_size > 1000)

    def sets(n: int) -> None:
        OwnSets(disk).join([disk / f"picture number {n} {k}.dng" for k in range(200)])

    def queue(n: int) -> None:
        for k in range(300):
            (disk / f"q{k}.dng").touch()
        write_queue(disk, [Owed(disk / f"q{k}.dng", Order(author=f"{n}" * 50), disk) for k in range(300)])

    def sheet(_: int) -> None:
        from matiz.ui.stations.deliver.sheet_pdf import write_sheet

        def image():
            from PySide6.QtGui import QImage

            noise = np.random.default_rng(1).integers(0, 255, (400, 600, 4), np.uint8)
            return QImage(noise.data, 600, 400, QImage.Format.Format_RGB32).copy()

        write_sheet(disk / "sheet.pdf", [("a", "b", image)] * 6, "x")

    def merged(_: int) -> None:
        from dataclasses import replace

        for k in range(2):
            write_frame(replace(frame, path=disk / f"m{k}.dng"), disk / f"m{k}.dng")
        if command(
            ["merge", str(disk / "m0.dng"), str(disk / "m1.dng"), "--as", "mean", "-o", str(disk / "merged.dng")]
        ):
            raise MatizError("refused")

    def orders(n: int) -> None:
        write_orders(disk / "orders.json", {f"o{k}": Order(author="x" * n) for k in range(60)} | OWN)

    def of(name: str) -> Path:
        return disk / name

    return {
        "sidecar": Writer(document, sidecar_path(picture), _is_document),
        "desk": Writer(desk, sidecar_path(picture), _is_document),
        "dng": Writer(lambda _: write_frame(frame, of("w.dng")), of("w.dng"), _is_tiff),
        "tile": Writer(lambda n: keep_rendering(of(TILE), _noise(n)), of(TILE), _is_picture),
        "sets": Writer(sets, of(".matiz/sets.json"), lambda _: bool(OwnSets(disk).groups())),
        "silenced": Writer(
            lambda n: Silenced(of("s.json")).add(f"finding {n}"), of("s.json"), lambda p: bool(Silenced(p).ids())
        ),
        "orders": Writer(orders, of("orders.json"), _is_closed),
        "queue": Writer(queue, queue_path(disk), _is_closed),
        "log": Writer(lambda n: write_text_output(of("log.md"), f"line {n}\n" * 20_000, "log"), of("log.md"), _is_even),
        "mask": Writer(lambda _: write_mask(engine, Recipe(), masked, of("m.png")), of("m.png"), _is_picture),
        "sheet": Writer(sheet, of("sheet.pdf"), lambda p: p.read_bytes().rstrip().endswith(b"%%EOF")),
        "merge": Writer(merged, of("merged.dng"), _is_tiff),
        **{kind: delivered(kind) for kind in ("JPEG", "TIFF", "PNG", "WebP", "AVIF", "JPEG XL", "OpenEXR")},
    }


def _is_closed(path: Path) -> bool:
    return path.read_text().rstrip().endswith("}")


def _is_even(path: Path) -> bool:
    lines = path.read_text().splitlines()
    return len(lines) == 20_000 and len(set(lines)) == 1


def _delivered(engine: Engine, order: Order, path: Path, n: int) -> None:
    deliver(engine, Recipe().change("tone.exposure_EV", n % 5 / 10.0)[0], order, path)


def _noise(n: int) -> np.ndarray:
    return np.random.default_rng(n).integers(0, 255, (320, 480, 4), np.uint8)


def _is_document(path: Path) -> bool:
    load_document(path.with_name(path.name.removesuffix(".matiz.json")))
    return True


def _is_picture(path: Path) -> bool:
    with Pillow.open(path) as picture:
        picture.load()
    return True


def _is_tiff(path: Path) -> bool:
    from matiz.raw.decode import read_frame

    return read_frame(path).size == SIZE


def attack(disk: Path, rounds: int, seed: int, names: tuple[str, ...] = ()) -> list[str]:
    """What fell. Each writer, again and again, with as little room as chance leaves."""
    chance, falls = random.Random(seed), []
    all_writers = writers(disk)
    for name in names or tuple(all_writers):
        writer = all_writers[name]
        for n in range(1, rounds + 1):
            filler = disk / "filler"
            filler.unlink(missing_ok=True)
            _fill(filler, leave=chance.choice([0, 1_000, 5_000, 20_000, 80_000, 300_000, 1_000_000]))
            before = writer.file.read_bytes() if writer.file.exists() else None
            try:
                writer.write(n)
                outcome = "written"
            except MatizError:
                outcome = "refused"
            except Exception:
                outcome = "fell"
                falls.append(f"{name} {n}: {traceback.format_exc(limit=-3)}")
            filler.unlink(missing_ok=True)
            if outcome == "refused" and before is not None and writer.file.read_bytes() != before:
                falls.append(f"{name} {n}: refused, and not the old file any more")
            if outcome == "written" or writer.file.exists():
                try:
                    is_whole = writer.is_whole(writer.file)
                except Exception as error:
                    is_whole = False
                    falls.append(f"{name} {n}: {outcome}, {type(error).__name__}: {error}")
                if not is_whole:
                    falls.append(f"{name} {n}: {outcome}, not whole")
            left = [path.name for path in disk.rglob("*.part")]
            if left:
                falls.append(f"{name} {n}: left {left}")
            if name == "merge":
                (disk / "merged.dng").unlink(missing_ok=True)
    return falls


def _fill(path: Path, *, leave: int) -> None:
    """Fill the disk but for so many bytes."""
    import shutil

    free = shutil.disk_usage(path.parent).free
    try:
        with path.open("wb") as file:
            file.write(bytes(max(free - leave, 0)))
    except OSError:
        pass


def main() -> int:
    import os

    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("rounds", type=int, nargs="?", default=25)
    parser.add_argument("seed", type=int, nargs="?", default=1)
    given = parser.parse_args()
    fell = 0
    for kind in ("tmpfs", "ext4"):
        try:
            with small_disk(kind) as disk:
                # what the user keeps lies there too
                os.environ["XDG_STATE_HOME"] = str(disk / "state")
                falls = attack(disk, given.rounds, given.seed)
        except NoMount as reason:
            print(f"{kind}: cannot be mounted here ({reason})")
            continue
        fell += len(falls)
        print(f"{kind}: {given.rounds} rounds for each writer, {len(falls)} fell", *falls[:8], sep="\n", flush=True)
    return 1 if fell else 0


if __name__ == "__main__":
    raise SystemExit(main())
