"""The pictures of the shoot as a model: a thumbnail of each, read when it is first seen."""

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QImage

from ....errors import MatizError
from ....raw.decode import Decoder
from ....raw.frame import Facts
from ....work.closing import wait_for_pool
from ....work.jobs import Job
from ....work.looking import Looking
from ....work.pool import Pool
from ....work.renderings import Renderings
from ....work.session import Session
from ...canvas.render import to_image
from ...kit.models import ROOT, Index

THUMBNAIL_PX, FACTS_PX = 480, 32
REGROUP_MS = 400
MANY = 20
"""Pictures from which on the whole sheet is drawn anew."""


class SheetModel(QAbstractListModel):
    """The pictures; thumbnails come as they are asked for by what is visible."""

    regrouped = Signal()
    """More is known of the pictures, and of their sets."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.looking = Looking(session)
        self.looking.came.connect(self._touch)
        self.renderings = Renderings(session)
        self.renderings.came.connect(self._touch)
        self._images: dict[Path, QImage | str | None] = {}
        # of which only what their files say is wanted, once each; and those of them that are not there yet
        self._asked: set[Path] = set()
        self._waiting: set[Path] = set()
        self._decoder = Decoder()
        # one reader: previews are small, and the open picture must not wait for them
        self._pool = Pool(1, "previews")
        # a thousand pictures are heard of one by one: they are grouped now and then
        self._regroup = QTimer(self, singleShot=True, interval=REGROUP_MS)
        self._regroup.timeout.connect(self.regroup)
        session.shootChanged.connect(self._on_shoot_changed)
        session.sortingChanged.connect(self._on_sorting_changed)
        session.pictureComes.connect(lambda n: self.beginInsertRows(QModelIndex(), n, n))
        session.pictureCame.connect(lambda _: self.endInsertRows())

    def rowCount(self, parent: Index = ROOT) -> int:
        return 0 if parent.isValid() else len(self.session.pictures)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        path = self.session.pictures[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return path.name
        if role == Qt.ItemDataRole.DecorationRole:
            preview = self._image(path)
            rendered = self.renderings.pixels_of(path)
            return preview if rendered is None else to_image(rendered)
        return path if role == Qt.ItemDataRole.UserRole else None

    def end(self) -> None:
        self.looking.end()
        self.renderings.end()
        self._pool.clear()
        self._decoder.stop()
        wait_for_pool(self._pool)

    def is_idle(self) -> bool:
        return None not in self._images.values() and not self._waiting and not self._regroup.isActive()

    def _image(self, path: Path) -> QImage | str | None:
        if path not in self._images:
            self._images[path] = None
            job = Job(lambda _: self._read(path), f"preview {path.name}")
            job.returned.connect(lambda read: self._put(path, *read))
            job.failed.connect(lambda text: self._put(path, text))
            job.start(self._pool, urgent=True)
        return self._images[path]

    def hear_all(self) -> None:
        """Ask of every picture what its file says, whether it is in view or not."""
        for path in self.session.pictures:
            if path not in self._images and path not in self._asked:
                self._asked.add(path)
                self._waiting.add(path)
                job = Job(partial(self._read_facts, path), f"metadata of {path.name}")
                job.returned.connect(partial(self._hear, path))
                job.start(self._pool)

    def _hear(self, path: Path, facts: Facts | None) -> None:
        self._waiting.discard(path)
        if facts is not None:
            self.session.take_facts(path, facts)
            if not self._regroup.isActive():
                self._regroup.start()

    def _read_facts(self, path: Path, _: Job) -> Facts | None:
        return self._read(path, FACTS_PX)[1]

    def _read(self, path: Path, size_px: int = THUMBNAIL_PX) -> tuple[QImage | str, Facts | None]:
        try:
            pixels, facts = self._decoder.listing(path, size_px)
        except MatizError as error:
            return str(error), None
        height, width = pixels.shape[:2]
        return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_RGB32).copy(), facts

    def _put(self, path: Path, image: QImage | str, facts: Facts | None = None) -> None:
        self._images[path] = image
        self._hear(path, facts)
        self._touch(path)

    def regroup(self) -> None:
        """Propose sets of what was heard by now."""
        self.session.desk.catalogue.regroup()
        if self.session.pictures:
            self.dataChanged.emit(self.index(0), self.index(len(self.session.pictures) - 1))
        self.regrouped.emit()

    def _on_shoot_changed(self) -> None:
        self.beginResetModel()
        self._images = {}
        self._asked, self._waiting = set(), set()
        self.endResetModel()

    def _on_sorting_changed(self, paths: tuple[Path, ...]) -> None:
        if len(paths) > MANY:
            self.dataChanged.emit(self.index(0), self.index(self.rowCount() - 1))
            return
        for path in paths:
            self._touch(path)

    def _touch(self, path: Path) -> None:
        if path in self.session.pictures:
            index = self.index(self.session.pictures.index(path))
            self.dataChanged.emit(index, index)
