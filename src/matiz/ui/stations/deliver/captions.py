"""Captions: what is said of the picture in words, and to whom of the shoot it is given."""

from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....errors import MatizError
from ....recipe.document import MOST_CAPTION, MOST_KEYWORD, MOST_KEYWORDS
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.controls import caption, push
from ...kit.line import Line
from ..page import Page


class CaptionsPage(Page):
    """Caption and keywords of the open picture, kept in its sidecar and written into deliveries."""

    title, tip = "Caption", "Caption and keywords of the picture"
    shows = ("delivery", "blur_after")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        column = QVBoxLayout()
        column.setSpacing(6)
        self.caption = Line(placeholderText="The caption of the picture", maxLength=MOST_CAPTION)
        self.caption.setAccessibleName("Caption")
        self.caption.setToolTip("Caption. Leave empty to keep the file's own")
        self.keywords = Line(placeholderText="Keywords, separated by commas")
        self.keywords.setAccessibleName("Keywords")
        self.keywords.setToolTip("Keywords, separated by commas. Leave empty to keep the file's own")
        for name, line in (("Caption", self.caption), ("Keywords", self.keywords)):
            line.editingFinished.connect(self._on_edited)
            row = QHBoxLayout()
            label = caption(name)
            label.setMinimumWidth(64)
            row.addWidget(label)
            row.addWidget(line, 1)
            column.addLayout(row)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.give = push("Copy both to all kept")
        self.give.setToolTip("Copy caption and keywords of this picture to every picture marked keep")
        self.give.clicked.connect(lambda: self._give("caption", "keywords"))
        self.give_words = push("Only keywords")
        self.give_words.setToolTip("Copy the keywords of this picture to every picture marked keep")
        self.give_words.clicked.connect(lambda: self._give("keywords"))
        buttons.addWidget(self.give)
        buttons.addWidget(self.give_words)
        buttons.addStretch(1)
        column.addLayout(buttons)
        column.addWidget(caption("Written with \u201call metadata\u201d, as Exif, IPTC and XMP."))
        column.addStretch(1)
        self.row.addLayout(column)
        session.sortingChanged.connect(lambda _: self.refresh())

    def enter(self) -> None:
        self.refresh()

    def refresh(self) -> None:
        document = self.session.document
        for line, text in ((self.caption, document.caption), (self.keywords, ", ".join(document.keywords))):
            line.setEnabled(self.session.is_open)
            if not line.isModified():
                line.setText(text)

    def forget(self) -> None:
        for line in (self.caption, self.keywords):
            line.setModified(False)
        self.refresh()

    def _on_edited(self) -> None:
        picture = self.session.picture
        if picture is None or not (self.caption.isModified() or self.keywords.isModified()):
            return
        self._say(picture.path, caption=self.caption.text().strip(), keywords=as_keywords(self.keywords.text()))
        self.forget()

    def _give(self, *names: str) -> None:
        self._on_edited()
        own = self.session.document
        given = {name: getattr(own, name) for name in names}
        kept = [path for path in self.session.pictures if self.session.document_of(path).sorted_as == "keep"]
        for path in kept:
            self._say(path, **given)
        self.session.said.emit(
            f"Copied to {len(kept)} pictures." if kept else "No picture is marked keep yet: mark some first."
        )

    def _say(self, path: Path, **decision: Any) -> None:
        try:
            self.session.sort_as(path, **decision)
        except MatizError as error:
            self.session.said.emit(str(error))


def as_keywords(text: str) -> tuple[str, ...]:
    """Of a line with commas; each once, none too long."""
    words = (word.strip()[:MOST_KEYWORD] for word in text.split(","))
    return tuple(dict.fromkeys(word for word in words if word))[:MOST_KEYWORDS]
