"""Detail: noise taken out, blur taken back, edges sharpened, all judged at three spots."""

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ...findings.detail import wanted
from ...measure.blur import BlurReading
from ...measure.detail import DetailReading, Spots
from ...wording import number, percent
from ..controls import caption, choice, push, tape_grid
from ..instruments.loupes import Loupes
from ..picture_view import PictureView
from ..session import Session
from .base import Station

NOISE = (
    ("detail.noise.strength_percent", "Noise taken out"),
    ("detail.noise.colour_percent", "Colour noise taken out"),
)
SHARPEN = (
    ("detail.deblur.blur_px", "Blur taken back"),
    ("detail.sharpen.amount_percent", "Sharpening"), ("detail.sharpen.radius_px", "Radius"),
    ("detail.sharpen.halo_L", "Overshoot up to"),
)  # fmt: skip
GATES = [("on", "above the noise"), ("off", "everywhere")]


class DetailStation(Station):
    """The loupes at the left, tapes and what is measured at the right."""

    number, title, key = 7, "Detail", "detail"
    # what is measured in numbers waits until the hand rests: the picture comes first
    reads, shows = frozenset({"detail"}), ("noise", "tone", "spots", "loupes")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.loupes = Loupes()
        self.loupes.changed.connect(self._go_to)
        self.row.addWidget(self.loupes, 7)
        column = QVBoxLayout()
        column.setSpacing(6)
        grid, self.tapes = tape_grid(session, (*NOISE, *SHARPEN), 3)
        column.addLayout(grid)
        line, self.gate = choice(session, "detail.sharpen.gate", "Sharpen", GATES)
        self.by_need = push("As the noise wants")
        self.by_need.setToolTip("Take out as much noise as the zone that has least signal over it wants")
        self.by_need.clicked.connect(self._take_by_need)
        line.addWidget(self.by_need)
        column.addLayout(line)
        self.note = caption()
        self.note.setWordWrap(True)
        self.note.setAccessibleName("What is measured of detail")
        column.addWidget(self.note)
        column.addStretch(1)
        holder = QHBoxLayout()
        holder.addLayout(column)
        self.row.addLayout(holder, 8)

    def refresh_readings(self) -> None:
        self.loupes.show_pairs(self.reading("loupes") or ())
        self.note.setText(told(self.reading("detail"), self.reading("blur"), self.reading("blur_after")))
        self.by_need.setEnabled(self._wanted() is not None)

    def reading_text(self) -> str:
        told_of: DetailReading | None = self.reading("detail")
        if told_of is None:
            return ""
        if self.session.recipe.detail.noise.strength_percent:
            return f"noise {number(-told_of.noise_removed_dB, 1, 'dB')}"
        blur: BlurReading | None = self.reading("blur")
        is_told = blur is not None and blur.blur_px is not None and blur.is_sure
        return f"edges {number(blur.blur_px, 1, 'px')}" if is_told else ""

    def _wanted(self) -> tuple[tuple[str, float], ...] | None:
        noise, tone = self.reading("noise"), self.reading("tone")
        return wanted(noise, tone, self.session.recipe) if noise is not None and tone is not None else None

    def _take_by_need(self) -> None:
        settings = self._wanted()
        if settings is not None:
            self.session.commit(settings, "As the noise wants")

    def _go_to(self, which: int) -> None:
        spots: Spots | None = self.reading("spots")
        if spots is not None:
            x, y, w, h = spots[which]
            self.view.look_at(x + w / 2.0, y + h / 2.0, 1.0)


def told(reading: DetailReading | None, blur: BlurReading | None, after: BlurReading | None) -> str:
    """What is measured of detail, as far as it is there."""
    said = []
    if reading is not None:
        kept = "" if reading.texture_kept is None else f", {percent(reading.texture_kept, 0)} of fine texture left"
        said.append(f"Noise in the flat spot {number(-reading.noise_removed_dB, 1, 'dB')}{kept}.")
    if blur is not None and blur.blur_px is not None:
        now = ""
        if after is not None and after.blur_px is not None and round(after.blur_px, 1) != round(blur.blur_px, 1):
            now = f", now {number(after.blur_px, 1, 'px')}"
        over = "" if reading is None else f", overshoot {number(reading.halo_L, 1)} L*"
        where = "" if blur.is_sure else " at one place, which may be a hot pixel"
        said.append(f"The sharpest edges spread over {number(blur.blur_px, 1, 'px')}{where}{now}{over}.")
    return "\n".join(said)
