"""Mend: how the picture lies, its crop, and what the lens did."""

from ....wording import degrees, number
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.action import ActionSpec
from ..base import DECK_PX
from ..paged import PagedStation
from .crop import CropPage
from .dust import DustPage
from .lens import LensPage
from .level import LevelPage
from .repair import RepairPage
from .warp import WarpPage

SEEN = 0.5
"""Certainty from which a tilt stands on the route."""


class MendStation(PagedStation):
    """One page of the deck at a time."""

    number, title, key = 2, "Mend", "mend"
    reads = frozenset({"mend"})

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.level, self.crop, self.lens = LevelPage(session, view), CropPage(session, view), LensPage(session, view)
        self.warp, self.repair = WarpPage(session, view), RepairPage(session, view)
        self.dust = DustPage(session, view, self.repair.tool)
        self.deck.setFixedHeight(DECK_PX)
        self.paged((self.level, self.crop, self.warp, self.lens, self.dust, self.repair), "Controls of Mend.")

    def actions(self) -> tuple[ActionSpec, ...]:
        return (
            ActionSpec("mend_level", "Draw a level line", ("Ctrl+G",), f"{self.level.tip}.", "draw_level", "Mend"),
            ActionSpec("mend_crop", "Crop", ("Ctrl+K",), f"{self.crop.tip}.", "turn_to", "Mend", self.crop.title),
            ActionSpec(
                "mend_frame", "Next frame", ("Ctrl+Shift+K",), "Try the next proposed crop.", "next_frame", "Mend"
            ),
            ActionSpec(
                "mend_warp", "Warp", ("Ctrl+U",), "Bend parts of the picture.", "turn_to", "Mend", self.warp.title
            ),
            ActionSpec("mend_repair", "Repair", ("Ctrl+J",), "By hand.", "turn_to", "Mend", self.repair.title),
            ActionSpec("mend_next", "Next dust spot", ("Ctrl+D",), "Go to it, 1:1.", "walk", "Mend", "go_on"),
            ActionSpec("mend_heal", "Heal this spot", ("Ctrl+H",), "And go on.", "walk", "Mend", "heal_current"),
            ActionSpec("mend_decline", "Not dust", ("Ctrl+B",), "And go on.", "walk", "Mend", "decline_current"),
            ActionSpec(
                "mend_remove", "Remove repair", ("Ctrl+Del",), "Remove the chosen repair.", "remove_repair", "Mend"
            ),
            ActionSpec("mend_left", "Turn left", ("Ctrl+[",), "A quarter counter-clockwise.", "turn", "Mend", -1),
            ActionSpec("mend_right", "Turn right", ("Ctrl+]",), "A quarter clockwise.", "turn", "Mend", 1),
        )

    def draw_level(self) -> None:
        self.turn_to(self.level.title)
        self.level.line.setChecked(True)

    def next_frame(self) -> None:
        self.turn_to(self.crop.title)
        self.crop.next_frame()

    def walk(self, what: str) -> None:
        """A step of the walk through the dust, by its name."""
        self.turn_to(self.dust.title)
        getattr(self.dust.walk, what)()

    def remove_repair(self) -> None:
        self.repair.remove_chosen()

    def turn(self, by: int) -> None:
        if self.session.is_open:
            self.level.turn(by)

    def reading_text(self) -> str:
        mend, tilt = self.reading("mend"), self.reading("tilt")
        if self.page is self.dust and (told := self.dust.short_text()):
            return told
        if tilt is not None and tilt.tilt.certainty >= SEEN:
            return f"leans {degrees(tilt.tilt.deg + self.session.recipe.mend.level_deg, signed=True)}"
        if mend is None or mend.fringes is None:
            return ""
        found = mend.fringes
        return f"fringes {number(max(abs(found.red_px), abs(found.blue_px)), 1, 'px')}"

    def refresh(self) -> None:
        super().refresh()
        if self.page is self.dust:
            # whose tool works there too
            self.repair.refresh()
