"""Colour: hues, tint, primaries, matching, skin, black and white, looks."""

from ....measure.colour.colour import ColourReading
from ....wording import percent
from ....work.gifts import Gifts
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.action import ActionSpec
from ...kit.controls import tape_grid
from ..paged import PagedStation
from .hues import HuesPage
from .looks import LooksPage
from .match import MatchPage
from .mono import MonoPage
from .primaries import PrimariesPage
from .skin import SkinPage
from .tint import TintPage

DECK_PX = 276
WHOLE = (("colour.muted_percent", "Saturation, muted colours"), ("colour.chroma_percent", "Saturation, all colours"))


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
        self.note.setAccessibleName("Out of gamut in the delivery")
        self.paged(
            (self.hues, self.tint, self.primaries, self.match, self.skin, self.mono, self.looks),
            "Controls of Colour.",
        )

    def actions(self) -> tuple[ActionSpec, ...]:
        return (
            ActionSpec(
                "colour_pick", "Pick a hue", ("Ctrl+Shift+H",), "Press on a colour and drag.", "pick_hue", "Colour"
            ),
            ActionSpec("colour_match", "Match", ("Ctrl+E",), "Match two areas.", "turn_to", "Colour", "Match"),
            ActionSpec(
                "colour_mono",
                "Black and white",
                ("Ctrl+Shift+B",),
                "Switch black and white on or off.",
                "switch_mono",
                "Colour",
            ),
            ActionSpec(
                "give_look",
                "Copy the look to the selected",
                ("Ctrl+Alt+K",),
                "Apply the look that is chosen here to the pictures selected in Sort, at its strength.",
                "give_look",
                "Colour",
                is_seen_there=False,
            ),
            ActionSpec("colour_looks", "Looks", ("Ctrl+Shift+Y",), "Apply a look.", "turn_to", "Colour", "Looks"),
        )

    def give_look(self) -> None:
        look, strength = self.looks.look(), self.looks.strength.value() / 100.0
        if look is None:
            self.session.said.emit("Choose a look in Colour first.")
        else:
            Gifts(self.session).look_to(self.session.selected(), look, strength)

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
        self.note.setText(f"outside sRGB: {percent(reading.out_of_gamut.share, 1)}" if reading is not None else "")

    def reading_text(self) -> str:
        if self.session.is_open and self.session.recipe.colour.black_and_white == "on":
            return "black and white"
        reading: ColourReading | None = self.reading("colour")
        return f"outside {percent(reading.out_of_gamut.share, 1)}" if reading is not None else ""
