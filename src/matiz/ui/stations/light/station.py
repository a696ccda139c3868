"""Light: which light is to look neutral."""

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPolygonF
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout

from ....colour.illuminants import NAMES
from ....develop.frame.tiles import Region
from ....develop.graph.engine import Engine
from ....measure.colour.spot import spot
from ....measure.light.light import LightReading
from ....measure.light.lights import Lights, Territory, territories
from ....measure.light.pick import Pick, picked
from ....proposals.landing import landing
from ....recipe.leaves import Number
from ....recipe.model import Recipe, manual_light
from ....wording import duv, kelvin, number, percent
from ....work.gifts import Gifts
from ....work.grip import Grip
from ....work.session import Session
from ....work.session_parts import Settings
from ...canvas.picture_view import PictureView
from ...canvas.tools import Click
from ...kit import theme
from ...kit.action import ActionSpec
from ...kit.controls import bind, caption, hold_drags, push, tape_for
from ...kit.over_picture import label, stroked
from ...kit.tape import Tape, mired_ruling
from ..base import Station
from .chromaticity import Chromaticity

PICK_PX = 12
"""Half-width of the area a pick averages, px of the picture."""
LANDS = Number("", 180.0, 255.0, 245.0, 1.0, 0, "The tone that a picked white gets; above 245 paper stays bare.")
NOISY = 0.25
"""Standard deviation of a picked area over its mean, above which the pick is called noisy."""


