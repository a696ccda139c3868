"""The picture bent: places pulled, bands made taller or lower, lines held."""

import math
from collections.abc import Callable
from functools import lru_cache, partial
from itertools import pairwise

import numpy as np
from PySide6.QtCore import QLineF, QPointF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from ....colour.types import Array
from ....develop.frame.mapping import Mapping
from ....recipe.change import Settings
from ....recipe.leaves import Number
from ....recipe.mending import Band, HeldLine, Pull
from ....recipe.paths import added
from ....recipe.tree import ABSENT, Section, parts_of, replaced
from ....wording import counted
from ....work.grip import Grip
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Pointer, Tool, ToolView
from ...kit import theme
from ...kit.controls import Words, caption, chosen_tape, push
from ...kit.over_picture import stroked
from ...kit.tape import Tape
from ..page import Page
from .stretch_plan import StretchPlan

TABLE = "mend.warp"
PULL, TALLER, LOWER, LINE = "pull", "taller", "lower", "line"
WORDS = ((PULL, "pull"), (TALLER, "taller here"), (LOWER, "shorter here"), (LINE, "hold a line"))
PERCENT = {TALLER: 20.0, LOWER: -20.0}
HOW = {
    PULL: "Drag a point of the picture; a click pins it.",
    TALLER: "Drag over what should be taller: its foot stays, what is above moves up.",
    LOWER: "Drag over what should be shorter: its foot stays, what is above moves down.",
    LINE: "Drag along a line that must stay straight, such as a horizon.",
}
SIZED = {Band: "percent", Pull: "reach"}
LABELS = {Band: "Stretch of the band", Pull: "Reach of the pull, share of the long side"}
REACH_PX = 10.0
LEAST_PX = 6.0
CELLS = 14
"""Of the grid along the long side."""
PER_CELL = 2

Place = tuple[float, float]


