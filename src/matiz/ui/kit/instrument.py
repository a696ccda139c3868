"""What every instrument shares: focus, repaint, drag bookkeeping."""

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from . import theme
from .painted import PaintedWidget, painting


class Instrument(PaintedWidget):
    """A painted display. `grabbed` is what a drag holds; subclasses give it meaning."""

    changing = Signal(object)
    changed = Signal(object)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.grabbed: object | None = None
        self._last: object | None = None
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)

    def put(self, **shown: object) -> None:
        """Set what is shown, by the names of attributes; painted anew only when something is not what it was."""
        if any(getattr(self, name) is not value and getattr(self, name) != value for name, value in shown.items()):
            self.__dict__.update(shown)
            self.update()

    def let_go(self) -> None:
        """Forget the drag that goes on: what it showed was taken back."""
        self.grabbed, self._last = None, None
        self.update()

    # subclasses

    own_keys: tuple[Qt.Key, ...] = ()
    """Keys that no shortcut of the window may take while the instrument has focus."""

    def paint(self, painter: QPainter, area: QRectF) -> None:
        raise NotImplementedError

    def hit(self, x: float, y: float) -> object | None:
        """What lies under a point of the widget, to be grabbed; None when nothing does."""
        return None

    def dragged(self, x: float, y: float) -> object | None:
        """The value that a drag to this point asks for."""
        return None

    # events

    def keeps(self, event: QKeyEvent) -> bool:
        return event.key() in self.own_keys

    def area(self) -> QRectF:
        return QRectF(self.rect())

    @painting
    def paintEvent(self, painter: QPainter, _: QPaintEvent) -> None:
        painter.setFont(theme.font(theme.SMALL_PX))
        self.paint(painter, self.area())
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("quiet"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.area().adjusted(0.5, 0.5, -0.5, -0.5))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.grabbed = self.hit(event.position().x(), event.position().y())
            self._last = None
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x, y = event.position().x(), event.position().y()
        if event.buttons() & Qt.MouseButton.LeftButton and self.grabbed is not None:
            self._last = self.dragged(x, y)
            if self._last is not None:
                self.changing.emit(self._last)
        else:
            shape = Qt.CursorShape.OpenHandCursor if self.hit(x, y) is not None else Qt.CursorShape.ArrowCursor
            self.setCursor(shape)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.grabbed is not None:
            if self._last is not None:
                self.changed.emit(self._last)
            self.grabbed, self._last = None, None
            self.update()
