"""The contact sheet: every picture of the shoot from its embedded preview."""

from collections.abc import Callable, Iterable, Sequence
from functools import partial
from math import isfinite
from pathlib import Path
from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QObject,
    QPointF,
    QRectF,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QFont, QFontMetricsF, QImage, QKeyEvent, QPainter, QPen, QShowEvent
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from ....errors import MatizError
from ....measure.sort.brief import Brief
from ....measure.sort.burst import Ranked
from ....raw.decode import Decoder
from ....raw.frame import Facts
from ....shoot.choosing import Seen
from ....shoot.one_light import OneLight
from ....wording import degrees, kelvin, number, percent, printable
from ....work.closing import wait_for_pool
from ....work.jobs import Job
from ....work.looking import Looking
from ....work.pool import Pool
from ....work.renderings import Renderings
from ....work.session import Session
from ...canvas.render import to_image
from ...kit import theme
from ...kit.models import ROOT, Index
from ...kit.over_picture import label
from ...kit.painted import painting_item

CELL = QSize(252, 216)
SIZES = {"small": 0.66, "middle": 1.0, "large": 1.6}
"""Of tiles, by name, in sizes of CELL."""
THUMBNAIL_PX, FACTS_PX = 480, 32
REGROUP_MS = 400
LEAST_FULL, LEAST_HEADROOM_EV, LEAST_TILT_DEG = 0.001, 0.5, 0.3
"""That are worth a word."""
LEAST_LIGHT = 2
"""Pictures in one light that have a line over them."""
MANY = 20
"""Pictures from which on the whole sheet is drawn anew."""
LABEL_PX = 24.0
"""About the words of a label."""
OWN_KEYS = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)


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


