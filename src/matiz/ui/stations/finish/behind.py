"""What lies behind the subject, out of focus: how far, what stays sharp, and where the ground lies."""

from functools import partial

from PySide6.QtCore import QLineF, QPointF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....develop.places.behind import f_number_of
from ....recipe.paths import added
from ....recipe.places import Place, Subject
from ....recipe.tree import Rows
from ....wording import number
from ....work.grip import Grip
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Pointer, Tool, ToolView
from ...kit.controls import caption, push, tape_grid
from ...kit.over_picture import label, stroked
from ..page import Page
from .place_box import PlaceBox

TAPES = (
    ("finish.behind.disc_px", "Blur discs behind"), ("finish.behind.lights_EV", "Highlights brighter"),
    ("finish.behind.sharp_y", "Ground sharp at"), ("finish.behind.far_y", "Far from"),
)  # fmt: skip
GRAB_PX = 10.0
KEEPS = "finish.behind.keeps"


class LinesTool(Tool):
    """The line where the ground is sharp and the one where it is far, dragged on the picture."""

    def __init__(self, page: "BehindPage") -> None:
        self._page = page
        self._grip: Grip | None = None
        self._taken = ""
        self._last = 0.0

    def begin(self, pointer: Pointer) -> bool:
        taken = self._near(pointer)
        if not taken:
            return False
        self._grip, self._taken, self._last = Grip(self._page.session), taken, -1.0
        return True

    def move(self, pointer: Pointer) -> None:
        engine = self._page.session.engine
        if self._grip is None or engine is None:
            return
        height = engine.size(self._page.session.recipe)[1]
        self._last = round(min(max((pointer.picture[1] + 0.5) / height, 0.0), 1.0), 3)
        self._grip.preview([(self._taken, self._last)])

    def end(self, _: Pointer) -> None:
        if self._grip is not None and self._last >= 0.0:
            self._grip.commit([(self._taken, self._last)], "Where the ground lies")
        self._grip = None

    def cancel(self) -> None:
        self._grip = None

    def hover(self, pointer: Pointer) -> None:
        self.cursor = Qt.CursorShape.SplitVCursor if self._near(pointer) else Qt.CursorShape.ArrowCursor

    def _near(self, pointer: Pointer) -> str:
        lines = self._page.lines_on(self.view)
        near = {path: abs(pointer.widget.y() - y) for path, y in lines.items()}
        nearest = min(near, key=lambda path: near[path], default="")
        return nearest if nearest and near[nearest] <= GRAB_PX else ""


class BehindPage(Page):
    """Blur behind the subject."""

    title, tip = "Behind", "Blur behind the subject, as from a lens at a wide aperture"

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.tool = LinesTool(self)
        column = QVBoxLayout()
        column.setSpacing(6)
        grid, self.tapes = tape_grid(session, TAPES, 4)
        column.addLayout(grid)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.keeps = PlaceBox("Place that stays sharp", "A place whose mask stays sharp")
        self.keeps.activated.connect(self._on_keeps)
        self.keep_subject = push("Keep the subject sharp")
        self.keep_subject.setToolTip("Find the subject and add it as a place that stays sharp")
        self.keep_subject.clicked.connect(self.keep_the_subject)
        line.addWidget(caption("Stays sharp"))
        line.addWidget(self.keeps, 1)
        line.addWidget(self.keep_subject)
        line.addStretch(2)
        column.addLayout(line)
        self.note = caption()
        self.note.setAccessibleName("Blur readings")
        column.addWidget(self.note)
        column.addStretch(1)
        self.row.addLayout(column)

    def enter(self) -> None:
        self.view.take(self.tool)

    def leave(self) -> None:
        self.view.put_away(self.tool)

    def lines_on(self, view: ToolView) -> dict[str, float]:
        """Where both lines lie in the view, by their paths; none while nothing is blurred."""
        engine, own = self.session.engine, self.session.recipe.finish.behind
        if engine is None or not own.disc_px:
            return {}
        height = engine.size(self.session.recipe)[1]
        ways = {"finish.behind.far_y": own.far_y, "finish.behind.sharp_y": own.sharp_y}
        return {path: view.to_widget(0.0, y * height - 0.5).y() for path, y in ways.items()}

    def keep_the_subject(self) -> None:
        """By a place that does nothing else; one that is there is taken."""
        recipe = self.session.recipe
        for ident, place in recipe.places.items():
            parts = list(place.mask.values()) if isinstance(place, Place) else []
            if len(parts) == 1 and type(parts[0]) is Subject:
                self.session.commit([(KEEPS, ident)], "The subject stays sharp")
                return
        fresh = Place(name="Subject", mask=Rows([("m1", Subject())]))
        settings = added(recipe, [("places", fresh)])
        ident = settings[0][0].removeprefix("places.")
        self.session.commit([*settings, (KEEPS, ident)], "The subject stays sharp")

    def refresh(self) -> None:
        recipe = self.session.recipe
        self.keeps.show_places(recipe, recipe.finish.behind.keeps)
        self.note.setText(self._lens_text())
        self.view.update()

    def _lens_text(self) -> str:
        own, picture = self.session.recipe.finish.behind, self.session.picture
        if picture is None or not own.disc_px:
            return ""
        told = f"A point far behind becomes a disc of {number(own.disc_px, 0, 'px')}"
        shot = picture.frame.exposure
        stop = f_number_of(own.disc_px, max(picture.frame.size), shot)
        if stop is not None and shot.focus_m is not None:
            told += f", as at f/{number(stop, 1)} on a frame of 36\u00d724 mm from {number(shot.focus_m, 1, 'm')}"
        return told

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        place = view.image_place()
        own = self.session.recipe.finish.behind
        if place is None or own.sharp_y == own.far_y:
            return
        for path, y in self.lines_on(view).items():
            line = QLineF(place.left(), y, place.right(), y)
            stroked(painter, partial(painter.drawLine, line), dashed=True)
            label(painter, "ground sharp" if path.endswith("sharp_y") else "far", QPointF(place.left() + 8, y + 3))

    def _on_keeps(self, index: int) -> None:
        self.session.commit([(KEEPS, self.keeps.itemData(index))], f"Stays sharp: {self.keeps.itemText(index)}")
