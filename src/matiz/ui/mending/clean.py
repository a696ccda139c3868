"""Dust, and whatever else does not belong on the picture: healed or cloned by hand, walked through one by one."""

import math
from functools import partial

import numpy as np
from PySide6.QtCore import QLineF, QPointF, Qt
from PySide6.QtGui import QPainter, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ...develop.engine import Engine
from ...develop.patches import area_of
from ...findings.mend import is_declined, is_healed
from ...measure.dust import DustReading, Speck
from ...mend.heal import proposed
from ...recipe.leaves import Number
from ...recipe.model import Clone, Heal
from ...recipe.tree import ABSENT, added
from ...wording import counted, percent
from ..controls import Words, caption, push
from ..instruments.dust_plan import HEALED, NONE, OPEN, DustPlan, Mark
from ..over_picture import stroked
from ..picture_view import PictureView
from ..session import Grip, Session
from ..tape import Tape
from ..tools import Pointer, Tool
from .dust_view import DustView
from .page import Page

SIZE = Number("px", 2.0, 400.0, 24.0, 1.0, 0, "Radius of a repair, px of the full frame.")
FEATHER = 0.25
"""Of the radius: over how much more a repair ends."""
STEP = 0.5
"""Of the radius: how far apart the points of a stroke lie."""
KINDS = {"heal": Heal, "clone": Clone}
LOOKED_AT = 1.0
"""Zoom of the walk."""