class SheetDelegate(QStyledItemDelegate):
    """A thumbnail, its name, how it is sorted, its rank, what was measured of it."""

    def __init__(self, sheet: SheetModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session, self.looking, self.renderings = sheet.session, sheet.looking, sheet.renderings
        self.cell = CELL
        self.light_of: Callable[[Path], OneLight | None] = lambda _: None
        """Gives the light that a picture was taken in."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return self.cell

    @painting_item
    def paint(self, painter: QPainter, option: Any, index: Index) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        path: Path = index.data(Qt.ItemDataRole.UserRole)
        document = self.session.document_of(path)
        area = QRectF(option.rect).adjusted(6, 6, -6, -6)  # type: ignore[attr-defined]
        selected = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        if selected:
            painter.fillRect(area, theme.colour("line"))
        frame = area.adjusted(8, 18, -8, -32)
        image = index.data(Qt.ItemDataRole.DecorationRole)
        if isinstance(image, QImage):
            painter.setOpacity(0.35 if document.sorted_as == "drop" else 1.0)
            painter.drawImage(_fitted(image, frame), image)
            painter.setOpacity(1.0)
        else:
            painter.setPen(theme.colour("quiet"))
            wrapped = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(frame, int(wrapped), image or "reading")
        text = QRectF(area.left() + 8, area.bottom() - 28, area.width() - 16, 22)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.font(theme.TEXT_PX, QFont.Weight.Medium if selected else QFont.Weight.Normal))
        painter.setPen(theme.colour("strong" if path == self.session.path else "text"))
        painter.drawText(text, int(Qt.AlignmentFlag.AlignLeft | middle), printable(path.name))
        painter.setPen(theme.colour("text"))
        words = [document.sorted_as] if document.sorted_as else []
        words += [f"rank {document.rank}"] if document.rank else []
        merged = self.session.desk.catalogue.merged.get(path)
        words += [f"of {len(merged.names)}"] if merged is not None else []
        words += ["thumbnail updating"] if self.renderings.is_stale(path) else []
        told = self.session.ranked.get(path)
        brief = self.looking.briefs.get(path)
        if told is not None:
            self._paint_detail(painter, told, frame)
        elif brief is not None and isinstance(image, QImage):
            held = _fitted(image, frame)
            label(painter, _as_fits(brief_parts(brief), held.width()), held.bottomLeft() + QPointF(3.0, -22.0))
        painter.drawText(text, int(Qt.AlignmentFlag.AlignRight | middle), "   ".join(words))
        if not self.session.desk.catalogue.is_arranged:
            self._paint_light(painter, path, QRectF(option.rect))  # type: ignore[attr-defined]
            self._paint_set(painter, path, QRectF(option.rect))  # type: ignore[attr-defined]
        if selected:
            painter.setPen(QPen(theme.colour("text"), 1.5))
            painter.drawRect(area)

    def _paint_detail(self, painter: QPainter, told: Ranked, frame: QRectF) -> None:
        """How much of the set's finest detail a frame holds, as a length and in words."""
        kind = f"  {told.kind}" if told.kind else "  sharpest" if told.detail >= 1.0 else ""
        text = "lost" if told.kind == "lost" else f"{percent(told.detail, 0)}{kind}"
        bar = QRectF(frame.left(), frame.bottom() - 4.0, frame.width(), 4.0)
        painter.fillRect(bar, theme.grey(10, 200))
        bar.setWidth(frame.width() * told.detail)
        painter.fillRect(bar, theme.colour("strong"))
        label(painter, text, QPointF(frame.left() + 2.0, frame.bottom() - 26.0))

    def _paint_light(self, painter: QPainter, path: Path, cell: QRectF) -> None:
        """A dashed line over tiles of one light, with what it is over the first, where a shoot has several."""
        light = self.light_of(path)
        if light is None or len(light.pictures) < LEAST_LIGHT:
            return
        painter.setPen(QPen(theme.colour("quiet"), 1.2, Qt.PenStyle.DashLine))
        _paint_span(painter, light.pictures, path, cell, 1.0)
        if path == light.pictures[0] and isfinite(light.mired):
            painter.setFont(theme.font(theme.SMALL_PX))
            name = QRectF(cell.left() + 8.0, cell.top() + 6.0, cell.width() - 22.0, 15.0)
            words = f"light {kelvin(1e6 / light.mired)}"
            painter.drawText(name, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)

    def _paint_set(self, painter: QPainter, path: Path, cell: QRectF) -> None:
        """A line over tiles that belong together, closed at its ends, with its name over the first."""
        found = self.session.desk.catalogue.set_of(path)
        if found is None:
            return
        painter.setPen(QPen(theme.colour("quiet"), 1.4))
        _paint_span(painter, found.pictures, path, cell, 5.0)
        if path == found.pictures[0]:
            painter.setFont(theme.font(theme.SMALL_PX))
            name = QRectF(cell.left() + 13.0, cell.top() + 6.0, cell.width() - 24.0, 15.0)
            painter.drawText(name, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, found.name)


def _paint_span(painter: QPainter, pictures: Sequence[Path], path: Path, cell: QRectF, down: float) -> None:
    """The part of a line over a row of tiles that lies over one of them, closed at the row's ends."""
    y, first, last = cell.top() + down, path == pictures[0], path == pictures[-1]
    left, right = cell.left() + (8.0 if first else 0.0), cell.right() - (8.0 if last else 0.0)
    painter.drawLine(QPointF(left, y), QPointF(right, y))
    for at, is_end in ((left, first), (right, last)):
        if is_end:
            painter.drawLine(QPointF(at, y), QPointF(at, y + 7.0))


class ContactSheet(QListView):
    """Arrows move, Return opens."""

    opened = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sheet = SheetModel(session)
        self.setModel(self.sheet)
        self.tiles = SheetDelegate(self.sheet, self)
        self.setItemDelegate(self.tiles)
        self.words = ""
        """That say which pictures are shown."""
        self._read_of: object = None
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setSpacing(0)
        self.setAccessibleName("Contact sheet")
        self.activated.connect(lambda index: self.opened.emit(index.data(Qt.ItemDataRole.UserRole)))
        session.pictureOpened.connect(self._on_opened)
        session.shootChanged.connect(lambda: self.show_only(""))
        session.shootChanged.connect(self._hear_if_seen)
        session.recipeChanged.connect(lambda _: self._render_if_seen())
        self.sheet.regrouped.connect(lambda: self.show_only(self.words) if self.words.strip() else None)

    def event(self, event: QEvent) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() in OWN_KEYS
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    def _hear_if_seen(self) -> None:
        if self.isVisible():
            self.sheet.hear_all()

    def _render_if_seen(self) -> None:
        if self.isVisible():
            self.sheet.renderings.begin()

    def current_path(self) -> Path | None:
        """None where it is out of sight: nothing is done to what is not seen."""
        path = self._current()
        return None if path in self.session.desk.catalogue.out_of_sight else path

    def _current(self) -> Path | None:
        index = self.currentIndex()
        return index.data(Qt.ItemDataRole.UserRole) if index.isValid() else None

    def selected_paths(self) -> list[Path]:
        """The selected pictures that are shown, in the order of the shoot."""
        paths = (index.data(Qt.ItemDataRole.UserRole) for index in sorted(self.selectedIndexes()))
        return [path for path in paths if path not in self.session.desk.catalogue.out_of_sight]

    def choose_set(self) -> int:
        """Select all of the set that the current picture is in; how many that are."""
        path = self.current_path()
        found = self.session.desk.catalogue.set_of(path) if path is not None else None
        if found is None:
            return 0
        self.choose_all(found.pictures)
        return len(found.pictures)

    def choose_light(self) -> int:
        """Select all that were taken in the light of the current picture; how many those are."""
        path = self.current_path()
        light = self.tiles.light_of(path) if path is not None else None
        if light is None:
            return 0
        self.choose_all(light.pictures)
        return len(light.pictures)

    def choose_all(self, paths: Iterable[Path]) -> None:
        """Select these, as far as they are in the shoot, and bring the first into view."""
        chosen, pictures = QItemSelection(), self.session.pictures
        indexes = [self.sheet.index(pictures.index(path)) for path in paths if path in pictures]
        for index in indexes:
            chosen.select(index, index)
        self.selectionModel().select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        if indexes:
            self.selectionModel().setCurrentIndex(indexes[0], QItemSelectionModel.SelectionFlag.NoUpdate)
            self.scrollTo(indexes[0])

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        # sets and lights are those of the whole shoot, not of what is in view
        self.sheet.hear_all()
        self.sheet.looking.begin()
        self.sheet.renderings.begin()

    def arrange(self, order: str) -> None:
        """Put the pictures of the shoot into an order, a key of ORDERS; those of which nothing is known come last."""
        current, briefs, desk = self.current_path(), self.sheet.looking.briefs, self.session.desk
        self.sheet.beginResetModel()
        own = None if order == "name" else lambda path: place_of(desk.catalogue.seen(path), briefs.get(path), order)
        self.session.desk.catalogue.arrange(own)
        self.sheet.endResetModel()
        self.show_only(self.words)
        if current is not None:
            self.choose(current)

    def show_only(self, words: str) -> int:
        """Show the pictures that meet words, see `shoot.choosing`; how many those are."""
        self.words = words
        if words.strip():
            # what is out of sight is not read by being looked at
            self.sheet.hear_all()
            self._read_documents()
        hidden = self.session.desk.catalogue.show_only(words)
        for row, path in enumerate(self.session.pictures):
            self.setRowHidden(row, path in hidden)
        current = self._current()
        if current in hidden and (near := self._nearest_shown(current)) is not None:
            self.choose(near)
        return len(self.session.pictures) - len(hidden)

    def _read_documents(self) -> None:
        """Of all pictures, once a shoot, aside: a thousand take a second."""
        desk, shoot = self.session.desk, self.session.desk.shoot
        if self._read_of != shoot:
            self._read_of = shoot

            def show(_: object) -> None:
                self.show_only(self.words)

            self.session.do_aside(lambda _: desk.read_all(), "documents", show, of_shoot=True)

    def _nearest_shown(self, path: Path) -> Path | None:
        """The next one that is shown, else the one before."""
        pictures, hidden = self.session.pictures, self.session.desk.catalogue.out_of_sight
        row = pictures.index(path)
        return next((each for each in (*pictures[row:], *pictures[row::-1]) if each not in hidden), None)

    def size_tiles(self, name: str) -> None:
        """Tiles of a size, a key of SIZES."""
        self.tiles.cell = CELL * SIZES[name]
        self.setGridSize(self.tiles.cell)
        index = self.currentIndex()
        if index.isValid():
            self.scrollTo(index)

    def choose(self, path: Path) -> None:
        if path in self.session.pictures:
            self.setCurrentIndex(self.sheet.index(self.session.pictures.index(path)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.current_path():
            self.opened.emit(self.current_path())
        else:
            super().keyPressEvent(event)

    def _on_opened(self) -> None:
        if self.session.path is not None:
            self.choose(self.session.path)


ORDERS = {
    "name": "by name", "sharp": "sharpest first", "full": "most clipped first", "noise": "noisiest first",
    "dust": "most dust first", "tilt": "most tilted first",
    "time": "by time taken", "iso": "by ISO", "lens": "by lens", "rank": "best rank first",
}  # fmt: skip
"""Of the pictures of a shoot, in words."""


def place_of(seen: Seen, brief: Brief | None, order: str) -> tuple[bool, float, str, str]:
    """What pictures are put into an order by: whether that is not known, a number, a text, the name."""
    number, text = _known(seen, brief, order)
    return number is None and not text, number or 0.0, text, seen.path.name.lower()


def _known(seen: Seen, brief: Brief | None, order: str) -> tuple[float | None, str]:
    shot = seen.exposure
    if order == "rank":
        return (-float(seen.document.rank) or None), ""
    if order in ("time", "iso", "lens"):
        if shot is None:
            return None, ""
        # of a zoom by how it was set
        lens = f"{shot.lens} {shot.focal_mm or 0.0:09.2f}" if shot.lens or shot.focal_mm else ""
        return {"time": (None, shot.time_utc or ""), "iso": (shot.iso, ""), "lens": (None, lens)}[order]
    if brief is None:
        return None, ""
    dust = None if brief.dust is None else -float(brief.dust)
    tilt = None if brief.tilt_deg is None else -abs(brief.tilt_deg)
    told = {"sharp": brief.edges_px, "full": -brief.full_share, "noise": brief.snr_dB, "dust": dust, "tilt": tilt}
    return told[order], ""


def brief_parts(brief: Brief) -> list[str]:
    """What of a picture is worth a word on its tile, the most telling first."""
    parts = [f"edges {number(brief.edges_px, 1, 'px')}"] if brief.edges_px is not None else ["edges not sure"]
    if brief.full_share >= LEAST_FULL:
        parts.append(f"full {percent(brief.full_share, 1)}")
    elif brief.headroom_EV >= LEAST_HEADROOM_EV:
        parts.append(f"headroom {number(brief.headroom_EV, 1, 'EV')}")
    if brief.dust:
        parts.append(f"dust {number(brief.dust, 0)}")
    if brief.tilt_deg is not None and abs(brief.tilt_deg) >= LEAST_TILT_DEG:
        parts.append(f"leans {degrees(brief.tilt_deg)}")
    return parts


def _as_fits(parts: list[str], width: float) -> str:
    """As many as there is room for, and the first."""
    metrics = QFontMetricsF(theme.font(theme.SMALL_PX))
    while len(parts) > 1 and metrics.horizontalAdvance("  ".join(parts)) > width - LABEL_PX:
        parts = parts[:-1]
    return "  ".join(parts)


def _fitted(image: QImage, frame: QRectF) -> QRectF:
    scale = min(frame.width() / image.width(), frame.height() / image.height())
    width, height = image.width() * scale, image.height() * scale
    return QRectF(frame.center().x() - width / 2, frame.center().y() - height / 2, width, height)
