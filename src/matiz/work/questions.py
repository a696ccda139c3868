"""Questions about the open picture, answered in the header."""

from ..measure.ask import ask_pixel
from ..measure.next_frame import next_frame
from ..wording import number
from .session import Session

LEAST_DE = 0.5
"""Below this ΔE00 a change is not visible."""
MOST_NAMED = 3


class Questions:
    """Each answer is said by the session."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def ask_pixel(self, x: float, y: float) -> None:
        """Which edits made a point of the picture what it is; px of the picture."""
        session = self.session
        if session.picture is None:
            return
        engine, recipe = session.picture.engine, session.recipe
        session.do_aside(
            lambda _: ask_pixel(engine, recipe, int(x), int(y)),
            "ask a pixel",
            lambda changes: session.said.emit(answer_of(changes)),
        )

    def ask_next_frame(self) -> None:
        """What the readings suggest for the next exposure in the field."""
        session, reading = self.session, self.session.reading
        if session.picture is None or not reading.has(("range", "full", "noise", "blur")):
            session.said.emit("Not measured yet." if session.picture else "Open a picture first.")
            return
        shot = session.picture.frame.exposure
        advice = next_frame(shot, reading.range, reading.full, reading.noise, reading.blur)
        session.said.emit(f"Next frame: {advice.words()}")


def answer_of(changes: dict[str, float]) -> str:
    """A sentence with the largest changes, ΔE00 by path of the recipe, largest first."""
    visible = [(path, value) for path, value in changes.items() if value >= LEAST_DE][:MOST_NAMED]
    if not visible:
        return "No edit visibly changes this point."
    return "This point: " + ",  ".join(f"{path.replace('_', ' ')} ΔE {number(value, 1)}" for path, value in visible)
