"""XMP beside pictures, for other programs: written and taken in when it is asked for, and never else."""

from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import Any

from ..errors import MatizError
from ..raw.frame import PictureWords
from ..shoot.said import words_of
from ..system.files import write_whole, xmp_beside
from ..wording import counted
from .jobs import Job, Work
from .session import Session


def write_beside(session: Session, paths: Iterable[Path]) -> None:
    """Rank, caption and keywords of pictures into XMP beside them; what else is in it stays."""
    said = [(path, words_of(session.document_of(path))) for path in paths]
    decoder = session.decoder

    def work(job: Job) -> list[str]:
        failed = []
        for n, (path, own) in enumerate(said):
            if not job.progress(n / len(said), f"XMP: {n + 1} of {len(said)}"):
                break
            try:
                packet = decoder.packet_saying(path, own)
                write_whole(xmp_beside(path), partial(_fill, packet))
            except MatizError as error:
                failed.append(str(error))
        return failed

    def tell(failed: list[str]) -> None:
        written = len(said) - len(failed)
        session.said.emit("; ".join([f"XMP written beside {counted(written, 'picture')}.", *failed[:1]]))

    _do(session, work, "writing XMP", tell)


def take_in(session: Session, paths: Iterable[Path]) -> None:
    """What XMP beside pictures says becomes their rank, caption and keywords; what it does not say stays."""
    wanted, decoder = list(paths), session.decoder

    def work(job: Job) -> tuple[list[tuple[Path, PictureWords]], list[str]]:
        found, failed = [], []
        for n, path in enumerate(wanted):
            if not job.progress(n / len(wanted), f"XMP: {n + 1} of {len(wanted)}"):
                break
            try:
                said = decoder.words_beside(path)
            except MatizError as error:
                failed.append(str(error))
                continue
            if said != PictureWords():
                found.append((path, said))
        return found, failed

    def take(told: tuple[list[tuple[Path, PictureWords]], list[str]]) -> None:
        found, failed = told
        for path, said in found:
            given = {"rank": said.rank, "caption": said.caption, "keywords": said.keywords}
            try:
                session.sort_as(path, **{name: value for name, value in given.items() if value})
            except MatizError as error:
                failed.append(str(error))
        session.said.emit("; ".join([f"XMP read for {counted(len(found), 'picture')}.", *failed[:1]]))

    _do(session, work, "taking in XMP", take)


def _do(session: Session, work: Work, name: str, then: Callable[[Any], None]) -> None:
    job = session.do_aside(work, name, then, of_shoot=True, is_long=True)
    job.progressed.connect(lambda _, text: session.said.emit(text))


def _fill(packet: bytes, part: Path) -> None:
    part.write_bytes(packet)
