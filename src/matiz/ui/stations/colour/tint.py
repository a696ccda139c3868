"""The tint path: colours over the tone scale, for warm lights and cool darks."""

from functools import partial
from itertools import pairwise
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....measure.colour.spot import Lab_of, spot
from ....recipe.colour import TintNode
from ....recipe.leaves import Number
from ....recipe.paths import added, leaf_of
from ....recipe.tree import ABSENT, Rows, replaced
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Click
from ...kit import theme
from ...kit.controls import caption, chosen_tape, grid_of, hold_drags, push
from ...kit.tape import Tape
from ..page import Page
from .tint_path import NodeMove, TintPath, held

NAMES = {"at": "Lightness of the tone", "a": "Redder", "b": "Yellower"}
START = {"dark": TintNode(at=25.0), "middle": TintNode(at=50.0), "light": TintNode(at=75.0)}
"""What is dragged while there is none."""
USUAL = {"dark": (-1.0, -5.0), "middle": (0.5, 1.0), "light": (1.5, 6.0)}
"""Warm lights and cool darks, a*, b*: a common wish; common practice, no source."""
NEAR_L = 12.0
MOST_PICKED = 20.0
TABLE = "colour.tint"


class TintPage(Page):
    """The path at the left, the tapes of the chosen node at the right."""

    title, tip = "Tint path", "Colours added to shadows, midtones and highlights; luminance stays."

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.chosen = "middle"
        self.path = TintPath()
        hold_drags(self.path, session, self._moved, "Tint")
        self.path.chosen.connect(self.choose)
        self.path.asked.connect(lambda what: self.add() if what == "add" else self.remove_node())
        self.tool = Click(self._picked)
        self.tapes: dict[str, Tape] = {}
        for name, label in NAMES.items():
            leaf = leaf_of(TintNode, name)
            assert isinstance(leaf, Number)
            self.tapes[name] = chosen_tape(session, label, leaf, partial(self._path, name))
        self.row.addWidget(self.path, 4)
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addLayout(self._buttons())
        column.addLayout(grid_of(self.tapes, 3))
        self.note = caption(px=theme.SMALL_PX)
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        self.row.addLayout(column, 8)

    def _buttons(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(4)
        self.pick = push("Pick a colour", checkable=True)
        self.pick.setToolTip("Add a node with the tone and colour of a point in the picture")
        self.pick.toggled.connect(lambda on: (self.view.take if on else self.view.put_away)(self.tool))
        self.usual = push("Warm highlights, cool shadows")
        self.usual.setToolTip("Three nodes to start with")
        self.usual.clicked.connect(self.put_usual)
        self.new = push("Another node")
        self.new.setToolTip("Add one in the widest range of tones without a node")
        self.new.clicked.connect(self.add)
        self.remove = push("Remove")
        self.remove.setToolTip("Remove the chosen node")
        self.remove.clicked.connect(self.remove_node)
        for button in (self.pick, self.usual, self.new, self.remove):
            line.addWidget(button)
        line.addStretch(1)
        return line

    def nodes(self) -> Rows[TintNode]:
        return self.session.recipe.colour.tint or Rows(START.items())

    def _path(self, name: str) -> str:
        return f"{TABLE}.{self.chosen}.{name}" if self.chosen in self.session.recipe.colour.tint else ""

    def choose(self, ident: str) -> None:
        self.chosen = ident
        self.refresh()

    def refresh(self) -> None:
        nodes, own = self.nodes(), self.session.recipe.colour.tint
        if self.chosen not in nodes:
            self.chosen = next(iter(nodes))
        self.path.show_nodes(nodes, self.chosen)
        for name, tape in self.tapes.items():
            tape.set_value(getattr(nodes[self.chosen], name))
            tape.setEnabled(self.chosen in own)
        self.remove.setEnabled(self.chosen in own)
        self.note.setText(
            "The tint fades toward black and white, which have no room for colour."
            if own
            else "No tint yet: drag a node, pick a colour in the picture, or start with the usual three."
        )

    def leave(self) -> None:
        self.pick.setChecked(False)

    def _moved(self, move: NodeMove) -> list[tuple[str, Any]]:
        """Whole nodes: while the first drag goes on, what it shows is not in the recipe yet."""
        ident, values = move
        nodes = dict(self.nodes())
        if ident not in nodes:
            return []
        nodes[ident] = replaced(nodes[ident], **values)
        return [(f"{TABLE}.{name}", node) for name, node in nodes.items()]

    def put_usual(self) -> None:
        if self.session.is_open:
            own = self.session.recipe.colour.tint
            taken: list[tuple[str, Any]] = [(f"{TABLE}.{ident}", ABSENT) for ident in own if ident not in START]
            put = [(f"{TABLE}.{name}", replaced(START[name], a=a, b=b)) for name, (a, b) in USUAL.items()]
            self.session.commit([*taken, *put], "Warm highlights, cool shadows")

    def add(self) -> None:
        """A node in the middle of the widest stretch of tones without one."""
        if not self.session.is_open:
            return
        nodes = self.nodes()
        at = [0.0, *sorted(node.at for node in nodes.values()), 100.0]
        _, low, high = max((b - a, a, b) for a, b in pairwise(at))
        self._put(TintNode(at=round((low + high) / 2.0)), "Tint node added")

    def _put(self, node: TintNode, label: str) -> None:
        recipe = self.session.recipe
        own = recipe.colour.tint
        near = [ident for ident, each in own.items() if abs(each.at - node.at) < NEAR_L and (node.a or node.b)]
        if near:
            self.chosen = min(near, key=lambda ident: abs(own[ident].at - node.at))
            settings: list[tuple[str, Any]] = [(f"{TABLE}.{self.chosen}.{name}", getattr(node, name)) for name in "ab"]
        else:
            settings = list(added(recipe, [(TABLE, node)]))
            self.chosen = settings[0][0].rpartition(".")[2]
        self.session.commit(settings, label)

    def remove_node(self) -> None:
        if self.chosen in self.session.recipe.colour.tint:
            self.session.commit([(f"{TABLE}.{self.chosen}", ABSENT)], "Tint node removed")

    def _picked(self, x: float, y: float) -> None:
        self.pick.setChecked(False)
        engine, recipe = self.session.engine, self.session.recipe
        if engine is None:
            return

        def put(Lab: tuple[float, float, float]) -> None:
            L, a, b = Lab
            most = max((a * a + b * b) ** 0.5 / MOST_PICKED, 1.0)
            at = float(round(min(max(L, 5.0), 95.0)))
            self._put(TintNode(at=at, a=held(a / most), b=held(b / most)), "Tint picked")

        self.session.do_aside(lambda _: Lab_of(engine, recipe, spot(engine, recipe, x, y)), "tint", put)