class WarpTool(Tool):
    """Draws what the page's word says; what is there already is taken by its handle."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self, page: "WarpPage") -> None:
        self._page = page
        self._start: Pointer | None = None
        self._end: Pointer | None = None
        self._pull: tuple[Grip, Callable[[Pointer], Settings]] | None = None

    def begin(self, pointer: Pointer) -> bool:
        if pointer.button != Qt.MouseButton.LeftButton or not pointer.inside:
            return False
        page = self._page
        found = page.handle_at(pointer)
        page.choose(found)
        self._start = self._end = pointer
        if found or page.word == PULL:
            self._pull = page.session.begin(), page.pulling(found, pointer)
        return True

    def move(self, pointer: Pointer) -> None:
        self._end = pointer
        if self._pull is not None and not self._is_click():
            self._pull[0].preview(self._pull[1](pointer))
        self.view.update()

    def end(self, pointer: Pointer) -> None:
        self._end = pointer
        start, pull, is_click = self._start, self._pull, self._is_click()
        self._start, self._end, self._pull = None, None, None
        if start is None:
            return
        if pull is not None:
            settings = None if is_click and self._page.chosen else pull[1](start if is_click else pointer)
            pull[0].commit(settings, "Pinned" if is_click else "Pulled")
            self._page.choose_of(settings)
        elif not is_click:
            self._page.draw(start, pointer)
        self.view.update()

    def cancel(self) -> None:
        self._start, self._end, self._pull = None, None, None
        self.view.update()

    def _is_click(self) -> bool:
        if self._start is None or self._end is None:
            return True
        off = self._end.widget - self._start.widget
        return math.hypot(off.x(), off.y()) < LEAST_PX

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        self._page.paint_warp(painter, view)
        if self._start is None or self._end is None or self._pull is not None:
            return
        start, end = self._start.widget, self._end.widget
        if self._page.word == LINE:
            stroked(painter, partial(painter.drawLine, start, end), px=1.4)
        else:
            corners = [start, QPointF(end.x(), start.y()), end, QPointF(start.x(), end.y())]
            stroked(painter, partial(painter.drawPolygon, QPolygonF(corners)), px=1.4)


class WarpPage(Page):
    """The plan of the stretch; what is drawn on the picture, and the tape of what is chosen."""

    title, tip = "Warp", "Bend the picture: pull points, make bands taller or shorter, hold lines straight"

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.plan = StretchPlan()
        self.tool = WarpTool(self)
        self.chosen, self.word = "", PULL
        self._moves = False
        """Whether the hand moves a part: how the picture is bent is then worked out for the picture alone."""
        session.recipeChanging.connect(lambda _: self._show_moving(True))
        session.recipeChanged.connect(lambda _: self._show_moving(False))
        self.row.addWidget(self.plan, 5)
        self.row.addLayout(self._controls(), 6)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.words = Words("Draw", WORDS, "What dragging in the picture does.")
        self.words.show_value(self.word)
        self.words.chosen.connect(self.take_word)
        self.take_away = push("Remove")
        self.take_away.setToolTip("Remove what is chosen")
        self.take_away.clicked.connect(self.remove_chosen)
        self.flat = push("Remove the warp")
        self.flat.setToolTip("Remove all of the warp")
        self.flat.clicked.connect(self.flatten)
        line.addWidget(self.words)
        line.addStretch(1)
        line.addWidget(self.take_away)
        line.addWidget(self.flat)
        column.addLayout(line)
        self._tapes = QStackedWidget()
        self._tapes.addWidget(QWidget())
        self.tapes = {kind: self._tape(kind) for kind in SIZED}
        for tape in self.tapes.values():
            self._tapes.addWidget(tape)
        self._tapes.setFixedHeight(self.tapes[Band].sizeHint().height())
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addWidget(self._tapes)
        column.addStretch(1)
        return column

    def _tape(self, kind: type[Section]) -> Tape:
        spec = parts_of(kind)[SIZED[kind]]
        assert isinstance(spec, Number)
        return chosen_tape(self.session, LABELS[kind], spec, lambda: f"{TABLE}.{self.chosen}.{SIZED[kind]}")

    # ---- what a page does

    def enter(self) -> None:
        self.view.take(self.tool)

    def leave(self) -> None:
        self.view.put_away(self.tool)

    def forget(self) -> None:
        self.chosen = ""
        self.plan.show_stretch(None)

    def refresh(self) -> None:
        items = self.items()
        if self.chosen not in items:
            self.chosen = ""
        item = items.get(self.chosen)
        tape = self.tapes.get(type(item)) if item is not None else None
        if tape is not None and item is not None:
            tape.set_value(getattr(item, SIZED[type(item)]))
            self._tapes.setCurrentWidget(tape)
        else:
            self._tapes.setCurrentIndex(0)
        self.take_away.setEnabled(item is not None)
        self.flat.setEnabled(bool(items))
        if not self._moves:
            mapping = self.mapping()
            bent = mapping.bend if mapping else None
            self.plan.show_stretch(bent.stretch() if bent else None)
        self.note.setText(f"{counted(len(items), 'part')}. {HOW[self.word]}")
        self.view.update()

    def _show_moving(self, on: bool) -> None:
        if on != self._moves:
            self._moves = on
            if not on and self.tool in self.view.tools:
                self.refresh()

    # ---- what is done

    def items(self) -> dict[str, Section]:
        return dict(self.session.recipe.mend.warp.items()) if self.session.is_open else {}

    def mapping(self) -> Mapping | None:
        engine = self.session.engine
        return engine.mapping(self.view.recipe) if engine is not None else None

    def take_word(self, word: str) -> None:
        self.word = word
        self.words.show_value(word)
        self.refresh()

    def choose(self, ident: str) -> None:
        if ident != self.chosen:
            self.chosen = ident
            self.refresh()

    def choose_of(self, settings: Settings | None) -> None:
        """Choose what settings put to the table."""
        for path, _ in settings or ():
            self.choose(path.removeprefix(f"{TABLE}.").partition(".")[0])
            return

    def remove_chosen(self) -> None:
        if self.chosen:
            self.session.commit([(f"{TABLE}.{self.chosen}", ABSENT)], "Part of the warp removed")

    def flatten(self) -> None:
        self.session.commit([(f"{TABLE}.{ident}", ABSENT) for ident in self.items()], "Remove the warp")

    def draw(self, start: Pointer, end: Pointer) -> None:
        """A band or a held line from drag to drag."""
        (x, y), (x2, y2) = self._places([start.picture, end.picture])
        item: Section
        if self.word == LINE:
            item = HeldLine(x, y, x2, y2)
        else:
            item = Band(min(x, x2), min(y, y2), abs(x2 - x), abs(y2 - y), PERCENT[self.word])
        settings = added(self.session.recipe, [(TABLE, item)])
        self.session.commit(settings, dict(WORDS)[self.word].capitalize())
        self.choose_of(settings)

    def pulling(self, ident: str, start: Pointer) -> Callable[[Pointer], Settings]:
        """What a drag from `start` asks for: of a part that is there, or of a new pull."""
        mapping, begun = self.mapping(), self.items().get(ident)
        assert mapping is not None
        flat = mapping.flat()
        (from_x, from_y) = flat.to_place([start.picture])[0]
        if begun is None:
            x, y = self._places([start.picture])[0]
            begun = Pull(x, y, *_held(from_x - x, from_y - y))
            ((path, _),) = added(self.session.recipe, [(TABLE, begun)])
        else:
            path = f"{TABLE}.{ident}"

        def settings(pointer: Pointer) -> Settings:
            to_x, to_y = flat.to_place([pointer.picture])[0]
            by = to_x - from_x, to_y - from_y
            return ((path, _moved(begun, *by)),)

        return settings

    def _places(self, points: list[Place]) -> list[Place]:
        mapping = self.mapping()
        assert mapping is not None
        return [(round(float(x), 5), round(float(y), 5)) for x, y in mapping.to_place(points)]

    # ---- on the picture

    def handle_at(self, pointer: Pointer) -> str:
        """The part whose handle lies at a place; "" for none."""
        mapping = self.mapping()
        if mapping is None:
            return ""
        for ident, item in reversed(self.items().items()):
            for x, y in mapping.from_place(_handles(item)):
                off = self.view.to_widget(float(x), float(y)) - pointer.widget
                if math.hypot(off.x(), off.y()) <= REACH_PX:
                    return ident
        return ""

    def paint_warp(self, painter: QPainter, view: ToolView) -> None:
        mapping = self.mapping()
        if mapping is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._moves:
            self._paint_moving(painter, view, mapping.flat())
            return
        if mapping.bend_of is not None:
            size = mapping.frame_size
            lattice = _lattice(size)
            shown = mapping.from_place(np.concatenate(lattice))
            for part in np.split(shown, np.cumsum([len(line) for line in lattice])[:-1]):
                points = view.to_points(part.tolist())
                for pen in (QPen(theme.grey(5, 110), 1.6), QPen(theme.grey(97, 130), 0.7)):
                    painter.setPen(pen)
                    painter.drawPolyline(points)
        for ident, item in self.items().items():
            self._paint_part(painter, view, mapping, item, is_chosen=ident == self.chosen)

    def _paint_moving(self, painter: QPainter, view: ToolView, flat: Mapping) -> None:
        """Where pulls begin and end, for which nothing need be bent."""
        for item in self.items().values():
            if isinstance(item, Pull):
                ends = flat.from_place([(item.x, item.y), (item.x + item.dx, item.y + item.dy)])
                was, now = (view.to_widget(float(x), float(y)) for x, y in ends)
                stroked(painter, partial(painter.drawLine, QLineF(was, now)), px=0.8)
                stroked(painter, partial(painter.drawEllipse, now, 4.0, 4.0), px=2.0)

    def _paint_part(
        self, painter: QPainter, view: ToolView, mapping: Mapping, item: Section, *, is_chosen: bool
    ) -> None:
        px = 2.0 if is_chosen else 1.2
        shape = view.to_points(mapping.from_place(_shape(item)).tolist())
        if isinstance(item, Band):
            stroked(painter, partial(painter.drawPolygon, shape), px=px)
        elif isinstance(item, HeldLine):
            stroked(painter, partial(painter.drawPolyline, shape), px=px, dashed=True)
        elif isinstance(item, Pull):
            was = mapping.flat().from_place([(item.x, item.y)])[0]
            stroked(painter, partial(painter.drawLine, QLineF(view.to_widget(*map(float, was)), shape[0])), px=0.8)
        for x, y in mapping.from_place(_handles(item)):
            at = view.to_widget(float(x), float(y))
            stroked(painter, partial(painter.drawEllipse, at, 4.0, 4.0), px=px)


def _held(dx: float, dy: float) -> Place:
    return round(min(max(float(dx), -1.0), 1.0), 5), round(min(max(float(dy), -1.0), 1.0), 5)


def _moved(item: Section, dx: float, dy: float) -> Section:
    """A part moved over the plane: a pull by its end."""
    if isinstance(item, Pull):
        dx, dy = _held(item.dx + dx, item.dy + dy)
        return replaced(item, dx=dx, dy=dy)
    names = ("x", "x2") if isinstance(item, HeldLine) else ("x",)
    values = {name: round(getattr(item, name) + dx, 5) for name in names}
    values |= {name.replace("x", "y"): round(getattr(item, name.replace("x", "y")) + dy, 5) for name in names}
    return replaced(item, **values)


def _handles(item: Section) -> list[Place]:
    """Where a part is taken, on the plane."""
    if isinstance(item, Pull):
        return [(item.x, item.y)]
    if isinstance(item, HeldLine):
        return [(item.x, item.y), (item.x2, item.y2)]
    assert isinstance(item, Band)
    return [(item.x + item.w / 2.0, item.y + item.h)]


def _shape(item: Section) -> Array:
    """Its outline on the plane, (n, 2), close enough to be drawn as it is bent."""
    if isinstance(item, Band):
        corners = [(0, 0), (1, 0), (1, 1), (0, 1), (0, 0)]
        ends = [(item.x + across * item.w, item.y + down * item.h) for across, down in corners]
    else:
        ends = _handles(item)
    steps = np.linspace(0.0, 1.0, 12)[:, None]
    lines = [np.array(a) + steps * (np.array(b) - np.array(a)) for a, b in pairwise(ends)]
    return np.concatenate(lines) if lines else np.array(ends, np.float64)


@lru_cache(maxsize=4)
def _lattice(size: tuple[int, int]) -> list[np.ndarray]:
    """Lines across and down the plane."""
    wide, high = (n / max(size) for n in size)
    cell = 1.0 / CELLS
    columns, rows = np.arange(0.0, wide + 1e-9, cell), np.arange(0.0, high + 1e-9, cell)
    along_x, along_y = (np.linspace(0.0, end, PER_CELL * CELLS) for end in (wide, high))
    down = [np.stack([np.full_like(along_y, x), along_y], axis=1) for x in columns]
    return down + [np.stack([along_x, np.full_like(along_x, y)], axis=1) for y in rows]
