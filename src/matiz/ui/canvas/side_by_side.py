"""Two to six pictures, or versions of one, side by side: zoom and place are those of all, and what is measured of each
stands under it."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent

from ...develop.graph.engine import Engine
from ...errors import MatizError
from ...measure.picture import Meter
from ...recipe.model import Recipe
from ...shoot.as_decided import as_decided
from ...wording import EV, number, percent, printable, time_text
from ...work.jobs import Job
from ...work.latest import LatestWorker
from ...work.session import Session
from ..kit import theme
from ..kit.painted import PaintedWidget, painting
from .render import Rendered, RenderRequest, rendered
from .viewport import FIT, Viewport

LEAST, MOST = 2, 6
GAP_PX, FOOT_PX = 10.0, 40.0
DRAG_PX = 4.0
KEYS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Enter)


@dataclass(eq=False)
class Pane:
    """One picture, or one version of it."""

    path: Path
    name: str
    engine: Engine | None = None
    recipe: Recipe = field(default_factory=Recipe)
    shown: Rendered | None = None
    told: str = "reading"
    """What is measured of it, or why it cannot be read."""


@dataclass(frozen=True)
class WantedPanes:
    """What all panes are to show."""

    requests: tuple[tuple[Pane, RenderRequest], ...]


class SideBySide(PaintedWidget):
    """Shown in place of the picture. `left` when the user has seen enough; `opened` carries the picture to go on
    with."""

    left = Signal()
    opened = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.panes: list[Pane] = []
        self.chosen = 0
        self.zoom, self.centre = FIT, (0.5, 0.5)
        self._pressed: tuple[QPointF, tuple[float, float], int] | None = None
        self._moved = False
        self._job: Job | None = None
        self._turn = 0
        self._worker = LatestWorker(_render, "side by side", yields=True)
        self._worker.answered.connect(self._on_rendered)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Side by side")
        self.setToolTip("Wheel: zoom in all. Drag: move all. Left and right choose one; Return opens it, Escape ends.")
        session.sortingChanged.connect(lambda _: self.update())
        session.shootChanged.connect(self.close_panes)

    # ---- what is compared

    def show_pictures(self, paths: list[Path]) -> None:
        """The first of them, as many as there is room for."""
        self._begin([Pane(path, printable(path.name)) for path in paths[:MOST]])

    def show_versions(self) -> None:
        """Those of the open picture."""
        picture, document = self.session.picture, self.session.document
        if picture is not None:
            panes = [Pane(picture.path, name, picture.engine, version.recipe)
                     for name, version in list(document.versions.items())[:MOST]]  # fmt: skip
            self._begin(panes)

    def close_panes(self) -> None:
        """Nothing of them is held any more."""
        self._turn += 1
        if self._job is not None:
            self._job.stop()
        self.panes = []

    def path(self) -> Path | None:
        """The picture that is chosen."""
        return self.panes[self.chosen].path if self.panes else None

    def is_idle(self) -> bool:
        return self._job is None and self._worker.is_idle()

    def end(self) -> None:
        self.close_panes()
        self._worker.end()

    def _begin(self, panes: list[Pane]) -> None:
        self.close_panes()
        self.panes, self.chosen, self.zoom, self.centre = panes, 0, FIT, (0.5, 0.5)
        here = [n for n, pane in enumerate(panes) if pane.path == self.session.path]
        self.chosen = here[0] if here else 0
        decoder, turn = self.session.decoder, self._turn
        documents = {pane.path: self.session.document_of(pane.path) for pane in panes}

        def read(job: Job) -> None:
            for n, pane in enumerate(panes):
                if job.is_stopped:
                    return
                try:
                    if pane.engine is None:
                        picture = as_decided(pane.path, document=documents[pane.path], read=decoder.read_for(job))
                        pane.recipe, pane.engine = picture.recipe, picture.engine
                    job.progress(n / len(panes))
                    pane.told = pane_label(pane.engine, pane.recipe)
                except MatizError as error:
                    pane.told = str(error)
                job.progress((n + 0.5) / len(panes))

        job = Job(read, "side by side")
        job.progressed.connect(lambda *_: self._ask() if turn == self._turn else None)
        job.failed.connect(self.session.said.emit)
        job.finished.connect(lambda: self._on_read(turn))
        self._job = job.start()
        self._ask()

    def _on_read(self, turn: int) -> None:
        if turn == self._turn:
            self._job = None
            self._ask()
        elif not self.panes:
            self._job = None

    # ---- where

    def tile(self, index: int) -> QRectF:
        """Where a picture lies in the widget, without what stands under it."""
        count = max(len(self.panes), 1)
        columns = count if count <= 3 else (count + 1) // 2
        rows = -(-count // columns)
        wide = (self.width() - GAP_PX * (columns + 1)) / columns
        tall = (self.height() - GAP_PX * (rows + 1)) / rows
        column, row = index % columns, index // columns
        return QRectF(GAP_PX + column * (wide + GAP_PX), GAP_PX + row * (tall + GAP_PX), wide, tall - FOOT_PX)

    def _view(self, index: int) -> Viewport | None:
        pane, tile, ratio = self.panes[index], self.tile(index), self.devicePixelRatioF()
        if pane.engine is None or tile.width() < 2 or tile.height() < 2:
            return None
        window = max(1, int(tile.width() * ratio)), max(1, int(tile.height() * ratio))
        return Viewport(pane.engine.size(pane.recipe), window, self.zoom, self.centre)

    def look(self, zoom: float, centre: tuple[float, float]) -> None:
        """In all of them."""
        self.zoom, self.centre = zoom, centre
        self._ask()

    def set_zoom(self, zoom: float) -> None:
        self.look(zoom, self.centre if zoom != FIT else (0.5, 0.5))

    def _ask(self) -> None:
        requests = []
        for index, pane in enumerate(self.panes):
            view = self._view(index)
            if view is not None and pane.engine is not None:
                requests.append((pane, RenderRequest(pane.engine, pane.recipe, view)))
        if requests:
            self._worker.ask(WantedPanes(tuple(requests)))
        self.update()

    def _on_rendered(self, _: WantedPanes, made: tuple[Pane, Rendered]) -> None:
        pane, shown = made
        pane.shown = shown
        self.update()

    # ---- the hand

    def _index_at(self, at: QPointF) -> int | None:
        return next((n for n in range(len(self.panes)) if self.tile(n).contains(at)), None)

    def wheelEvent(self, event: QWheelEvent) -> None:
        index = self._index_at(event.position())
        view = self._view(index) if index is not None else None
        if view is None or index is None:
            return
        ratio, tile = self.devicePixelRatioF(), self.tile(index)
        around = (event.position().x() - tile.left()) * ratio, (event.position().y() - tile.top()) * ratio
        fresh = view.zoomed(view.scale * 2.0 ** (event.angleDelta().y() / 360.0), around)
        self.look(fresh.zoom, fresh.centre)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self._index_at(event.position())
        if index is not None and event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._moved = (event.position(), self.centre, index), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        start, centre, index = self._pressed
        moved = event.position() - start
        view = self._view(index)
        if view is not None and (self._moved or moved.manhattanLength() > DRAG_PX):
            self._moved = True
            ratio = self.devicePixelRatioF()
            fresh = replace(view, centre=centre).panned(moved.x() * ratio, moved.y() * ratio)
            self.look(self.zoom, fresh.centre)

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        if self._pressed is not None and not self._moved:
            self.chosen = self._pressed[2]
            self.update()
        self._pressed = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        index = self._index_at(event.position())
        if index is not None:
            self.opened.emit(self.panes[index].path)

    def keeps(self, event: QKeyEvent) -> bool:
        return event.key() in KEYS and not event.modifiers()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if event.modifiers() or event.key() not in KEYS:
            super().keyPressEvent(event)
        elif step is not None and self.panes:
            self.chosen = min(max(self.chosen + step, 0), len(self.panes) - 1)
            self.update()
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif self.panes:
            self.opened.emit(self.panes[self.chosen].path)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._ask()

    # ---- painting

    @painting
    def paintEvent(self, painter: QPainter, _: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour("window"))
        for index, pane in enumerate(self.panes):
            self._paint_pane(painter, self.tile(index), pane, chosen=index == self.chosen)

    def _paint_pane(self, painter: QPainter, tile: QRectF, pane: Pane, *, chosen: bool) -> None:
        ratio = self.devicePixelRatioF()
        painter.save()
        painter.setClipRect(tile)
        if pane.shown is not None:
            x, y, wide, tall = (value / ratio for value in pane.shown.place)
            painter.drawImage(QRectF(tile.left() + x, tile.top() + y, wide, tall), pane.shown.image)
        painter.restore()
        document = self.session.document_of(pane.path)
        words = [document.sorted_as] if document.sorted_as else []
        words += [f"rank {document.rank}"] if document.rank else []
        sharp = self.session.ranked.get(pane.path)
        told = f"{percent(sharp.detail, 0)} of the fine detail   {pane.told}" if sharp is not None else pane.told
        left, right = (side | Qt.AlignmentFlag.AlignVCenter
                       for side in (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight))  # fmt: skip
        first = QRectF(tile.left(), tile.bottom() + 2, tile.width(), 18)
        painter.setFont(theme.font(theme.TEXT_PX, QFont.Weight.Medium if chosen else QFont.Weight.Normal))
        painter.setPen(theme.colour("strong" if chosen else "text"))
        painter.drawText(first, left, pane.name)
        painter.drawText(first, right, "   ".join(words))
        painter.setFont(theme.font(theme.SMALL_PX))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(first.translated(0, 17), left, told)
        if chosen:
            painter.setPen(QPen(theme.colour("strong"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(tile.adjusted(-2, -2, 2, 2))


def pane_label(engine: Engine, recipe: Recipe) -> str:
    """How it was taken, and what room is above its lights."""
    shot = engine.frame.exposure
    parts = [f"ISO {number(shot.iso, 0)}"] if shot.iso else []
    parts += [time_text(shot.time_s)] if shot.time_s else []
    if engine.frame.mosaic is not None:
        headroom = Meter(engine).read(recipe, ("range",))["range"].headroom_EV
        parts.append(f"headroom {EV(headroom, signed=False)}")
    return "   ".join(parts)


def _render(wanted: WantedPanes, emit: Callable[[Any], None]) -> None:
    """One after the other: a new place is asked for before all have been."""
    for pane, request in wanted.requests:
        emit((pane, rendered(request, request.view.level, is_draft=False)))
