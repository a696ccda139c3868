"""The picture: zoom, pan, before while held, tools and overlays, a progress line."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Protocol

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QTabletEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from ...recipe.model import Recipe
from ...work.session import Session
from ..kit import theme
from ..kit.painted import painting
from .comparison import Comparison
from .render import Rendered, Renderer, RenderRequest
from .tools import Pan, Pointer, SplitLine, Tool
from .viewport import FIT, Viewport


def as_decided(recipe: Recipe) -> Recipe:
    return recipe


class Overlay(Protocol):
    """What a station paints over the picture; coordinates are the widget's."""

    def paint_over(self, painter: QPainter, view: "PictureView") -> None: ...


STANDING_TOOLS = 2
"""Pan and the line of the split, which are always there."""


class PictureView(QWidget):
    """Shows the open picture as the recipe makes it."""

    zoomChanged = Signal(float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.viewport = Viewport((3, 2), (3, 2))
        self.overlays: list[Overlay] = []
        self.tools: list[Tool] = []
        """The topmost, last, is asked first."""
        self.only_looks = False
        """Whether the picture can be moved and zoomed, and nothing else."""
        self._at_work: Tool | None = None
        self._rendered: Rendered | None = None
        self._before = False
        self._seen: Callable[[Recipe], Recipe] = as_decided
        self._message = ""
        self._busy = False
        self._renderer = Renderer()
        self._renderer.answered.connect(self._on_rendered)
        self._renderer.failed.connect(lambda _, text: session.said.emit(f"rendering failed: {text}"))
        self.comparison = Comparison()
        self.comparison.changed.connect(self.update)
        self._phase = 0.0
        self._beat = QTimer(self, interval=40)
        self._beat.timeout.connect(self._on_beat)
        self.setMinimumSize(240, 160)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Picture")
        session.pictureOpening.connect(self._on_opening)
        session.pictureOpened.connect(self._on_opened)
        session.pictureFailed.connect(self._on_failed)
        session.pictureClosed.connect(self._on_closed)
        session.recipeChanging.connect(self._on_recipe)
        session.recipeChanged.connect(self._on_recipe)
        session.editCancelled.connect(self.let_go)
        for tool in (Pan(), SplitLine()):
            self.take(tool)

    # ---- what is seen

    @property
    def recipe(self) -> Recipe:
        """What the picture is seen under: the session's, as far as a station does not show more of it."""
        return self._seen(self.session.recipe)

    def see(self, how: Callable[[Recipe], Recipe] | None) -> None:
        """Show the picture under a recipe that is made from the session's; None for that itself."""
        self._seen = how or as_decided
        self._follow_size()

    def set_zoom(self, zoom: float) -> None:
        """Device px per picture px; FIT shows all."""
        self.look(self.viewport.zoomed(zoom))

    def look_at(self, x: float, y: float, zoom: float) -> None:
        """Bring a place of the picture, px, to the middle at a zoom."""
        width, height = self.viewport.picture
        self.look(replace(self.viewport, zoom=zoom, centre=(x / width, y / height)))

    def show_before(self, on: bool) -> None:
        """The picture with an untouched recipe, while held."""
        if on != self._before:
            self._before = on
            self.ask()

    def is_before(self) -> bool:
        return self._before

    def image(self) -> QImage | None:
        """The pixels as last rendered in full; None before that."""
        return self._rendered.image if self._rendered and not self._rendered.is_draft else None

    def is_idle(self) -> bool:
        """True when the view shows what was asked last."""
        done = self._renderer.is_idle() and self.comparison.is_idle() and not self._busy
        return done and (self._rendered is None or not self._rendered.is_draft)

    def ask(self) -> None:
        """Have the picture rendered as it is to be seen now."""
        if self.session.engine is not None and self.isVisible():
            recipe = self.recipe
            shown = recipe.untouched() if self._before else recipe
            self._renderer.ask(RenderRequest(self.session.engine, shown, self.viewport))
            self.comparison.ask(self.session.engine, recipe, self.viewport)

    def end(self) -> None:
        self._beat.stop()
        self._renderer.end()
        self.comparison.end()

    # ---- geometry for overlays

    def to_widget(self, x: float, y: float) -> QPointF:
        """Picture px to widget coordinates."""
        ratio = self.devicePixelRatioF()
        wx, wy = self.viewport.to_window(x, y)
        return QPointF(wx / ratio, wy / ratio)

    def to_points(self, points: Iterable[Sequence[float]]) -> list[QPointF]:
        """Many places, picture px, in widget coordinates: one by one each would ask how the picture lies."""
        start, step = self.to_widget(0.0, 0.0), self.to_widget(1.0, 1.0) - self.to_widget(0.0, 0.0)
        return [QPointF(start.x() + x * step.x(), start.y() + y * step.y()) for x, y in points]

    def to_picture(self, point: QPointF) -> tuple[float, float]:
        ratio = self.devicePixelRatioF()
        return self.viewport.to_picture(point.x() * ratio, point.y() * ratio)

    def rect_on_widget(self, area: tuple[int, int, int, int]) -> QRectF:
        x, y, w, h = area
        return QRectF(self.to_widget(x, y), self.to_widget(x + w, y + h))

    def image_place(self) -> QRectF | None:
        """Where the rendered pixels lie in the widget."""
        if self._rendered is None:
            return None
        ratio = self.devicePixelRatioF()
        return QRectF(*(v / ratio for v in self._rendered.place))

    # ---- events

    @painting
    def paintEvent(self, painter: QPainter, _: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.colour("window"))
        place = self.image_place()
        if self._rendered is not None and place is not None:
            if self._rendered.view is not self.viewport:
                place = self._moved(place)
            enlarged = place.width() * self.devicePixelRatioF() > self._rendered.image.width() * 1.01
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, enlarged and self.viewport.scale < 2.0)
            painter.drawImage(place, self._rendered.image)
            if not self._before:
                self.comparison.paint(painter, QRectF(self.rect()), place, self._rendered)
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                for overlay in (*self.overlays, *self.tools):
                    painter.save()
                    overlay.paint_over(painter, self)
                    painter.restore()
        if self._message:
            painter.setPen(theme.colour("text"))
            painter.drawText(
                self.rect().adjusted(60, 0, -60, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self._message,
            )
        if self._busy:
            self._paint_busy(painter)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_window()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.ask()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press(self.pointer(event.position(), event.button(), event.modifiers()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        button = Qt.MouseButton.LeftButton if event.buttons() else Qt.MouseButton.NoButton
        self._drag(self.pointer(event.position(), button, event.modifiers()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._release(self.pointer(event.position(), event.button(), event.modifiers()))

    def tabletEvent(self, event: QTabletEvent) -> None:
        pointer = self.pointer(event.position(), event.button(), event.modifiers(), event.pressure())
        kind = event.type()
        if kind == QEvent.Type.TabletPress:
            self._press(pointer)
        elif kind == QEvent.Type.TabletRelease:
            self._release(pointer)
        else:
            self._drag(pointer)
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if len(self.tools) == STANDING_TOOLS:
            ratio = self.devicePixelRatioF()
            around = (event.position().x() * ratio, event.position().y() * ratio)
            self.look(self.viewport.zoomed(1.0 if self.viewport.zoom == FIT else FIT, around))

    def wheelEvent(self, event: QWheelEvent) -> None:
        ratio = self.devicePixelRatioF()
        around = (event.position().x() * ratio, event.position().y() * ratio)
        self.look(self.viewport.zoomed(self.viewport.scale * 2.0 ** (event.angleDelta().y() / 360.0), around))

    # ---- tools

    def take(self, tool: Tool) -> None:
        """Put a tool on top of the others."""
        if tool not in self.tools:
            tool.view = self
            self.tools.append(tool)
            self._show_cursor()

    def put_away(self, tool: Tool) -> None:
        """Take a tool off the stack; a drag of it is taken back."""
        if tool in self.tools:
            if self._at_work is tool:
                self.let_go()
            self.tools.remove(tool)
            self._show_cursor()

    def let_go(self) -> None:
        """Take back the drag that goes on."""
        at_work, self._at_work = self._at_work, None
        if at_work is not None:
            at_work.cancel()

    def pointer(
        self,
        at: QPointF,
        button: Qt.MouseButton = Qt.MouseButton.LeftButton,
        modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        pressure: float = 1.0,
    ) -> Pointer:
        """What a tool hears of a place of the widget."""
        x, y = self.to_picture(at)
        width, height = self.viewport.picture
        engine, recipe = self.session.engine, self.recipe if self.session.is_open else None

        def frame() -> tuple[float, float]:
            if engine is None or recipe is None:
                return x, y
            there = engine.mapping(recipe).to_frame([(x, y)])[0]
            return float(there[0]), float(there[1])

        inside = 0 <= x < width and 0 <= y < height
        return Pointer(at, (x, y), frame, inside, button, modifiers, pressure)

    def _press(self, pointer: Pointer) -> None:
        if self._at_work is None:
            tools = self.tools[:STANDING_TOOLS] if self.only_looks else self.tools
            self._at_work = next((tool for tool in reversed(tools) if tool.begin(pointer)), None)

    def _drag(self, pointer: Pointer) -> None:
        if self._at_work is not None:
            self._at_work.move(pointer)
        elif self.tools and not self.only_looks:
            self.tools[-1].hover(pointer)

    def _release(self, pointer: Pointer) -> None:
        at_work, self._at_work = self._at_work, None
        if at_work is not None:
            at_work.end(pointer)

    def _show_cursor(self) -> None:
        cursors = [tool.cursor for tool in self.tools if tool.cursor != Qt.CursorShape.ArrowCursor]
        self.setCursor(cursors[-1] if cursors else Qt.CursorShape.ArrowCursor)

    # ---- inside

    def look(self, view: Viewport) -> None:
        if view != self.viewport:
            self.viewport = view
            self.zoomChanged.emit(view.zoom)
            self.update()
            self.ask()

    def _fit_window(self) -> None:
        ratio = self.devicePixelRatioF()
        window = (max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio)))
        old = self.viewport
        self.look(Viewport(old.picture, window, old.zoom, old.centre))

    def _moved(self, place: QRectF) -> QRectF:
        """Old pixels under a new view, until the new ones come."""
        old, new = self._rendered.view, self.viewport  # type: ignore[union-attr]
        ratio = self.devicePixelRatioF()
        corners = []
        for x, y in ((place.left(), place.top()), (place.right(), place.bottom())):
            corners.append(new.to_window(*old.to_picture(x * ratio, y * ratio)))
        (x0, y0), (x1, y1) = corners
        return QRectF(x0 / ratio, y0 / ratio, (x1 - x0) / ratio, (y1 - y0) / ratio)

    def _paint_busy(self, painter: QPainter) -> None:
        """A thin line that moves while a picture is being opened."""
        wide = self.width() * 0.22
        x = (self.width() + wide) * self._phase - wide
        painter.fillRect(QRectF(x, self.height() - 2, wide, 2), theme.colour("text"))

    def _on_rendered(self, request: RenderRequest, rendered: Rendered) -> None:
        if request.engine is self.session.engine:
            self._rendered = rendered
            self._message = ""
            self.update()

    def toggle_comparison(self, mode: str) -> None:
        """Split or change map, or neither when it is on already."""
        self.comparison.toggle(mode)
        self.ask()

    def try_out(self, recipe: Recipe | None, of: str = "") -> None:
        """Show beside the picture what another recipe would make of it; None to end it. of: what is tried."""
        self.comparison.set_trial(None if recipe is None else self._seen(recipe), of)
        self.ask()

    def _on_opening(self, path: Path) -> None:
        self._busy = True
        self._phase = 0.0
        self._beat.start()

    def _on_opened(self) -> None:
        self._rest()
        self._message = ""
        self.viewport = Viewport(self._picture_size(), self.viewport.window)
        self.zoomChanged.emit(FIT)
        self.ask()
        self.update()

    def _on_closed(self) -> None:
        self.let_go()
        self._rendered = None
        self._renderer.forget()
        self.comparison.forget()

    def _on_recipe(self, changed: frozenset[str]) -> None:
        """The picture may have another size now."""
        if self.session.picture is not None:
            if changed:
                self.comparison.set_trial(None)
            self._follow_size()

    def _follow_size(self) -> None:
        """The picture as it is seen may have another size now."""
        if self.session.picture is not None:
            size = self._picture_size()
            if size != self.viewport.picture:
                self.viewport = Viewport(size, self.viewport.window, self.viewport.zoom, self.viewport.centre)
                self.zoomChanged.emit(self.viewport.zoom)
            self.ask()

    def _picture_size(self) -> tuple[int, int]:
        engine = self.session.engine
        assert engine is not None
        return engine.size(self.recipe)

    def _on_failed(self, text: str) -> None:
        self._rest()
        self._message = text
        self.update()

    def _rest(self) -> None:
        self._busy = False
        self._beat.stop()

    def _on_beat(self) -> None:
        self._phase = (self._phase + 0.02) % 1.0
        self.update(0, self.height() - 3, self.width(), 3)
