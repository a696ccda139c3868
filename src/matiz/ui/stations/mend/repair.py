"""Whatever does not belong on the picture: healed, cloned or filled by hand."""

from dataclasses import replace
from functools import partial

import cv2
import numpy as np
from PySide6.QtCore import QLineF, QPointF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....develop.frame.beside import can_retouch
from ....develop.frame.patches import area_of
from ....develop.graph.engine import Engine
from ....measure.detail.vanishing import vanishing_px
from ....mend.heal import Area, proposed
from ....recipe.change import Settings
from ....recipe.leaves import Number
from ....recipe.mending import BASE, BOTH, MIXED, TEXTURE, Clone, Fill, FromFrame, Heal, Repair
from ....recipe.paths import added
from ....recipe.tree import ABSENT, ORDER, Rows, replaced
from ....wording import counted, percent
from ....work.filling import fill_aside
from ....work.jobs import Job
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Pointer, ToolView
from ...kit.controls import Words, caption, chosen_tape, push
from ...kit.over_picture import stroked
from ...kit.tape import Tape
from ..page import Page
from .repair_list import RepairList
from .repair_tool import RepairTool

TABLE = "mend.repairs"
SIZES = {
    "radius_px": (
        "Radius",
        Number("px", 1.0, 2000.0, 24.0, 1.0, 0, "Radius of a repair, in pixels of the full frame."),
    ),
    "feather_px": ("Feather", Number("px", 0.0, 1000.0, 6.0, 0.5, 1, "Width of its soft edge, in pixels.")),
    "detail_px": (
        "Texture",
        Number("px", 0.5, 60.0, 3.5, 0.5, 1, "The blur at which texture just vanishes: measured beside a repair."),
    ),
    "frame": ("Frame", Number("", 1.0, 60.0, 1.0, 1.0, 0, "Which of the merged frames it is taken from.")),
}
FEATHER = 0.25
"""Of the radius, where nobody says."""
OUTLINE_RADIUS_PX, OUTLINE_FEATHER_PX = 2.0, 4.0
KINDS: dict[str, tuple[type[Repair], str]] = {
    "heal": (Heal, BOTH), "texture": (Heal, TEXTURE), "base": (Heal, BASE), "mix": (Heal, MIXED),
    "clone": (Clone, BOTH), "fill": (Fill, ""), "frame": (FromFrame, ""),
}  # fmt: skip
"""Ways to repair, by their words: what is made, and the layer that it changes."""
WHENCE = {
    "base": "Light and shade are interpolated from around it.", "mix": "Light and shade are blended along the stroke.",
    "fill": "It is filled from the rest of the picture.",
}  # fmt: skip
DONE = {"heal": "Healed", "clone": "Cloned", "fill": "Filled", "frame": "Taken from one frame"}
AROUND = 4.0
"""How far round a repair its texture is looked at, in its radius, and AROUND_PX at least."""
AROUND_PX = 48.0
MOST_POINTS = 500


