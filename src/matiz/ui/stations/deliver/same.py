"""The same across deliveries: one skin or cloth is shown once, followed through the set, and levelled."""

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....develop.frame.tiles import Region
from ....errors import MatizError
from ....measure.sort.same import Followed, LEAST_dE, Thing, follow, thing_at
from ....shoot.as_decided import as_decided
from ....wording import counted, number
from ....work.jobs import Job
from ....work.session import Session
from ...canvas.drag_area import DragArea
from ...canvas.picture_view import PictureView
from ...kit.controls import caption, push
from ...kit.over_picture import framed
from ..page import Page
from .drift_plot import DriftBar, DriftPlot


@dataclass(frozen=True)
class Anchor:
    """The picture that the others are to be like, and where the thing is in it."""

    path: Path
    area: Region
    thing: Thing


class SamePage(Page):
    """Drag over a skin or a cloth, then follow it."""

    title, tip = "Same", "Make one skin or cloth look the same in all pictures"
    shows = ("delivery", "blur_after")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.anchor: Anchor | None = None
        self.found: dict[Path, Followed | None] = {}
        """What became of each picture that was looked at, in their order; None where it is lost."""
        self._job: Job | None = None
        self.tool = DragArea(session, self.put)
        self.plot = DriftPlot()
        self.plot.changed.connect(self._on_bar)
        self.row.addWidget(self.plot, 5)
        column = QVBoxLayout()
        column.setSpacing(8)
        self.note = caption()
        self.note.setAccessibleName("What is tracked")
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        self.follow_set = push("Track")
        self.follow_set.setToolTip("Look for it in every picture marked keep, or in all if none is marked")
        self.follow_set.clicked.connect(self.follow)
        self.level_all = push("Level")
        self.level_all.setToolTip("Correct exposure and light of each picture that drifts to match the reference")
        self.level_all.clicked.connect(self.level)
        self.other = push("Another")
        self.other.setToolTip("Forget what is tracked")
        self.other.clicked.connect(self.forget_all)
        line = QHBoxLayout()
        line.setSpacing(4)
        for button in (self.follow_set, self.level_all, self.other):
            line.addWidget(button)
        line.addStretch(1)
        column.addLayout(line)
        column.addStretch(1)
        self.row.addLayout(column, 4)
        session.shootChanged.connect(self._on_shoot)

    # ---- what is shown to it

    def put(self, area: Region) -> None:
        """Where the thing is: in the anchor at first, then in a picture in which it is lost."""
        session, engine = self.session, self.session.engine
        if session.picture is None or engine is None:
            return
        path, recipe, anchor = session.picture.path, session.recipe, self.anchor
        if anchor is None or path == anchor.path:

            def begin(thing: Thing) -> None:
                self.anchor, self.found = Anchor(path, area, thing), {}
                self.refresh()
                self.view.update()

            session.do_aside(lambda _: thing_at(engine, recipe, area), "what is followed", begin)
            return

        def hear(found: Followed | None) -> None:
            if self.anchor is anchor:
                self.found[path] = found
                self.refresh()
                self.view.update()

        session.do_aside(lambda _: follow(engine, recipe, anchor.thing, area), "follow", hear)

    def follow(self) -> None:
        """Look for it in the set."""
        session, anchor = self.session, self.anchor
        if anchor is None or self._job is not None:
            return
        decoder = session.decoder
        kept = [path for path in session.pictures if session.document_of(path).sorted_as == "keep"]
        wanted = [(path, session.document_of(path)) for path in kept or session.pictures if path != anchor.path]

        def work(job: Job) -> dict[Path, Followed | None]:
            out: dict[Path, Followed | None] = {}
            read = decoder.read_for(job)
            for n, (path, document) in enumerate(wanted):
                if not job.progress(n / len(wanted), f"Tracking: {n + 1} of {len(wanted)}"):
                    break
                try:
                    other = as_decided(path, document=document, read=read)
                except MatizError:
                    continue  # what cannot be read is told where it is opened
                out[path] = follow(other.engine, other.recipe, anchor.thing)
            return out

        def hear(found: dict[Path, Followed | None]) -> None:
            if self.anchor is anchor:
                # what was shown by hand stays
                self.found = found | {path: own for path, own in self.found.items() if own is not None}
                self.refresh()

        self._job = session.do_aside(work, "follow", hear, of_shoot=True)
        self._job.progressed.connect(lambda _, text: session.said.emit(text))
        self._job.finished.connect(self._on_done)
        self.refresh()

    def level(self) -> None:
        """One step in the history of each picture that drifts."""
        anchor = self.anchor
        if anchor is None:
            return
        done = 0
        for path, found in list(self.found.items()):
            if found is not None and found.levelled is not None:
                label = f"As in {anchor.path.name}"
                if self.session.record_for(path, found.levelled.settings, label):
                    self.found[path] = Followed(found.area, found.levelled.after, None)
                    done += 1
        self.session.said.emit(f"{counted(done, 'picture')} levelled." if done else "No picture drifts.")
        self.refresh()

    def forget_all(self) -> None:
        if self._job is not None:
            self._job.stop()
        self.anchor, self.found = None, {}
        self.refresh()
        self.view.update()

    # ---- a page

    def enter(self) -> None:
        self.view.take(self.tool)

    def leave(self) -> None:
        self.view.put_away(self.tool)

    def refresh(self) -> None:
        anchor, here = self.anchor, self.session.path
        paths = self._in_order()
        self.plot.show_bars([self._bar(path) for path in paths], paths.index(here) if here in paths else -1)
        offered = sum(found is not None and found.levelled is not None for found in self.found.values())
        self.follow_set.setEnabled(anchor is not None and self._job is None)
        self.level_all.setEnabled(bool(offered))
        self.level_all.setText(f"Level {counted(offered, 'picture')}" if offered else "Level")
        self.other.setEnabled(anchor is not None)
        self.note.setText(self._note_text())

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        here = self.session.path
        if self.anchor is not None and here == self.anchor.path:
            framed(painter, view.rect_on_widget(self.anchor.area), "anchor")
        elif here is not None and (found := self.found.get(here)) is not None:
            framed(painter, view.rect_on_widget(found.area), f"ΔE {number(found.drift.dE00, 1)}")
        if self.tool.rubber is not None:
            framed(painter, self.tool.rubber, "this")

    # ---- inside

    def _in_order(self) -> list[Path]:
        if self.anchor is None:
            return []
        looked_at = {*self.found, self.anchor.path}
        return [path for path in self.session.pictures if path in looked_at]

    def _bar(self, path: Path) -> DriftBar:
        if self.anchor is not None and path == self.anchor.path:
            return DriftBar(path.stem, 0.0, is_anchor=True)
        found = self.found.get(path)
        if found is None:
            return DriftBar(path.stem, None)
        after = found.levelled.after.dE00 if found.levelled is not None else None
        return DriftBar(path.stem, found.drift.dE00, after)

    def _note_text(self) -> str:
        anchor = self.anchor
        if anchor is None:
            return "Drag over skin or cloth that should look the same in all pictures."
        if not self.found:
            return f"Marked in {anchor.path.name}. Track it through the set."
        seen = {path: found for path, found in self.found.items() if found is not None}
        lost = len(self.found) - len(seen)
        parts = []
        if seen:
            worst = max(seen, key=lambda path: seen[path].drift.dE00)
            drift = seen[worst].drift
            if drift.dE00 >= LEAST_dE:
                parts.append(
                    f"{worst.name} drifts most: ΔE00 {number(drift.dE00, 1)} "
                    f"(L* {number(drift.dL, 1, signed=True)}, C* {number(drift.dC, 1, signed=True)}, "
                    f"hue {number(drift.dh, 0, '°', signed=True)})."
                )
            else:
                parts.append(f"The same in {counted(len(seen), 'picture')}.")
        if lost:
            parts.append(f"Not found in {number(lost, 0)}: open one and drag over it there.")
        return " ".join(parts)

    def _on_bar(self, n: int) -> None:
        paths = self._in_order()
        if n < len(paths) and paths[n] != self.session.path:
            self.session.open_picture(paths[n])

    def _on_done(self) -> None:
        self._job = None
        self.refresh()

    def _on_shoot(self) -> None:
        if self.anchor is not None and self.anchor.path not in self.session.pictures:
            self.forget_all()
