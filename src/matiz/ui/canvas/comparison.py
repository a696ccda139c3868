"""Two pictures in one view, before and after or now and with a fix: a split with a line, or a map of changes."""

from dataclasses import replace
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPen

from ...develop.graph.engine import Engine
from ...measure.colour.change import change_map, contours
from ...recipe.model import Recipe
from ...work.latest import LatestWorker
from ..kit import theme
from ..kit.over_picture import label, paint_contours
from .render import Rendered, Renderer, RenderRequest, pixels_of
from .viewport import Viewport

GRAB_PX = 8.0
OFF, SPLIT, CHANGE, TRIAL = "off", "split", "change", "trial"


class Comparison(QObject):
    """Another picture beside the one that is seen: the untouched one, or one that a fix would make."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.mode = OFF
        self.share = 0.5
        """Where the split lies, of the width of the widget."""
        self._other: Rendered | None = None
        self._trial: Recipe | None = None
        self.trial_of = ""
        """What is tried, by the key of its finding."""
        self._asked: RenderRequest | None = None
        self._lines: dict[float, list[np.ndarray]] = {}
        self._mapped: tuple[int, int] | None = None
        self._renderer = Renderer()
        self._renderer.answered.connect(self._on_rendered)
        self._mapper = LatestWorker(_mapped, "change map")
        self._mapper.answered.connect(self._on_mapped)

    def toggle(self, mode: str) -> None:
        self.mode, self._trial, self.trial_of = OFF if self.mode == mode else mode, None, ""
        self.changed.emit()

    def set_trial(self, recipe: Recipe | None, of: str = "") -> None:
        """Compare what is seen with what another recipe makes; None to end it."""
        if recipe is not None or self.mode == TRIAL:
            self.mode, self._trial, self.trial_of = (OFF if recipe is None else TRIAL), recipe, of
            self.changed.emit()

    def ask(self, engine: Engine, recipe: Recipe, view: Viewport) -> None:
        """Have the other picture rendered for a view of what is seen under a recipe, if it is wanted and was not asked
        for already."""
        if self.mode == OFF:
            return
        wanted = RenderRequest(engine, recipe.untouched(), view)
        if self._trial is not None:
            # what a fix does may turn the picture or cut it
            wanted = RenderRequest(engine, self._trial, replace(view, picture=engine.size(self._trial)))
        if self._asked != wanted:
            self._asked, self._other = wanted, None
            self._renderer.ask(wanted)

    def forget(self) -> None:
        self.set_trial(None)
        self._other, self._asked, self._lines, self._mapped = None, None, {}, None
        self._renderer.forget()

    def is_idle(self) -> bool:
        return self._renderer.is_idle() and self._mapper.is_idle()

    def end(self) -> None:
        self._renderer.end()
        self._mapper.end()

    # ---- the line

    def line_x(self, width: int) -> float:
        return self.share * width

    def holds(self, x: float, width: int) -> bool:
        """Whether a press at x takes the line of the split."""
        return self.mode in (SPLIT, TRIAL) and abs(x - self.line_x(width)) <= GRAB_PX

    def drag_to(self, x: float, width: int) -> None:
        self.share = min(max(x / max(width, 1), 0.02), 0.98)
        self.changed.emit()

    # ---- painting

    def paint(self, painter: QPainter, widget: QRectF, place: QRectF, after: Rendered) -> None:
        """place: where `after` lies in the widget."""
        if self.mode == OFF or self._other is None:
            return
        of_same_size = self._other.view.picture == after.view.picture
        of_same_view = replace(self._other.view, picture=after.view.picture) == after.view
        if not of_same_view or not (of_same_size or self.mode == TRIAL):
            return
        painter.save()
        if self.mode in (SPLIT, TRIAL):
            if not of_same_size:
                share = place.width() / after.place[2]
                place = QRectF(*(share * v for v in self._other.place))
            self._paint_split(painter, widget, place)
        else:
            self._compare(after.image)
            self._paint_change(painter, place)
        painter.restore()

    def _paint_split(self, painter: QPainter, widget: QRectF, place: QRectF) -> None:
        x, tries = self.line_x(int(widget.width())), self.mode == TRIAL
        painter.setClipRect(widget.adjusted(x, 0, 0, 0) if tries else widget.adjusted(0, 0, x - widget.width(), 0))
        painter.fillRect(widget, theme.colour("window"))
        painter.drawImage(place, self._other.image)  # type: ignore[union-attr]
        painter.setClipping(False)
        for pen in (QPen(theme.grey(5), 3), QPen(theme.grey(97), 1.2)):
            painter.setPen(pen)
            painter.drawLine(QPointF(x, place.top()), QPointF(x, place.bottom()))
        left, right = ("now", "with the fix") if tries else ("before", "after")
        label(painter, left, QPointF(x - 8, place.top() + 8), Qt.AlignmentFlag.AlignRight)
        label(painter, right, QPointF(x + 8, place.top() + 8), Qt.AlignmentFlag.AlignLeft)

    def _paint_change(self, painter: QPainter, place: QRectF) -> None:
        paint_contours(painter, place, self._lines)
        if not any(self._lines.values()) and self._lines:
            label(
                painter, "nothing differs by ΔE 2 or more", place.topLeft() + QPointF(8, 8), Qt.AlignmentFlag.AlignLeft
            )

    def _compare(self, after: QImage) -> None:
        before = self._other.image  # type: ignore[union-attr]
        key = (before.cacheKey(), after.cacheKey())
        if before.size() == after.size() and key != self._mapped:
            self._mapped = key
            self._mapper.ask((before, after))

    def _on_rendered(self, request: RenderRequest, rendered: Rendered) -> None:
        if self._asked is not request:
            return
        if not rendered.is_draft or self._other is None:
            self._other = rendered
            self.changed.emit()

    def _on_mapped(self, _: Any, lines: dict[float, list[np.ndarray]]) -> None:
        self._lines = lines
        self.changed.emit()


def _mapped(request: Any, emit: Any) -> None:
    emit(contours(change_map(*(pixels_of(image) for image in request))))
