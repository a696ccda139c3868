"""What a station is to the window."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QWidget

from ...findings.model import Finding
from ...recipe.model import plain_recipe
from ...work.session import SECTIONS, Session
from ..canvas.picture_view import PictureView
from ..kit.action import ActionSpec

DECK_PX = 232


class Station(QObject):
    """One place where one kind of decision is made.

    It is refreshed only while it is shown, and only when what it reads or shows has changed; what it missed meanwhile
    it catches up with when it is entered.
    """

    number = 0
    title = ""
    key = ""
    """Name in findings, and of its section in the recipe."""
    reads: frozenset[str] = frozenset()
    """Sections of the recipe that it shows."""
    shows: tuple[str, ...] = ()
    """Readings that it shows: they are measured first while it is seen."""

    wants_subject = False
    """Whether the subject is mostly asked for here: it is looked for ahead of that."""

    toldAnew = Signal()
    """What it says on the route is something else now."""
    foundAnew = Signal()
    """The column of findings beside it shows something else now."""
    pictureAsked = Signal(object)
    """The user wants to work on this picture (its path)."""

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.deck = QWidget()
        self.deck.setFixedHeight(DECK_PX)
        self.deck.setAccessibleName(f"{self.title} deck")
        self.row = QHBoxLayout(self.deck)
        self.row.setContentsMargins(12, 10, 12, 12)
        self.row.setSpacing(20)
        self.is_shown = False
        self._stale = True
        session.recipeChanging.connect(lambda names: self._refresh_if(names & self.reads, self.refresh))
        session.recipeChanged.connect(lambda names: self._refresh_if(names & self.reads, self.refresh))
        session.readingsChanged.connect(lambda names: self._refresh_if(names & set(self.shows), self.refresh_readings))
        session.findingsChanged.connect(lambda: self._refresh_if(True, self.refresh_readings))
        session.pictureOpened.connect(self._on_opened)
        session.pictureClosed.connect(self._on_opened)

    # ---- what a station may bring

    def main(self) -> QWidget | None:
        """A view of its own in place of the picture."""
        return None

    def side(self) -> QWidget | None:
        """A list of its own above the findings."""
        return None

    def actions(self) -> tuple[ActionSpec, ...]:
        """Commands of its own; their slots are methods of the station."""
        return ()

    def path(self) -> Path | None:
        """The picture that a command is about while the station is shown."""
        return self.session.path

    def findings(self) -> list[Finding]:
        """What the column beside it shows."""
        return [finding for finding in self.session.findings if finding.station == self.key]

    def do_finding(self, finding: Finding) -> None:
        """Do what one of them proposes."""
        self.session.do_finding(finding)

    def do_first(self) -> None:
        """Do what the first of them proposes."""
        for finding in self.findings():
            if finding.has_fix:
                self.do_finding(finding)
                return

    def show_finding(self, finding: Finding) -> bool:
        """Show what one is about; False where that is a place in the picture."""
        return False

    def silence(self, finding: Finding, *, for_good: bool) -> None:
        """Say no more of one: here, or for good."""
        self.session.silence(finding, for_good=for_good)

    @property
    def is_measured(self) -> bool:
        """Whether what could be found is found."""
        return self.session.is_measured

    def reading_text(self) -> str:
        """Its main reading, for the route."""
        return ""

    def is_decided(self) -> bool:
        """True when the recipe differs from the default here."""
        recipe = self.session.recipe
        section = getattr(recipe, self.key, None)
        return self.session.is_open and section is not None and section != getattr(plain_recipe(recipe.start), self.key)

    def refresh(self) -> None:
        """Show what the recipe says now."""

    def refresh_readings(self) -> None:
        """Show the readings as far as they are there, and what follows from the findings."""

    def forget(self) -> None:
        """Another picture is open, or none."""

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        """Paint over the picture."""

    def is_idle(self) -> bool:
        """Whether nothing is worked out for it."""
        return True

    def end(self) -> None:
        """The window closes: threads end."""

    # ---- what every station does

    def enter(self) -> None:
        """The station is shown now."""
        self.is_shown = True
        self.view.overlays.append(self)
        self._look_ahead()
        if self._stale:
            self._catch_up()

    def leave(self) -> None:
        self.is_shown = False
        self.session.seeker.let_be()
        if self in self.view.overlays:
            self.view.overlays.remove(self)

    def is_left_out(self) -> bool:
        """True when the recipe keeps its decisions but does not follow them."""
        return self.session.is_open and not self.session.recipe.is_active(self.key)

    def open_findings(self) -> int:
        return sum(f.station == self.key for f in self.session.findings)

    def reading(self, name: str) -> Any:
        """A reading of the open picture, or None while it is not there."""
        return self.session.reading.get(name)

    def _refresh_if(self, concerns_it: object, refresh: Callable[[], None]) -> None:
        if not concerns_it:
            return
        if self.is_shown:
            refresh()
        else:
            self._stale = True

    def _on_opened(self) -> None:
        self.forget()
        if self.is_shown:
            self._look_ahead()
            self._catch_up()
        else:
            self._stale = True

    def _look_ahead(self) -> None:
        if self.wants_subject:
            self.session.seeker.look_ahead()

    def _catch_up(self) -> None:
        self._stale = False
        self.refresh()
        self.refresh_readings()


ALL = SECTIONS
"""For a station that shows the whole recipe."""
