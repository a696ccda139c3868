"""Where a place is: the parts of its mask, how they are joined, and what shapes each."""

from functools import partial
from typing import Any

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from ....recipe.leaves import Number
from ....recipe.places import CHANNELS, JOINS, Bright, Brush, MaskPart, Place, SameAs, Stroke
from ....recipe.tree import ORDER, parts_of
from ...kit import theme
from ...kit.controls import Words, caption, chosen_tape, grid_of, push
from ...kit.rows_list import ListRow, RowsList
from ...kit.tape import Tape
from .place_page import Chosen, PlacePage
from .words import KINDS, NAMES, part_label, place_label

COLUMNS = 4
LYING = ("x", "y", "x2", "y2", "w", "h", "turn_deg")
"""What is dragged on the picture."""
LABELS = {
    "feather_px": "Feather", "grow_px": "Expand or contract", "strength_percent": "Opacity", "exponent": "Power",
    "low": "From zone", "high": "To zone", "soft": "Soft ends", "hue_deg": "Hue range", "chroma": "Chroma range",
    "lightness": "Lightness range", "soft_percent": "Fall-off", "distance": "Reach", "difference": "Colour range",
    "rise": "Full at a gradient of", "n": "Which", "fit_px": "Snap to edges within",
}  # fmt: skip
FROM_CHROMA = {"chroma": "Half at chroma", "soft": "Transition over"}
BRUSH = {
    "radius_px": "Radius", "hardness_percent": "Hardness", "strength_percent": "Stroke opacity",
    "limit_percent": "Builds up to", "keep_to": "Limit to colour",
}  # fmt: skip
"""Of the strokes to come."""
LIST_PX = 236


