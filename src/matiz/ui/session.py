"""What is open: the shoot, the picture, its document; every change of a recipe goes through here."""

import time
from collections.abc import Callable, Iterable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from ..colour.spaces import decode_sRGB
from ..develop.camera_colour import light_xy
from ..develop.engine import Engine
from ..errors import MatizError
from ..findings.find import find
from ..findings.model import Finding
from ..measure.ask import ask_pixel
from ..measure.picture import Meter, PictureReading
from ..measure.values import LightValue, value_of
from ..proposals.camera_start import camera_start
from ..raw.decode import Decoder, shared_decoder
from ..raw.frame import Facts
from ..recipe.document import Document, Version
from ..recipe.model import Change, Recipe, specs
from ..shoot.folder import gather
from ..shoot.log import Event, Log
from ..shoot.sidecar import load_document, save_document, sidecar_path
from ..shoot.silenced import Silenced
from ..shoot.thumbnail import thumbnail
from ..wording import number
from .jobs import Job, Work
from .worker import LatestWorker

SAVE_AFTER_MS = 250
PREVIEW_PX = 1000
SAVE_EVERY_S = 1.0

Settings = Iterable[tuple[str, Any]]


class Session(QObject):
    """The state of the window, without widgets."""

    shootChanged = Signal()
    pictureOpening = Signal(object)
    pictureOpened = Signal()
    pictureFailed = Signal(str)
    recipeChanging = Signal()
    recipeChanged = Signal()
    sortingChanged = Signal(object)
    readingsChanged = Signal()
    said = Signal(str)

    def __init__(self, decoder: Decoder | None = None, silenced: Silenced | None = None) -> None:
        super().__init__()
        self.decoder = decoder or shared_decoder()
        self.silenced = silenced or Silenced()
        self.pictures: list[Path] = []
        self.path: Path | None = None
        self.engine: Engine | None = None
        self.document = Document()
        self.documents: dict[Path, Document] = {}
        self.taken_utc: dict[Path, str] = {}
        """When pictures of the shoot were taken, as far as it was heard."""
        self.reading: PictureReading | None = None
        self.findings: list[Finding] = []
        self._all_findings: list[Finding] = []
        self.seconds_on: dict[Path, float] = {}
        self._draft: Recipe | None = None
        self._meter: Meter | None = None
        self._log: Log | None = None
        self._opening: Job | None = None
        self._aside: set[Job] = set()
        self._opened_at = time.monotonic()
        self._saved_at = 0.0
        self._unsaved: set[Path] = set()
        self._save_timer = QTimer(self, singleShot=True, interval=SAVE_AFTER_MS)
        self._save_timer.timeout.connect(self._save_later)
        # one writer: two saves of the same sidecar must not overtake each other
        self._writer = QThreadPool()
        self._writer.setMaxThreadCount(1)
        self._measurer = LatestWorker(_measure, "measure")
        self._measurer.answered.connect(self._on_measured)
        self._measurer.failed.connect(lambda _, text: self.said.emit(f"measuring failed: {text}"))

    # ---- the shoot

    def open_paths(self, paths: list[Path]) -> None:
        """Open folders and files as the shoot; the first picture is opened with it."""
        self.pictures = gather(paths)
        self.documents, self.taken_utc = {}, {}
        if self._log:
            self._log.close()
            self._log = None
        if self.pictures:
            try:
                self._log = Log(self.pictures[0].parent)
            except MatizError as error:
                self.said.emit(str(error))
        self.shootChanged.emit()
        if self.pictures:
            self.open_picture(self.pictures[0])
        else:
            self.said.emit("no picture that Matiz can read lies there")

    def document_of(self, path: Path) -> Document:
        """The document of any picture of the shoot; a fresh one when its sidecar cannot be read."""
        return self._writable(path) or Document()

    def take_facts(self, path: Path, facts: Facts) -> None:
        """Hear what a file says of itself: its rating is its rank until the user gives one."""
        if facts.exposure.time_utc:
            self.taken_utc[path] = facts.exposure.time_utc
        document = self.document_of(path)
        if facts.rating and not document.rank and not sidecar_path(path).exists():
            self._hold(path, replace(document, rank=facts.rating))
            self.sortingChanged.emit(path)

    def open_picture(self, path: Path) -> None:
        """Decode a picture in the background; pictureOpened or pictureFailed follows."""
        self.settle()
        self._count_time()
        if self._opening:
            self._opening.stop()
        decoder = self.decoder
        job = Job(lambda _: (decoder.frame(path), load_document(path)), f"open {path.name}", self)
        job.returned.connect(lambda pair: self._on_opened(path, *pair))
        job.failed.connect(lambda text: self._on_failed(path, text))
        self._opening = job
        self.pictureOpening.emit(path)
        job.start()

    def step(self, by: int) -> None:
        """Open the next (1) or the previous (-1) picture of the shoot."""
        if self.path in self.pictures:
            index = self.pictures.index(self.path) + by
            if 0 <= index < len(self.pictures):
                self.open_picture(self.pictures[index])

    def sort_as(self, path: Path, **decision: Any) -> None:
        """Set `sorted_as` or `rank` of a picture."""
        document = self._writable(path)
        if document is not None:
            self._put(path, replace(document, **decision))
            self.sortingChanged.emit(path)

    # ---- the recipe

    @property
    def recipe(self) -> Recipe:
        """As shown now: with what is being dragged."""
        return self._draft or self.document.recipe

    @property
    def is_open(self) -> bool:
        return self.engine is not None

    def light_of(self, recipe: Recipe) -> LightValue:
        """The light that a recipe balances the open picture for."""
        assert self.engine is not None
        return value_of(light_xy(self.engine.frame.colour, recipe.light))

    def preview(self, settings: Settings) -> None:
        """Show values while the hand moves; nothing is recorded yet."""
        try:
            self._draft, _ = self.document.recipe.change_all(settings, label="")
        except MatizError as error:
            self.said.emit(str(error))
            return
        self.recipeChanging.emit()
        self._measure()
        if time.monotonic() - self._saved_at > SAVE_EVERY_S:
            self._save_later()

    def commit(self, settings: Settings, label: str) -> None:
        """Record values as one step."""
        self._draft = None
        try:
            recipe, change = self.document.recipe.change_all(settings, label=label)
        except MatizError as error:
            self.said.emit(str(error))
            self.recipeChanged.emit()
            return
        if change:
            self._record(self.document.version.record(recipe, change), "change", change)
        else:
            self.recipeChanged.emit()

    def toggle_station(self, key: str, title: str) -> None:
        """Leave a station's decisions out, or take them back in."""
        if f"{key}.active" in specs():
            on = self.recipe.is_active(key)
            self.commit([(f"{key}.active", "off" if on else "on")], f"{title} {'left out' if on else 'back in'}")

    def undo(self) -> None:
        self._record(self.document.version.undo(), "undo", None)

    def redo(self) -> None:
        self._record(self.document.version.redo(), "redo", None)

    def new_version(self) -> None:
        """A copy of the current version under the next free name, made current."""
        number = 2
        while f"Version {number}" in self.document.versions:
            number += 1
        self._put_current(self.document.with_version(Version(self.document.recipe), f"Version {number}"))

    def show_version(self, name: str) -> None:
        self._put_current(replace(self.document, current=name))

    def record_for(self, path: Path, settings: Settings, label: str) -> bool:
        """Record values as one step of any picture; whether it changed anything."""
        document = self._writable(path)
        if document is None:
            return False
        document, change = document.change_all(settings, label=label)
        if not change:
            return False
        self._put(path, document)
        if self._log:
            self._try(lambda: self._log.add_change(path.name, change))  # type: ignore[union-attr]
        return True

    # ---- findings

    def do_finding(self, finding: Finding) -> None:
        if finding.fix:
            self.commit(finding.fix, finding.fix_label)
            if finding.then:
                self.said.emit(finding.then)

    def silence(self, finding: Finding, *, for_good: bool) -> None:
        """Say no more about it: for this picture, or for good."""
        if for_good:
            self.silenced.add(finding.id)
        else:
            quiet = dict.fromkeys((*self.document.silenced, finding.id))
            self._put_current(replace(self.document, silenced=tuple(quiet)))
        self._sift()

    def log_delivery(self, path: Path) -> None:
        self._log_event("deliver", str(path))

    def ask_pixel(self, x: float, y: float) -> None:
        """Say which decision made a place what it is."""
        if self.engine is None:
            return
        engine, recipe = self.engine, self.recipe
        self.do_aside(
            lambda _: ask_pixel(engine, recipe, int(x), int(y)), "ask a pixel", lambda made: self.said.emit(told(made))
        )

    def follow_preview(self) -> None:
        """Begin where the camera left off: exposure and curve fitted to the preview in the file."""
        if self.engine is None or self.path is None:
            return
        engine, recipe, path, decoder = self.engine, self.recipe, self.path, self.decoder

        def fitted(_: Job) -> Settings:
            jpeg, facts = decoder.listing(path)
            codes = thumbnail(jpeg, facts.orientation, PREVIEW_PX)
            return camera_start(engine, decode_sRGB(codes[..., 2::-1] / 255.0), recipe)

        def follow(settings: Settings) -> None:
            if path == self.path:
                self.commit(settings, "As the camera showed it")

        self.do_aside(fitted, "follow the preview", follow)

    def do_aside(self, work: Work, name: str, then: Callable[[Any], None]) -> None:
        """Do something that takes a moment, then hand what it gave to `then`; failures are said."""
        job = Job(work, name, self)
        job.returned.connect(then)
        job.failed.connect(self.said.emit)
        self._aside.add(job)
        job.finished.connect(lambda: self._aside.discard(job))
        job.start()

    # ---- ending

    def settle(self) -> None:
        """Write what is not yet written, and wait for it."""
        self._save_timer.stop()
        self._draft = None
        self._save_later()
        self._writer.waitForDone()

    def end(self) -> None:
        self.settle()
        for job in self._aside:
            job.stop()
        QThreadPool.globalInstance().waitForDone()
        self._measurer.end()
        if self._log:
            self._log.close()
            self._log = None

    def is_idle(self) -> bool:
        """Nothing is being measured, opened or written."""
        return self._measurer.is_idle() and self._opening is None and not self._unsaved and not self._aside

    def seconds(self) -> float:
        """Time spent on the open picture."""
        if self.path is None:
            return 0.0
        return self.seconds_on.get(self.path, 0.0) + time.monotonic() - self._opened_at

    # ---- inside

    def _writable(self, path: Path) -> Document | None:
        """The document of a picture; None, which is said, for one whose sidecar cannot be read and is to be kept."""
        if path == self.path:
            return self.document
        if path not in self.documents:
            try:
                self.documents[path] = load_document(path)
            except MatizError as error:
                self.said.emit(str(error))
                return None
        return self.documents[path]

    def _on_opened(self, path: Path, frame: Any, document: Document) -> None:
        self._opening = None
        self.path, self.engine, self.document = path, Engine(frame), self.documents.get(path, document)
        self.documents[path] = self.document
        self._meter = Meter(self.engine)
        self._opened_at = time.monotonic()
        self.reading, self.findings, self._all_findings = None, [], []
        self.pictureOpened.emit()
        self.recipeChanged.emit()
        self._measure()

    def _on_failed(self, path: Path, text: str) -> None:
        self._opening = None
        self.pictureFailed.emit(text)
        self.said.emit(text)

    def _count_time(self) -> None:
        if self.path is not None:
            self.seconds_on[self.path] = self.seconds()
            self._opened_at = time.monotonic()

    def _record(self, version: Version, kind: str, change: Change | None) -> None:
        if self.path is None or version == self.document.version:
            self.recipeChanged.emit()
            return
        self._put_current(self.document.with_version(version))
        if change is not None and self._log:
            self._try(lambda: self._log.add_change(self.path.name, change))  # type: ignore[union-attr]
        elif kind != "change":
            self._log_event(kind, "")

    def _put_current(self, document: Document) -> None:
        assert self.path is not None
        self._draft = None
        self._put(self.path, document)
        self.recipeChanged.emit()
        self._measure()

    def _hold(self, path: Path, document: Document) -> None:
        """Make a document the picture's own, without writing it."""
        self.documents[path] = document
        if path == self.path:
            self.document = document

    def _put(self, path: Path, document: Document) -> None:
        self._hold(path, document)
        self._unsaved.add(path)
        self._save_timer.start()

    def _save_later(self) -> None:
        """Hand the unsaved documents, and a draft as if it were recorded, to the writer."""
        todo = {path: self.documents[path] for path in self._unsaved}
        if self._draft is not None and self.path is not None:
            todo[self.path] = self.document.with_version(replace(self.document.version, recipe=self._draft))
        self._saved_at = time.monotonic()
        for path, document in todo.items():
            job = Job(lambda _, p=path, d=document: save_document(p, d), f"save {path.name}", self)
            job.failed.connect(lambda text: self.said.emit(f"not saved: {text}"))
            job.returned.connect(lambda _, p=path, d=document: self._on_saved(p, d))
            job.start(self._writer)

    def _on_saved(self, path: Path, document: Document) -> None:
        if self.documents.get(path) is document:
            self._unsaved.discard(path)

    def _log_event(self, kind: str, label: str) -> None:
        if self._log and self.path:
            stamp = datetime.now(UTC).isoformat(timespec="milliseconds")
            event = Event(stamp, self.path.name, kind, label)
            self._try(lambda: self._log.add(event))  # type: ignore[union-attr]

    def _try(self, act: Any) -> None:
        try:
            act()
        except MatizError as error:
            self.said.emit(str(error))

    def _measure(self) -> None:
        if self._meter is not None:
            self._measurer.ask((self._meter, self.recipe))

    def _on_measured(self, request: Any, answer: Any) -> None:
        if request[0] is not self._meter:
            return
        self.reading, self._all_findings = answer
        self._sift()

    def _sift(self) -> None:
        quiet = {*self.silenced.ids(), *self.document.silenced}
        self.findings = [f for f in self._all_findings if f.id not in quiet]
        self.readingsChanged.emit()


def told(made: dict[str, float]) -> str:
    """What `ask_pixel` found, the three largest changes first."""
    large = [(path, value) for path, value in made.items() if value >= 0.5][:3]
    if not large:
        return "Nothing that was decided changes this place by ΔE 0.5 or more."
    return "This place: " + ",  ".join(f"{path.replace('_', ' ')} ΔE {number(value, 1)}" for path, value in large)


def _measure(request: Any, emit: Any) -> None:
    meter, recipe = request
    reading = meter.read(recipe)
    emit((reading, find(meter.engine, reading, recipe)))
