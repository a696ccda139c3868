"""Detail: noise taken out, blur taken back, edges sharpened, all judged at three spots."""

from functools import partial

from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....develop.frame.noise import share_left, share_left_there
from ....findings.detail import LEAST_SHARE, ZONES, brought_to, least_of_all, shown_dB, wanted
from ....measure.detail.blur import BlurReading
from ....measure.detail.detail import DetailReading, DetailSpots
from ....measure.detail.noise import NoiseReading
from ....measure.detail.sharpened import as_amount, as_where
from ....measure.places.places import PlaceReading
from ....measure.tone.tone import ToneReading
from ....recipe.model import Recipe
from ....recipe.places import Place
from ....wording import number, percent
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.seen_aside import SeenAside
from ...kit.action import ActionSpec
from ...kit.controls import Words, caption, choice, hold_drags, push, tape_grid
from ..base import Station
from .loupes import Loupes
from .noise_plot import NoisePlot

NOISE = (
    ("detail.noise.strength_percent", "Noise reduction"),
    ("detail.noise.colour_percent", "Colour noise"),
)
SHARPEN = (
    ("detail.deblur.blur_px", "Deblur"), ("detail.deblur.smear_px", "Motion deblur"),
    ("detail.deblur.smear_deg", "Direction"),
    ("detail.sharpen.amount_percent", "Sharpening"), ("detail.sharpen.radius_px", "Radius"),
    ("detail.sharpen.halo_L", "Overshoot up to"),
)  # fmt: skip
GATES = [("on", "only above the noise"), ("off", "everywhere")]
WAYS = {"picture": None, "where": as_where, "how much": as_amount}


