"""Places: parts of the picture with decisions of their own."""

from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from ....measure.colour.spot import hue_and_chroma, spot
from ....measure.places.mask_edge import EdgeReading
from ....measure.places.places import PlaceReading
from ....recipe.model import Tone
from ....recipe.paths import added
from ....recipe.place_edits import doubled, inserted, merged, painted, with_mask_of
from ....recipe.places import Brush, MaskPart, Place, Stroke
from ....recipe.tree import ABSENT, ORDER, parts_of, replaced
from ....wording import counted, percent
from ....work.gifts import Gifts
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Click
from ...kit.action import ActionSpec
from ...kit.controls import Words, hold_drags
from ...kit.ladder import Ladder
from ..base import Station
from ..colour.hues import HuesPage
from .attention import AttentionPage
from .commands import COMMANDS
from .hues import PlaceHues
from .mask_view import MODES, OFF, MaskView
from .place_list import PlaceList
from .place_page import PlacePage
from .rank import RankPage
from .tool import PlaceTool
from .what import CurvePage, PlaceLightPage
from .where import WherePage
from .words import NAMES

DECK_PX = 276
STANDING = {"lighter": ("Lighter", 1.0), "darker": ("Darker", -1.0)}
"""Places that the brush goes to at once: their names, and the EV that a whole stroke would change."""
MOST_TINT = 20.0
"""Chroma of a tint that is picked; more is asked for on its tape."""
STANDING_PERCENT = 12.0
"""Of a stroke there; common practice, no source: 5 to 20 %."""


