"""What the lens did to the picture, taken back."""

from PySide6.QtWidgets import QVBoxLayout

from ....measure.mend.mend import MendReading
from ....wording import EV, number
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.controls import caption, choice, hold_drags, tape_grid
from ..page import Page
from .fringes_plot import FringePlot

TAPES = (
    ("mend.distortion_percent", "Distortion, barrel to the left"),
    ("mend.fall_off_EV", "Vignetting at the corner"),
    ("mend.fringe_red_px", "Red fringe at the corner"),
    ("mend.fringe_blue_px", "Blue fringe at the corner"),
)
PATHS = {"r": "mend.fringe_red_px", "b": "mend.fringe_blue_px"}


class LensPage(Page):
    """The fringe plot, the lens database, distortion and fall-off by hand."""

    title, tip = "Lens", "Distortion, vignetting and colour fringes of the lens"
    shows = ("mend",)

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.plot = FringePlot()
        self.row.addWidget(self.plot, 5)
        self.row.addLayout(self._controls(), 6)
        hold_drags(self.plot, session, lambda grab: [(PATHS[grab[0]], grab[1])], "Fringes")

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        words = [("off", "uncorrected"), ("known", "from the lens database")]
        line, self.lens = choice(self.session, "mend.lens", "Lens", words)
        column.addLayout(line)
        grid, self.tapes = tape_grid(self.session, TAPES, 2)
        column.addLayout(grid)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def refresh(self) -> None:
        mend = self.session.recipe.mend
        self.plot.show_set(mend.fringe_red_px, mend.fringe_blue_px)

    def refresh_readings(self) -> None:
        reading: MendReading | None = self.session.reading.get("mend")
        found = reading.fringes if reading else None
        self.plot.show_reading(found)
        self.tapes["mend.fringe_red_px"].set_proposal(found.red_px if found else None)
        self.tapes["mend.fringe_blue_px"].set_proposal(found.blue_px if found else None)
        known = reading.lens if reading else None
        self.lens.button("known").setEnabled(known is not None or self.session.recipe.mend.lens == "known")
        if reading is None:
            self.note.setText("")
        elif known is None:
            picture = self.session.picture
            lens = (picture.frame.exposure.lens if picture else "") or "not named in the file"
            self.note.setText(f"Lens {lens}: not in the database; set distortion and vignetting by hand")
        else:
            stretch, dark = 100.0 * float(known.stretch[-1] - 1.0), float(known.fall_off_EV[-1])
            self.note.setText(f"{known.name}: {number(stretch, 1, '%', signed=True)}, {EV(dark, signed=False)} darker")
