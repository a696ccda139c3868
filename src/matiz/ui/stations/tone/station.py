"""Tone: exposure, rendition, curve."""

from collections.abc import Callable
from string import ascii_lowercase
from typing import Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....develop.stages.rendition import curve, s_curve, through
from ....measure.colour.spot import spot, tone_of
from ....measure.tone.haze import HazeReading
from ....measure.tone.patches import FullReading
from ....measure.tone.tone import ToneReading
from ....recipe.change import Settings
from ....recipe.leaves import Points
from ....recipe.model import RENDERED, Recipe
from ....wording import EV, number, percent
from ....work.follow_preview import follow_preview
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.read_drag import ReadDrag
from ...canvas.render import pixels_of
from ...kit import theme
from ...kit.action import ActionSpec
from ...kit.controls import Words, caption, choice, hold_drags, push, tape_grid
from ...kit.curve import IDENTITY, CurveInstrument
from ...kit.ladder import Ladder
from ...kit.over_picture import framed
from ..base import Station

HATCH_PX = 6
NAMED_SHARE = 0.004
"""Of the picture: smaller sources are tagged with their number only."""
DECK_PX = 276
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
    ("tone.haze_percent", "Haze removed"),
)

CLIPPED_WORDS = {"thing": "lit surface", "source": "light source"}
"""What is clipped, as the user reads it."""


