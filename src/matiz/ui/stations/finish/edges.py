"""The picture darkened towards its edges: the plot, its tapes, and its centre on the picture."""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QVBoxLayout

from ....measure.finish.finish import FinishReading
from ....wording import EV, percent
from ....work.grip import Grip
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Pointer, Tool, ToolView
from ...kit.controls import caption, choice, hold_drags, push, tape_grid
from ...kit.over_picture import stroked
from ..page import Page
from .fall_off_plot import FallOffPlot
from .place_box import PlaceBox

TAPES = (
    ("finish.fall_off.depth_EV", "Darken edges"), ("finish.fall_off.start_percent", "Starts at"),
    ("finish.fall_off.round_percent", "Roundness"), ("finish.fall_off.lift_EV", "Lighten centre"),
    ("finish.fall_off.protect_percent", "Protect blacks and whites"),
)  # fmt: skip
SIDES = [("all", "all"), ("left", "left"), ("right", "right"), ("top", "top"), ("bottom", "bottom")]
GRAB_PX = 14.0


class CentreTool(Tool):
    """The centre, dragged on the picture."""

    def __init__(self, page: "EdgesPage") -> None:
        self._page = page
        self._grip: Grip | None = None
        self._last: tuple[float, float] | None = None

    def begin(self, pointer: Pointer) -> bool:
        at = self._page.centre_on(self.view)
        if at is None or (pointer.widget - at).manhattanLength() > 1.5 * GRAB_PX:
            return False
        self._grip, self._last = Grip(self._page.session), None
        return True

    def move(self, pointer: Pointer) -> None:
        engine = self._page.session.engine
        if self._grip is None or engine is None:
            return
        size = engine.size(self._page.session.recipe)
        x, y = (round(min(max((value + 0.5) / length, -0.5), 1.5), 3)
                for value, length in zip(pointer.picture, size, strict=True))  # fmt: skip
        self._last = x, y
        self._grip.preview(_centre(x, y))

    def end(self, pointer: Pointer) -> None:
        if self._grip is not None and self._last is not None:
            self._grip.commit(_centre(*self._last), "Centre of the fall-off")
        self._grip = None

    def cancel(self) -> None:
        self._grip = None

    def hover(self, pointer: Pointer) -> None:
        at = self._page.centre_on(self.view)
        near = at is not None and (pointer.widget - at).manhattanLength() <= 1.5 * GRAB_PX
        self.cursor = Qt.CursorShape.OpenHandCursor if near else Qt.CursorShape.ArrowCursor

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        at = self._page.centre_on(view)
        if at is None:
            return

        def cross() -> None:
            for dx, dy in ((GRAB_PX, 0.0), (0.0, GRAB_PX)):
                painter.drawLine(at - QPointF(dx, dy), at + QPointF(dx, dy))

        stroked(painter, cross)


def _centre(x: float, y: float) -> list[tuple[str, float]]:
    return [("finish.fall_off.x", x), ("finish.fall_off.y", y)]


class EdgesPage(Page):
    """Fall-off."""

    title, tip = "Edges", "Darken the picture towards its edges, to keep the eye inside"
    # attention waits until the hand rests
    shows = ("finish",)

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.plot, self.tool = FallOffPlot(), CentreTool(self)
        hold_drags(self.plot, session, lambda told: [(f"finish.fall_off.{told[0]}", told[1])], "Fall-off")
        self.row.addWidget(self.plot, 5)
        self.row.addLayout(self._controls(), 7)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        grid, self.tapes = tape_grid(self.session, TAPES, 3)
        column.addLayout(grid)
        line, self.side = choice(self.session, "finish.fall_off.side", "To", SIDES)
        line.setStretch(line.count() - 1, 0)
        self.spares = PlaceBox("Place that the fall-off leaves alone", "A place that is not darkened, such as the sun")
        self.spares.activated.connect(self._on_spares)
        self.to_subject = push("Around the subject")
        self.to_subject.setToolTip("Centre it on the subject")
        self.to_subject.clicked.connect(self.centre_on_subject)
        for each in (self.to_subject, caption("Leaves alone"), self.spares):
            line.addWidget(each)
        line.setStretch(line.count() - 1, 1)
        column.addLayout(line)
        self.note = caption()
        self.note.setAccessibleName("Fall-off readings")
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def enter(self) -> None:
        self.view.take(self.tool)

    def leave(self) -> None:
        self.view.put_away(self.tool)

    def centre_on(self, view: ToolView) -> QPointF | None:
        """Where the centre lies in the view; None while there is no fall-off."""
        engine, own = self.session.engine, self.session.recipe.finish.fall_off
        if engine is None or not (own.depth_EV or own.lift_EV):
            return None
        width, height = engine.size(self.session.recipe)
        return view.to_widget(own.x * width - 0.5, own.y * height - 0.5)

    def centre_on_subject(self) -> None:
        engine, found = self.session.engine, self.session.reading.get("subject")
        if engine is None or found is None:
            self.session.said.emit("No subject stands out in this picture: drag the centre instead.")
            return
        recipe = self.session.recipe
        at = engine.mapping(recipe).to_picture([(found.x, found.y)])[0]
        size = engine.size(recipe)
        x, y = (round(min(max((float(v) + 0.5) / n, 0.0), 1.0), 3) for v, n in zip(at, size, strict=True))
        self.session.commit(_centre(x, y), "Fall-off around the subject")

    def refresh(self) -> None:
        recipe = self.session.recipe
        self.plot.show_set(recipe.finish.fall_off)
        self.side.show_value(recipe.finish.fall_off.side)
        self.spares.show_places(recipe, recipe.finish.fall_off.spares)
        self.view.update()

    def refresh_readings(self) -> None:
        reading: FinishReading | None = self.session.reading.get("finish")
        own = self.session.recipe.finish.fall_off
        known = reading is not None and reading.fall_off_noticed is not None and own.depth_EV > 0.0
        self.plot.show_most(own.depth_EV * reading.fall_off_most if known and reading is not None else None)
        self.note.setText(self._note_text(reading))
        self.to_subject.setEnabled(self.session.reading.get("subject") is not None)

    def _note_text(self, reading: FinishReading | None) -> str:
        own = self.session.recipe.finish.fall_off
        said = []
        if reading is not None and (own.depth_EV or own.lift_EV):
            if reading.fall_off_noticed is None:
                said.append("No even area to judge it by")
            else:
                said.append(f"Noticed in {percent(reading.fall_off_noticed, 0)} of even areas")
                if own.depth_EV:
                    said.append(f"up to {EV(own.depth_EV * reading.fall_off_most, signed=False)} it is not")
        said += self._of_attention()
        told = "; ".join(said)
        return told[:1].upper() + told[1:]

    def _of_attention(self) -> list[str]:
        """How much of attention the subject holds with the darker edges and without; nothing where that is the same."""
        readings = [self.session.reading.get(name) for name in ("attention", "attention_unfinished")]
        now, before = (None if each is None or each.subject is None else percent(each.subject, 0) for each in readings)
        if now is None or before is None or now == before:
            return []
        return [f"the subject holds {now} of the attention, {before} without"]

    def _on_spares(self, index: int) -> None:
        ident = self.spares.itemData(index)
        label = f"Fall-off leaves alone: {self.spares.itemText(index)}"
        self.session.commit([("finish.fall_off.spares", ident)], label)