class WherePage(PlacePage):
    """The list of parts, and the tapes of the one that is chosen."""

    title, tip = "Where", "The mask: its parts and how they are combined."

    def __init__(self, chosen: Chosen) -> None:
        super().__init__(chosen)
        self.brush = Stroke()
        """What the next stroke is like."""
        self.is_erasing = False
        self.list = RowsList(
            "Parts of the mask, in the order in which they are combined",
            "Parts of the mask, in the order in which they are combined. Drag one, or Shift with up or down, to "
            "move it "
            "up or down; Delete removes it.",
        )
        self.list.setMinimumWidth(LIST_PX)
        self.list.chosen.connect(lambda ident: self.chosen.choose_part(ident))
        self.list.ordered.connect(
            lambda order: self.chosen.session.commit(
                [(f"{self.chosen.place_path()}.mask.{ORDER}", order)], "Order of parts"
            )
        )
        self.list.removed.connect(lambda ident: self.chosen.remove_part(ident))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(16)
        row.addLayout(self._list_column(), 2)
        row.addLayout(self._part_column(), 6)

    def _list_column(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        column.addWidget(self.list, 1)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.joiners: dict[str, QPushButton] = {}
        tips = {
            "add": "Add a part: what either has",
            "subtract": "Subtract a part from the mask",
            "intersect": "Keep only what both the mask and the part have",
        }
        for join in JOINS:
            button = push(join.capitalize())
            button.setToolTip(tips[join])
            button.setAccessibleName(f"{join.capitalize()} a part")
            menu = QMenu(button)
            menu.aboutToShow.connect(partial(self._fill_menu, menu, join))
            button.setMenu(menu)
            self.joiners[join] = button
            line.addWidget(button)
        column.addLayout(line)
        return column

    def _part_column(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(8)
        self.join = Words("Combine", [(join, join) for join in JOINS], "How the part is combined with those before it.")
        self.join.chosen.connect(lambda join: self.chosen.set_part("join", join, "Combined"))
        self.invert = push("Invert", checkable=True)
        self.invert.setToolTip("Use what the part leaves out")
        self.invert.clicked.connect(lambda on: self.chosen.set_part("invert", "on" if on else "off", "Inverted"))
        self.channel = Words(
            "Channel", [(name, _short(name)) for name in CHANNELS], "The channel that the tones are measured in."
        )
        self.channel.chosen.connect(lambda name: self.chosen.set_part("channel", name, f"Channel: {name}"))
        self.erase = push("Erase", checkable=True)
        self.erase.setToolTip("Strokes erase; hold Alt to erase with one stroke")
        self.erase.toggled.connect(lambda on: setattr(self, "is_erasing", on))
        for widget in (self.join, self.invert, self.channel, self.erase):
            line.addWidget(widget)
        line.addStretch(1)
        column.addLayout(line)
        self._stack = QStackedWidget()
        self._pages: dict[type[MaskPart], tuple[QWidget, dict[str, Tape]]] = {}
        """Made when a part of their kind is first chosen: all of them would be felt at the start."""
        column.addWidget(self._stack)
        self.note = caption(px=theme.SMALL_PX)
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def tapes(self, kind: type[MaskPart]) -> dict[str, Tape]:
        """The tapes of a kind of part, by the name of the value; those of the brush itself as brush.name."""
        return self._page_of(kind)[1]

    def _page_of(self, kind: type[MaskPart]) -> tuple[QWidget, dict[str, Tape]]:
        if kind not in self._pages:
            self._pages[kind] = self._kind_page(kind)
            self._stack.addWidget(self._pages[kind][0])
        return self._pages[kind]

    def _kind_page(self, kind: type[MaskPart]) -> tuple[QWidget, dict[str, Tape]]:
        tapes = {f"brush.{name}": self._brush_tape(name, label) for name, label in BRUSH.items() if kind is Brush}
        leaves = parts_of(kind)
        common = ("fit_px", "feather_px", "grow_px", "strength_percent")
        own = [name for name, leaf in leaves.items() if isinstance(leaf, Number) and name not in (*LYING, *common)]
        for name in (*own, *common):
            leaf = leaves[name]
            assert isinstance(leaf, Number)
            named = {**LABELS, **(FROM_CHROMA if "hue_deg" not in leaves and "chroma" in leaves else {})}
            tapes[name] = chosen_tape(self.chosen.session, named[name], leaf, partial(self._path, kind, name))
        body = QWidget()
        body.setLayout(grid_of(tapes, COLUMNS))
        return body, tapes

    def _path(self, kind: type[MaskPart], name: str) -> str:
        return f"{self.chosen.part_path()}.{name}" if type(self.chosen.part()) is kind else ""

    def _brush_tape(self, name: str, label: str) -> Tape:
        leaf = parts_of(Stroke)[name]
        assert isinstance(leaf, Number)
        tape = Tape(label, leaf)
        for signal in (tape.valueChanging, tape.valueChanged):
            signal.connect(lambda value: self.set_brush(**{name: value}))
        tape.refused.connect(self.chosen.session.said.emit)
        return tape

    def set_brush(self, **values: float) -> None:
        """What the strokes to come are like; held to their limits."""
        for name, value in values.items():
            leaf = parts_of(Stroke)[name]
            assert isinstance(leaf, Number)
            held: Any = min(max(value, leaf.low), leaf.high)
            self.brush = Stroke(**{**self.brush.__dict__, name: held})
            self.tapes(Brush)[f"brush.{name}"].set_value(held)

    def _fill_menu(self, menu: QMenu, join: str) -> None:
        """What can be added, with what it is."""
        menu.clear()
        for kind, name, tip in KINDS:
            self._offer(menu, f"{name}: {tip}", partial(self.chosen.add_part, kind, join))
        others = self.chosen.session.recipe.places
        own = self.chosen.place_path().rpartition(".")[2]
        for n, (ident, place) in enumerate(others.items(), 1):
            if ident != own and isinstance(place, Place):
                told = f"Of {place_label(place, n)}: The mask of that place."
                self._offer(menu, told, partial(self.chosen.add_part, SameAs, join, of=ident))

    def _offer(self, menu: QMenu, text: str, act: Any) -> None:
        action = QAction(text.replace("&", "&&"), menu)
        action.triggered.connect(lambda _=False: act())
        menu.addAction(action)

    def refresh(self) -> None:
        place, part = self.chosen.place(), self.chosen.part()
        recipe = self.chosen.session.recipe
        names = {
            ident: place_label(other, n)
            for n, (ident, other) in enumerate(recipe.places.items(), 1)
            if isinstance(other, Place)
        }
        parts = place.mask if place is not None else {}
        rows = [
            ListRow(ident, f"{each.join if n else ''}  {part_label(each, names)}".strip())
            for n, (ident, each) in enumerate(parts.items())
            if isinstance(each, MaskPart)
        ]
        self.list.show_rows(rows, self.chosen.part_path().rpartition(".")[2])
        for button in self.joiners.values():
            button.setEnabled(place is not None)
        is_first = bool(rows) and self.chosen.part_path().endswith(f".{rows[0].ident}")
        self.join.setVisible(part is not None and not is_first)
        self.invert.setVisible(part is not None)
        self.channel.setVisible(isinstance(part, Bright))
        self.erase.setVisible(isinstance(part, Brush))
        self._stack.setVisible(part is not None)
        self.note.setText(self._hint(place, part))
        if part is None:
            return
        self.join.show_value(part.join)
        self.invert.setChecked(part.invert == "on")
        if isinstance(part, Bright):
            self.channel.show_value(part.channel)
        body, tapes = self._page_of(type(part))
        self._stack.setCurrentWidget(body)
        for name, tape in tapes.items():
            of, _, field = name.rpartition(".")
            tape.set_value(getattr(self.brush if of else part, field))

    def _hint(self, place: Place | None, part: MaskPart | None) -> str:
        if place is None:
            return "A place is a part of the picture with its own edits. Add one: New place, on the right."
        if part is None:
            return "The mask has no part yet: the place covers the whole picture. Add a part."
        return HOW.get(NAMES.get(type(part), ""), "")


HOW = {
    "Subject": "Found automatically. Click what is missing, Alt-click what should not be in it. Click a mark again to "
    "remove it.",
    "Background": "Everything but the subject. Click what belongs to the subject too, Alt-click what does not.",
    "Sky": "Found automatically: smooth, connected, and reaching the upper border.",
    "Faces": "Found automatically, largest first; 0 is all of them.",
    "People": "Found by their faces, largest first; 0 is all of them.",
    "Skin": "Found by the colours of the faces, within the people.",
    "In focus": "Found by the sharpness of edges: away from edges nothing is in it.",
    "Brush": "Drag to paint, Alt to erase, Shift-click for a straight stroke from the last; drag with the right button "
    "sideways to change the size.",
    "Ramp": "Drag in the picture from where it is full to where it ends; drag its ends and its middle to change it.",
    "Ellipse": "Drag in the picture from its centre outward; drag its sides, centre and handle to change it.",
    "Outline": "Draw around the area.",
    "Reach": "Click what should be in it, Alt-click what should not. Click a pick again to remove it.",
    "Colour": "Click what has the colour. Click a pick again to remove it.",
}


def _short(channel: str) -> str:
    return {"lightness": "L*"}.get(channel, channel[0].upper())
