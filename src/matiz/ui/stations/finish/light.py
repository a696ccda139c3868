"""Glow and grain."""

from PySide6.QtWidgets import QVBoxLayout

from ....measure.finish.finish import FinishReading
from ....wording import number
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.controls import caption, tape_grid
from ..page import Page

GLOW = (
    ("finish.glow.amount_percent", "Glow"), ("finish.glow.radius_px", "Spread"),
    ("finish.glow.from_L", "From lightness"), ("finish.glow.warmer_mired", "Glow warmer"),
)  # fmt: skip
GRAIN = (("finish.grain.strength_L", "Grain"), ("finish.grain.size_px", "Grain size"))


class GlowPage(Page):
    """Light that spreads from what is bright, and grain."""

    title, tip = "Glow and grain", "Light spreading from bright areas; film-like grain in the midtones"
    shows = ("finish",)

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        column = QVBoxLayout()
        column.setSpacing(6)
        grid, self.glow = tape_grid(session, GLOW, 4)
        column.addLayout(grid)
        self.note = caption()
        self.note.setAccessibleName("Effect of the glow on the blacks")
        column.addWidget(self.note)
        second, self.grain = tape_grid(session, GRAIN, 4)
        for free in range(2, 4):
            second.setColumnStretch(free, 1)
        for taken in range(4):
            second.setColumnStretch(taken, 1)
        column.addLayout(second)
        column.addStretch(1)
        self.row.addLayout(column)

    def refresh_readings(self) -> None:
        reading: FinishReading | None = self.session.reading.get("finish")
        is_on = self.session.recipe.finish.glow.amount_percent > 0.0
        lift = reading.black_lift_L if reading is not None else 0.0
        self.note.setText(f"Blacks {number(lift, 1, signed=True)} L* by the glow" if is_on and reading else "")