class DetailStation(Station):
    """The loupes and the noise by zone at the left, tapes and what is measured at the right."""

    number, title, key = 7, "Detail", "detail"
    # what is measured in numbers waits until the hand rests: the picture comes first
    reads, shows = frozenset({"detail"}), ("noise", "tone", "spots", "loupes", "places")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.loupes = Loupes()
        self.loupes.changed.connect(self._go_to)
        looked_at = QVBoxLayout()
        looked_at.setSpacing(6)
        looked_at.addWidget(self.loupes, 1)
        self.row.addLayout(looked_at, 6)
        self.plot = NoisePlot()
        hold_drags(self.plot, session, self._brought_to, "Noise reduction")
        by_zone = QVBoxLayout()
        by_zone.setSpacing(6)
        by_zone.addWidget(self.plot, 1)
        self.row.addLayout(by_zone, 3)
        column = QVBoxLayout()
        column.setSpacing(6)
        grid, self.tapes = tape_grid(session, (*NOISE, *SHARPEN), 3)
        column.addLayout(grid)
        line, self.gate = choice(session, "detail.sharpen.gate", "Sharpen", GATES)
        self.seen = SeenAside("what is sharpened")
        self.seen.changed.connect(view.update)
        self.words = Words(
            "See",
            [("picture", "picture"), ("where", "where sharpened"), ("how much", "how much")],
            "Where sharpening acts, or how much it changes.",
        )
        self.words.show_value("picture")
        self.words.chosen.connect(self.see)
        self.by_need = push("Set from measured noise")
        self.by_need.setToolTip("Reduce noise as much as the noisiest zone needs")
        self.by_need.clicked.connect(self._take_by_need)
        by_zone.addWidget(self.by_need)
        see = QHBoxLayout()
        see.setSpacing(6)
        see.addWidget(caption("See"))
        see.addWidget(self.words)
        looked_at.addLayout(see)
        column.addLayout(line)
        self.note = caption()
        self.note.setWordWrap(True)
        self.note.setAccessibleName("Detail readings")
        column.addWidget(self.note)
        column.addStretch(1)
        holder = QHBoxLayout()
        holder.addLayout(column)
        self.row.addLayout(holder, 9)

    def actions(self) -> tuple[ActionSpec, ...]:
        return (
            ActionSpec(
                "detail_see",
                "See what is sharpened",
                ("Ctrl+Shift+V",),
                "Show where, or how much.",
                "see_next",
                "Detail",
            ),
        )

    def see(self, way: str) -> None:
        """Show the picture, where sharpening acts, or how much it adds and takes."""
        self.words.show_value(way)
        self.seen.choose(WAYS[way])

    def see_next(self) -> None:
        names = list(WAYS)
        now = next(name for name, way in WAYS.items() if way is self.seen.way)
        self.see(names[(names.index(now) + 1) % len(names)])

    def leave(self) -> None:
        self.see("picture")
        super().leave()

    def forget(self) -> None:
        self.seen.forget()

    def is_idle(self) -> bool:
        return self.seen.is_idle()

    def end(self) -> None:
        self.seen.end()

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self.seen.paint_over(painter, view)

    def refresh(self) -> None:
        self._show_noise()
        self.view.update()

    def refresh_readings(self) -> None:
        self.loupes.show_pairs(self.reading("loupes") or ())
        self.note.setText(detail_note(self.reading("detail"), self.reading("blur"), self.reading("blur_after")))
        self.by_need.setEnabled(self._wanted() is not None)
        self._show_noise()

    def reading_text(self) -> str:
        told_of: DetailReading | None = self.reading("detail")
        if told_of is None:
            return ""
        if self.session.recipe.detail.noise.strength_percent:
            return f"noise {number(-told_of.noise_removed_dB, 1, 'dB')}"
        blur: BlurReading | None = self.reading("blur")
        if blur is None or blur.blur_px is None or not blur.is_sure:
            return ""
        return f"edges {number(blur.blur_px, 1, 'px')}"

    def _wanted(self) -> tuple[tuple[str, float], ...] | None:
        known = self._known()
        return None if known is None else wanted(*known)

    def _known(self) -> tuple[NoiseReading, ToneReading, Recipe, dict[str, PlaceReading]] | None:
        """What tells how much noise is seen, once it is measured."""
        noise, tone, recipe = self.reading("noise"), self.reading("tone"), self.session.recipe
        return None if noise is None or tone is None else (noise, tone, recipe, self.reading("places") or {})

    def _show_noise(self) -> None:
        known = self._known()
        if known is None or not self.session.is_open:
            self.plot.show_zones(())
            return
        noise, tone, recipe, places = known
        before, after = (shown_dB(noise, recipe, places, left) for left in (_all_left, partial(_left, recipe)))
        seen = [(zone, before[zone], after[zone]) for zone in ZONES if tone.zones[zone] >= LEAST_SHARE]
        self.plot.show_zones(tuple((z, was, now) for z, was, now in seen if was is not None and now is not None))

    def _brought_to(self, dB: float) -> list[tuple[str, float]]:
        known = self._known()
        return [] if known is None else list(brought_to(dB, least_of_all(*known), known[2]))

    def _take_by_need(self) -> None:
        settings = self._wanted()
        if settings is not None:
            self.session.commit(settings, "Set from measured noise")

    def _go_to(self, which: int) -> None:
        spots: DetailSpots | None = self.reading("spots")
        if spots is not None:
            x, y, w, h = spots[which]
            self.view.look_at(x + w / 2.0, y + h / 2.0, 1.0)


def _all_left(_: str) -> float:
    return 1.0


def _left(recipe: Recipe, ident: str) -> float:
    """Share of the noise that is left in a place, or in the whole."""
    place = recipe.places.get(ident)
    return share_left_there(recipe, place) if isinstance(place, Place) else share_left(recipe)


def detail_note(reading: DetailReading | None, blur: BlurReading | None, after: BlurReading | None) -> str:
    """Detail readings, as far as it is there."""
    said = []
    if reading is not None:
        kept = "" if reading.texture_kept is None else f", {percent(reading.texture_kept, 0)} of fine texture left"
        said.append(f"Noise in the flat area {number(-reading.noise_removed_dB, 1, 'dB')}{kept}.")
    if blur is not None and blur.blur_px is not None:
        now = ""
        if after is not None and after.blur_px is not None and round(after.blur_px, 1) != round(blur.blur_px, 1):
            now = f", now {number(after.blur_px, 1, 'px')}"
        over = "" if reading is None else f", overshoot {number(reading.halo_L, 1)} L*"
        where = "" if blur.is_sure else " in one spot, which may be a hot pixel"
        said.append(f"The sharpest edges spread over {number(blur.blur_px, 1, 'px')}{where}{now}{over}.")
    if blur is not None and blur.smear is not None:
        said.append(
            f"Motion blur of {number(blur.smear.went_px, 0, 'px')} in the direction of "
            f"{number(blur.smear.along_deg, 0, '°')}."
        )
    return "\n".join(said)
