"""What is changed in a place: light, contrast, noise, haze, its curve, a tint, what is spared, how it is laid over."""

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....develop.stages.rendition import s_curve
from ....recipe.leaves import Number
from ....recipe.paths import leaf_of
from ....recipe.places import Place
from ...kit import theme
from ...kit.controls import Words, caption, chosen_tape, grid_of, hold_drags, push
from ...kit.curve import IDENTITY, CurveInstrument
from ...kit.tape import Tape
from .place_page import Chosen, PlacePage

COLUMNS = 4
LIGHT = {
    "strength_percent": "Strength", "exposure_EV": "Exposure", "warmer_mired": "Warmer", "greener_duv": "Greener",
    "chroma_percent": "Chroma", "contrast.fine_dB": "Fine contrast", "contrast.middle_dB": "Middle contrast",
    "contrast.broad_dB": "Broad contrast", "sharpen_percent": "Sharper", "denoise_percent": "Noise reduction",
    "haze_percent": "Haze removed",
}  # fmt: skip
TINT = {"tint_chroma": "Tint", "tint_hue_deg": "Hue of the tint"}
ENDS = {"spare_dark": "Leaves alone below zone", "spare_light": "Leaves alone above zone"}
BLENDS = (("normal", "plain"), ("multiply", "multiply"), ("screen", "screen"), ("soft_light", "soft light"))
CONTRAST = 1.3


def place_tapes(chosen: Chosen, named: dict[str, str]) -> dict[str, Tape]:
    """Tapes of the chosen place by the path within it."""
    tapes = {}
    for name, label in named.items():
        leaf = leaf_of(Place, name)
        assert isinstance(leaf, Number)
        tapes[name] = chosen_tape(chosen.session, label, leaf, partial(_path, chosen, name))
    return tapes


def _path(chosen: Chosen, name: str) -> str:
    return f"{chosen.place_path()}.{name}" if chosen.place() is not None else ""


def show_tapes(tapes: dict[str, Tape], place: Place | None) -> None:
    for name, tape in tapes.items():
        value: object = place if place is not None else Place()
        for step in name.split("."):
            value = getattr(value, step)
        assert isinstance(value, float)
        tape.set_value(value)
        tape.setEnabled(place is not None)


class PlaceLightPage(PlacePage):
    """Tapes of the place, as the stations have them for the whole picture."""

    title, tip = "What", "What changes there: light, contrast, sharpness, noise, haze, chroma."

    def __init__(self, chosen: Chosen) -> None:
        super().__init__(chosen)
        self.tapes = place_tapes(chosen, LIGHT)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.hold = push("Chroma held", checkable=True)
        self.hold.setToolTip("Keep chroma where exposure lightens, which would drain it")
        self.hold.clicked.connect(lambda on: chosen.set_place("hold_chroma", "on" if on else "off", "Chroma held"))
        self.pin = push("Colours pinned", checkable=True)
        self.pin.setToolTip("Keep the place's colours when the white balance of the picture changes")
        buttons = QVBoxLayout()
        buttons.setSpacing(4)
        for button in (self.hold, self.pin):
            buttons.addWidget(button)
        grid = grid_of(self.tapes, COLUMNS)
        grid.addLayout(buttons, len(self.tapes) // COLUMNS, len(self.tapes) % COLUMNS)
        column.addLayout(grid)
        column.addStretch(1)

    def refresh(self) -> None:
        place = self.chosen.place()
        show_tapes(self.tapes, place)
        for button in (self.hold, self.pin):
            button.setEnabled(place is not None)
        self.hold.setChecked(place is not None and place.hold_chroma == "on")
        self.pin.setChecked(place is not None and place.pinned_K > 0.0)


class CurvePage(PlacePage):
    """Its curve and tint, and how it meets the rest of the picture."""

    title, tip = "Curve", "Its lightness curve, a tint, protected tones, and how it blends with the picture."

    def __init__(self, chosen: Chosen) -> None:
        super().__init__(chosen)
        self.curve = CurveInstrument()
        hold_drags(
            self.curve, chosen.session,
            lambda points: [(_path(chosen, "curve"), points)] if chosen.place() is not None else [],
            "Curve of a place",
        )  # fmt: skip
        self.tapes = place_tapes(chosen, TINT | ENDS)
        self.pick = push("Pick tint", checkable=True)
        self.pick.setToolTip("Pick the colour of the tint in the picture")
        self.blend = Words("Blend", BLENDS, "How the picture is blended with itself there.")
        self.blend.chosen.connect(lambda blend: chosen.set_place("blend", blend, f"Blend: {blend}"))
        self.straight = push("straight")
        self.straight.setToolTip("Remove all points of this curve")
        self.straight.clicked.connect(lambda: chosen.set_place("curve", IDENTITY, "Straight curve of a place"))
        self.starter = push("S 1.3")
        self.starter.setAccessibleName("S curve 1.3 of the place")
        self.starter.setToolTip("A curve 1.3 times as steep at middle grey")
        self.starter.clicked.connect(lambda: chosen.set_place("curve", s_curve(CONTRAST), "S curve of a place"))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(20)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.curve, 1)
        line = QHBoxLayout()
        line.addWidget(self.starter)
        line.addStretch(1)
        line.addWidget(self.straight)
        left.addLayout(line)
        row.addLayout(left, 4)
        right = QVBoxLayout()
        right.setSpacing(6)
        right.addLayout(grid_of(self.tapes, 2))
        laid = QHBoxLayout()
        laid.setSpacing(6)
        laid.addWidget(caption("Blended with itself", px=theme.TEXT_PX))
        laid.addWidget(self.blend)
        laid.addStretch(1)
        right.addLayout(laid)
        picked = QHBoxLayout()
        picked.addWidget(self.pick)
        picked.addStretch(1)
        right.addLayout(picked)
        right.addStretch(1)
        row.addLayout(right, 5)

    def refresh(self) -> None:
        place = self.chosen.place()
        show_tapes(self.tapes, place)
        self.curve.setEnabled(place is not None)
        self.curve.show_points(place.curve if place is not None else IDENTITY)
        self.blend.show_value(place.blend if place is not None else "")
        for widget in (self.blend, self.starter, self.straight, self.pick):
            widget.setEnabled(place is not None)
