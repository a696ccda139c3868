"""The crop, dragged on the picture."""

from dataclasses import astuple
from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout

from ...mend.frame import GUIDES, Rect, dragged, guide_lines, handle_at, ratio_of, shaped
from ...mend.straight import RATIOS
from ...recipe.model import Recipe
from ...wording import number, percent
from .. import theme
from ..controls import caption, push
from ..instruments.crop_plan import CropPlan
from ..over_picture import label, stroked
from ..picture_view import PictureView
from ..session import Grip, Session
from ..tools import Pointer, Tool
from .page import Page

REACH_PX = 9.0
"""Of a handle, logical px."""
CURSORS = {
    "nw": Qt.CursorShape.SizeFDiagCursor, "se": Qt.CursorShape.SizeFDiagCursor, "ne": Qt.CursorShape.SizeBDiagCursor,
    "sw": Qt.CursorShape.SizeBDiagCursor, "n": Qt.CursorShape.SizeVerCursor, "s": Qt.CursorShape.SizeVerCursor,
    "e": Qt.CursorShape.SizeHorCursor, "w": Qt.CursorShape.SizeHorCursor, "inside": Qt.CursorShape.SizeAllCursor,
}  # fmt: skip
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

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self._page.paint_crop(painter, view)

    def _handle(self, pointer: Pointer) -> str | None:
        if not self._page.session.is_open:
            return None
        reach = REACH_PX * self.view.devicePixelRatioF() / self.view.viewport.scale
        return handle_at(self._page.rect(), *pointer.picture, reach)

    def _settings(self, pointer: Pointer):
        if self._drag is None:
            return None
        _, handle, rect, start = self._drag
        by = pointer.picture[0] - start[0], pointer.picture[1] - start[1]
        if by == (0.0, 0.0):
            return None
        whole = self._page.whole()
        ratio = ratio_of(self._page.session.recipe.mend.crop_ratio, rect, whole)
        return [("mend.crop", self._page.crop_of(dragged(rect, handle, by, whole, ratio)))]


class CropPage(Page):
    """The frame on the picture, its ratio and lines to compose by; what is left of the picture."""

    title, tip = "Crop", "Cut the picture by a frame with handles"

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.plan = CropPlan()
        self.tool = CropFrame(self)
        self.row.addWidget(self.plan, 5)
        self.row.addLayout(self._controls(), 6)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.ratio, self.guide = QComboBox(), QComboBox()
        self.ratio.setAccessibleName("Ratio of the crop")
        self.ratio.setToolTip("Sides of the crop, long over short, as the handles keep them")
        for name, text in NAMES.items():
            self.ratio.addItem(text, name)
        self.ratio.activated.connect(self._on_ratio)
        self.guide.setAccessibleName("Lines to compose by")
        self.guide.setToolTip("Lines over the picture while it is cropped")
        for name in ("none", *GUIDES):
            self.guide.addItem(name, name)
        self.guide.setCurrentIndex(1)
        self.guide.activated.connect(lambda _: self.refresh())
        self.stand = push("Lying or standing")
        self.stand.setToolTip("The sides of the crop change places")
        self.stand.clicked.connect(self.turn_sides)
        self.all = push("Whole picture")
        self.all.setToolTip("Take the crop away: all that has no empty corner")
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
        column.addWidget(self.note)
        column.addStretch(1)
        return column

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
        self.view.put_away(self.tool)
        self.view.see(None)

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
        self.note.setText(
            f"{percent(share, 0)} of the picture is kept. Drag a corner, a side or the inside; "
            "the rest is dimmed here and gone elsewhere."
        )
        self.view.update()

    def _on_ratio(self, index: int) -> None:
        rect, name = self.rect(), self.ratio.itemData(index)
        self._shape(name, ratio_of(name, rect, self.whole()))

    def _shape(self, name: str, ratio: float | None) -> None:
        settings: list[tuple[str, object]] = [("mend.crop_ratio", name)]
        if ratio is not None:
            settings.append(("mend.crop", self.crop_of(shaped(self.rect(), ratio, self.whole()))))
        self.session.commit(settings, f"Crop {NAMES[name]}")

    def paint_crop(self, painter: QPainter, view: PictureView) -> None:
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
        for across, down in ((0, 0), (0.5, 0), (1, 0), (1, 0.5), (1, 1), (0.5, 1), (0, 1), (0, 0.5)):
            at = view.to_widget(*rect.at(across, down))
            stroked(painter, partial(painter.drawRect, QRectF(at.x() - 4, at.y() - 4, 8, 8)))
        text = f"{number(round(rect.w), 0)} × {number(round(rect.h), 0, 'px')}"
        at = QPointF(frame.center().x(), frame.top() + 10)
        label(painter, text, at, Qt.AlignmentFlag.AlignHCenter, within=view.width())
