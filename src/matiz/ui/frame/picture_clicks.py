"""Commands that wait for a click in the picture: ask a pixel, and what must be sharp."""

from pathlib import Path

from PySide6.QtCore import Qt

from ...work.questions import Questions
from ...work.session import Session
from ...work.sharpest import Sharpest
from ..canvas.picture_view import PictureView
from ..canvas.tools import Click


class PictureClicks:
    """The tools of both commands, and what follows from a click."""

    def __init__(self, session: Session, view: PictureView, sharpest: Sharpest) -> None:
        self.session, self.view, self.sharpest = session, view, sharpest
        self.questions = Questions(session)
        self._ask = Click(self._on_asked, Qt.CursorShape.WhatsThisCursor)
        self._spot = Click(self._on_spot)

    @property
    def is_asking(self) -> bool:
        return self._ask in self.view.tools

    def ask_pixel(self) -> None:
        """The next click in the picture says which edit made that point what it is."""
        self.view.take(self._ask)

    def stop_asking(self) -> None:
        self.view.put_away(self._ask)

    def pick_spot(self) -> None:
        """The next click in the picture says what must be sharp in all frames of its set."""
        self.session.said.emit("Click what must be sharp.")
        self.view.take(self._spot)

    def _on_asked(self, x: float, y: float) -> None:
        self.view.put_away(self._ask)
        at = self._kept_place(x, y)
        if at is not None:
            self.questions.ask_pixel(*at)

    def _on_spot(self, x: float, y: float) -> None:
        self.view.put_away(self._spot)
        at, path = self._kept_place(x, y), self.session.path
        if at is not None and path is not None:
            self.sharpest.rank(*at, self._frames_with(path))

    def _frames_with(self, path: Path) -> list[Path]:
        """Those that are selected, when the picture is among them; else those of its set."""
        selected = self.session.selected()
        if len(selected) > 1 and path in selected:
            return selected
        own = self.session.desk.catalogue.set_of(path)
        return list(own.pictures) if own is not None else []

    def _kept_place(self, x: float, y: float) -> tuple[float, float] | None:
        """Where a place that is seen lies in the picture; None, with a message, where it is cropped away."""
        engine = self.session.engine
        if engine is None:
            return None
        # a station may show more of the picture than is kept of it
        seen, kept = engine.mapping(self.view.recipe), engine.mapping(self.session.recipe)
        x, y = kept.from_plane(seen.to_plane([(x, y)]))[0]
        if 0 <= x < kept.size[0] and 0 <= y < kept.size[1]:
            return float(x), float(y)
        self.session.said.emit("That point is outside the crop.")
        return None