class RepairPage(Page):
    """The list of repairs; what is chosen in it is changed, what is drawn on the picture is put to it."""

    title, tip = "Repair", "Heal, clone or fill what does not belong in the picture"

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.list = RepairList()
        self.tool = RepairTool(self)
        self.chosen = ""
        self.kind = "heal"
        self.job: Job | None = None
        """The filling that goes on."""
        self._pending: Repair | None = None
        self._sizes_to_come = {name: spec.default for name, (_, spec) in SIZES.items()}
        self.row.addWidget(self.list, 5)
        self.row.addLayout(self._controls(), 6)
        self.list.chosen.connect(self.choose)
        self.list.switched.connect(
            lambda ident, on: self._set(((f"{TABLE}.{ident}.active", "on" if on else "off"),), "Repair on or off")
        )
        self.list.ordered.connect(lambda order: self._set(((f"{TABLE}.{ORDER}", order),), "Order of repairs"))
        self.list.removed.connect(self.remove)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.kinds = Words(
            "Repair by",
            [(kind, kind) for kind in KINDS],
            "Healed in the tone of its place; the texture over its light and shade alone; these alone, from around, "
            "or mixed along the stroke; taken as it is; rebuilt from the rest of the picture; or, of a merged picture, "
            "as one of its frames has it.",
        )
        self.kinds.show_value(self.kind)
        self.kinds.chosen.connect(self.take_kind)
        self.outline = push("Outline", checkable=True)
        self.outline.setToolTip("Draw around what to remove, instead of over it")
        self.another = push("Fill differently")
        self.another.setToolTip("Fill it differently")
        self.another.clicked.connect(self.fill_anew)
        self.stop = push("Stop")
        self.stop.setToolTip("Stop filling")
        self.stop.clicked.connect(lambda: self.job.stop() if self.job else None)
        self.take_away = push("Remove")
        self.take_away.setToolTip("Remove the chosen repair")
        self.take_away.clicked.connect(self.remove_chosen)
        line.addWidget(self.kinds)
        line.addStretch(1)
        column.addLayout(line)
        self.sizes = {name: self._size_tape(name, label, spec) for name, (label, spec) in SIZES.items()}
        tapes = QHBoxLayout()
        tapes.setSpacing(16)
        for tape in self.sizes.values():
            tapes.addWidget(tape)
        column.addLayout(tapes)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        buttons.addWidget(self.outline)
        buttons.addStretch(1)
        for button in (self.stop, self.another, self.take_away):
            buttons.addWidget(button)
        column.addLayout(buttons)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def _size_tape(self, name: str, label: str, spec: Number) -> Tape:
        """Of the chosen repair, or of those to come."""

        def free(value: float) -> None:
            self._sizes_to_come[name] = value
            if name == "radius_px":
                self._sizes_to_come["feather_px"] = round(FEATHER * value, 1)
            self.refresh()

        tape = chosen_tape(
            self.session, f"{label} of a repair", spec,
            lambda: f"{TABLE}.{self.chosen}.{name}" if self.chosen else "", free,
        )  # fmt: skip
        tape.valueChanging.connect(lambda _: self.view.update())
        return tape

    # ---- what a page does

    def enter(self) -> None:
        self.view.take(self.tool)

    def leave(self) -> None:
        self.view.put_away(self.tool)

    def forget(self) -> None:
        if self.job is not None:
            self.job.stop()
        self.chosen = ""
        self.refresh()

    def refresh(self) -> None:
        repairs, names = self.repairs(), self._frames()
        if self.kind == "frame" and not names:
            self.kind = "heal"
            self.kinds.show_value(self.kind)
        self.sizes["frame"].end_at(float(max(len(names), 1)))
        if self.chosen not in repairs:
            self.chosen = ""
        self.list.show_repairs(repairs, self.chosen)
        item = repairs.get(self.chosen)
        for name, tape in self.sizes.items():
            tape.set_value(getattr(item, name, self._sizes_to_come[name]))
        # what is to come measures it
        self.sizes["detail_px"].setVisible(_is_of_a_layer(item))
        self.kinds.button("frame").setVisible(bool(names))
        self.sizes["frame"].setVisible(isinstance(item, FromFrame) or (item is None and self.kind == "frame"))
        self.take_away.setEnabled(item is not None)
        self.another.setVisible(isinstance(item, Fill) and self.job is None)
        self.stop.setVisible(self.job is not None)
        if self.job is None:
            self.note.setText(self._hint())
        self.view.update()

    def _hint(self) -> str:
        how = "Draw around what to remove." if self.draws_outline() else "Click a spot or drag along what to remove."
        source = WHENCE.get(self.kind, "The dashed ring is the source: drag it.")
        names, n = self._frames(), int(self.sizes["frame"].value())
        if self.kind == "frame" and n <= len(names):
            how = how.replace("what to remove", "what one frame should provide")
            source = f"It is taken from {names[n - 1]}."
        return f"{counted(len(self.repairs()), 'repair')}. {how} {source}"

    def _frames(self) -> tuple[str, ...]:
        """Names of the frames that the picture was merged of, where they can be taken from."""
        picture = self.session.picture
        if picture is None or picture.frame.merged is None or not can_retouch(picture.frame):
            return ()
        return picture.frame.merged.names

    # ---- what the tool asks for

    def radius_px(self) -> float:
        """Of a repair to come."""
        return self._sizes_to_come["radius_px"] if self.chosen else self.sizes["radius_px"].value()

    def draws_outline(self) -> bool:
        return self.outline.isChecked()

    def long_side(self) -> int:
        picture = self.session.picture
        return max(picture.frame.size) if picture else 1

    def repairs(self) -> dict[str, Repair]:
        if not self.session.is_open:
            return {}
        return {ident: item for ident, item in self.session.recipe.mend.repairs.items() if isinstance(item, Repair)}

    def choose(self, ident: str) -> None:
        if ident != self.chosen:
            self.chosen = ident
            self.refresh()

    def repair_at(self, pointer: Pointer) -> str:
        """The last repair whose area holds a place; "" for none."""
        held = [ident for ident, item in self.repairs().items() if self._holds(item, (0.0, 0.0), pointer)]
        return held[-1] if held else ""

    def chosen_source(self, pointer: Pointer) -> tuple[str, Heal] | None:
        """The chosen repair, where a place lies in its source."""
        item = self.repairs().get(self.chosen)
        if isinstance(item, Heal) and item.has_source and self._holds(item, (item.dx, item.dy), pointer):
            return self.chosen, item
        return None

    def _holds(self, item: Repair, moved: tuple[float, float], pointer: Pointer) -> bool:
        if not item.path:
            return False
        points = (np.array(item.path) + moved) * self.long_side() - 0.5
        if np.hypot(*(points - pointer.frame).T).min() <= item.radius_px:
            return True
        outline = points.astype(np.float32).reshape(-1, 1, 2)
        return item.outline == "on" and cv2.pointPolygonTest(outline, pointer.frame, False) >= 0

    # ---- what is done

    def take_kind(self, kind: str) -> None:
        self.kind = kind
        self.kinds.show_value(kind)
        self.outline.setChecked(kind == "fill")
        self.choose("")
        self.refresh()

    def repair(self, path: list[tuple[float, float]]) -> None:
        """Repair along or inside a path, px of the frame; what it takes a moment to find is found aside."""
        engine = self.session.engine
        if engine is None:
            return
        (width, height), long_side = engine.frame.size, self.long_side()
        held = [(min(max(x, 0.0), width - 1.0), min(max(y, 0.0), height - 1.0)) for x, y in path]
        held = held[:: -(-len(held) // MOST_POINTS)]
        points = tuple((round((x + 0.5) / long_side, 6), round((y + 0.5) / long_side, 6)) for x, y in held)
        is_outline = self.draws_outline() and len(points) > 2
        radius = OUTLINE_RADIUS_PX if is_outline else self.radius_px()
        feather = OUTLINE_FEATHER_PX if is_outline else self._sizes_to_come["feather_px"]
        made, layer = KINDS[self.kind]
        item = made(points, "on" if is_outline else "off", radius, feather)
        if isinstance(item, Heal):
            item = replaced(item, layer=layer)
        if isinstance(item, FromFrame):
            item = replaced(item, frame=self._sizes_to_come["frame"] if self.chosen else self.sizes["frame"].value())
        if isinstance(item, Fill):
            self._fill(item, added(self.session.recipe, [(TABLE, item)]), "Filled")
        else:
            others = tuple(self.repairs().values())
            self.session.do_aside(
                lambda _: _prepared(engine, item, others), "source of a repair",
                lambda made: self._put(added(self.session.recipe, [(TABLE, made)]), DONE[made.KIND]),
            )  # fmt: skip

    def fill_anew(self) -> None:
        """The chosen area filled in the next of the ways in which it can be."""
        item = self.repairs().get(self.chosen)
        if isinstance(item, Fill):
            turn = (item.turn + 1.0) % 100.0
            self._fill(item, ((f"{TABLE}.{self.chosen}.turn", turn),), "Filled differently")

    def remove_chosen(self) -> None:
        self.remove(self.chosen)

    def remove(self, ident: str) -> None:
        if ident in self.repairs():
            self._set(((f"{TABLE}.{ident}", ABSENT),), "Repair removed")

    def _fill(self, item: Repair, settings: Settings, label: str) -> None:
        """Fill aside, and put it to the recipe when it is done: the picture then has it at once."""
        if not self.session.is_open or self.job is not None:
            return
        self._pending = item
        self.job = job = fill_aside(self.session, settings, lambda: self._put(settings, label))
        job.progressed.connect(lambda share, _: self.note.setText(f"Filling: {percent(share, 0)}"))
        job.finished.connect(self._on_filled)
        self.refresh()

    def _on_filled(self) -> None:
        self.job, self._pending = None, None
        self.refresh()

    def _put(self, settings: Settings, label: str) -> None:
        path = next(iter(settings))[0]
        self.session.commit(settings, label)
        self.choose(path.removeprefix(f"{TABLE}.").partition(".")[0])

    def _set(self, settings: Settings, label: str) -> None:
        self.session.commit(settings, label)

    # ---- on the picture

    def paint_repairs(self, painter: QPainter, view: ToolView) -> None:
        engine = self.session.engine
        if engine is None:
            return
        drawn = [(ident, item) for ident, item in self.repairs().items() if item.path]
        if self._pending is not None:
            drawn.append(("", self._pending))
        if not drawn:
            return
        mapping, long_side = engine.mapping(view.recipe), self.long_side()
        scale = view.viewport.scale / view.devicePixelRatioF()
        # all places at once: asking where one lies costs as much as asking for hundreds
        places = np.concatenate([np.array(item.path) for _, item in drawn]) * long_side - 0.5
        cuts = np.cumsum([len(item.path) for _, item in drawn])[:-1]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for (ident, item), part in zip(drawn, np.split(mapping.to_picture(places), cuts), strict=True):
            radius, is_chosen = max(3.0, item.radius_px * scale), ident == self.chosen
            here = view.to_points(part.tolist())
            is_faint = item.active == "off" or item is self._pending
            _paint_area(painter, item, here, radius, px=1.8 if is_chosen else 1.0, dashed=is_faint)
            if is_chosen and isinstance(item, Heal) and item.has_source:
                moved = (np.array(item.path) + (item.dx, item.dy)) * long_side - 0.5
                there = view.to_points(mapping.to_picture(moved).tolist())
                _paint_area(painter, item, there, radius, px=1.2, dashed=True)
                stroked(painter, partial(painter.drawLine, QLineF(there[0], here[0])), px=0.8)


def _paint_area(
    painter: QPainter, item: Repair, points: list[QPointF], radius: float, *, px: float, dashed: bool = False
) -> None:
    if item.outline == "on":
        stroked(painter, partial(painter.drawPolygon, points), px=px, dashed=dashed)
        return
    if len(points) > 1:
        stroked(painter, partial(painter.drawPolyline, points), px=px, dashed=dashed)
    for end in {0, len(points) - 1}:
        stroked(painter, partial(painter.drawEllipse, points[end], radius, radius), px=px, dashed=dashed)


def _is_of_a_layer(item: Repair | None) -> bool:
    return isinstance(item, Heal) and not isinstance(item, Clone) and item.layer != BOTH


def _prepared(engine: Engine, item: Repair, others: tuple[Repair, ...]) -> Repair:
    """A repair with the source that fits it best, where it has one, and the blur in which the texture beside it
    vanishes, where it goes by that."""
    size = engine.frame.size
    if isinstance(item, FromFrame):
        # reading its frame and laying it takes a moment
        engine.sensor.patches.all(partial(engine.sensor.read, 0), size, Rows([("to come", item)]))
        return item
    if isinstance(item, Heal) and _is_of_a_layer(item):
        found = _vanishing_px(engine, area_of(item, size))
        if found is not None:
            item = replaced(item, detail_px=round(2.0 * min(max(found, 0.5), 60.0)) / 2.0)
        if not item.has_source:
            return item
    avoid = [area_of(other, size) for other in others if other.path]
    dx, dy = proposed(partial(engine.sensor.read, 0), size, area_of(item, size), avoid)
    return replaced(item, dx=round(dx / max(size), 6), dy=round(dy / max(size), 6))


def _vanishing_px(engine: Engine, area: Area) -> float | None:
    wide = replace(area, radius=max(AROUND * area.radius, AROUND_PX))
    box = wide.box(engine.frame.size, 1)
    light = np.sqrt(np.maximum(engine.sensor.read(0, box)[..., 1], 0.0)).astype(np.float32)
    return vanishing_px(light, area.distance(box) > area.radius + area.feather)
