"""The paper: the picture as a print of it will look, and how far that is from the screen."""

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QVBoxLayout

from ....colour.outputs import SPACES
from ....deliver.orders import CM_PER_INCH, INTENTS, Order
from ....deliver.paper import PAPERS, Paper
from ....wording import number, percent
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.controls import Words, caption, push
from ..page import Page
from .paper_view import INKS, OFF, PAPER, PaperView

MODES = [(OFF, "screen"), (INKS, "inks"), (PAPER, "inks on its white")]
FILE = "profile\u2026"
WAYS = {"perceptual": "perceptual", "relative": "relative colorimetric", "saturation": "saturation",
        "absolute": "absolute colorimetric"}  # fmt: skip


class PaperPage(Page):
    """A paper, the way onto it, and what is seen."""

    title, tip = "Paper", "Preview the picture as a print"
    shows = ("delivery", "blur_after")

    ordered = Signal(dict)
    """Parts of the order that are chosen here."""

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.paper_view = PaperView()
        self.paper_view.changed.connect(self._on_made)
        self.paper_view.failed.connect(self._on_failed)
        self._order = Order()
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addLayout(self._paper_line())
        column.addLayout(self._view_line())
        self.told = caption()
        self.told.setAccessibleName("Effect of the paper on the picture")
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        column.addStretch(1)
        self.row.addLayout(column)

    def _paper_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(6)
        self.paper, self.intent = QComboBox(), QComboBox()
        self.paper.setAccessibleName("Paper")
        self.paper.setToolTip("Paper. Two generic papers, the order's own profile, or a profile file")
        for name, path in PAPERS.items():
            self.paper.addItem(f"{name} paper", path)
        self.paper.addItem(FILE, FILE)
        self.paper.activated.connect(lambda _: self._on_paper())
        self.intent.setAccessibleName("Intent")
        self.intent.setToolTip("Intent. How colours outside the paper's gamut are mapped; part of the order")
        for name in INTENTS:
            self.intent.addItem(WAYS[name], name)
        self.intent.activated.connect(lambda _: self.ordered.emit({"intent": self.intent.currentData()}))
        self.black = push("black point compensation", checkable=True)
        self.black.setToolTip("The picture's black becomes the paper's black; part of the order")
        self.black.clicked.connect(lambda on: self.ordered.emit({"black_point": on}))
        for widget, share in ((self.paper, 1), (self.intent, 1), (self.black, 0)):
            line.addWidget(widget, share)
        return line

    def _view_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(6)
        self.modes = Words("Seen", MODES, "What the view shows.")
        self.modes.show_value(OFF)
        self.modes.chosen.connect(self.see)
        self.differences = push("what changes", checkable=True)
        self.differences.setToolTip(
            "Contours around what changes by \u0394E00 2, 5, 10 and 20, the eye adapted to the paper"
        )
        self.differences.toggled.connect(self._on_differences)
        self.as_large = push("print size")
        self.as_large.setToolTip("Zoom to the size of the print, if the screen reports its own size")
        self.as_large.clicked.connect(self.show_as_large)
        line.addWidget(self.modes)
        line.addWidget(self.differences)
        line.addStretch(1)
        line.addWidget(self.as_large)
        return line

    # ---- what is chosen

    def show_order(self, order: Order) -> None:
        """The order's own profile, where it has one, is the paper."""
        self._order = order
        if order.space not in SPACES:
            self._choose(Path(order.space))
        self.intent.setCurrentIndex(self.intent.findData(order.intent))
        self.black.setChecked(order.black_point)
        self.as_large.setEnabled(order.print_cm is not None)
        self._look()

    def see(self, mode: str) -> None:
        self.paper_view.mode = mode
        self.modes.show_value(mode)
        self._look()

    def show_as_large(self) -> None:
        """As many px of the screen to a cm as it has."""
        engine = self.session.engine
        if engine is None or self._order.print_cm is None:
            return
        across = max(engine.size(self.session.recipe))
        screen_px = self.view.screen().physicalDotsPerInch() * self.view.devicePixelRatioF()
        self.view.set_zoom(self._order.print_cm / CM_PER_INCH * screen_px / across)

    def _on_paper(self) -> None:
        if self.paper.currentData() == FILE:
            chosen, _ = QFileDialog.getOpenFileName(self.body, "Paper", str(Path.home()), "ICC (*.icc *.icm)")
            self._choose(Path(chosen) if chosen else PAPERS["matte"])
        self._look()

    def _choose(self, path: Path) -> None:
        at = next((n for n in range(self.paper.count()) if self.paper.itemData(n) == path), None)
        if at is None:
            at = self.paper.count() - 1
            self.paper.insertItem(at, path.stem, path)
        self.paper.setCurrentIndex(at)

    def _on_differences(self, on: bool) -> None:
        self.paper_view.differs = on
        if on and self.paper_view.mode == OFF:
            self.see(INKS)
        self._look()

    def _look(self) -> None:
        chosen = self.paper.currentData()
        if chosen != FILE:
            self.paper_view.paper = Paper(chosen, self._order.intent, self._order.black_point)
        self._tell()
        self.view.update()

    # ---- what is told

    def _on_made(self) -> None:
        self._tell()
        self.view.update()

    def _tell(self) -> None:
        reading = self.paper_view.reading
        if self.paper_view.mode == OFF:
            self.told.setText("Choose \u201cinks\u201d to see the picture as it prints on this paper.")
        elif reading is not None:
            self.told.setText(
                f"Half of the picture changes by \u0394E00 {number(reading.median_dE, 1)} or more, a twentieth by "
                f"{number(reading.high_dE, 1)}; {percent(reading.seen, 0)} changes visibly. "
                f"The paper's black is L* {number(reading.black_L, 0)}."
            )

    def _on_failed(self, text: str) -> None:
        self.see(OFF)
        self.session.said.emit(text)

    # ---- a page

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self.paper_view.paint(painter, view)

    def leave(self) -> None:
        self.view.update()

    def forget(self) -> None:
        self.paper_view.forget()
        self._tell()

    def is_idle(self) -> bool:
        return self.paper_view.is_idle()

    def end(self) -> None:
        self.paper_view.end()