class ToneStation(Station):
    """The ladder, the curves, exposure, rendition and its ends, local contrast, haze, the clip view."""

    number, title, key = 4, "Tone", "tone"
    reads, shows = frozenset({"tone"}), ("tone", "noise", "range", "full", "stored", "haze")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.deck.setFixedHeight(DECK_PX)
        self.ladder, self.curve = Ladder(), CurveInstrument()
        self.channel = "lightness"
        self._clip_of: tuple[int, QImage] | None = None
        self._pull = PullTone(self)
        self.row.addWidget(self.ladder, 5)
        self.row.addLayout(self._curve_column(), 4)
        self.row.addLayout(self._controls(), 8)
        hold_drags(self.ladder, session, lambda zones: [(ZONES, zones)], "Zones")
        hold_drags(self.curve, session, lambda points: [(self.curve_path(), points)], "Curve")

    def _curve_column(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        column.addWidget(self.curve, 1)
        line = QHBoxLayout()
        line.setSpacing(2)
        self.channels = Words("Curve of", CHANNELS, "Which curve is shown and dragged.")
        self.channels.show_value(self.channel)
        self.channels.chosen.connect(self._choose_channel)
        line.addWidget(self.channels)
        self.pull = push("pull", checkable=True)
        self.pull.setAccessibleName("Pull tones in the picture")
        self.pull.setToolTip("Press on a tone in the picture and drag up or down: its point on the curve follows")
        self.pull.toggled.connect(self._on_pull_toggled)
        line.addWidget(self.pull)
        self.straight = push("straight")
        self.straight.setToolTip("Remove all points of this curve")
        self.straight.clicked.connect(lambda: self.session.commit([(self.curve_path(), IDENTITY)], "Straight curve"))
        line.addStretch(1)
        line.addWidget(self.straight)
        column.addLayout(line)
        return column

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        words = [(word, word.replace("_", " ")) for word in ("as_delivered", "linear", "soft", "standard", "strong")]
        line, self.rendition = choice(self.session, "tone.rendition", "Rendition", words)
        self.camera = push("camera")
        self.camera.setAccessibleName("As the camera showed it")
        self.camera.setToolTip("Fit exposure and curve to the preview in the file, as a starting point")
        self.camera.clicked.connect(lambda: follow_preview(self.session))
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
            starter.setToolTip(f"A curve {number(contrast, 1)} times as steep at middle grey")
            starter.setAccessibleName(f"S curve {number(contrast, 1)}")
            starter.clicked.connect(lambda _, c=contrast: self._start_curve(c))
            line.addWidget(starter)
        self.clip_view = push("Clip view", checkable=True)
        self.clip_view.setToolTip(
            "Hatched where a channel is clipped to white, dotted where one is clipped to black; areas clipped in "
            "the raw are numbered"
        )
        self.clip_view.toggled.connect(lambda _: self.view.update())
        line.addStretch(1)
        line.addWidget(self.clip_view)
        column.addLayout(line)
        self.note = caption(px=theme.SMALL_PX)
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def curve_path(self) -> str:
        return f"tone.curve.{self.channel}"

    def _choose_channel(self, channel: str) -> None:
        self.channel = channel
        self.refresh()

    def actions(self) -> tuple[ActionSpec, ...]:
        return (
            ActionSpec(
                "clip_view",
                "Clip view",
                ("F6",),
                "Hatch what is clipped to white, dot what is clipped to black.",
                "clip_view.toggle",
                "Tone",
            ),
        )

    def leave(self) -> None:
        self.pull.setChecked(False)
        super().leave()

    def end(self) -> None:
        self._pull.end_thread()

    def is_idle(self) -> bool:
        return self._pull.is_idle()

    def _on_pull_toggled(self, on: bool) -> None:
        (self.view.take if on else self.view.put_away)(self._pull)
        self.curve.show_mark(None)

    def _start_curve(self, contrast: float) -> None:
        self.session.commit([("tone.curve.lightness", s_curve(contrast))], f"S curve {number(contrast, 1)}")

    def reading_text(self) -> str:
        return EV(self.session.recipe.tone.exposure_EV) if self.session.is_open else ""

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        if not self.clip_view.isChecked():
            return
        image, place = view.image(), view.image_place()
        if image is not None and place is not None:
            painter.drawImage(place, self._clip_image(image))
        full: FullReading | None = self.reading("full")
        tone: ToneReading | None = self.reading("tone")
        for n, patch in enumerate(full.patches if full else (), 1):
            # what shines may be white, what is lit should not: small sources go by their number alone
            is_named = patch.kind == "thing" or patch.share >= NAMED_SHARE
            text = f"{n} {CLIPPED_WORDS[patch.kind]}" if is_named else str(n)
            framed(painter, view.rect_on_widget(patch.area), text)
        for letter, dark in zip(ascii_lowercase, tone.black_patches if tone else (), strict=False):
            framed(painter, view.rect_on_widget(dark.area), f"{letter} black")

    def _clip_image(self, image: QImage) -> QImage:
        """Transparent but for the marks; kept until the picture changes."""
        key = image.cacheKey()
        if self._clip_of is None or self._clip_of[0] != key:
            self._clip_of = (key, _marks(pixels_of(image)[..., 2::-1]))
        return self._clip_of[1]

    def refresh(self) -> None:
        tone = self.session.recipe.tone
        points = getattr(tone.curve, self.channel)
        self.curve.show_points(points)
        self.channels.show_value(self.channel)
        self.ladder.show_tone(tone)
        engine = self.session.engine
        # a picture that is rendered already can be left as it is, and has no camera's rendition beside it
        is_rendered = self.session.recipe.start == RENDERED
        self.rendition.button("as_delivered").setVisible(is_rendered)
        self.camera.setVisible(not is_rendered)
        self.camera.setEnabled(engine is not None and engine.frame.mosaic is not None)
        self.straight.setEnabled(points != IDENTITY)

    def refresh_readings(self) -> None:
        tone: ToneReading | None = self.reading("tone")
        self.ladder.show_reading(tone)
        self.ladder.show_noise(self.reading("noise"))
        self.ladder.show_range(self.reading("range"))
        self.curve.show_distribution(tone.distribution if tone else ())
        fix = next((f for f in self.session.findings if f.id == "tone.under_exposed"), None)
        self.exposure.set_proposal(float(fix.fix[0][1]) if fix and fix.fix else None)
        self.note.setText("\n".join(self._note(tone)))

    def _note(self, tone: ToneReading | None) -> list[str]:
        lines = []
        stored_range, full, stored = self.reading("range"), self.reading("full"), self.reading("stored")
        if stored_range is not None and tone is not None:
            headroom = EV(stored_range.headroom_EV, signed=False)
            lines.append(f"Headroom {headroom}   middle {EV(tone.middle_EV)}")
        if stored_range is not None and full is not None:
            shares = zip("RGB", stored_range.clipped, strict=True)
            lines.append("Clipped  " + "  ".join(f"{name} {percent(share)}" for name, share in shares))
            black = f"   black {percent(tone.black)}" if tone is not None else ""
            lines.append(f"rebuilt {percent(full.rebuilt)}{black}")
        if stored is not None:
            lines[-1:] = [f"8 bits: allows a lift of {EV(stored.safe_lift_EV, signed=False)}"]
        haze: HazeReading | None = self.reading("haze")
        if haze is not None and not haze.is_seen and self.session.recipe.tone.haze_percent:
            lines[-1:] = ["No haze found: the tape does nothing here"]
        return lines


class PullTone(ReadDrag):
    """A tone of the picture, pressed and dragged up or down: its point on the curve follows."""

    cursor = Qt.CursorShape.SizeVerCursor
    label = "Tone pulled"

    def __init__(self, station: ToneStation) -> None:
        super().__init__(station.session, _tone_at, "tone at the pointer")
        self._station = station

    def context(self) -> str:
        return self._station.channel

    def show(self, found: float) -> None:
        self._station.curve.show_mark(found)

    def hold(self, recipe: Recipe, found: float) -> tuple[Points, float]:
        return getattr(recipe.tone.curve, self._station.channel), found

    def settings(self) -> Settings:
        if not self.up_px:
            return ()
        points, tone = self.held
        pulled = float(curve(points, tone)) + self.up_px / PULL_PX
        return ((self._station.curve_path(), through(points, tone, pulled)),)


def _tone_at(asked: Any, emit: Callable[[float], None]) -> None:
    picture, recipe, (x, y), channel = asked
    emit(tone_of(picture.engine, recipe, spot(picture.engine, recipe, x, y), channel))


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
