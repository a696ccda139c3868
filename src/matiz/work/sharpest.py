"""The sharpest of a set: the spot that must be sharp is clicked once, followed through the frames, and these are
ranked."""

from collections.abc import Iterable
from pathlib import Path

from ..develop.frame.tiles import Region
from ..errors import MatizError
from ..measure.sort.burst import FrameDetail, RankedFrame, area_round, detail_at, find_spot, ranked, words
from ..measure.sort.same import thing_at
from ..shoot.as_decided import as_decided
from .jobs import Job
from .session import Session

NO_SET = "This picture is in no set: select some in Sort, or open one of a burst."
FIRST = "First choose what must be sharp: the command \u201cSharpest of the set\u201d, then click it."


class Sharpest:
    """What is known of it is shown on the tiles of the contact sheet."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._job: Job | None = None

    def rank(self, x: float, y: float, others: Iterable[Path]) -> None:
        """Compare the open picture with others at a spot, px of its upright full size."""
        session, engine, picture = self.session, self.session.engine, self.session.picture
        others = [path for path in others if picture is not None and path != picture.path]
        if engine is None or picture is None:
            return
        if not others:
            session.said.emit(NO_SET)
            return
        if self._job is not None:
            self._job.stop()  # one that has ended hears nothing of it
        frame, recipe, decoder = picture.frame, session.recipe, session.decoder
        wanted = [(path, session.document_of(path)) for path in others]
        own, area = picture.path, area_round(x, y, engine.size(recipe))

        def work(job: Job) -> list[RankedFrame]:
            thing = thing_at(engine, recipe, area)
            details: dict[Path, tuple[Region, FrameDetail] | None] = {own: (area, detail_at(frame, recipe, area))}
            for n, (path, document) in enumerate(wanted, 1):
                if not job.progress(n / (len(wanted) + 1), f"Comparing: {n + 1} of {len(wanted) + 1}"):
                    return []
                try:
                    other = as_decided(path, document=document, read=decoder.read_for(job))
                except MatizError:
                    continue  # what cannot be read is told where it is opened
                found = find_spot(other.engine, other.recipe, thing, area[2])
                details[path] = None if found is None else (found, detail_at(other.frame, other.recipe, found))
            return ranked(details)

        self._job = session.do_aside(work, "sharpest", self._on_ranked, of_shoot=True, is_long=True)
        self._job.progressed.connect(lambda _, text: session.said.emit(text))

    def keep_best(self) -> None:
        """The sharpest stays, the others of its set are held."""
        order = list(self.session.ranked.values())
        if not order:
            self.session.said.emit(FIRST)
            return
        for each in order:
            self.session.sort_as(each.path, sorted_as="keep" if each is order[0] else "hold")
        self.session.said.emit(f"{order[0].path.name} is marked keep; {len(order) - 1} are marked hold.")

    def _on_ranked(self, order: list[RankedFrame]) -> None:
        if order:
            self.session.show_ranked(order)
            self.session.said.emit(words(order))
