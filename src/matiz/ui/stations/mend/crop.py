"""The crop, dragged on the picture."""

from dataclasses import astuple
from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout

from ....measure.mend.subject import SubjectReading
from ....mend.frame import GUIDES, Rect, dragged, guide_lines, handle_at, off_crossing, ratio_of, shaped
from ....mend.straight import RATIOS
from ....proposals.frames import ProposedCrop, SubjectBox, frames
from ....recipe.change import Settings
from ....recipe.model import Recipe
from ....wording import number, percent
from ....work.grip import Grip
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Pointer, Tool, ToolView
from ...kit import theme
from ...kit.controls import caption, push
from ...kit.over_picture import label, stroked
from ..page import Page
from .crop_plan import CropPlan

REACH_PX = 9.0
"""Of a handle, logical px."""
CURSORS = {
    "nw": Qt.CursorShape.SizeFDiagCursor, "se": Qt.CursorShape.SizeFDiagCursor, "ne": Qt.CursorShape.SizeBDiagCursor,
    "sw": Qt.CursorShape.SizeBDiagCursor, "n": Qt.CursorShape.SizeVerCursor, "s": Qt.CursorShape.SizeVerCursor,
    "e": Qt.CursorShape.SizeHorCursor, "w": Qt.CursorShape.SizeHorCursor, "inside": Qt.CursorShape.SizeAllCursor,
}  # fmt: skip
LEAST_CERTAINTY = 0.5
NAMED_SHARE = 0.12
"""Of the long side: how large a subject is taken for that is named where none was found."""
NAMES = {"original": "as the frame", "free": "free"} | {name: name for name in RATIOS}


class CropFrame(Tool):
    """Corners, sides and the inside of the crop."""

    def __init__(self, page: "CropPage") -> None:
        self._page = page
        self._drag: tuple[Grip, str, Rect, tuple[float, float]] | None = None

    def begin(self, pointer: Pointer) -> bool:
        handle = self._handle(pointer)
        if handle is None or pointer.button != Qt.MouseButton.LeftButton:
            return False
        self._drag = self._page.session.begin(), handle, self._page.rect(), pointer.picture
        return True

    def move(self, pointer: Pointer) -> None:
        settings = self._settings(pointer)
        if self._drag is not None and settings is not None:
            self._drag[0].preview(settings)

    def end(self, pointer: Pointer) -> None:
        settings, drag = self._settings(pointer), self._drag
        self._drag = None
        if drag is not None:
            drag[0].commit(settings, "Crop")

    def cancel(self) -> None:
        self._drag = None

    def hover(self, pointer: Pointer) -> None:
        handle = self._handle(pointer)
        self.view.setCursor(CURSORS[handle] if handle else Qt.CursorShape.ArrowCursor)

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        self._page.paint_crop(painter, view)

    def _handle(self, pointer: Pointer) -> str | None:
        if not self._page.session.is_open:
            return None
        reach = REACH_PX * self.view.devicePixelRatioF() / self.view.viewport.scale
        return handle_at(self._page.rect(), *pointer.picture, reach)

    def _settings(self, pointer: Pointer) -> Settings | None:
        if self._drag is None:
            return None
        _, handle, rect, start = self._drag
        by = pointer.picture[0] - start[0], pointer.picture[1] - start[1]
        if by == (0.0, 0.0):
            return None
        whole = self._page.whole()
        ratio = ratio_of(self._page.session.recipe.mend.crop_ratio, rect, whole)
        return (("mend.crop", self._page.crop_of(dragged(rect, handle, by, whole, ratio))),)


class SubjectPick(Tool):
    """A click says where the subject is."""

    cursor = Qt.CursorShape.PointingHandCursor

    def __init__(self, page: "CropPage") -> None:
        self._page = page

    def begin(self, pointer: Pointer) -> bool:
        return pointer.button == Qt.MouseButton.LeftButton and pointer.inside

    def end(self, pointer: Pointer) -> None:
        self._page.name_subject(pointer.frame)