class RepairTool(Tool):
    """A click heals a spot, a drag a stroke; what is there already is taken by its ring or its source and moved."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self, page: "CleanPage") -> None:
        self._page = page
        self._path: list[Pointer] = []
        self._moving: tuple[Grip, str, Heal, Pointer] | None = None
        self._at: QPointF | None = None

    def begin(self, pointer: Pointer) -> bool:
        if pointer.button != Qt.MouseButton.LeftButton or not pointer.inside:
            return False
        page = self._page
        if page.source_at(pointer):
            item = page.repairs()[page.chosen]
            self._moving = page.session.begin(), page.chosen, item, pointer
            return True
        found = page.repair_at(pointer)
        if found:
            page.choose(found)
            return True
        self._path = [pointer]
        return True

    def move(self, pointer: Pointer) -> None:
        self._at = pointer.widget
        if self._moving is not None:
            self._moving[0].preview(self._moved(pointer))
        elif self._path:
            far = math.dist(pointer.frame, self._path[-1].frame)
            if far > STEP * self._page.size.value():
                self._path.append(pointer)
        self.view.update()

    def hover(self, pointer: Pointer) -> None:
        self._at = pointer.widget
        self.view.update()

    def end(self, pointer: Pointer) -> None:
        if self._moving is not None:
            grip, moving = self._moving[0], self._moved(pointer)
            self._moving = None
            grip.commit(moving, "Source moved")
            return
        path, self._path = self._path, []
        if path:
            self._page.repair([each.frame for each in path])

    def cancel(self) -> None:
        self._path, self._moving = [], None

    def _moved(self, pointer: Pointer):
        assert self._moving is not None
        _, ident, item, start = self._moving
        long_side = self._page.long_side()
        by = [(b - a) / long_side for a, b in zip(start.frame, pointer.frame, strict=True)]
        dx, dy = (min(max(value + step, -2.0), 2.0) for value, step in zip((item.dx, item.dy), by, strict=True))
        return [(f"mend.repairs.{ident}.dx", dx), (f"mend.repairs.{ident}.dy", dy)]

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self._page.paint_repairs(painter, view)
        radius = self._page.size.value() * view.viewport.scale / view.devicePixelRatioF()
        if self._path:
            points = QPolygonF([view.to_widget(*each.picture) for each in self._path])
            stroked(painter, lambda: painter.drawPolyline(points), px=1.4)
        if self._at is not None and self._moving is None:
            stroked(painter, lambda: painter.drawEllipse(self._at, radius, radius))


class CleanPage(Page):
    """The plan of dust and the walk through it; heal and clone on the picture."""

    title, tip = "Clean", "Heal dust and whatever does not belong on the picture"
    shows = ("dust",)

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.plan = DustPlan()
        self.plan.changed.connect(self.look_at)
        self.tool = RepairTool(self)
        self.dust_view = DustView()
        self.dust_view.changed.connect(view.update)
        self.chosen = ""
        self._current = -1
        self.row.addWidget(self.plan, 5)
        self.row.addLayout(self._controls(), 6)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(4)
        words = (("heal", "heal"), ("clone", "clone"))
        self.kind = Words("Repair by", words, "Healed in the tone of its place, or taken as it is.")
        self.kind.show_value("heal")
        self._kind = "heal"
        self.kind.chosen.connect(self._on_kind)
        self.remove = push("Remove")
        self.remove.setToolTip("Take the chosen repair away")
        self.remove.clicked.connect(self.remove_chosen)
        self.show_dust = push("Show dust", checkable=True)
        self.show_dust.setToolTip("Only what is as fine as dust, stretched so that it is seen")
        self.show_dust.toggled.connect(self.dust_view.switch)
        line.addWidget(self.kind)
        line.addWidget(self.remove)
        line.addStretch(1)
        line.addWidget(self.show_dust)
        column.addLayout(line)
        self.size = Tape("Radius of a repair", SIZE)
        self.size.valueChanging.connect(lambda _: self.view.update())
        self.size.valueChanged.connect(self.size.set_value)
        self.size.refused.connect(self.session.said.emit)
        column.addWidget(self.size)
        walk = QHBoxLayout()
        walk.setSpacing(4)
        self.next, self.heal, self.decline = push("Next shadow"), push("Heal it"), push("No dust")
        for button, tip, act in (
            (self.next, "Go to the next shadow of dust, 1:1", self.go_on),
            (self.heal, "Heal the shadow that is looked at, and go on", self.heal_current),
            (self.decline, "It is a thing of the picture: go on", self.decline_current),
        ):
            button.setToolTip(tip)
            button.clicked.connect(act)
            walk.addWidget(button)
        walk.addStretch(1)
        column.addLayout(walk)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    # ---- what a page does

    def enter(self) -> None:
        self.view.take(self.tool)

    def leave(self) -> None:
        self.view.put_away(self.tool)
        self.show_dust.setChecked(False)

    def forget(self) -> None:
        self.chosen, self._current = "", -1
        self.dust_view.forget()
        self.refresh_readings()

    def refresh(self) -> None:
        if self.chosen not in self.repairs():
            self.chosen = ""
        self.remove.setEnabled(bool(self.chosen))
        self.refresh_readings()
        self.view.update()

    def refresh_readings(self) -> None:
        found = self.found()
        picture = self.session.picture
        if found is None or picture is None:
            self.plan.show_marks((), 1.5)
            self.note.setText("")
            return
        width, height = picture.frame.size
        marks = tuple(
            Mark(speck.x / width, speck.y / height, self._state(speck, found), n == self._current)
            for n, speck in enumerate(self.specks())
        )
        self.plan.show_marks(marks, width / height)
        left = sum(mark.state == OPEN for mark in marks)
        for button in (self.next, self.heal, self.decline):
            button.setEnabled(bool(left) if button is self.next else self._current >= 0)
        self.note.setText(self._told(left))

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self.dust_view.paint_over(painter, view)

    def is_idle(self) -> bool:
        return self.dust_view.is_idle()

    def end(self) -> None:
        self.dust_view.end()

    # ---- the walk

    def found(self) -> DustReading | None:
        return self.session.reading.get("dust")

    def specks(self) -> tuple[Speck, ...]:
        """Those that are worth a look."""
        found = self.found()
        return found.specks[: len(found.heals)] if found else ()

    def go_on(self) -> None:
        """The next shadow that is neither healed nor declined."""
        found, specks = self.found(), self.specks()
        if found is None:
            return
        order = [(self._current + 1 + n) % len(specks) for n in range(len(specks))] if specks else []
        left = [n for n in order if self._state(specks[n], found) == OPEN]
        if left:
            self.look_at(left[0])
        else:
            self._current = -1
            self.view.set_zoom(0.0)
            self.session.said.emit(f"All of {counted(len(specks), 'shadow')} looked at.")
            self.refresh_readings()

    def look_at(self, number: int) -> None:
        """Go to a shadow by its number, at 1:1."""
        engine, specks = self.session.engine, self.specks()
        if engine is None or not 0 <= number < len(specks):
            return
        self._current = number
        x, y = engine.mapping(self.view.recipe).to_picture([(specks[number].x, specks[number].y)])[0]
        self.view.look_at(float(x), float(y), LOOKED_AT)
        self.refresh_readings()

    def heal_current(self) -> None:
        found = self.found()
        if found is None or not 0 <= self._current < len(found.heals):
            return
        settings = added(self.session.recipe, [("mend.repairs", found.heals[self._current])])
        self.session.commit(settings, "Dust healed")
        self.go_on()

    def decline_current(self) -> None:
        specks, long_side = self.specks(), self.long_side()
        if 0 <= self._current < len(specks):
            speck = specks[self._current]
            place = (round((speck.x + 0.5) / long_side, 6), round((speck.y + 0.5) / long_side, 6))
            self.session.commit([("mend.no_dust", (*self.session.recipe.mend.no_dust, place))], "No dust")
            self.go_on()

    def _state(self, speck: Speck, found: DustReading) -> str:
        if is_healed(speck, self.session.recipe, found):
            return HEALED
        return NONE if is_declined(speck, self.session.recipe, found) else OPEN

    def _told(self, left: int) -> str:
        specks = self.specks()
        if 0 <= self._current < len(specks):
            speck = specks[self._current]
            return (
                f"{self._current + 1} of {len(specks)}: takes {percent(speck.depth, 0)} of the light, "
                f"certainty {percent(speck.certainty, 0)}"
            )
        told = f"{counted(left, 'shadow')} of dust to look at" if left else "no shadow of dust is left"
        return f"{told}; {counted(len(self.repairs()), 'repair')}. Click a spot or drag along what is to go."

    # ---- repairs on the picture

    def repairs(self) -> dict[str, Heal]:
        return {ident: item for ident, item in self.session.recipe.mend.repairs.items() if isinstance(item, Heal)}

    def long_side(self) -> int:
        picture = self.session.picture
        return max(picture.frame.size) if picture else 1

    def choose(self, ident: str) -> None:
        self.chosen = ident
        self.refresh()

    def remove_chosen(self) -> None:
        if self.chosen:
            self.session.commit([(f"mend.repairs.{self.chosen}", ABSENT)], "Repair taken away")

    def repair(self, path: list[tuple[float, float]]) -> None:
        """Repair along a path, px of the frame; the source is looked for aside."""
        engine, long_side, radius = self.session.engine, self.long_side(), self.size.value()
        if engine is None:
            return
        width, height = engine.frame.size
        held = [(min(max(x, 0.0), width - 1.0), min(max(y, 0.0), height - 1.0)) for x, y in path]
        points = tuple((round((x + 0.5) / long_side, 6), round((y + 0.5) / long_side, 6)) for x, y in held[:500])
        item = KINDS[self._kind](path=points, radius_px=radius, feather_px=round(FEATHER * radius, 1))
        others = tuple(self.repairs().values())
        self.session.do_aside(
            lambda _: _with_source(engine, item, others), "source of a repair", lambda made: self._put(made)
        )

    def repair_at(self, pointer: Pointer) -> str:
        """The last repair whose area holds a place; "" for none."""
        found = ""
        for ident, item in self.repairs().items():
            points = np.array(item.path) * self.long_side() - 0.5
            if len(points) and np.hypot(*(points - pointer.frame).T).min() <= item.radius_px:
                found = ident
        return found

    def source_at(self, pointer: Pointer) -> bool:
        """Whether a place lies in the source of the chosen repair."""
        item = self.repairs().get(self.chosen)
        if item is None or not item.path:
            return False
        points = (np.array(item.path) + (item.dx, item.dy)) * self.long_side() - 0.5
        return bool(np.hypot(*(points - pointer.frame).T).min() <= item.radius_px)

    def paint_repairs(self, painter: QPainter, view: PictureView) -> None:
        engine = self.session.engine
        if engine is None:
            return
        mapping, long_side = engine.mapping(view.recipe), self.long_side()
        scale = view.viewport.scale / view.devicePixelRatioF()
        drawn = [(ident, item) for ident, item in self.repairs().items() if item.path]
        if not drawn:
            return
        # all places at once: asking where one lies costs as much as asking for hundreds
        places = np.concatenate([np.array(item.path) for _, item in drawn]) * long_side - 0.5
        cuts = np.cumsum([len(item.path) for _, item in drawn])[:-1]
        for (ident, item), part in zip(drawn, np.split(mapping.to_picture(places), cuts), strict=True):
            radius, is_chosen = max(3.0, item.radius_px * scale), ident == self.chosen
            here = [view.to_widget(float(x), float(y)) for x, y in part]
            self._paint_ring(painter, here, radius, px=1.8 if is_chosen else 1.0)
            if is_chosen:
                moved = (np.array(item.path) + (item.dx, item.dy)) * long_side - 0.5
                there = [view.to_widget(float(x), float(y)) for x, y in mapping.to_picture(moved)]
                self._paint_ring(painter, there, radius, px=1.2, dashed=True)
                stroked(painter, partial(painter.drawLine, QLineF(there[0], here[0])), px=0.8)

    @staticmethod
    def _paint_ring(
        painter: QPainter, points: list[QPointF], radius: float, *, px: float, dashed: bool = False
    ) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if len(points) > 1:
            stroked(painter, partial(painter.drawPolyline, QPolygonF(points)), px=px, dashed=dashed)
        for end in (points[0], points[-1]) if len(points) > 1 else points:
            stroked(painter, partial(painter.drawEllipse, end, radius, radius), px=px, dashed=dashed)

    def _put(self, item: Heal) -> None:
        settings = added(self.session.recipe, [("mend.repairs", item)])
        self.session.commit(settings, "Healed" if item.KIND == "heal" else "Cloned")
        self.choose(settings[0][0].rpartition(".")[2])

    def _on_kind(self, kind: str) -> None:
        self._kind = kind
        self.kind.show_value(kind)


def _with_source(engine: Engine, item: Heal, others: tuple[Heal, ...]) -> Heal:
    """A repair with the source that fits it best."""
    size = engine.frame.size
    avoid = [area_of(other, size) for other in others if other.path]
    dx, dy = proposed(partial(engine.sensor.read, 0), size, area_of(item, size), avoid)
    return type(item)(item.path, item.radius_px, item.feather_px, round(dx / max(size), 6), round(dy / max(size), 6))
