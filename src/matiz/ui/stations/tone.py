"""Tone: exposure, rendition, curve."""

from string import ascii_lowercase

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QImage, QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ...develop.rendition import curve, s_curve, through
from ...measure.spot import spot, tone_of
from ...measure.tone import ToneReading
from ...recipe.leaves import Points
from ...recipe.model import Tone
from ...wording import EV, number, percent
from .. import theme
from ..controls import Words, caption, choice, push, tape_grid
from ..instruments.curve import IDENTITY, CurveInstrument
from ..instruments.ladder import Ladder
from ..picture_view import PictureView
from ..session import Session
from .base import Station

HATCH_PX = 6
NAMED_SHARE = 0.004
"""Of the picture: smaller sources are tagged with their number only."""
DECK_PX = 264
PULL_PX = 300.0
"""A drag in the picture that takes a tone from black to white."""
ZONES = "tone.zones_EV"
CHANNELS = (("lightness", "L*"), ("red", "R"), ("green", "G"), ("blue", "B"))
STARTERS = (1.2, 1.4)
"""Contrast at the middle of S-shaped curves to begin with."""


TAPES = (
    ("tone.exposure_EV", "Exposure"),
    ("tone.white_EV", "White point"),
    ("tone.black_EV", "Black point"),
    ("tone.contrast.fine_dB", "Fine contrast"),
    ("tone.contrast.middle_dB", "Middle contrast"),
    ("tone.contrast.broad_dB", "Broad contrast"),
    ("tone.haze_percent", "Haze taken away"),
)


