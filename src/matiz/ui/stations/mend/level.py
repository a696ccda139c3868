"""How the picture lies: level, seen straight, turned, mirrored."""

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....measure.mend.tilt import Angle, TiltReading
from ....wording import degrees, percent
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Pointer, Tool, ToolView
from ...kit.controls import caption, hold_drags, push, tape_grid
from ...kit.over_picture import label, stroked
from ..page import Page
from .leans import LeanPlot

TAPES = (
    ("mend.level_deg", "Level, clockwise to the right"),
    ("mend.vertical_deg", "Verticals, camera tilted up"),
    ("mend.horizontal_deg", "Horizontals, camera turned right"),
)
LEAST_CERTAINTY = 0.3
UNKNOWN = Angle(0.0, 0.0)
CLICK_PX = 5.0
LEAST_LINE_PX = 12.0


def lean_of(start: tuple[float, float], end: tuple[float, float]) -> float:
    """How far a line leans clockwise from level or upright, whichever is nearer: degrees, -45..45. y runs down."""
    angle = math.degrees(math.atan2(end[1] - start[1], end[0] - start[0]))
    return (angle + 45.0) % 90.0 - 45.0


class LevelLine(Tool):
    """A line dragged along an edge, or clicked at both ends: the edge becomes level or upright."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self, drawn: Callable[[tuple[float, float], tuple[float, float]], None]) -> None:
        self._drawn = drawn
        self._start: Pointer | None = None
        self._end: Pointer | None = None
        self._waits = False
        """A first end was clicked, and the second is still to come."""

    def begin(self, pointer: Pointer) -> bool:
        if pointer.button != Qt.MouseButton.LeftButton:
            return False
        if not self._waits:
            self._start = pointer
        self._end = pointer
        self.view.update()
        return True

    def move(self, pointer: Pointer) -> None:
        self._end = pointer
        self.view.update()

    hover = move

    def end(self, pointer: Pointer) -> None:
        start = self._start
        if start is None:
            return
        off = pointer.widget - start.widget
        if math.hypot(off.x(), off.y()) < (LEAST_LINE_PX if self._waits else CLICK_PX):
            self._waits = True
            return
        self.cancel()
        self._drawn(start.picture, pointer.picture)

    def cancel(self) -> None:
        self._start, self._end, self._waits = None, None, False
        self.view.update()

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        if self._start is None or self._end is None:
            return
        # where the picture is now, if it was moved meanwhile
        start, end = view.to_widget(*self._start.picture), view.to_widget(*self._end.picture)
        stroked(painter, lambda: painter.drawLine(start, end), px=1.4)
        lean = lean_of(self._start.picture, self._end.picture)
        label(painter, degrees(lean, signed=True), end + QPointF(10, -22), within=view.width())


class LevelPage(Page):
    """The lean plot; tapes for level and perspective; a line along an edge; quarter turns and mirror."""

    title, tip = "Level", "Level the picture and correct its perspective"
    shows = ("tilt",)

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.plot = LeanPlot()
        self.tool = LevelLine(self.level_by)
        self.row.addWidget(self.plot, 5)
        self.row.addLayout(self._controls(), 6)
        hold_drags(
            self.plot, session, lambda deg: [("mend.level_deg", deg)], lambda deg: f"Level {degrees(deg, signed=True)}"
        )

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.line = push("Level line", checkable=True)
        self.line.setToolTip("Drag along an edge that should be horizontal or vertical, or click both its ends")
        self.line.toggled.connect(self._on_line_toggled)
        self.mirror = push("Mirror", checkable=True)
        self.mirror.setToolTip("Flip left and right")
        self.mirror.clicked.connect(lambda on: self.session.commit([("mend.mirror", "on" if on else "off")], "Mirror"))
        line.addWidget(self.line)
        line.addStretch(1)
        for text, by in (("Turn left", -1), ("Turn right", 1)):
            button = push(text)
            button.setToolTip(f"A quarter of a turn {'counter-clockwise' if by < 0 else 'clockwise'}")
            button.clicked.connect(lambda _, n=by: self.turn(n))
            line.addWidget(button)
        line.addWidget(self.mirror)
        column.addLayout(line)
        grid, self.tapes = tape_grid(self.session, TAPES, 2)
        column.addLayout(grid)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def leave(self) -> None:
        self.line.setChecked(False)

    def turn(self, by: int) -> None:
        """Quarters of a turn clockwise, as the picture is seen."""
        mend = self.session.recipe.mend
        now = (int(mend.quarter_turns) + by) % 4
        self.session.commit([("mend.quarter_turns", str(now))], "Turned right" if by > 0 else "Turned left")

    def level_by(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        """Make a line of the picture level or upright, whichever it is nearer to."""
        self.line.setChecked(False)
        engine = self.session.engine
        if engine is None:
            return
        first, last = engine.mapping(self.view.recipe).to_plane([start, end])
        lean = lean_of((first[0], first[1]), (last[0], last[1]))
        level = min(max(self.session.recipe.mend.level_deg - lean, -45.0), 45.0)
        self.session.commit([("mend.level_deg", round(level, 2))], f"Level {degrees(level, signed=True)}")

    def refresh(self) -> None:
        mend = self.session.recipe.mend
        self.plot.show_level(mend.level_deg)
        self.mirror.setChecked(mend.mirror == "on")

    def refresh_readings(self) -> None:
        reading: TiltReading | None = self.session.reading.get("tilt")
        self.plot.show_reading(reading)
        tilt, vertical = (reading.tilt, reading.vertical) if reading else (UNKNOWN, UNKNOWN)
        self.tapes["mend.level_deg"].set_proposal(-tilt.deg if _is_seen(tilt) else None)
        self.tapes["mend.vertical_deg"].set_proposal(vertical.deg if _is_seen(vertical) else None)
        if reading is None:
            self.note.setText("")
            return
        leans = f"leans {degrees(tilt.deg, signed=True)}, certainty {percent(tilt.certainty, 0)}"
        side = "up" if vertical.deg >= 0.0 else "down"
        tilted = f"camera tilted {degrees(abs(vertical.deg))} {side}, certainty {percent(vertical.certainty, 0)}"
        parts = (leans if _is_seen(tilt) else "no line to level by", tilted if _is_seen(vertical) else "no verticals")
        self.note.setText("As taken: " + "; ".join(parts))

    def _on_line_toggled(self, on: bool) -> None:
        self.tool.view = self.view
        self.tool.cancel()
        (self.view.take if on else self.view.put_away)(self.tool)


def _is_seen(angle: Angle) -> bool:
    return angle.certainty >= LEAST_CERTAINTY
