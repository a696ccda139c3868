"""Colour: hues, tint, primaries, matching, skin, black and white, looks."""

from ...measure.colour import ColourReading
from ...wording import percent
from ..actions import ActionSpec
from ..colouring.hues import HuesPage
from ..colouring.looks import LooksPage
from ..colouring.match import MatchPage
from ..colouring.mono import MonoPage
from ..colouring.primaries import PrimariesPage
from ..colouring.skin import SkinPage
from ..colouring.tint import TintPage
from ..controls import tape_grid
from ..picture_view import PictureView
from ..session import Session
from .paged import PagedStation

DECK_PX = 276
WHOLE = (("colour.muted_percent", "Muted colours"), ("colour.chroma_percent", "All colours"))


class ColourStation(PagedStation):
    """An instrument to a page."""

    number, title, key = 5, "Colour", "colour"
    reads = frozenset({"colour", "places", "tone", "light"})

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.deck.setFixedHeight(DECK_PX)
        self.hues = HuesPage(session, view, lambda: "colour.pegs" if session.is_open else "")
        grid, self.tapes = tape_grid(session, WHOLE, 2)
        self.hues.column.insertLayout(2, grid)
        self.tint, self.primaries = TintPage(session, view), PrimariesPage(session, view)
        self.match, self.skin = MatchPage(session, view), SkinPage(session, view)
        self.mono, self.looks = MonoPage(session, view), LooksPage(session, view)
        self.note.setAccessibleName("What the delivery cannot hold")
        self.paged(
            (self.hues, self.tint, self.primaries, self.match, self.skin, self.mono, self.looks),
            "What is done to colours.",
        )

    def actions(self) -> tuple[ActionSpec, ...]:
        return (
            ActionSpec("colour_pick", "Pick a hue", ("Ctrl+Shift+H",), "Press it, drag.", "pick_hue", "Colour"),
            ActionSpec("colour_match", "Match", ("Ctrl+E",), "Two areas alike.", "turn_to", "Colour", "Match"),
            ActionSpec("colour_mono", "Black and white", ("Ctrl+Shift+B",), "On or off.", "switch_mono", "Colour"),
            ActionSpec("colour_looks", "Looks", ("Ctrl+Shift+Y",), "Lay one on.", "turn_to", "Colour", "Looks"),
        )  # fmt: skip

    def pick_hue(self) -> None:
        self.turn_to(self.hues.title)
        self.hues.pick.toggle()

    def switch_mono(self) -> None:
        if self.session.is_open:
            self.turn_to(self.mono.title)
            self.mono.on.click()

    def refresh_readings(self) -> None:
        super().refresh_readings()
        reading: ColourReading | None = self.reading("colour")
        self.note.setText(
            f"outside of what sRGB holds: {percent(reading.out_of_gamut.share, 1)}" if reading is not None else ""
        )

    def reading_text(self) -> str:
        if self.session.is_open and self.session.recipe.colour.black_and_white == "on":
            return "black and white"
        reading: ColourReading | None = self.reading("colour")
        return f"outside {percent(reading.out_of_gamut.share, 1)}" if reading is not None else ""
