"""What draws the eye, in numbers and on the picture, and small ways to lead it."""

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....findings.attention import LIFTED, held_back, lifted, softened_background
from ....measure.places.attention import AttentionReading
from ....recipe.paths import added
from ....recipe.places import Place
from ....recipe.tree import Section
from ....wording import percent
from ...canvas.picture_view import PictureView
from ...kit.controls import caption, push
from ...kit.over_picture import label, stroked
from .attention_bars import AttentionBars
from .place_page import Chosen, PlacePage


class AttentionPage(PlacePage):
    """Bars at the left, what can be done at the right."""

    title, tip = (
        "Attention",
        "An estimate of what draws the eye: the subject's share, and what pulls away from it.",
    )
    shows = ("attention", "attention_before")

    def __init__(self, chosen: Chosen) -> None:
        super().__init__(chosen)
        self.which = 0
        self.bars = AttentionBars()
        self.bars.changed.connect(self.choose)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(16)
        row.addWidget(self.bars, 5)
        column = QVBoxLayout()
        column.setSpacing(6)
        self.note = caption()
        self.note.setWordWrap(True)
        self.note.setAccessibleName("What the subject holds")
        column.addWidget(self.note)
        self.look_for = push("Find the subject")
        self.look_for.setToolTip("Look for it, once; takes a few seconds")
        self.look_for.clicked.connect(lambda: self.chosen.session.seeker.ask())
        self.lift = push("Lift the subject")
        self.lift.setToolTip("Slightly lighter, warmer and crisper, and the opposite for the background: two places")
        self.lift.clicked.connect(lambda: self._add(lifted(), "Subject lifted"))
        self.darken = push("Darken this pull")
        self.darken.setToolTip("Add a soft place over the chosen pull, without the subject")
        self.darken.clicked.connect(self._darken)
        self.soften = push("Soften the background")
        self.soften.setToolTip("Less fine contrast in everything but the subject")
        self.soften.clicked.connect(lambda: self._add(softened_background(), "Background softened"))
        line = QHBoxLayout()
        line.setSpacing(4)
        for button in (self.look_for, self.lift, self.darken, self.soften):
            line.addWidget(button)
        line.addStretch(1)
        column.addLayout(line)
        column.addStretch(1)
        row.addLayout(column, 6)

    def choose(self, which: int) -> None:
        self.which = which
        self.refresh_readings()

    def reading(self) -> AttentionReading | None:
        found: AttentionReading | None = self.chosen.session.reading.get("attention")
        return found

    def refresh_readings(self) -> None:
        reading, before = self.reading(), self.chosen.session.reading.get("attention_before")
        pulls = reading.pulls if reading is not None else ()
        self.which = min(self.which, max(len(pulls) - 1, 0))
        self.bars.show_reading(reading, before, self.which)
        is_known = reading is not None and reading.subject is not None
        self.look_for.setVisible(not is_known)
        self.look_for.setEnabled(self.chosen.session.is_open)
        for button in (self.lift, self.soften):
            button.setVisible(is_known)
        names = {place.name for place in self.chosen.session.recipe.places.values() if isinstance(place, Place)}
        self.lift.setEnabled(not names & set(LIFTED))
        self.darken.setEnabled(bool(pulls))
        self.note.setText(attention_note(reading, before))

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        """Rings round the pulls, with their numbers."""
        reading = self.reading()
        for n, pull in enumerate(reading.pulls if reading is not None else ()):
            middle, rim = view.to_points([(pull.x, pull.y), (pull.x + pull.r, pull.y)])
            r = max(abs(rim.x() - middle.x()), 6.0)
            stroked(painter, lambda m=middle, r=r: painter.drawEllipse(m, r, r), px=2.0 if n == self.which else 1.0)  # type: ignore[misc]
            label(painter, str(n + 1), QPointF(middle.x() + 0.7 * r, middle.y() - 0.7 * r - 9))

    def _darken(self) -> None:
        reading = self.reading()
        if reading is not None and self.which < len(reading.pulls):
            self._add((("places", held_back(reading.pulls[self.which])),), "Pull held back")

    def _add(self, items: tuple[tuple[str, Section], ...], label: str) -> None:
        session = self.chosen.session
        if session.is_open:
            session.commit(added(session.recipe, items), label)


def attention_note(reading: AttentionReading | None, before: AttentionReading | None) -> str:
    """What the subject holds, in a sentence or two."""
    if reading is None:
        return ""
    if reading.subject is None or reading.subject_area is None:
        return "The subject has not been looked for yet: pulls may lie on it."
    said = f"The subject fills {percent(reading.subject_area, 0)} of the picture and holds "
    said += f"{percent(reading.subject, 0)} of the attention"
    if before is not None and before.subject is not None and abs(before.subject - reading.subject) > 0.002:
        said += f", {percent(before.subject, 0)} without places"
    return said + ". Estimated from contrast and faces, not from eye tracking."