class CropPage(Page):
    """The frame on the picture, its ratio and lines to compose by; what is left of the picture; frames proposed."""

    title, tip = "Crop", "Crop the picture by a frame with handles"
    shows = ("subject", "whole_border")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.plan = CropPlan()
        self.tool, self.pick = CropFrame(self), SubjectPick(self)
        self._step = 0
        """Which of the proposed frames comes next."""
        self._taken: tuple[tuple[float, ...], str] = (), ""
        """The frame that was taken last, and why it was proposed."""
        self.row.addWidget(self.plan, 5)
        self.row.addLayout(self._controls(), 6)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.ratio, self.guide = QComboBox(), QComboBox()
        self.ratio.setAccessibleName("Ratio of the crop")
        self.ratio.setToolTip("Long side over short side, kept while the handles are dragged")
        for name, text in NAMES.items():
            self.ratio.addItem(text, name)
        self.ratio.activated.connect(self._on_ratio)
        self.guide.setAccessibleName("Composition guides")
        self.guide.setToolTip("Composition guides over the picture while cropping")
        for name in ("none", *GUIDES):
            self.guide.addItem(name, name)
        self.guide.setCurrentIndex(1)
        self.guide.activated.connect(lambda _: self.refresh())
        self.stand = push("Landscape / portrait")
        self.stand.setToolTip("Turn the crop between landscape and portrait")
        self.stand.clicked.connect(self.turn_sides)
        self.all = push("Whole picture")
        self.all.setToolTip("Remove the crop: everything without an empty corner")
        self.all.clicked.connect(
            lambda: self.session.commit([("mend.crop", ()), ("mend.crop_ratio", "original")], "Whole picture")
        )
        for text, box in (("Ratio", self.ratio), ("Lines", self.guide)):
            line.addWidget(caption(text))
            line.addWidget(box, 1)
        line.addWidget(self.stand)
        line.addWidget(self.all)
        column.addLayout(line)
        self.note = caption()
        self.note.setWordWrap(True)
        frames = QHBoxLayout()
        frames.setSpacing(6)
        self.next = push("Next frame")
        self.next.setToolTip("Try the next of up to five crops: the subject on a crossing, bright borders left out")
        self.next.clicked.connect(self.next_frame)
        self.name = push("Name the subject", checkable=True)
        self.name.setToolTip("Click the subject in the picture: crops are proposed around it")
        self.name.toggled.connect(self._on_name)
        frames.addWidget(self.next)
        frames.addWidget(self.name)
        frames.addStretch(1)
        column.addLayout(frames)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    # ---- frames about a subject

    def subject(self) -> SubjectBox | None:
        """Px of the picture as it is seen here: as named, or as found where that is sure enough."""
        engine, recipe = self.session.engine, self.session.recipe
        found: SubjectReading | None = self.session.reading.get("subject")
        if engine is None:
            return None
        mapping = engine.mapping(recipe.uncropped())
        long_side = max(engine.frame.size)
        box = found.box if found is not None else None
        if recipe.mend.subject:
            x, y = (value * long_side - 0.5 for value in recipe.mend.subject[0])
            if box is None or not (box[0] <= x <= box[0] + box[2] and box[1] <= y <= box[1] + box[3]):
                # nothing was found there: a little about the place
                around = NAMED_SHARE * long_side
                box = x - around / 2.0, y - around / 2.0, around, around
        elif found is None or box is None or found.certainty < LEAST_CERTAINTY:
            return None
        else:
            x, y = found.x, found.y
        left, top, w, h = box
        corners = mapping.to_picture([(left, top), (left + w, top), (left, top + h), (left + w, top + h)])
        low, high = corners.min(axis=0).clip(0.0), np.minimum(corners.max(axis=0), self.whole())
        at, size = mapping.to_picture([(x, y)])[0], high - low
        return SubjectBox(float(at[0]), float(at[1]), (float(low[0]), float(low[1]), float(size[0]), float(size[1])))

    def frames(self) -> tuple[ProposedCrop, ...]:
        """Proposed for the ratio that is chosen."""
        rect, whole = self.rect(), self.whole()
        ratio = ratio_of(self.session.recipe.mend.crop_ratio, rect, whole) or rect.w / rect.h
        blobs = [
            (*np.min(blob.outline, axis=0), *np.ptp(blob.outline, axis=0))
            for blob in self.session.reading.get("whole_border") or ()
            if blob.certainty >= LEAST_CERTAINTY
        ]
        return frames(whole, ratio, self.subject(), blobs)

    def next_frame(self) -> None:
        """Take the next of the proposed frames."""
        if not self.session.is_open:
            return
        found = self.frames()
        if not found:
            self.session.said.emit("No crop to propose: name the subject first.")
            return
        n = self._step % len(found)
        self._step = n + 1
        label = f"Frame {n + 1} of {len(found)}"
        self._taken = self.crop_of(found[n].rect), f"{label}: {', '.join(found[n].reasons)}."
        self.session.commit([("mend.crop", self._taken[0])], label)

    def name_subject(self, at: tuple[float, float]) -> None:
        """at: px of the frame."""
        self.name.setChecked(False)
        long_side = max(self.session.picture.frame.size) if self.session.picture else 1
        place = tuple(round(min(max((value + 0.5) / long_side, 0.0), 1.0), 6) for value in at)
        self._step = 0
        self.session.commit([("mend.subject", (place,))], "Subject named")

    def _on_name(self, on: bool) -> None:
        (self.view.take if on else self.view.put_away)(self.pick)

    # ---- the crop in px of the picture as it is seen here

    def whole(self) -> tuple[float, float]:
        engine = self.session.engine
        assert engine is not None
        width, height = engine.size(self.session.recipe.uncropped())
        return float(width), float(height)

    def rect(self) -> Rect:
        engine, recipe = self.session.engine, self.session.recipe
        assert engine is not None
        kept = engine.mapping(recipe)
        x, y = kept.place_in(engine.mapping(recipe.uncropped()))
        return Rect(x, y, *(float(n) for n in kept.size))

    def crop_of(self, rect: Rect) -> tuple[float, ...]:
        """The value that the recipe has for a rectangle."""
        engine = self.session.engine
        assert engine is not None
        mapping = engine.mapping(self.session.recipe.uncropped())
        ends = mapping.to_plane([(rect.x - 0.5, rect.y - 0.5), (rect.x + rect.w - 0.5, rect.y + rect.h - 0.5)])
        width, height = engine.frame.size
        (left, top), (right, bottom) = ends.min(axis=0), ends.max(axis=0)
        long_side = max(width, height)
        values = (left + width / 2.0, top + height / 2.0, right - left, bottom - top)
        return tuple(round(float(value) / long_side, 6) for value in values)

    # ---- what a page does

    def enter(self) -> None:
        self.view.see(Recipe.uncropped)
        self.view.take(self.tool)

    def leave(self) -> None:
        self.name.setChecked(False)
        self.view.put_away(self.tool)
        self.view.see(None)

    def forget(self) -> None:
        self._step = 0

    def refresh_readings(self) -> None:
        self.refresh()

    def turn_sides(self) -> None:
        """A crop that lies stands, and the other way round."""
        if self.session.is_open:
            rect = self.rect()
            self._shape(self.session.recipe.mend.crop_ratio, rect.h / rect.w)

    def refresh(self) -> None:
        if not self.session.is_open:
            return
        mend = self.session.recipe.mend
        self.ratio.setCurrentIndex(self.ratio.findData(mend.crop_ratio))
        rect, whole = self.rect(), self.whole()
        self.plan.show_crop(astuple(rect), whole)
        share = rect.w * rect.h / (whole[0] * whole[1])
        taken, why = self._taken
        told = why if mend.crop and mend.crop == taken else f"{percent(share, 0)} of the picture is kept."
        self.note.setText(f"{told} {self._subject_note(rect)}")
        self.view.update()

    def _subject_note(self, rect: Rect) -> str:
        subject, guide = self.subject(), self.guide.currentData()
        if subject is None:
            return "No subject stands out: name it, and crops are proposed around it."
        if not rect.holds(subject.x, subject.y):
            return "The subject is outside the crop."
        kind = guide if guide in ("thirds", "golden", "centre", "diagonals") else "thirds"
        off = off_crossing(kind, rect, subject.x, subject.y)
        how = "named" if self.session.recipe.mend.subject else "found"
        return f"The subject, as {how}, is {percent(off, 0)} of the long side from the nearest crossing of {kind}."

    def _on_ratio(self, index: int) -> None:
        rect, name = self.rect(), self.ratio.itemData(index)
        self._shape(name, ratio_of(name, rect, self.whole()))

    def _shape(self, name: str, ratio: float | None) -> None:
        settings: list[tuple[str, object]] = [("mend.crop_ratio", name)]
        if ratio is not None:
            settings.append(("mend.crop", self.crop_of(shaped(self.rect(), ratio, self.whole()))))
        self.session.commit(settings, f"Crop {NAMES[name]}")

    def paint_crop(self, painter: QPainter, view: ToolView) -> None:
        if not self.session.is_open:
            return
        rect = self.rect()
        frame = QRectF(view.to_widget(rect.x, rect.y), view.to_widget(*rect.at(1.0, 1.0)))
        outside = QPainterPath()
        whole = self.whole()
        outside.addRect(QRectF(view.to_widget(0.0, 0.0), view.to_widget(*whole)))
        inside = QPainterPath()
        inside.addRect(frame)
        painter.fillPath(outside.subtracted(inside), theme.grey(22, 190))
        guide = self.guide.currentData()
        if guide != "none":
            for start, end in guide_lines(guide, rect):
                ends = view.to_widget(*start), view.to_widget(*end)
                stroked(painter, partial(painter.drawLine, *ends), px=0.8)
        stroked(painter, lambda: painter.drawRect(frame), px=1.4)
        subject = self.subject()
        if subject is not None:
            at = view.to_widget(subject.x, subject.y)
            for dx, dy in ((7.0, 0.0), (0.0, 7.0)):
                off = QPointF(dx, dy)
                stroked(painter, partial(painter.drawLine, at - off, at + off))
        for across, down in ((0, 0), (0.5, 0), (1, 0), (1, 0.5), (1, 1), (0.5, 1), (0, 1), (0, 0.5)):
            at = view.to_widget(*rect.at(across, down))
            stroked(painter, partial(painter.drawRect, QRectF(at.x() - 4, at.y() - 4, 8, 8)))
        text = f"{number(round(rect.w), 0)} × {number(round(rect.h), 0, 'px')}"
        at = QPointF(frame.center().x(), frame.top() + 10)
        label(painter, text, at, Qt.AlignmentFlag.AlignHCenter, within=view.width())
