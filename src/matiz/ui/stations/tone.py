"""Tone: exposure, rendition, curve."""

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ...recipe.model import Tone
from ...wording import EV, percent
from .. import theme
from ..controls import Words, bind, caption, choose, push, tape_for
from ..instruments.curve import IDENTITY, CurveInstrument
from ..instruments.ladder import Ladder
from ..picture_view import PictureView
from ..session import Session
from .base import Station

HATCH_PX = 6
CURVE = "tone.curve.lightness"


class ToneStation(Station):
    """The ladder, the curve, exposure and rendition, the clip view."""

    number, title, key = 4, "Tone", "tone"

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.ladder, self.curve = Ladder(), CurveInstrument()
        self._clip_of: tuple[int, QImage] | None = None
        self.row.addWidget(self.ladder, 4)
        self.row.addWidget(self.curve, 3)
        self.row.addLayout(self._controls(), 6)
        self.curve.changing.connect(lambda points: session.preview([(CURVE, points)]))
        self.curve.changed.connect(lambda points: session.commit([(CURVE, points)], "Curve"))
        session.recipeChanging.connect(self._show)
        session.recipeChanged.connect(self._show)
        session.readingsChanged.connect(self._show_readings)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        self.exposure = tape_for("tone.exposure_EV", "Exposure")
        bind(self.exposure, self.session, "tone.exposure_EV", lambda v: f"Exposure {EV(v)}")
        column.addWidget(self.exposure)
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(caption("Rendition"))
        self.rendition = Words("Rendition", [(w, w) for w in ("linear", "soft", "standard", "strong")])
        choose(self.rendition, self.session, "tone.rendition", lambda v: f"Rendition {v}")
        line.addWidget(self.rendition, 1)
        column.addLayout(line)
        last = QHBoxLayout()
        last.setSpacing(4)
        self.clip_view = push("Clip view", checkable=True)
        self.clip_view.setToolTip(
            "Hatched where a channel is full, dotted where one is empty; raw patches are numbered"
        )
        self.clip_view.toggled.connect(lambda _: self.view.update())
        self.straight = push("Straight curve")
        self.straight.setToolTip("Take all points of the curve away")
        self.straight.clicked.connect(lambda: self.session.commit([(CURVE, IDENTITY)], "Straight curve"))
        last.addWidget(self.clip_view)
        last.addWidget(self.straight)
        last.addStretch(1)
        column.addLayout(last)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

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
            self._paint_patches(painter, view, reading.tone.patches)

    def _paint_patches(self, painter: QPainter, view: PictureView, patches) -> None:
        painter.setFont(theme.font(theme.SMALL_PX))
        for n, patch in enumerate(patches, 1):
            area = view.rect_on_widget((patch.x, patch.y, patch.w, patch.h))
            for pen in (QPen(theme.grey(5), 3), QPen(theme.grey(97), 1.2, Qt.PenStyle.DashLine)):
                painter.setPen(pen)
                painter.drawRect(area)
            tag = QRectF(area.left(), area.top() - 17, 24, 16)
            painter.fillRect(tag, theme.grey(10, 220))
            painter.setPen(theme.grey(97))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, str(n))

    def _clip_image(self, image: QImage) -> QImage:
        """Transparent but for the marks; kept until the picture changes."""
        key = image.cacheKey()
        if self._clip_of is None or self._clip_of[0] != key:
            pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)
            self._clip_of = (key, _marks(pixels[..., 2::-1]))
        return self._clip_of[1]

    def _show(self) -> None:
        tone = self.session.recipe.tone
        self.curve.show_points(tone.curve.lightness)
        self.ladder.show_tone(tone)
        self.straight.setEnabled(tone.curve.lightness != IDENTITY)

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
        self.note.setText(
            f"Headroom {EV(tone.headroom_EV, signed=False)}   middle {EV(tone.middle_EV)}\n"
            f"Full in the raw data  {clipped}   rebuilt {percent(tone.rebuilt)}"
        )


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
