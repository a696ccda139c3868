"""Black and white: how light each hue is shown, a filter before the lens."""

from types import MappingProxyType

from PySide6.QtWidgets import QHBoxLayout

from ....recipe.colour import FILTERS
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.controls import choice, push
from .hues import HuesPage


class MonoPage(HuesPage):
    """The same pegs, dragged upward for lightness; toning is the tint path's."""

    title, tip = "Black and white", "How light each hue becomes, like a filter on the lens; toned by the tint path."
    named = MappingProxyType({"lightness": "Lightness", "reach_deg": "Reach"})

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view, lambda: "colour.pegs" if session.is_open else "")
        self.strip.lifts = True
        self.strip.setAccessibleName("Hue strip, lightness in black and white")
        self.on = push("Black and white", checkable=True)
        self.on.setToolTip("Show lightness only; blacks and whites are protected")
        self.on.clicked.connect(
            lambda on: session.commit([("colour.black_and_white", "on" if on else "off")], "Black and white")
        )
        line = QHBoxLayout()
        line.addWidget(self.on)
        filters, self.filters = choice(session, "colour.filter", "Filter", [(name, name) for name in FILTERS])
        line.addSpacing(12)
        line.addLayout(filters)
        self.column.insertLayout(0, line)

    def refresh(self) -> None:
        super().refresh()
        colour = self.session.recipe.colour
        self.on.setChecked(colour.black_and_white == "on")
        self.filters.show_value(colour.filter)
        self.filters.setEnabled(colour.black_and_white == "on")

    def refresh_readings(self) -> None:
        before = self.session.reading.get("colour_before")
        self.strip.show_readings(before, before)
