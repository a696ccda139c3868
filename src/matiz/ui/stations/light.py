"""Light: which light is to look neutral."""

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout

from ...colour.illuminants import NAMES
from ...errors import ArgumentError
from ...measure.lights import Lights, Territory, territories
from ...measure.pick import picked
from ...measure.spot import spot
from ...proposals.landing import landing
from ...recipe.leaves import Number
from ...recipe.model import Light
from ...wording import duv, kelvin, number, percent
from .. import theme
from ..controls import bind, caption, push, tape_for
from ..instruments.chromaticity import Chromaticity
from ..picture_view import PictureView
from ..session import Session
from ..tape import Tape, mired_ruling
from .base import Station

PICK_PX = 12
"""Half-width of the area a pick averages, px of the picture."""
LANDS = Number("", 180.0, 255.0, 245.0, 1.0, 0, "Where a picked white is shown; above 245 paper stays bare.")
NOISY = 0.25
"""Standard deviation of a picked area over its mean, above which the pick is called noisy."""


class LightStation(Station):
    """The u'v' plane, tapes for K and Duv, a pick, named lights."""

    number, title, key = 3, "Light", "light"

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self._picked: tuple[float, float] | None = None
        self._lights: Lights | None = None
        self._territories: tuple[Territory, ...] = ()
        self.instrument = Chromaticity()
        self.row.addWidget(self.instrument, 5)
        self.row.addLayout(self._controls(), 6)
        self.instrument.changing.connect(lambda light: session.preview(self._manual(*light)))
        self.instrument.changed.connect(lambda light: self._commit(*light))
        view.picked.connect(self._on_picked)
        session.recipeChanging.connect(self._show)
        session.recipeChanged.connect(self._show)
        session.readingsChanged.connect(self._show_readings)
        session.pictureOpened.connect(self._on_opened)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        sources = QHBoxLayout()
        sources.setSpacing(4)
        self.pick = push("Pick a neutral", checkable=True)
        self.pick.setToolTip("Then click something grey or white in the picture")
        self.pick.toggled.connect(self._on_pick_toggled)
        self.as_shot = push("As shot")
        self.as_shot.setToolTip("The light that the camera chose")
        self.as_shot.clicked.connect(lambda: self.session.commit([("light.source", "as_shot")], "Light as shot"))
        self.named = QComboBox()
        self.named.setAccessibleName("Named illuminant")
        self.named.addItem("Named light", "")
        for name, text in NAMES.items():
            self.named.addItem(text, name)
        self.named.activated.connect(self._on_named)
        self.white = push("Pick a white", checkable=True)
        self.white.setToolTip("Then click something white: it becomes neutral and lands where the tape says")
        self.white.toggled.connect(self._on_pick_toggled)
        sources.addWidget(self.pick)
        sources.addWidget(self.white)
        sources.addWidget(self.as_shot)
        sources.addWidget(self.named, 1)
        self.map = push("Light map", checkable=True)
        self.map.setToolTip("Outlines of where each of two lights gives the most, with its temperature and share")
        self.map.toggled.connect(lambda _: self.view.update())
        sources.addWidget(self.map)
        column.addLayout(sources)
        self.kelvin = tape_for("light.cct_K", "Colour temperature", mired_ruling(), round_to=10.0)
        self.duv = tape_for("light.duv", "Duv, green to the right")
        self.kelvin.valueChanging.connect(lambda v: self.session.preview(self._manual(v, self.duv.value())))
        self.kelvin.valueChanged.connect(lambda v: self._commit(v, self.duv.value()))
        self.duv.valueChanging.connect(lambda v: self.session.preview(self._manual(self.kelvin.value(), v)))
        self.duv.valueChanged.connect(lambda v: self._commit(self.kelvin.value(), v))
        tapes = QGridLayout()
        tapes.setHorizontalSpacing(20)
        for n, tape in enumerate((self.kelvin, self.duv)):
            tape.refused.connect(self.session.said.emit)
            tapes.addWidget(tape, 0, n)
        self.adaptation = tape_for("light.adaptation_percent", "Adaptation; less keeps the mood")
        bind(self.adaptation, self.session, "light.adaptation_percent", lambda v: f"Adaptation {number(v, 0, '%')}")
        tapes.addWidget(self.adaptation, 1, 0)
        self.lands = Tape("A picked white lands at, of 255", LANDS)
        self.lands.refused.connect(self.session.said.emit)
        self.lands.valueChanged.connect(self.lands.set_value)
        tapes.addWidget(self.lands, 1, 1)
        column.addLayout(tapes)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def leave(self) -> None:
        self.pick.setChecked(False)
        self.white.setChecked(False)
        super().leave()

    def reading_text(self) -> str:
        if not self.session.is_open:
            return ""
        return kelvin(self.session.light_of(self.session.recipe).cct_K)

    def is_decided(self) -> bool:
        return self.session.is_open and self.session.recipe.light != Light()

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        if self.map.isChecked():
            self._paint_map(painter, view)
        if self._picked is None:
            return
        x, y = self._picked
        place = view.rect_on_widget((int(x - PICK_PX), int(y - PICK_PX), 2 * PICK_PX, 2 * PICK_PX))
        place = place.united(QRectF(place.center().x() - 6, place.center().y() - 6, 12, 12))
        painter.setPen(QPen(theme.grey(5), 3))
        painter.drawRect(place)
        painter.setPen(QPen(theme.grey(97), 1.4))
        painter.drawRect(place)

    def _paint_map(self, painter: QPainter, view: PictureView) -> None:
        """The second light's outlines, dashed; a label in each light's part."""
        painter.setFont(theme.font(theme.TEXT_PX))
        for n, territory in enumerate(self._territories):
            for outline in territory.outlines if n == 1 else ():
                points = QPolygonF([view.to_widget(float(x), float(y)) for x, y in outline])
                for pen in (QPen(theme.grey(5), 3), QPen(theme.grey(97), 1.4, Qt.PenStyle.DashLine)):
                    painter.setPen(pen)
                    painter.drawPolyline(points)
        for territory in self._territories:
            light = territory.light
            text = f"{kelvin(light.value.cct_K)}   {percent(light.share, 0)} of the exposure"
            wide = QFontMetricsF(painter.font()).horizontalAdvance(text) + 12
            middle = view.to_widget(*territory.centre)
            box = QRectF(middle.x() - wide / 2, middle.y() - 11, wide, 22)
            box.moveLeft(min(max(box.left(), 4.0), view.width() - wide - 4.0))
            painter.fillRect(box, theme.grey(10, 220))
            painter.setPen(theme.grey(97))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def pick_at(self, x: float, y: float) -> None:
        """Balance for the light that makes the area around a point of the picture neutral."""
        engine = self.session.engine
        if engine is None:
            return
        area = spot(engine, x, y, PICK_PX)
        self._picked = (x, y)
        try:
            pick = picked(engine, self.session.recipe, area)
        except ArgumentError as error:
            self.session.said.emit(str(error))
            return
        if pick.unevenness > NOISY:
            self.session.said.emit(
                f"The pick is uneven or noisy ({number(pick.unevenness * 100, 0, '%')}): a larger, plain area is safer."
            )
        self._commit(pick.light.cct_K, pick.light.duv, label="Picked a neutral")

    def land_at(self, x: float, y: float) -> None:
        """Make the area around a point neutral, and as light as the tape says."""
        engine, code = self.session.engine, self.lands.value()
        if engine is None:
            return
        self._picked = (x, y)
        try:
            settings = landing(engine, self.session.recipe, spot(engine, x, y, PICK_PX), code)
        except ArgumentError as error:
            self.session.said.emit(str(error))
            return
        self.session.commit(settings, f"Picked white at {number(code, 0)}")

    def _on_opened(self) -> None:
        self._picked = None
        self.instrument.show_reading(None)

    def _on_pick_toggled(self, on: bool) -> None:
        if on:
            (self.white if self.sender() is self.pick else self.pick).setChecked(False)
        self.view.picking = on
        self.view.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)

    def _on_picked(self, x: float, y: float) -> None:
        if self.pick.isChecked():
            self.pick_at(x, y)
            self.pick.setChecked(False)
        elif self.white.isChecked():
            self.land_at(x, y)
            self.white.setChecked(False)

    def _on_named(self, index: int) -> None:
        name = self.named.itemData(index)
        if name:
            self.session.commit([("light.source", name)], f"Light {NAMES[name]}")

    def _manual(self, cct_K: float, duv_: float) -> list[tuple[str, object]]:
        return [("light.source", "manual"), ("light.cct_K", cct_K), ("light.duv", duv_)]

    def _commit(self, cct_K: float, duv_: float, *, label: str = "") -> None:
        value = round(float(np.clip(cct_K, 1500.0, 25_000.0)), 1)
        self.session.commit(self._manual(value, round(duv_, 5)), label or f"Light {kelvin(value)}")

    def _show(self) -> None:
        if not self.session.is_open:
            return
        recipe = self.session.recipe
        light = self.session.light_of(recipe)
        self.kelvin.set_value(round(light.cct_K, 1))
        self.duv.set_value(round(light.duv, 5))
        self.instrument.show_balance(light)
        self.named.setCurrentIndex(max(0, self.named.findData(recipe.light.source)))
        self.as_shot.setEnabled(recipe.light.source != "as_shot")
        self.note.setText(self._note())

    def _show_readings(self) -> None:
        reading = self.session.reading
        self.instrument.show_reading(reading.light if reading else None)
        two = reading is not None and len(reading.light.lights.found) > 1
        self.map.setEnabled(two)
        lights = reading.light.lights if two else None
        if lights is not self._lights:
            self._lights = lights
            self._territories = territories(lights, self.session.engine.frame.size) if lights else ()
        if reading:
            shot, measured = reading.light.as_shot, reading.light.measured
            self.kelvin.set_default(shot.cct_K)
            self.duv.set_default(shot.duv)
            card = reading.light.card
            proposed = card.light if card else reading.light.lights.found[0].value if two else measured
            self.kelvin.set_proposal(proposed.cct_K if proposed else None)
            self.duv.set_proposal(proposed.duv if proposed else None)
        self.note.setText(self._note())

    def _note(self) -> str:
        light = self.session.light_of(self.session.recipe)
        text = f"{number(light.mired, 0, 'mired')}"
        reading = self.session.reading
        if reading is None:
            return text
        lights, card = reading.light.lights, reading.light.card
        if card is not None:
            return f"{text}; a grey card says {kelvin(card.light.cct_K)}, Duv {duv(card.light.duv)}"
        if len(lights.found) > 1:
            told = " and ".join(f"{kelvin(one.value.cct_K)} ({percent(one.share, 0)})" for one in lights.found)
            return f"{text}; two lights, {told}, {number(lights.apart_mired, 0, 'mired')} apart"
        measured = reading.light.measured
        if measured is None:
            return f"{text}; no neutral found, certainty low"
        off = light.mired - measured.mired
        how = "redder" if off > 0 else "bluer"
        sure = number(measured.certainty * 100, 0, "%")
        return (
            f"{text}, {number(abs(off), 0, 'mired')} {how} than measured ({kelvin(measured.cct_K)}, certainty {sure})"
        )
