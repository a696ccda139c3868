"""The picture: zoom, pan, before while held, overlays of the station, a progress line."""

from typing import Protocol

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal, SignalInstance
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from ..recipe.model import Recipe
from . import theme
from .comparison import Comparison
from .render import Rendered, Renderer, RenderRequest
from .session import Session
from .viewport import FIT, Viewport

PAN_AFTER_PX = 4


class Overlay(Protocol):
    """What a station paints over the picture; coordinates are the widget's."""

    def paint_over(self, painter: QPainter, view: "PictureView") -> None: ...


class PictureView(QWidget):
    """Shows the open picture as the recipe makes it."""

    picked = Signal(float, float)
    hovered = Signal(float, float)
    toneHeld = Signal(float, float)
    tonePulled = Signal(float)
    toneLetGo = Signal()
    asked = Signal(float, float)
    zoomChanged = Signal(float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.viewport = Viewport((3, 2), (3, 2))
        self.overlays: list[Overlay] = []
        self.picking = False
        self.asking = False
        self.pulling = False
        """Whether a press in the picture holds the tone there, and a drag pulls it up or down."""
        self._held_at: float | None = None
        self._rendered: Rendered | None = None
        self._before = False
        self._message = ""
        self._busy = False
        self._press: tuple[QPointF, Viewport] | None = None
        self._panning = False
        self._renderer = Renderer()
        self._renderer.answered.connect(self._on_rendered)
        self._renderer.failed.connect(lambda _, text: session.said.emit(f"rendering failed: {text}"))
        self.comparison = Comparison()
        self.comparison.changed.connect(self.update)
        self._splitting = False
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
        session.recipeChanging.connect(self.ask)
        session.recipeChanged.connect(self.ask)

    # ---- what is seen

    def set_zoom(self, zoom: float) -> None:
        """Device px per picture px; FIT shows all."""
        self._look(self.viewport.zoomed(zoom))

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
            recipe = Recipe() if self._before else self.session.recipe
            self._renderer.ask(RenderRequest(self.session.engine, recipe, self.viewport))
            self.comparison.ask(self.session.engine, self.viewport)

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

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
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
                for overlay in self.overlays:
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

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.ask()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.comparison.holds(event.position().x(), self.width()):
            self._splitting = True
        elif self.pulling and event.button() == Qt.MouseButton.LeftButton:
            self._held_at = event.position().y()
            self._emit_within(self.toneHeld, event.position())
        elif event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            self._press = (event.position(), self.viewport)
            self._panning = False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._splitting:
            self.comparison.drag_to(event.position().x(), self.width())
            return
        if self._held_at is not None:
            self.tonePulled.emit(self._held_at - event.position().y())
            return
        if self._press is None:
            if self.pulling:
                self._emit_within(self.hovered, event.position())
            return
        start, view = self._press
        moved = event.position() - start
        if self._panning or moved.manhattanLength() > PAN_AFTER_PX:
            self._panning = True
            ratio = self.devicePixelRatioF()
            self._look(view.panned(moved.x() * ratio, moved.y() * ratio))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._splitting:
            self._splitting = False
            return
        if self._held_at is not None:
            self._held_at = None
            self.toneLetGo.emit()
            return
        pressed, self._press = self._press, None
        if pressed is None or self._panning or event.button() != Qt.MouseButton.LeftButton:
            return
        if self.asking and self._emit_within(self.asked, event.position()):
            self.asking = False
            self.setCursor(Qt.CursorShape.ArrowCursor)
        elif self.picking:
            self._emit_within(self.picked, event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self.picking:
            ratio = self.devicePixelRatioF()
            around = (event.position().x() * ratio, event.position().y() * ratio)
            self._look(self.viewport.zoomed(1.0 if self.viewport.zoom == FIT else FIT, around))

    def wheelEvent(self, event: QWheelEvent) -> None:
        ratio = self.devicePixelRatioF()
        around = (event.position().x() * ratio, event.position().y() * ratio)
        self._look(self.viewport.zoomed(self.viewport.scale * 2.0 ** (event.angleDelta().y() / 360.0), around))

    # ---- inside

    def _emit_within(self, signal: SignalInstance, point: QPointF) -> bool:
        """Emit a point of the picture, if the widget's point lies on it."""
        x, y = self.to_picture(point)
        width, height = self.viewport.picture
        within = 0 <= x < width and 0 <= y < height
        if within:
            signal.emit(x, y)
        return within

    def _look(self, view: Viewport) -> None:
        if view != self.viewport:
            self.viewport = view
            self.zoomChanged.emit(view.zoom)
            self.update()
            self.ask()

    def _fit_window(self) -> None:
        ratio = self.devicePixelRatioF()
        window = (max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio)))
        old = self.viewport
        self._look(Viewport(old.picture, window, old.zoom, old.centre))

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

    def _on_opening(self, path) -> None:
        self._busy = True
        self._phase = 0.0
        self._beat.start()

    def _on_opened(self) -> None:
        self._rest()
        self._rendered, self._message = None, ""
        self.comparison.forget()
        size = self.session.engine.frame.size  # type: ignore[union-attr]
        self.viewport = Viewport(size, self.viewport.window)
        self.zoomChanged.emit(FIT)
        self.ask()
        self.update()

    def _on_failed(self, text: str) -> None:
        self._rest()
        self._rendered = None
        self._message = text
        self.update()

    def _rest(self) -> None:
        self._busy = False
        self._beat.stop()

    def _on_beat(self) -> None:
        self._phase = (self._phase + 0.02) % 1.0
        self.update(0, self.height() - 3, self.width(), 3)
