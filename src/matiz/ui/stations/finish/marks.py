"""Border and signature."""

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLayout, QVBoxLayout

from ....measure.finish.finish import FinishReading
from ....raw.drawing import read_drawing
from ....recipe.shapes import NO_GRID, Grid
from ....wording import number
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.controls import caption, choice, push, tape_grid
from ...kit.line import Line
from ..page import Page

TAPES = (
    ("finish.signature.height_percent", "Letters"), ("finish.signature.opacity_percent", "Opacity"),
    ("finish.border.width_percent", "Border"), ("finish.border.tone_L", "Lightness of the border"),
)  # fmt: skip
CORNERS = [("upper_left", "upper left"), ("upper_right", "upper right"), ("lower_left", "lower left"),
           ("lower_right", "lower right")]  # fmt: skip
DRAWING = "finish.signature.drawing"
PICTURES = "Pictures (*.png *.webp *.tif *.tiff *.jpg *.jpeg)"
TONES = [("light", "light"), ("dark", "dark")]


class MarksPage(Page):
    """What stands on the picture and round it."""

    title, tip = "Signature and border", "A line of text in a corner; a border around the picture"
    shows = ("finish",)

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(8)
        self.text = Line(placeholderText="Signature", maxLength=80)
        self.text.setAccessibleName("Text of the signature")
        self.text.setToolTip("A line written in a corner of the picture; empty for none")
        self.text.editingFinished.connect(self._on_text)
        line.addWidget(self.text, 1)
        self.draw = push("Drawing\u2026")
        self.draw.setToolTip("An image of your signature, instead of text; its shape is saved with the edits")
        self.draw.clicked.connect(self._on_draw)
        line.addWidget(self.draw)
        at, self.corner = choice(session, "finish.signature.corner", "At", CORNERS)
        letters, self.tone = choice(session, "finish.signature.tone", "Letters", TONES)
        rows: tuple[QLayout, ...] = (at, letters)
        for each in rows:
            line.addLayout(each)
        column.addLayout(line)
        grid, self.tapes = tape_grid(session, TAPES, 4)
        column.addLayout(grid)
        self.note = caption()
        self.note.setAccessibleName("Signature readings")
        column.addWidget(self.note)
        column.addStretch(1)
        self.row.addLayout(column)

    def refresh(self) -> None:
        own = self.session.recipe.finish
        is_drawn = bool(own.signature.drawing.rows)
        self.text.setEnabled(not is_drawn)
        self.text.setPlaceholderText("Signed with an image" if is_drawn else "Signature")
        self.draw.setText("No image" if is_drawn else "Drawing\u2026")
        if not self.text.isModified():
            self.text.setText("" if is_drawn else own.signature.text)
        self.corner.show_value(own.signature.corner)
        self.tone.show_value(own.signature.tone)
        self.view.update()

    def refresh_readings(self) -> None:
        reading: FinishReading | None = self.session.reading.get("finish")
        if reading is None or reading.signature_busy_L is None or reading.signature_contrast_L is None:
            self.note.setText("")
            return
        busy, contrast = number(reading.signature_busy_L, 0), number(reading.signature_contrast_L, 0)
        self.note.setText(f"L* varies by {busy} under the signature; it stands out by {contrast} L*")

    def _on_text(self) -> None:
        text = self.text.text().strip()
        self.text.setModified(False)
        if self.session.is_open and text != self.session.recipe.finish.signature.text:
            self.session.commit([("finish.signature.text", text)], f"Signature {text}".strip())

    def _on_draw(self) -> None:
        if self.session.recipe.finish.signature.drawing.rows:
            self.session.commit([(DRAWING, NO_GRID)], "No image")
            return
        chosen, _ = QFileDialog.getOpenFileName(self.body, "Image of a signature", str(Path.home()), PICTURES)
        if chosen:
            self.sign_with(Path(chosen))

    def sign_with(self, path: Path) -> None:
        """Take the shape of a drawing; what cannot be read is said."""
        self.session.do_aside(
            lambda _: Grid.of(read_drawing(path)),
            "drawing",
            lambda drawing: self.session.commit([(DRAWING, drawing)], f"Signature {path.name}"),
        )