class LightStation(Station):
    """The u'v' plane, tapes for K and Duv, a pick, named lights."""

    number, title, key = 3, "Light", "light"
    reads, shows = frozenset({"light"}), ("balance", "light")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.gifts = Gifts(session)
        self._picked: tuple[float, float] | None = None
        self._lights: Lights | None = None
        self._territories: tuple[Territory, ...] = ()
        self.instrument = Chromaticity()
        self.row.addWidget(self.instrument, 5)
        self.row.addLayout(self._controls(), 6)
        self._first_grey: tuple[float, float] | None = None
        self._clicks = {
            self.pick: Click(self.pick_at),
            self.white: Click(self.land_at),
            self.two_greys: Click(self.grey_at),
        }
        hold_drags(
            self.instrument, session, lambda light: manual_light(*light), lambda light: f"Light {kelvin(light[0])}"
        )

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        sources = QHBoxLayout()
        sources.setSpacing(4)
        self.pick = push("Pick a neutral", checkable=True)
        self.pick.setToolTip("Then click something grey or white in the picture")
        self.pick.toggled.connect(self._on_pick_toggled)
        self.as_shot = push("As shot")
        self.as_shot.setToolTip("The camera's white balance")
        self.as_shot.clicked.connect(lambda: self.session.commit([("light.source", "as_shot")], "Light as shot"))
        self.named = QComboBox()
        self.named.setAccessibleName("Named illuminant")
        self.named.setToolTip("Balance for a standard illuminant")
        self.named.addItem("Named light", "")
        for name, text in NAMES.items():
            self.named.addItem(text, name)
        self.named.activated.connect(self._on_named)
        self.white = push("Pick a white", checkable=True)
        self.white.setToolTip("Then click something white: it becomes neutral, with the tone set on the tape")
        self.white.toggled.connect(self._on_pick_toggled)
        sources.addWidget(self.pick)
        sources.addWidget(self.white)
        sources.addWidget(self.as_shot)
        sources.addWidget(self.named, 1)
        column.addLayout(sources)
        self.kelvin = tape_for("light.cct_K", "Colour temperature", mired_ruling(), round_to=10.0)
        self.duv = tape_for("light.duv", "Duv, green to the right")
        tapes = QGridLayout()
        tapes.setHorizontalSpacing(20)
        for n, tape in enumerate((self.kelvin, self.duv)):
            self._bind(tape)
            tape.refused.connect(self.session.said.emit)
            tapes.addWidget(tape, 0, n)
        self.adaptation = tape_for("light.adaptation_percent", "Adaptation (lower keeps the mood)")
        bind(self.adaptation, self.session, "light.adaptation_percent", lambda v: f"Adaptation {number(v, 0, '%')}")
        tapes.addWidget(self.adaptation, 1, 0)
        self.lands = Tape("Tone of a picked white, of 255", LANDS)
        self.lands.refused.connect(self.session.said.emit)
        self.lands.valueChanged.connect(self.lands.set_value)
        tapes.addWidget(self.lands, 1, 1)
        column.addLayout(tapes)
        self.note = caption()
        self.note.setWordWrap(True)
        self.two_greys = push("Two greys", checkable=True)
        self.two_greys.setToolTip("For two lights: click something grey in one, then in the other")
        self.two_greys.toggled.connect(self._on_pick_toggled)
        self.map = push("Light map", checkable=True)
        self.map.setToolTip("Outlines where each of two lights is strongest, with its temperature and share")
        self.map.toggled.connect(lambda _: self.view.update())
        below = QHBoxLayout()
        below.setSpacing(4)
        below.addWidget(self.note, 1)
        below.addWidget(self.two_greys)
        below.addWidget(self.map)
        column.addLayout(below)
        column.addStretch(1)
        return column

    def actions(self) -> tuple[ActionSpec, ...]:
        return (
            ActionSpec(
                "give_light",
                "Copy its light to the selected",
                ("Ctrl+L",),
                "Balance the pictures selected in Sort for the open picture's light.",
                "give_light",
                "Light",
                is_seen_there=False,
            ),
            ActionSpec(
                "give_change",
                "Copy its change of light to the selected",
                ("Ctrl+Alt+L",),
                "Shift the light of the pictures selected in Sort, as their cameras set it, by as much as this one's.",
                "give_change_of_light",
                "Light",
                is_seen_there=False,
            ),
            ActionSpec(
                "give_light_to_set",
                "Copy its light to its set",
                ("Ctrl+Shift+L",),
                "Balance the pictures taken after this one, without a break of 20 minutes, for its light: after a "
                "grey card.",
                "gifts.light_to_set",
                "Light",
                is_seen_there=False,
            ),
            ActionSpec(
                "pick_neutral",
                "Pick a neutral",
                ("F7",),
                "Go to Light and pick something grey or white in the picture.",
                "pick_neutral",
                "Light",
            ),
        )

    def give_light(self) -> None:
        self.gifts.light_to(self.session.selected())

    def give_change_of_light(self) -> None:
        self.gifts.change_to(self.session.selected())

    def pick_neutral(self) -> None:
        self.pick.setChecked(True)

    def leave(self) -> None:
        for button in self._clicks:
            button.setChecked(False)
        super().leave()

    def reading_text(self) -> str:
        light = self.session.light
        return "" if light is None else kelvin(light.cct_K)

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        if self.map.isChecked():
            self._paint_map(painter, view)
        if self._picked is None:
            return
        x, y = self._picked
        place = view.rect_on_widget((int(x - PICK_PX), int(y - PICK_PX), 2 * PICK_PX, 2 * PICK_PX))
        place = place.united(QRectF(place.center().x() - 6, place.center().y() - 6, 12, 12))
        stroked(painter, lambda: painter.drawRect(place))

    def _paint_map(self, painter: QPainter, view: PictureView) -> None:
        """The second light's outlines, dashed; a label in each light's part."""
        engine = self.session.engine
        if engine is None:
            return
        mapping = engine.mapping(self.view.recipe)
        for outline in self._territories[1].outlines if len(self._territories) > 1 else ():
            points = QPolygonF([view.to_widget(float(x), float(y)) for x, y in mapping.to_picture(outline)])
            stroked(painter, partial(painter.drawPolyline, points), px=1.4, dashed=True)
        long_side = max(engine.frame.size)
        for point in self.session.recipe.light.greys:
            at = view.to_widget(*mapping.to_picture([(point[0] * long_side, point[1] * long_side)])[0])
            stroked(painter, partial(painter.drawRect, QRectF(at.x() - 6, at.y() - 6, 12, 12)))
        for territory in self._territories:
            light = territory.light
            text = f"{kelvin(light.value.cct_K)}   {percent(light.share, 0)} of the exposure"
            middle = view.to_widget(*mapping.to_picture([territory.centre])[0])
            at, side = QPointF(middle.x(), middle.y() - 9), Qt.AlignmentFlag.AlignHCenter
            label(painter, text, at, side, px=theme.TEXT_PX, within=view.width())

    def pick_at(self, x: float, y: float) -> None:
        """Balance for the light that makes the area around a point of the picture neutral."""
        self.pick.setChecked(False)

        def balance(pick: Pick) -> None:
            if pick.unevenness > NOISY:
                share = number(pick.unevenness * 100, 0, "%")
                self.session.said.emit(f"The pick is uneven or noisy ({share}): a larger, plain area is safer.")
            self.session.commit(manual_light(pick.light.cct_K, pick.light.duv), "Picked a neutral")

        self._read_aside(x, y, picked, balance)

    def land_at(self, x: float, y: float) -> None:
        """Make the area around a point neutral, and as light as the tape says."""
        self.white.setChecked(False)
        code = self.lands.value()
        self._read_aside(
            x,
            y,
            lambda engine, recipe, area: landing(engine, recipe, area, code),
            lambda settings: self.session.commit(settings, f"Picked white at {number(code, 0)}"),
        )

    def grey_at(self, x: float, y: float) -> None:
        """Hear of something grey in one light, then in the other: both lights are measured there."""
        engine = self.session.engine
        if engine is None:
            return
        width, height = engine.frame.size
        at = engine.mapping(self.view.recipe).to_frame([(x, y)])[0] / max(width, height)
        here = float(at[0]), float(at[1])

        def known(pick: Pick) -> None:
            first = self._first_grey
            if first is None:
                self._first_grey = here
                self.session.said.emit(f"{kelvin(pick.light.cct_K)} here. Now click something grey in the other light.")
                return
            self.two_greys.setChecked(False)
            self.session.commit([("light.greys", (first, here))], "Two greys")
            self.map.setChecked(True)

        self._read_aside(x, y, picked, known)

    def _read_aside(
        self, x: float, y: float, read: Callable[[Engine, Recipe, Region], Any], then: Callable[[Any], None]
    ) -> None:
        """Read the area around a point off the window's thread; what is wrong with it is said."""
        engine, recipe = self.session.engine, self.session.recipe
        if engine is None:
            return
        area = spot(engine, recipe, x, y, PICK_PX)
        self._picked = (x, y)
        self.view.update()
        self.session.do_aside(lambda _: read(engine, recipe, area), "pick", then)

    def forget(self) -> None:
        self._picked, self._lights, self._territories, self._first_grey = None, None, (), None
        self.instrument.show_reading(None)

    def _on_pick_toggled(self, on: bool) -> None:
        self._first_grey = None
        if on:
            for button in self._clicks:
                if button is not self.sender():
                    button.setChecked(False)
        for button, click in self._clicks.items():
            (self.view.take if button.isChecked() else self.view.put_away)(click)

    def _bind(self, tape: Tape) -> None:
        """Both tapes say one light: what one is moved to stands beside what the other shows."""
        grip = Grip(self.session)

        def light() -> Settings:
            return [("light.source", "manual"), ("light.cct_K", self.kelvin.value()), ("light.duv", self.duv.value())]

        tape.valueChanging.connect(lambda _: grip.preview(light()))
        tape.valueChanged.connect(lambda _: grip.commit(light(), f"Light {kelvin(self.kelvin.value())}"))
        self.session.editCancelled.connect(tape.let_go)
        self.session.pictureClosed.connect(tape.let_go)

    def _on_named(self, index: int) -> None:
        name = self.named.itemData(index)
        if name:
            self.session.commit([("light.source", name)], f"Light {NAMES[name]}")

    def refresh(self) -> None:
        recipe, light = self.session.recipe, self.session.light
        if light is None:
            return
        self.kelvin.set_value(round(light.cct_K, 1))
        self.duv.set_value(round(light.duv, 5))
        self.instrument.show_balance(light)
        self.named.setCurrentIndex(max(0, self.named.findData(recipe.light.source)))
        self.as_shot.setEnabled(recipe.light.source != "as_shot")
        self.note.setText(self._note())

    def refresh_readings(self) -> None:
        reading: LightReading | None = self.reading("light")
        self.instrument.show_reading(reading)
        lights = reading.lights if reading is not None and len(reading.lights.found) > 1 else None
        self.map.setEnabled(lights is not None)
        engine = self.session.engine
        if lights is not self._lights and engine is not None:
            self._lights = lights
            self._territories = territories(lights, engine.frame.size) if lights else ()
        if reading is not None:
            shot, measured, card = reading.as_shot, reading.measured, reading.card
            self.kelvin.set_default(shot.cct_K)
            self.duv.set_default(shot.duv)
            proposed = card.light if card else lights.found[0].value if lights else measured
            self.kelvin.set_proposal(proposed.cct_K if proposed else None)
            self.duv.set_proposal(proposed.duv if proposed else None)
        self.note.setText(self._note())

    def _note(self) -> str:
        light = self.session.light
        if light is None:
            return ""
        text = f"{number(light.mired, 0, 'mired')}"
        reading: LightReading | None = self.reading("light")
        if reading is None:
            return text
        lights, card = reading.lights, reading.card
        if card is not None:
            return f"{text}; a grey card gives {kelvin(card.light.cct_K)}, Duv {duv(card.light.duv)}"
        if len(lights.found) > 1:
            told = " and ".join(f"{kelvin(one.value.cct_K)} ({percent(one.share, 0)})" for one in lights.found)
            return f"{text}; two lights, {told}, {number(lights.apart_mired, 0, 'mired')} apart"
        measured = reading.measured
        if measured is None:
            return f"{text}; nothing neutral found, low certainty"
        off = light.mired - measured.mired
        how = "redder" if off > 0 else "bluer"
        sure = number(measured.certainty * 100, 0, "%")
        return (
            f"{text}, {number(abs(off), 0, 'mired')} {how} than measured ({kelvin(measured.cct_K)}, certainty {sure})"
        )