class ToneStation(Station):
    """The ladder, the curves, exposure, rendition and its ends, local contrast, haze, the clip view."""

    number, title, key = 4, "Tone", "tone"

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.deck.setFixedHeight(DECK_PX)
        self.ladder, self.curve = Ladder(), CurveInstrument()
        self.channel = "lightness"
        self._clip_of: tuple[int, QImage] | None = None
        self._held: tuple[Points, float] | None = None
        self.row.addWidget(self.ladder, 5)
        self.row.addLayout(self._curve_column(), 4)
        self.row.addLayout(self._controls(), 8)
        self.ladder.changing.connect(lambda zones: session.preview([(ZONES, zones)]))
        self.ladder.changed.connect(lambda zones: session.commit([(ZONES, zones)], "Zones"))
        self.curve.changing.connect(lambda points: session.preview([(self._path(), points)]))
        self.curve.changed.connect(lambda points: session.commit([(self._path(), points)], "Curve"))
        session.recipeChanging.connect(self._show)
        session.recipeChanged.connect(self._show)
        session.readingsChanged.connect(self._show_readings)
        view.hovered.connect(lambda x, y: self.curve.show_mark(self._tone_at(x, y)))
        view.toneHeld.connect(self._on_tone_held)
        view.tonePulled.connect(self._on_tone_pulled)
        view.toneLetGo.connect(self._on_tone_let_go)

    def _curve_column(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        column.addWidget(self.curve, 1)
        line = QHBoxLayout()
        line.setSpacing(2)
        self.channels = Words("Curve of", CHANNELS)
        self.channels.show_value(self.channel)
        self.channels.chosen.connect(self._choose_channel)
        line.addWidget(self.channels)
        self.pull = push("pull", checkable=True)
        self.pull.setAccessibleName("Pull tones in the picture")
        self.pull.setToolTip("Press a tone in the picture and drag it up or down: its point on the curve follows")
        self.pull.toggled.connect(self._on_pull_toggled)
        line.addWidget(self.pull)
        self.straight = push("straight")
        self.straight.setToolTip("Take all points of this curve away")
        self.straight.clicked.connect(lambda: self.session.commit([(self._path(), IDENTITY)], "Straight curve"))
        line.addStretch(1)
        line.addWidget(self.straight)
        column.addLayout(line)
        return column

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        words = [(word, word) for word in ("linear", "soft", "standard", "strong")]
        line, self.rendition = choice(self.session, "tone.rendition", "Rendition", words)
        self.camera = push("camera")
        self.camera.setAccessibleName("As the camera showed it")
        self.camera.setToolTip("Exposure and curve fitted to the preview in the file, for a start")
        self.camera.clicked.connect(self.session.follow_preview)
        line.addWidget(self.camera)
        column.addLayout(line)
        grid, self.tapes = tape_grid(self.session, TAPES, 3)
        self.exposure = self.tapes["tone.exposure_EV"]
        grid.addLayout(self._last_row(), 2, 1, 1, 2)
        column.addLayout(grid)
        column.addStretch(1)
        return column

    def _last_row(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        line = QHBoxLayout()
        line.setSpacing(4)
        for contrast in STARTERS:
            starter = push(f"S {number(contrast, 1)}")
            starter.setToolTip(f"A curve that is {number(contrast, 1)} times as steep at middle grey")
            starter.setAccessibleName(f"S curve {number(contrast, 1)}")
            starter.clicked.connect(lambda _, c=contrast: self._start_curve(c))
            line.addWidget(starter)
        self.clip_view = push("Clip view", checkable=True)
        self.clip_view.setToolTip(
            "Hatched where a channel is full, dotted where one is empty; raw patches are numbered"
        )
        self.clip_view.toggled.connect(lambda _: self.view.update())
        line.addStretch(1)
        line.addWidget(self.clip_view)
        column.addLayout(line)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def _path(self) -> str:
        return f"tone.curve.{self.channel}"

    def _choose_channel(self, channel: str) -> None:
        self.channel = channel
        self._show()

    def leave(self) -> None:
        self.pull.setChecked(False)
        super().leave()

    def _on_pull_toggled(self, on: bool) -> None:
        self.view.pulling = on
        self.view.setCursor(Qt.CursorShape.SizeVerCursor if on else Qt.CursorShape.ArrowCursor)
        self.curve.show_mark(None)

    def _tone_at(self, x: float, y: float) -> float:
        engine = self.session.engine
        assert engine is not None
        return tone_of(engine, self.session.recipe, spot(engine, x, y), self.channel)

    def _on_tone_held(self, x: float, y: float) -> None:
        tone = self._tone_at(x, y)
        self.curve.show_mark(tone)
        self._held = getattr(self.session.recipe.tone.curve, self.channel), tone

    def _on_tone_pulled(self, up_px: float) -> None:
        if self._held is not None:
            points, tone = self._held
            pulled = float(curve(points, tone)) + up_px / PULL_PX
            self.session.preview([(self._path(), through(points, tone, pulled))])

    def _on_tone_let_go(self) -> None:
        if self._held is not None:
            self._held = None
            self.session.commit([(self._path(), getattr(self.session.recipe.tone.curve, self.channel))], "Tone pulled")

    def _start_curve(self, contrast: float) -> None:
        self.session.commit([("tone.curve.lightness", s_curve(contrast))], f"S curve {number(contrast, 1)}")

    def reading_text(self) -> str:
        return EV(self.session.recipe.tone.exposure_EV) if self.session.is_open else ""

    def is_decided(self) -> bool:
        return self.session.is_open and self.session.recipe.tone != Tone()

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        if not self.clip_view.isChecked():
            return
        image, place = view.image(), view.image_place()
        if image is not None and place is not None:
            painter.drawImage(place, self._clip_image(image))
        reading = self.session.reading
        if reading:
            self._paint_patches(painter, view, reading.tone)

    def _paint_patches(self, painter: QPainter, view: PictureView, reading: ToneReading) -> None:
        """Full patches by number, black ones by letter."""
        painter.setFont(theme.font(theme.SMALL_PX))
        for n, patch in enumerate(reading.patches, 1):
            # what shines may be white, what is lit should not: small sources go by their number alone
            text = f"{n} {patch.kind}" if patch.kind == "thing" or patch.share >= NAMED_SHARE else str(n)
            _paint_tagged(painter, view.rect_on_widget(patch.area), text)
        for letter, dark in zip(ascii_lowercase, reading.black_patches, strict=False):
            _paint_tagged(painter, view.rect_on_widget(dark.area), f"{letter} black")

    def _clip_image(self, image: QImage) -> QImage:
        """Transparent but for the marks; kept until the picture changes."""
        key = image.cacheKey()
        if self._clip_of is None or self._clip_of[0] != key:
            pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)
            self._clip_of = (key, _marks(pixels[..., 2::-1]))
        return self._clip_of[1]

    def _show(self) -> None:
        tone = self.session.recipe.tone
        points = getattr(tone.curve, self.channel)
        self.curve.show_points(points)
        self.channels.show_value(self.channel)
        self.ladder.show_tone(tone)
        engine = self.session.engine
        self.camera.setEnabled(engine is not None and engine.frame.mosaic is not None)
        self.straight.setEnabled(points != IDENTITY)

    def _show_readings(self) -> None:
        reading = self.session.reading
        self.ladder.show_reading(reading.tone if reading else None)
        self.ladder.show_noise(reading.noise if reading else None)
        self.curve.show_distribution(reading.tone.distribution if reading else ())
        if reading is None:
            self.note.setText("")
            return
        tone = reading.tone
        fix = next((f for f in self.session.findings if f.id == "tone.under_exposed"), None)
        self.exposure.set_proposal(float(fix.fix[0][1]) if fix and fix.fix else None)
        clipped = "  ".join(f"{name} {percent(share)}" for name, share in zip("RGB", tone.clipped, strict=True))
        lines = [
            f"Headroom {EV(tone.headroom_EV, signed=False)}   middle {EV(tone.middle_EV)}",
            f"Full  {clipped}   rebuilt {percent(tone.rebuilt)}   black {percent(tone.black)}",
        ]
        if reading.stored is not None:
            lines.append(f"8 bits: bears a lift of {EV(reading.stored.safe_lift_EV, signed=False)}")
        self.note.setText("\n".join(lines))


def _paint_tagged(painter: QPainter, area: QRectF, text: str) -> None:
    """A dashed frame with a tag on its upper edge."""
    for pen in (QPen(theme.grey(5), 3), QPen(theme.grey(97), 1.2, Qt.PenStyle.DashLine)):
        painter.setPen(pen)
        painter.drawRect(area)
    wide = QFontMetricsF(painter.font()).horizontalAdvance(text) + 10
    tag = QRectF(area.left(), area.top() - 17, wide, 16)
    painter.fillRect(tag, theme.grey(10, 220))
    painter.setPen(theme.grey(97))
    painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, text)


def _marks(rgb: np.ndarray) -> QImage:
    """Hatching where a channel shows 255 and dots where one shows 0, each channel at its own angle or offset."""
    height, width = rgb.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    out = np.zeros((height, width, 4), np.uint8)
    lines = ((x + y) % HATCH_PX == 0, (x - y) % HATCH_PX == 0, y % HATCH_PX == 0)
    for channel, line in enumerate(lines):
        at = line & (rgb[..., channel] == 255)
        out[at] = (20, 20, 20, 255)
        offset = 2 * channel
        dots = ((x + offset) % HATCH_PX == 0) & (y % HATCH_PX == 0) & (rgb[..., channel] == 0)
        out[dots] = (235, 235, 235, 255)
    image = QImage(out.data, width, height, width * 4, QImage.Format.Format_ARGB32)
    return image.copy()
