"""Sort: which pictures stay. The contact sheet takes the place of the picture."""

from pathlib import Path

from PySide6.QtWidgets import QVBoxLayout, QWidget

from ...wording import counted, number
from ..actions import ActionSpec
from ..contact_sheet import ContactSheet
from ..controls import Words, caption
from ..picture_view import PictureView
from ..session import Session
from .base import Station


class SortStation(Station):
    """Keep, hold, drop and rank, by key or by click."""

    number, title, key = 1, "Sort", "sort"
    has_findings = False

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.sheet = ContactSheet(session)
        self.deck.setFixedHeight(112)
        column = QVBoxLayout()
        column.setSpacing(8)
        self.name = caption(strong=True)
        self.exposure = caption()
        column.addWidget(self.name)
        column.addWidget(self.exposure)
        column.addStretch(1)
        self.row.addLayout(column, 2)
        choices = QVBoxLayout()
        choices.setSpacing(8)
        self.decision = Words(
            "Sorted as",
            [("keep", "keep"), ("hold", "hold"), ("drop", "drop"), ("", "undecided")],
            "Whether the picture stays; files are never touched.",
        )
        self.decision.chosen.connect(self.sort_as)
        self.rank = Words("Rank", [(str(n), str(n) if n else "no rank") for n in range(6)], "How good it is, 1 to 5.")
        self.rank.chosen.connect(lambda text: self.set_rank(int(text)))
        choices.addWidget(self.decision)
        choices.addWidget(self.rank)
        choices.addStretch(1)
        self.row.addLayout(choices, 3)
        self.sheet.selectionModel().currentChanged.connect(lambda *_: self._show())
        self.sheet.model().modelReset.connect(self._show)
        session.sortingChanged.connect(lambda _: self._show())

    def actions(self) -> tuple[ActionSpec, ...]:
        tip = "Select all pictures of the burst, bracket or pair that this one is in."
        return (ActionSpec("sort_set", "Select the set", ("Ctrl+Shift+E",), tip, "choose_set", "Sort"),)

    def choose_set(self) -> None:
        """Sorting and ranks then go to all of it."""
        if not self.sheet.choose_set():
            self.session.said.emit("This picture is in no set.")

    def main(self) -> QWidget:
        return self.sheet

    def refresh(self) -> None:
        self._show()

    def sort_as(self, decision: str) -> None:
        """keep, hold, drop or "" for the chosen picture."""
        for path in self._chosen():
            self.session.sort_as(path, sorted_as=decision)

    def set_rank(self, rank: int) -> None:
        for path in self._chosen():
            self.session.sort_as(path, rank=rank)

    def _chosen(self) -> list[Path]:
        """What is selected, when the current picture is in it; else that alone."""
        path, selected = self.sheet.current_path(), self.sheet.selected_paths()
        return selected if path in selected else [path] if path is not None else []

    def reading_text(self) -> str:
        count = len(self.session.pictures)
        kept = sum(
            self.session.document_of(p).sorted_as == "keep"
            for p in self.session.pictures
            if self.session.desk.is_known(p)
        )
        return counted(count, "picture") if not kept else f"{number(kept, 0)} of {number(count, 0)} kept"

    def is_decided(self) -> bool:
        return bool(self.session.path and self.session.document.sorted_as)

    def _show(self) -> None:
        path = self.sheet.current_path()
        if path is None:
            self.name.setText("")
            self.exposure.setText("")
            return
        document = self.session.document_of(path)
        self.name.setText(path.name)
        self.decision.show_value(document.sorted_as)
        self.rank.show_value(str(document.rank))
        picture = self.session.picture
        if picture is not None and path == picture.path:
            self.exposure.setText(exposure_text(picture.frame))
        else:
            self.exposure.setText("Return opens it")


def exposure_text(frame) -> str:
    """How a frame was taken, in one line."""
    shot = frame.exposure
    parts = [f"ISO {number(shot.iso, 0)}"] if shot.iso else []
    if shot.time_s:
        parts.append(number(shot.time_s, 1, "s") if shot.time_s >= 0.4 else f"1/{round(1 / shot.time_s)} s")
    parts += [f"f/{number(shot.f_number, 1)}"] if shot.f_number else []
    parts += [number(shot.focal_mm, 0, "mm")] if shot.focal_mm else []
    parts += [f"{frame.size[0]} \u00d7 {frame.size[1]} px"]
    return "   ".join(parts)