class PlacesStation(Station):
    """The list at the right, the mask and what it changes in the deck, handles and brush on the picture."""

    number, title, key = 6, "Places", "places"
    reads = frozenset({"places", "tone"})
    shows: tuple[str, ...] = ("places",)
    wants_subject = True

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.chosen, self.chosen_part = "", ""
        self.deck.setFixedHeight(DECK_PX)
        self.list, self.ladder, self.mask_view = PlaceList(), Ladder(), MaskView()
        self.tool = PlaceTool(self)
        self.where, self.what, self.curve = WherePage(self), PlaceLightPage(self), CurvePage(self)
        self.rank = RankPage(self, self._to_frame)
        self.hues = PlaceHues(self, HuesPage(session, view, self._pegs_path))
        self.attention = AttentionPage(self)
        self.pages: tuple[PlacePage, ...] = (
            self.where, self.what, self.curve, self.hues, self.rank, self.attention,
        )  # fmt: skip
        self.page: PlacePage = self.where
        self.row.addWidget(self.ladder, 4)
        self.row.addLayout(self._paged(), 12)
        hold_drags(
            self.ladder, session,
            lambda zones: [(f"{self.place_path()}.zones_EV", zones)] if self.place() is not None else [],
            "Zones of a place",
        )  # fmt: skip
        self.list.rows.chosen.connect(self.choose)
        self.list.rows.switched.connect(
            lambda ident, on: self._set(ident, "active", "on" if on else "off", "Place on or off")
        )
        self.list.rows.renamed.connect(lambda ident, name: self._set(ident, "name", name, "Named"))
        self.list.rows.ordered.connect(
            lambda order: self.session.commit([(f"places.{ORDER}", order)], "Order of places")
        )
        self.list.rows.removed.connect(self.remove)
        self.list.asked.connect(lambda what: getattr(self, f"{what}_place")())
        self._pick_tint = Click(self._on_tint_picked)
        self.curve.pick.toggled.connect(lambda on: (view.take if on else view.put_away)(self._pick_tint))
        self.what.pin.clicked.connect(self._pin)
        self.mask_view.changed.connect(view.update)
        session.recipeChanging.connect(lambda names: self._hide_mask(names, True))
        session.recipeChanged.connect(lambda names: self._hide_mask(names, False))

    def _paged(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        self.words = Words(
            "Page", [(page.title, page.title) for page in self.pages], "Where the place is, and what it changes."
        )
        self.words.show_value(self.page.title)
        self.words.chosen.connect(self.turn_to)
        self.see = Words(
            "See the mask", [("off", "picture"), ("picture", "mask over it"), ("grey", "mask alone")],
            "Grey and dim outside the mask, or the mask alone; hidden while a tape is dragged.",
        )  # fmt: skip
        self.see.show_value(OFF)
        self.see.chosen.connect(self.see_mask)
        line.addWidget(self.words)
        line.addStretch(1)
        line.addWidget(self.see)
        column.addLayout(line)
        self._stack = QStackedWidget()
        for page in self.pages:
            self._stack.addWidget(page)
        column.addWidget(self._stack, 1)
        return column

    # ---- what a station does

    def side(self) -> QWidget:
        return self.list

    def actions(self) -> tuple[ActionSpec, ...]:
        return COMMANDS

    def give_place(self) -> None:
        Gifts(self.session).place_to(self.session.selected(), self.chosen)

    def enter(self) -> None:
        super().enter()
        self.view.take(self.tool)
        if self.page is self.rank:
            self.view.take(self.rank.tool)

    def leave(self) -> None:
        self.curve.pick.setChecked(False)
        self.hues.leave()
        for tool in (self.rank.tool, self.tool):
            self.view.put_away(tool)
        super().leave()

    def forget(self) -> None:
        self.chosen, self.chosen_part = "", ""
        self.mask_view.forget()
        self.tool.forget()
        self.rank.forget()

    def is_idle(self) -> bool:
        return self.mask_view.is_idle() and self.hues.pegs.is_idle()

    def end(self) -> None:
        self.mask_view.end()
        self.hues.pegs.end()

    def reading_text(self) -> str:
        places = self.places()
        if not places:
            return ""
        reading = self._reading()
        share = f", {percent(reading.coverage, 0)}" if reading is not None else ""
        return counted(len(places), "place") + share

    def refresh(self) -> None:
        places = self.places()
        if self.chosen not in places:
            self.chosen = next(iter(places), "")
            self.tool.forget()
        place = self.place()
        if place is None or self.chosen_part not in place.mask:
            self.chosen_part = next(reversed(place.mask.order), "") if place is not None else ""
        self.list.show_places(places, self.chosen)
        self.page.refresh()
        zones = place.zones_EV if place is not None else Tone().zones_EV
        self.ladder.show_tone(replaced(self.session.recipe.tone, zones_EV=zones))
        self.ladder.setEnabled(place is not None)
        self.view.update()

    def refresh_readings(self) -> None:
        reading = self._reading()
        edges: dict[str, EdgeReading] | None = self.reading("edges")
        self.list.show_reading(reading, edges.get(self.chosen) if edges else None)
        self.ladder.show_reading(reading)
        self.page.refresh_readings()
        if self.page is self.attention:
            self.view.update()

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self.mask_view.paint(painter, view, self.chosen)
        if self.page is self.attention:
            self.attention.paint_over(painter, view)

    def turn_to(self, title: str) -> None:
        self.view.put_away(self.rank.tool)
        self.hues.leave()
        self.page = next(page for page in self.pages if page.title == title)
        self.words.show_value(title)
        self._stack.setCurrentWidget(self.page)
        # what another page shows need not follow the hand here
        self.shows = ("places", *self.page.shows)
        if self.is_shown:
            self.session.judging.watch(self.shows, self.key)
        self.page.refresh()
        self.page.refresh_readings()
        if self.page is self.rank and self.is_shown:
            self.view.take(self.rank.tool)

    # ---- the mask over the picture

    def see_mask(self, mode: str) -> None:
        self.mask_view.mode = mode
        self.see.show_value(mode)
        self.view.update()

    def next_mask(self) -> None:
        self.see_mask(MODES[(MODES.index(self.mask_view.mode) + 1) % len(MODES)])

    def _hide_mask(self, names: frozenset[str], is_moving: bool) -> None:
        """What a tape does is to be seen; what a brush does is seen in the mask."""
        self.mask_view.is_hidden = is_moving and not isinstance(self.part(), Brush)
        self.tool.is_hidden = is_moving

    # ---- what is chosen

    def places(self) -> dict[str, Place]:
        return {ident: place for ident, place in self.session.recipe.places.items() if isinstance(place, Place)}

    def place(self) -> Place | None:
        return self.places().get(self.chosen)

    def place_path(self) -> str:
        return f"places.{self.chosen}"

    def _pegs_path(self) -> str:
        return f"{self.place_path()}.pegs" if self.place() is not None else ""

    def part(self) -> MaskPart | None:
        place = self.place()
        part = place.mask.get(self.chosen_part) if place is not None else None
        return part if isinstance(part, MaskPart) else None

    def part_path(self) -> str:
        return f"{self.place_path()}.mask.{self.chosen_part}"

    def long_side(self) -> int:
        engine = self.session.engine
        return max(engine.frame.size) if engine is not None else 1

    def choose(self, ident: str) -> None:
        if ident != self.chosen:
            self.chosen, self.chosen_part = ident, ""
            self.tool.forget()
            self.refresh()
            self.refresh_readings()
            self.toldAnew.emit()

    def choose_part(self, ident: str) -> None:
        if ident != self.chosen_part:
            self.chosen_part = ident
            self.tool.forget()
            self.refresh()

    def _reading(self) -> PlaceReading | None:
        readings: dict[str, PlaceReading] | None = self.reading("places")
        return readings.get(self.chosen) if readings else None

    # ---- what is done

    def set_place(self, name: str, value: object, label: str) -> None:
        self._set(self.chosen, name, value, label)

    def set_part(self, name: str, value: object, label: str) -> None:
        if self.part() is not None:
            self.session.commit([(f"{self.part_path()}.{name}", value)], label)

    def _set(self, ident: str, name: str, value: object, label: str) -> None:
        if ident in self.places():
            self.session.commit([(f"places.{ident}.{name}", value)], label)

    def new_place(self) -> None:
        self._insert(Place(), "New place")
        self.turn_to(self.where.title)

    def double_place(self) -> None:
        """The chosen place once more, right after it."""
        place = self.place()
        if place is not None:
            self._insert(doubled(place), "Duplicated", self.chosen)

    def same_place(self) -> None:
        """A place that changes nothing yet, where the chosen one is."""
        if self.place() is not None:
            self._insert(with_mask_of(self.chosen), "Same mask", self.chosen)
            self.turn_to(self.what.title)

    def merge_place(self) -> None:
        """The chosen place into the one before it: its mask is added there, and it is left out by itself."""
        found = merged(self.session.recipe, self.chosen)
        if found is None:
            self.session.said.emit("Choose the second of two places: it is merged into the one above it.")
            return
        settings, self.chosen = found
        self.chosen_part = ""
        self.tool.forget()
        self.session.commit(settings, "Merged")

    def remove_place(self) -> None:
        self.remove(self.chosen)

    def remove(self, ident: str) -> None:
        if ident in self.places():
            self.session.commit([(f"places.{ident}", ABSENT)], "Place removed")

    def paint(self, which: str) -> None:
        """Have the brush at hand, in the standing place that lightens or darkens."""
        if not self.session.is_open:
            return
        name, stops = STANDING[which]
        found = next((ident for ident, place in self.places().items() if place.name == name), None)
        if found is None:
            self._insert(painted(name, stops), name)
        else:
            self.choose(found)
            place = self.place()
            assert place is not None
            self.choose_part(next((ident for ident, part in place.mask.items() if isinstance(part, Brush)), ""))
        self.where.set_brush(strength_percent=STANDING_PERCENT, hardness_percent=0.0)
        self.turn_to(self.where.title)

    def add_part(self, kind: type[MaskPart], join: str, **values: object) -> None:
        """What takes seconds to find is looked for first, aside: the part is there when it is found."""
        engine, ident = self.session.engine, self.chosen
        part = kind(join=join, **values)  # type: ignore[arg-type]
        if not kind.WANTS_SUBJECT or engine is None or engine.found.is_at_hand():
            self._put_part(part, ident)
        else:
            self.session.seeker.ask(lambda: self._put_part(part, ident))

    def _put_part(self, part: MaskPart, ident: str) -> None:
        """Put a part to the place it was wanted for, whichever is chosen by now."""
        if ident not in self.places():
            return
        settings = added(self.session.recipe, [(f"places.{ident}.mask", part)])
        if ident == self.chosen:
            self.chosen_part = settings[0][0].rpartition(".")[2]
            self.tool.forget()
        self.session.commit(settings, f"{NAMES.get(type(part), 'mask')} {part.join}")

    def take_part(self, part: MaskPart) -> None:
        """Put a part to the chosen place, or to a new one."""
        if self.place() is None:
            self.new_place()
        values = {name: getattr(part, name) for name in parts_of(type(part)) if name != "join"}
        self.add_part(type(part), "add", **values)
        self.turn_to(self.where.title)

    def remove_part(self, ident: str) -> None:
        place = self.place()
        if place is not None and ident in place.mask:
            self.session.commit([(f"{self.place_path()}.mask.{ident}", ABSENT)], "Part removed")

    def _insert(self, place: Place, label: str, after: str = "") -> None:
        """Put a place to the recipe and choose it; right after another, or at the end."""
        if not self.session.is_open:
            return
        settings, self.chosen = inserted(self.session.recipe, place, after)
        self.chosen_part = ""
        self.tool.forget()
        self.session.commit(settings, label)

    def _pin(self, on: bool) -> None:
        """Hold the colours of the place as the whole is balanced now, or let them go."""
        light = self.session.light if on else None
        kelvin, duv = (round(light.cct_K, 1), round(light.duv, 5)) if light is not None else (0.0, 0.0)
        settings = [(f"{self.place_path()}.pinned_K", kelvin), (f"{self.place_path()}.pinned_duv", duv)]
        self.session.commit(settings, "Colours pinned" if on else "Colours unpinned")

    def _on_tint_picked(self, x: float, y: float) -> None:
        """Take hue, and chroma where there is none yet, from a spot of the picture."""
        self.curve.pick.setChecked(False)
        engine, recipe, path = self.session.engine, self.session.recipe, self.place_path()
        if engine is None or self.place() is None:
            return

        def put(colour: tuple[float, float]) -> None:
            hue, chroma = colour
            settings: list[tuple[str, object]] = [(f"{path}.tint_hue_deg", round(hue, 1))]
            place = self.session.recipe.places.get(path.rpartition(".")[2])
            if isinstance(place, Place) and not place.tint_chroma:
                settings.append((f"{path}.tint_chroma", round(min(chroma, MOST_TINT), 1)))
            self.session.commit(settings, "Tint picked")

        self.session.do_aside(lambda _: hue_and_chroma(engine, recipe, spot(engine, recipe, x, y)), "tint", put)

    def _to_frame(self, x: float, y: float) -> tuple[float, float]:
        """A place of the picture, px, in the frame, in units of its long side."""
        engine = self.session.engine
        if engine is None:
            return 0.5, 0.5
        there = (engine.mapping(self.view.recipe).to_frame([(x, y)])[0] + 0.5) / self.long_side()
        return tuple(round(min(max(float(v), 0.0), 1.0), 5) for v in there)  # type: ignore[return-value]

    # ---- what the tool asks for

    def stroke(self, *, erase: bool) -> Stroke:
        """What the next stroke is like."""
        return replaced(self.where.brush, erase="on" if erase != self.where.is_erasing else "off")

    def stroke_to_come(self) -> str:
        """The path of the next stroke."""
        part = self.part()
        assert isinstance(part, Brush)
        return f"{self.part_path()}.strokes.{part.strokes.fresh_id()}"

    def paints(self, on: bool) -> None:
        """While a stroke goes on nothing is measured: the picture follows the hand."""
        self.session.judging.watch(() if on else self.shows, self.key)

    def set_radius(self, radius_px: float) -> None:
        self.where.set_brush(radius_px=round(radius_px))
        self.view.update()
