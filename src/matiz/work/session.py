"""What is open, and how it is heard of: the desk, the picture at work, what is measured of it, jobs beside it."""

import time
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from ..develop.graph.engine import Engine
from ..errors import Cancelled, MatizError
from ..findings.model import Finding
from ..measure.picture import PictureReading
from ..measure.sort.burst import RankedFrame
from ..measure.table.values import LightValue
from ..raw.decode import Decoder, shared_decoder
from ..raw.frame import Facts, Frame
from ..recipe.document import Document
from ..recipe.model import PROCESSING, Recipe, plain_recipe
from ..recipe.tree import parts_of
from ..shoot.desk import Desk, Edit
from ..shoot.open_picture import OpenPicture
from ..shoot.sidecar import Revision
from ..shoot.silenced import Silenced
from .aside import Aside
from .deleted import Deleted
from .filling import fill_aside
from .grip import Grip
from .jobs import Job, Work
from .judging import Judging
from .opening import Opener
from .saver import Saver
from .seeker import Seeker
from .session_parts import Settings
from .signals import Signal
from .sorting import sort_pictures

SECTIONS = frozenset(parts_of(Recipe))
"""Names of all parts of a recipe."""


class Session:
    """The state of the window, without widgets.

    `recipeChanging` and `recipeChanged` carry the names of the recipe's sections that are not what was heard last;
    `readingsChanged` the names of readings.
    """

    shootChanged = Signal()
    pictureComes = Signal()
    """The shoot gets one more picture, at this number."""
    pictureCame = Signal()
    pictureOpening = Signal()
    pictureOpened = Signal()
    pictureClosed = Signal()
    pictureFailed = Signal()
    recipeChanging = Signal()
    recipeChanged = Signal()
    sortingChanged = Signal()
    """A tuple of pictures."""
    readingsChanged = Signal()
    findingsChanged = Signal()
    editCancelled = Signal()
    said = Signal()
    sidecarsDeleted = Signal()
    """Pictures whose sidecars somebody has deleted while they were in use, and that were saved again."""
    _joined = Signal()
    _found_deleted = Signal()

    def __init__(self, decoder: Decoder | None = None, silenced: Silenced | None = None) -> None:
        self.decoder = decoder or shared_decoder()
        self.silenced = silenced or Silenced(say=self.said.emit)
        # called on the thread that saves: by signals they arrive on the window's
        self.desk = Desk(self.said.emit, self._joined.emit, self._found_deleted.emit)
        self._joined.connect(self._on_joined)
        self._deleted = Deleted(self.sidecarsDeleted.emit)
        self._found_deleted.connect(self._deleted.add)
        self.saver = Saver(self.desk)
        self.path: Path | None = None
        """The picture that was asked for last and has come, opened or failed."""
        self.picture: OpenPicture | None = None
        self.opened: tuple[Path, ...] = ()
        """What the shoot was opened from."""
        self.selected: Callable[[], list[Path]] = list
        """The pictures that are selected, in the order of the shoot; whoever shows the shoot says which."""
        self.ranked: dict[Path, RankedFrame] = {}
        """What is known of how sharp the frames of one set are, the sharpest first."""
        self.seconds_on: dict[Path, float] = {}
        self._told = Recipe()
        self._opener = Opener(self.decoder)
        self._opener.opened.connect(self._on_opened)
        self._opener.failed.connect(self._on_failed)
        self._aside = Aside(self.said.emit, lambda of_shoot: self.desk.shoot if of_shoot else self.picture)
        self._opened_at = time.monotonic()
        self.seeker = Seeker()
        self.seeker.said.connect(self.said)
        self.seeker.seenBetter.connect(self._on_seen_better)
        self.seeker.foundAhead.connect(lambda: self._measure(moving=False))
        self.judging = Judging(lambda: {*self.silenced.ids(), *self.document.silenced})
        self.judging.readingsChanged.connect(self.readingsChanged)
        self.judging.findingsChanged.connect(self.findingsChanged)
        self.judging.failed.connect(self.said)

    # ---- the shoot

    @property
    def pictures(self) -> list[Path]:
        return self.desk.catalogue.pictures

    def open_paths(self, paths: list[Path]) -> None:
        """Open folders and files as the shoot; the first picture is opened with it. FileError when one is not there."""
        self._close_picture()
        self.desk.open(paths)
        self.path, self.ranked, self.opened = None, {}, tuple(paths)
        self.shootChanged.emit()
        if self.pictures:
            self.open_picture(self.pictures[0])
        else:
            self.said.emit("no readable pictures there")

    def take_in(self, path: Path) -> None:
        """One more picture of the shoot, as its last."""
        self.pictureComes.emit(len(self.pictures))
        self.desk.catalogue.add(path)
        self.pictureCame.emit(path)

    def document_of(self, path: Path) -> Document:
        """The document of any picture of the shoot; a fresh one when its sidecar cannot be read."""
        return self.desk.document(path) or Document()

    def take_facts(self, path: Path, facts: Facts) -> None:
        """Hear what a file says of itself."""
        if self.desk.hear(path, facts):
            self.sortingChanged.emit((path,))

    def open_picture(self, path: Path) -> None:
        """Decode a picture in the background; pictureOpened or pictureFailed follows. Until then the one before
        stays open."""
        self.saver.soon()
        self._opener.open(path)
        self.pictureOpening.emit(path)

    def step(self, by: int) -> None:
        """Open the next (1) or the previous (-1) picture of those that are shown."""
        here = self._opener.path or self.path
        if here in self.pictures:
            hidden = self.desk.catalogue.out_of_sight - {here}
            shown = [path for path in self.pictures if path not in hidden]
            index = shown.index(here) + by
            if 0 <= index < len(shown):
                self.open_picture(shown[index])

    def sort_as(self, *paths: Path, **decision: Any) -> None:
        """Set `sorted_as`, `rank`, `caption` or `keywords` of pictures, as one act."""
        sort_pictures(self, paths, decision)

    def show_sorted(self, changed: tuple[Path, ...]) -> None:
        """The sorting of these pictures has changed: it is saved, and everybody hears of it."""
        if changed:
            self.saver.soon()
            self.sortingChanged.emit(changed)

    def show_changed(self, paths: tuple[Path, ...]) -> None:
        """Documents of these pictures were exchanged for others: they are shown as they are now."""
        self.sortingChanged.emit(paths)
        if self.picture is not None and self.picture.path in paths:
            self._changed()

    def show_ranked(self, order: Iterable[RankedFrame]) -> None:
        """Frames of a set that were compared; those of another set are forgotten."""
        before, self.ranked = self.ranked, {each.path: each for each in order}
        self.sortingChanged.emit(tuple({*before, *self.ranked}))

    # ---- the recipe of the open picture

    @property
    def is_open(self) -> bool:
        return self.picture is not None

    @property
    def engine(self) -> Engine | None:
        return self.picture.engine if self.picture else None

    @property
    def document(self) -> Document:
        return self.document_of(self.picture.path) if self.picture else Document()

    @property
    def recipe(self) -> Recipe:
        """As shown now: with what is being dragged."""
        return self.desk.recipe(self.picture.path) if self.picture else plain_recipe()

    @property
    def light(self) -> LightValue | None:
        """The light that the open picture is balanced for now."""
        return self.picture.light_of(self.recipe.light) if self.picture else None

    def begin(self) -> Grip:
        """A drag of the open picture."""
        grip = Grip(self)
        grip.begin()
        return grip

    def begin_edit(self) -> Edit | None:
        """An edit of the open picture; one that is under way is recorded first. None while no picture is open."""
        if self.picture is None:
            return None
        unfinished = self.desk.edit_of(self.picture.path)
        edit = self.desk.begin(self.picture.path)
        if unfinished is not None:
            self._changed()
        return edit

    def commit(self, settings: Settings, label: str) -> None:
        """Record values of the open picture as one step."""
        if self.picture is not None:
            path, settings = self.picture.path, tuple(settings)
            self.attempt(lambda: self.desk.record(path, settings, label))
            self._changed()

    def cancel_edit(self) -> bool:
        """Take back what is being dragged; False when nothing is."""
        edit = self.desk.edit_of(self.picture.path if self.picture else None)
        if edit is None:
            return False
        edit.cancel()
        self.editCancelled.emit()
        self._changed()
        return True

    def toggle_station(self, key: str, title: str) -> None:
        """Leave a station's decisions out, or take them back in."""
        if "active" in getattr(parts_of(Recipe).get(key), "__dataclass_fields__", ()):
            on = self.recipe.is_active(key)
            self.commit([(f"{key}.active", "off" if on else "on")], f"{title} {'bypassed' if on else 'switched on'}")
        elif key in parts_of(Recipe) and len(self.recipe.get(key)):
            self.said.emit("Untick a place in the list to switch it off.")

    def undo(self) -> None:
        self._step("undo")

    def redo(self) -> None:
        self._step("redo")

    def new_version(self) -> None:
        """A copy of the current version under the next free name, made current."""
        if self.picture:
            self.desk.add_version(self.picture.path)
            self._changed()

    def show_version(self, name: str) -> None:
        if self.picture and self.desk.change(self.picture.path, current=name):
            self._changed()

    def move_up(self) -> None:
        """Render the picture by the current processing from now on, as a version of its own."""
        if self.picture and self.recipe.processing == PROCESSING:
            self.said.emit("This picture uses the current processing already.")
        elif self.picture:
            path = self.picture.path
            self.desk.add_version(path)
            document = self.document_of(path)
            self.desk.put(path, document.with_recipe(document.recipe.moved_up()))
            self._changed()

    def record_for(self, path: Path, settings: Settings, label: str, *, anew: bool = False) -> bool:
        """Record values as one step of any picture of the shoot; whether it changed anything. anew: in place of a last
        step of that label."""
        if path not in self.pictures:
            return False
        recorded = self.attempt(lambda: self.desk.record(path, settings, label, anew=anew)) is not None
        if recorded:
            self.saver.soon()
            if self.picture is not None and path == self.picture.path:
                self._changed()
        return recorded

    # ---- readings and findings

    @property
    def reading(self) -> PictureReading:
        """As far as it is measured."""
        return self.judging.reading

    @property
    def findings(self) -> list[Finding]:
        return self.judging.findings

    @property
    def is_measured(self) -> bool:
        """Whether what could be found is found."""
        return self.judging.is_measured

    def do_finding(self, finding: Finding) -> None:
        if not finding.has_fix:
            return
        settings = finding.settings(self.recipe)
        if finding.fills:
            self.said.emit("Filling...")
            fill_aside(self, settings, lambda: self.commit(settings, finding.fix_label))
        else:
            self.commit(settings, finding.fix_label)
        if finding.then:
            self.said.emit(finding.then)

    def silence(self, finding: Finding, *, for_good: bool) -> None:
        """Say no more about it: for this picture, or for good."""
        if for_good:
            self.attempt(lambda: self.silenced.add(finding.key))
        elif self.picture:
            quiet = dict.fromkeys((*self.document.silenced, finding.key))
            self.desk.change(self.picture.path, silenced=tuple(quiet))
            self.saver.soon()
        self.judging.sift()

    # ---- beside the hand

    def do_aside(
        self, work: Work, name: str, then: Callable[[Any], None], *, of_shoot: bool = False, is_long: bool = False
    ) -> Job:
        """Do something that takes a moment, then hand what it gave to `then`, unless the picture (or the shoot, where
        it is of that) is another one by then. Failures are said. is_long: it takes
        a while, and must not keep others waiting."""
        return self._aside.do(work, name, then, of_shoot=of_shoot, is_long=is_long)

    # ---- ending

    def end(self) -> bool:
        """Write what is unsaved and let all work end; False when something could not be written."""
        self._close_picture()
        self._deleted.end()
        saved = self.saver.settle()
        self._aside.stop()
        self._opener.stop()
        self.decoder.interrupt()
        self.seeker.end()
        self._opener.wait()
        self._aside.wait()
        self.judging.end()
        self.desk.close_log()
        return saved

    def is_idle(self) -> bool:
        """Nothing is being measured, opened or written."""
        own = self.judging.is_idle() and self.saver.is_idle() and self.seeker.is_idle()
        return own and self._opener.is_idle() and self._aside.is_idle()

    def seconds(self) -> float:
        """Time spent on the open picture."""
        if self.picture is None:
            return 0.0
        return self.seconds_on.get(self.picture.path, 0.0) + time.monotonic() - self._opened_at

    # ---- inside

    def attempt(self, act: Callable[[], Any]) -> Any:
        """Do something that can fail, which is said; None then."""
        try:
            return act()
        except Cancelled:
            return None
        except MatizError as error:
            self.said.emit(str(error))
            return None

    def previewed(self) -> None:
        """What is shown has moved with the hand."""
        changed = self._differs()
        if changed:
            self.recipeChanging.emit(changed)
            self._measure(moving=True)
            self.saver.drag()

    def settled(self) -> None:
        """A drag has ended."""
        self._changed()

    def _changed(self) -> None:
        self.saver.soon()
        changed = self._differs()
        self.recipeChanged.emit(changed)
        self._measure(moving=False)
        if "places" in changed:
            self.seeker.ask_where_wanted(self.recipe)

    def _differs(self) -> frozenset[str]:
        """Sections that differ from what was told last; what did not change is the same object."""
        recipe, before = self.recipe, self._told
        self._told = recipe
        if recipe.processing != before.processing:
            return SECTIONS
        return frozenset(name for name in SECTIONS if getattr(recipe, name) is not getattr(before, name))

    def _on_opened(self, path: Path, frame: Frame, document: Document, revision: Revision) -> None:
        self._close_picture()
        self.desk.hold(path, document, revision, frame.start)
        self.path, self.picture = path, OpenPicture(path, frame)
        self.seeker.take(self.picture.engine.found)
        self._opened_at = time.monotonic()
        self._told = self.recipe
        self.pictureOpened.emit()
        self.recipeChanged.emit(SECTIONS)
        self._measure(moving=False)
        self.seeker.ask_where_wanted(self.recipe)

    def _on_joined(self, path: Path) -> None:
        """Another window has changed a picture: it is shown as it is now."""
        self.show_changed((path,))

    def _on_seen_better(self) -> None:
        self.recipeChanged.emit(frozenset({"places"}))
        if self.picture is not None and not self.picture.engine.found.is_waiting:
            self._measure(moving=False)

    def _on_failed(self, path: Path, text: str) -> None:
        # what is decided next must not go to the picture before
        self._close_picture()
        self.path = path
        self.pictureFailed.emit(text)
        self.said.emit(text)

    def _close_picture(self) -> None:
        """A drag that is still going on ends as a step of the picture it was begun for."""
        picture = self.picture
        if picture is None:
            return
        self.seconds_on[picture.path] = self.seconds()
        edit = self.desk.edit_of(picture.path)
        if edit is not None:
            self.attempt(edit.commit)
        self.saver.soon()
        self.picture = None
        self.seeker.take(None)
        picture.close()
        self.judging.forget()
        self.pictureClosed.emit()

    def _step(self, kind: str) -> None:
        if self.picture:
            path = self.picture.path
            self.cancel_edit()
            self.attempt(lambda: self.desk.step(path, kind))
            self._changed()

    def _measure(self, *, moving: bool) -> None:
        if self.picture is not None:
            self.judging.measure(self.picture, self.recipe, moving=moving)
