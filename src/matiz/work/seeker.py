"""The subject of the open picture, looked for aside: for who wants it, or ahead of that while nobody does."""

from collections.abc import Callable

from ..develop.frame.found import Found
from ..develop.places.weighing import wants_subject
from ..errors import Cancelled
from ..masks.subject import SubjectMap
from ..recipe.model import Recipe
from ..recipe.places import Place
from .closing import wait_for_pool
from .jobs import Job
from .latest import stand_back
from .loop import Timer
from .pool import Pool
from .signals import Signal

AHEAD_MS = 700
"""How long a picture has been open before it is looked at unasked, since who turns pages does not want it; and until
it is tried again where a hand drags."""
HOW_FOUND = {
    "network": "Subject found.",
    "contrast": "Subject estimated from contrast only: the network could not be loaded. Check its edge.",
}
LOOKING, CLOSER = "Looking for the subject: a few seconds, once per picture.", "Subject found roughly: refining."


class Seeker:
    """Looks at one picture at a time; that goes on behind all that the hand wants, and ends when the picture goes."""

    said = Signal()
    seenBetter = Signal()
    """More is known of a subject that is wanted."""
    foundAhead = Signal()
    """One is at hand that nobody has asked for."""

    def __init__(self) -> None:
        self._pool = Pool(1, "subject")
        self.is_hand_down: Callable[[], bool] = lambda: False
        """Whether a hand drags just now: nothing is begun unasked then."""
        self._of: Found | None = None
        self._job: Job | None = None
        self._wanted: list[Callable[[], None]] | None = None
        """What is done once something is known of it; None while it is looked for unasked."""
        self._is_asked = False
        """Whether the subject of this picture was asked for before."""
        self._later = Timer(self._look_ahead)

    def take(self, found: Found | None) -> None:
        """Look at nothing but this picture from now on; None: at none."""
        self._later.stop()
        if self._job is not None:
            self._job.stop()
        self._of, self._job, self._wanted, self._is_asked = found, None, None, False

    def look_ahead(self) -> None:
        """Look soon, so that who asks first need not wait. What is wrong is said when it is asked."""
        if self._of is not None and self._job is None:
            self._later.start(AHEAD_MS)

    def let_be(self) -> None:
        """Nobody is likely to ask: what has not begun unasked is not begun."""
        self._later.stop()

    def ask(self, then: Callable[[], None] = lambda: None) -> None:
        """Look now, and say so: seconds, once per picture; then, once something is known of it."""
        if self._of is None:
            return
        self._is_asked = True
        if self._wanted is None and self._of.is_waiting:
            self.said.emit(CLOSER if self._of.looked else LOOKING)
        self._wanted = [*(self._wanted or ()), then]
        if self._of.looked:
            self._hand_out()
        self._look()

    def ask_where_wanted(self, recipe: Recipe) -> None:
        """Look when a place of the recipe wants the subject and it is not at hand, once per picture. Until it is found
        such a mask is empty."""
        places = (place for place in recipe.places.values() if isinstance(place, Place))
        if self._of is None or self._is_asked or not any(wants_subject(place.mask) for place in places):
            return
        if not self._of.is_at_hand():
            self.ask()

    def is_idle(self) -> bool:
        """Whether nobody waits for it."""
        return self._job is None or self._wanted is None

    def end(self) -> None:
        self.take(None)
        wait_for_pool(self._pool)

    def _look_ahead(self) -> None:
        if self.is_hand_down():
            self.look_ahead()
        elif self._of is not None and self._of.is_waiting:
            self._look()

    def _look(self) -> None:
        self._later.stop()
        found = self._of
        if found is None or self._job is not None:
            return

        def work(job: Job) -> SubjectMap:
            stand_back()

            def looked() -> None:
                if not job.progress(0.0):
                    raise Cancelled

            return found.subject_map(on_look=looked)

        job = Job(work, "subject")
        job.progressed.connect(lambda *_: self._on_look(found))
        job.returned.connect(lambda seen: self._on_found(found, seen))
        job.failed.connect(lambda text: self._on_failed(found, text))
        self._job = job.start(self._pool)

    def _on_look(self, found: Found) -> None:
        if found is self._of and self._wanted is not None:
            self._hand_out()
            self.said.emit(CLOSER)
            self.seenBetter.emit()

    def _on_found(self, found: Found, seen: SubjectMap) -> None:
        if found is not self._of:
            return
        self._job = None
        if self._wanted is None:
            self.foundAhead.emit()
            return
        self._hand_out()
        self._wanted = None
        self.said.emit(HOW_FOUND.get(seen.how, f"Subject found by {seen.how}."))
        self.seenBetter.emit()

    def _on_failed(self, found: Found, text: str) -> None:
        if found is not self._of:
            return
        self._job = None
        if self._wanted is not None:
            self._wanted = None
            self.said.emit(text)

    def _hand_out(self) -> None:
        waiting, self._wanted = self._wanted or [], []
        for then in waiting:
            then()
