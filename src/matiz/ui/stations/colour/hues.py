"""Hue pegs, of the whole picture or of a place: the strip, the tapes of the chosen peg, and a hand in the picture."""

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....measure.colour.spot import hue_of, spot
from ....recipe.change import Settings
from ....recipe.colour import Peg
from ....recipe.leaves import Number
from ....recipe.model import Recipe
from ....recipe.paths import added, leaf_of
from ....recipe.tree import ABSENT, Rows, replaced
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.read_drag import ReadDrag
from ...kit import theme
from ...kit.controls import caption, chosen_tape, grid_of, hold_drags, push
from ...kit.tape import Tape
from ..page import Page
from .hue_strip import HueStrip, PegMove, turned

NAMES = {"hue_deg": "Hue shift", "chroma": "Chroma", "lightness": "Lightness", "reach_deg": "Reach"}
EVEN = 12
TURN_PX, CHROMA_PX = 4.0, 250.0
"""A drag in the picture: px of the window to a degree of hue, and to as much chroma again."""
NEAR_SHARE = 0.6
"""Of a peg's reach: a pick as near takes it, one further off makes another."""
COLUMNS = 2


class HuesPage(Page):
    """table: the recipe path of the pegs now; "" where there is nothing to put pegs to."""

    title, tip = "Hues", "Pegs on the hue strip shift hue, chroma and lightness."
    shows = ("colour", "colour_before")
    named: Mapping[str, str] = NAMES

    def __init__(self, session: Session, view: PictureView, table: Callable[[], str]) -> None:
        super().__init__(session, view)
        self.table = table
        self.chosen = ""
        self.strip = HueStrip()
        hold_drags(self.strip, session, self._moved, "Hue peg")
        self.strip.chosen.connect(self.choose)
        self.strip.asked.connect(self._asked)
        self.tool = PickHue(self)
        self.tapes: dict[str, Tape] = {}
        for name, label in self.named.items():
            leaf = leaf_of(Peg, name)
            assert isinstance(leaf, Number)
            self.tapes[name] = chosen_tape(session, label, leaf, partial(self._path, name))
        self.row.addWidget(self.strip, 5)
        self.column = QVBoxLayout()
        self.column.setSpacing(6)
        self.column.addLayout(self._buttons())
        self.column.addLayout(grid_of(self.tapes, COLUMNS))
        self.note = caption(px=theme.SMALL_PX)
        self.note.setWordWrap(True)
        self.column.addWidget(self.note)
        self.column.addStretch(1)
        self.row.addLayout(self.column, 4)

    def _buttons(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(4)
        self.pick = push("Pick in the picture", checkable=True)
        self.pick.setToolTip("Press on a colour in the picture and drag: sideways shifts its hue, up adds chroma")
        self.pick.toggled.connect(lambda on: (self.view.take if on else self.view.put_away)(self.tool))
        self.even = push("Twelve evenly")
        self.even.setToolTip("Twelve pegs, each reaching to the next: together they cover every hue once")
        self.even.clicked.connect(self.put_even)
        self.remove = push("Remove")
        self.remove.setToolTip("Remove the chosen peg")
        self.remove.clicked.connect(self.remove_peg)
        for button in (self.pick, self.even, self.remove):
            line.addWidget(button)
        line.addStretch(1)
        return line

    # ---- what is chosen

    def pegs(self) -> Rows[Peg]:
        table = self.table()
        rows: Rows[Peg] = self.session.recipe.get(table) if table else Rows()
        return rows

    def peg(self) -> Peg | None:
        return self.pegs().get(self.chosen)

    def _path(self, name: str) -> str:
        return f"{self.table()}.{self.chosen}.{name}" if self.peg() is not None else ""

    def choose(self, ident: str) -> None:
        self.chosen = ident
        self.refresh()

    def refresh(self) -> None:
        pegs = self.pegs()
        if self.chosen not in pegs:
            self.chosen = next(iter(pegs), "")
        peg = self.peg()
        self.strip.show_pegs(pegs, self.chosen)
        self.strip.setEnabled(bool(self.table()))
        for name, tape in self.tapes.items():
            tape.set_value(getattr(peg or Peg(), name))
            tape.setEnabled(peg is not None)
        self.remove.setEnabled(peg is not None)
        for button in (self.pick, self.even):
            button.setEnabled(bool(self.table()))
        self.note.setText(
            "" if pegs else "No peg yet: pick a colour in the picture, double-click the strip, or start with twelve."
        )

    def refresh_readings(self) -> None:
        reading = self.session.reading
        self.strip.show_readings(reading.get("colour"), reading.get("colour_before"))

    def leave(self) -> None:
        self.pick.setChecked(False)

    def forget(self) -> None:
        self.chosen = ""

    def is_idle(self) -> bool:
        return self.tool.is_idle()

    def end(self) -> None:
        self.tool.end_thread()

    # ---- what is done

    def _moved(self, move: PegMove) -> list[tuple[str, Any]]:
        ident, values = move
        table = self.table()
        return [(f"{table}.{ident}.{name}", value) for name, value in values.items()] if ident in self.pegs() else []

    def _asked(self, what: str, hue_deg: float) -> None:
        if what == "add":
            self.add(hue_deg)
        else:
            self.remove_peg()

    def add(self, hue_deg: float) -> None:
        if self.table() and self.session.is_open:
            settings = added(self.session.recipe, [(self.table(), Peg(at_deg=hue_deg))])
            self.chosen = settings[0][0].rpartition(".")[2]
            self.session.commit(settings, "Hue peg added")

    def put_even(self) -> None:
        """Twelve pegs in place of those that are there."""
        if self.table() and self.session.is_open:
            even = Rows((f"h{n}", Peg(at_deg=n * 360.0 / EVEN, reach_deg=360.0 / EVEN)) for n in range(EVEN))
            taken: list[tuple[str, Any]] = [(f"{self.table()}.{ident}", ABSENT) for ident in self.pegs()]
            put = [(f"{self.table()}.{ident}", peg) for ident, peg in even.items() if ident not in self.pegs()]
            over = [(f"{self.table()}.{ident}", even[ident]) for ident in self.pegs() if ident in even]
            taken = [each for each in taken if each[0].rpartition(".")[2] not in even]
            self.session.commit([*taken, *over, *put], "Twelve pegs")

    def remove_peg(self) -> None:
        if self.peg() is not None:
            self.session.commit([(f"{self.table()}.{self.chosen}", ABSENT)], "Hue peg removed")

    def taken_at(self, hue_deg: float) -> tuple[str, Peg, bool]:
        """The peg that a pick of a hue takes: its id, itself, and whether it is a new one."""
        near = {}
        for ident, peg in self.pegs().items():
            off = abs((hue_deg - peg.at_deg - peg.hue_deg + 180.0) % 360.0 - 180.0)
            if off <= NEAR_SHARE * peg.reach_deg:
                near[ident] = off
        if near:
            ident = min(near, key=near.__getitem__)
            return ident, self.pegs()[ident], False
        return self.pegs().fresh_id(), Peg(at_deg=round(hue_deg % 360.0, 1)), True


class PickHue(ReadDrag):
    """A colour of the picture, pressed and dragged: the peg that holds it follows, or one is put there."""

    cursor = Qt.CursorShape.CrossCursor
    label = "Hue picked"

    def __init__(self, page: HuesPage) -> None:
        super().__init__(page.session, _hue_at, "hue at the pointer")
        self._page = page

    def is_ready(self) -> bool:
        return bool(self._page.table())

    def show(self, found: tuple[float, float]) -> None:
        self._page.strip.show_mark(found)

    def hold(self, _: Recipe, found: tuple[float, float]) -> tuple[str, Peg, bool]:
        held = self._page.taken_at(found[0])
        self._page.chosen = held[0]
        return held

    def settings(self) -> Settings:
        ident, peg, is_new = self.held
        hue = turned(peg, peg.at_deg + peg.hue_deg + self.right_px / TURN_PX)
        chroma = round(min(max(peg.chroma + self.up_px / CHROMA_PX, 0.0), 4.0), 2)
        path = f"{self._page.table()}.{ident}"
        if is_new:
            return ((path, replaced(peg, hue_deg=hue, chroma=chroma)),)
        return ((f"{path}.hue_deg", hue), (f"{path}.chroma", chroma))


def _hue_at(asked: Any, emit: Callable[[tuple[float, float]], None]) -> None:
    picture, recipe, (x, y), _ = asked
    emit(hue_of(picture.engine, recipe, spot(picture.engine, recipe, x, y)))
