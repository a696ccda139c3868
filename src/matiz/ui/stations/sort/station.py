"""Sort: which pictures stay. The contact sheet takes the place of the picture."""

from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QAbstractButton, QComboBox, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from ....errors import MatizError
from ....findings.model import Finding
from ....proposals.given_stations import LEVELLED, MEASURED, OWN, SAME, STATIONS
from ....raw.frame import Frame
from ....shoot.of_shoot import OfShoot
from ....shoot.one_light import balance_of
from ....wording import counted, number, percent, printable, time_text
from ....work.following import Following
from ....work.merging import Merging
from ....work.session import Session
from ....work.xmp import take_in, write_beside
from ...canvas.picture_view import PictureView
from ...kit.action import ActionSpec
from ...kit.controls import Words, caption, push
from ...kit.line import Line
from ..base import Station
from .commands import COMMANDS
from .contact_sheet import SIZES, ContactSheet
from .light_plot import LightPlot
from .of_shoot import ShootFindings
from .sheet_order import ORDERS

DECK_PX = 156
MERGE = "Merge"
EXPOSURE_WORDS = [
    (SAME, "same exposure"), (LEVELLED, "levelled"), (MEASURED, "as measured"), (OWN, "their own"),
]  # fmt: skip


class SortStation(Station):
    """Keep, hold, drop and rank, by key or by click."""

    number, title, key = 1, "Sort", "sort"

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.sheet = ContactSheet(session)
        self.sheet.opened.connect(self.pictureAsked)
        session.selected = self.sheet.selected_paths
        self.deck.setFixedHeight(DECK_PX)
        told = QHBoxLayout()
        told.setSpacing(16)
        self.name = caption(strong=True)
        self.exposure = caption()
        told.addWidget(self.name)
        told.addWidget(self.exposure, 1)
        self.order = QComboBox()
        for key, words in ORDERS.items():
            self.order.addItem(words, key)
        self.order.setAccessibleName("Order of the pictures")
        self.order.setToolTip(
            "The order of the contact sheet, and of next and previous, by what has been measured so far"
        )
        self.order.activated.connect(lambda _: self.sheet.arrange(self.order.currentData()))
        session.shootChanged.connect(lambda: self.order.setCurrentIndex(0))
        choices = QVBoxLayout()
        choices.setSpacing(8)
        choices.addLayout(told)
        self.decision = Words(
            "Sorted as",
            [("keep", "keep"), ("hold", "hold"), ("drop", "drop"), ("", "undecided")],
            "Whether the picture is kept; files are never touched.",
        )
        self.decision.chosen.connect(self.sort_as)
        self.rank = Words("Rank", [(str(n), str(n) if n else "none") for n in range(6)], "How good it is, 1 to 5.")
        self.rank.chosen.connect(lambda text: self.set_rank(int(text)))
        decisions = QHBoxLayout()
        decisions.setSpacing(16)
        decisions.addWidget(self.decision)
        decisions.addWidget(self._finding(), 1)
        choices.addLayout(decisions)
        ranks = QHBoxLayout()
        ranks.setSpacing(10)
        ranks.addWidget(self.rank)
        ranks.addWidget(self.order)
        self.tiles = QComboBox()
        for name in SIZES:
            self.tiles.addItem(f"{name} tiles", name)
        self.tiles.setCurrentIndex(self.tiles.findData("middle"))
        self.tiles.setAccessibleName("Size of the tiles")
        self.tiles.setToolTip("How large the pictures are shown")
        self.tiles.activated.connect(lambda _: self.sheet.size_tiles(self.tiles.currentData()))
        ranks.addWidget(self.tiles)
        ranks.addStretch(1)
        choices.addLayout(ranks)
        choices.addStretch(1)
        self.row.addLayout(choices, 1)
        self.merging = Merging(session)
        self.merging.changed.connect(self._show_merging)
        self.following = Following(session)
        self.following.changed.connect(self._show_following)
        self.row.addLayout(self._shared())
        self.of_shoot = ShootFindings(session, self.sheet.sheet.looking)
        self.following.level_EV = self._level_EV
        self.of_shoot.changed.connect(self._on_found)
        self.sheet.tiles.light_of = self.of_shoot.light_of
        for known in (self.sheet.sheet.looking.came, session.sortingChanged, session.recipeChanged):
            known.connect(lambda _: self._look_over())
        self.sheet.sheet.regrouped.connect(self._look_over)
        self.sheet.selectionModel().currentChanged.connect(lambda *_: self._show())
        self.sheet.model().modelReset.connect(self._show)
        session.sortingChanged.connect(lambda _: self._show())

    def _finding(self) -> Line:
        self.words = Line()
        self.words.setPlaceholderText("show only: keep, rank3+, iso1600+, burst, a name")
        self.words.setClearButtonEnabled(True)
        for button in self.words.findChildren(QAbstractButton):
            button.setToolTip("Show all again")
            button.setAccessibleName("Show all again")
        self.words.setMinimumWidth(120)
        self.words.setAccessibleName("Show only pictures that match these words")
        self.words.setToolTip(
            "Show pictures that match all words: keep, hold, drop, undecided; rank3, rank3+, rank2-; iso1600+; mm400; "
            "set, alone, burst, bracket, pair, merged; any other word is looked for in name, lens, caption and "
            "keywords. A "
            "minus negates a word: -drop. Next and previous follow what is shown."
        )
        self.words.textChanged.connect(self._on_words)
        self.words.returnPressed.connect(self.sheet.setFocus)
        self.session.shootChanged.connect(self.words.clear)
        self.session.sortingChanged.connect(lambda _: self._on_words(self.words.text()) if self.words.text() else None)
        return self.words

    def _on_words(self, text: str) -> None:
        self.sheet.show_only(text)
        self.toldAnew.emit()

    def find(self) -> None:
        """Type words for what is to be shown."""
        self.words.setFocus()
        self.words.selectAll()

    def _shared(self) -> QVBoxLayout:
        """What pictures share: what one gives to others, and the light that they were taken in."""
        column = QVBoxLayout()
        column.setSpacing(6)
        head = QHBoxLayout()
        self.shared = Words(
            "Shared", [("give", "copy"), ("light", "light by time")],
            "What the open picture passes on to others, or how the light changed through the pictures of one light.",
        )  # fmt: skip
        self.shared.show_value("give")
        self.shared.chosen.connect(self.show_shared)
        head.addWidget(self.shared)
        head.addStretch(1)
        column.addLayout(head)
        self.pages = QStackedWidget()
        giving = QWidget()
        giving.setLayout(self._giving())
        self.pages.addWidget(giving)
        self.by_time = LightPlot()
        self.by_time.changed.connect(self._on_light)
        self.pages.addWidget(self.by_time)
        column.addWidget(self.pages, 1)
        return column

    def show_shared(self, which: str) -> None:
        """ "give" or "light"."""
        self.shared.show_value(which)
        self.pages.setCurrentIndex(1 if which == "light" else 0)

    def _on_light(self, told: tuple[int, float | None]) -> None:
        path = self.sheet.current_path()
        light = None if path is None else self.of_shoot.light_of(path)
        if light is None:
            return
        n, wanted_mired = told
        if wanted_mired is None:
            self.sheet.choose(light.pictures[n])
            return
        # above the first zero of mired there is no light
        cct_K = min(max(1e6 / max(wanted_mired, 1.0), 1500.0), 25_000.0)
        own = balance_of(
            self.session.document_of(light.pictures[n]).recipe.light,
            self.sheet.sheet.looking.briefs.get(light.pictures[n]),
        )
        settings = [("light.cct_K", round(cct_K)), ("light.duv", own.duv if own is not None else 0.0)]
        self.session.record_for(light.pictures[n], settings, "Balance by time", anew=True)
        self.of_shoot.soon()

    def _giving(self) -> QVBoxLayout:
        """What the open picture gives to those that are selected."""
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        stations = QHBoxLayout()
        stations.setSpacing(2)
        self.stations = {}
        for name in STATIONS:
            button = push(name, checkable=True)
            button.setChecked(name in self.following.stations)
            button.setAccessibleName(f"Give {name}")
            button.setToolTip(f"Whether the selected pictures get the open picture's edits in {name.capitalize()}")
            button.toggled.connect(lambda _: self._on_given())
            self.stations[name] = button
            stations.addWidget(button)
        stations.addStretch(1)
        column.addLayout(stations)
        tip = "Exposure they get: the open picture's, levelled by camera settings or by what was measured, or none."
        self.exposure_given = Words("Exposure", EXPOSURE_WORDS, tip)
        self.exposure_given.show_value(self.following.exposure)
        self.exposure_given.chosen.connect(self._on_exposure)
        column.addWidget(self.exposure_given)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.give = push("Copy to selected")
        self.give.setToolTip("Copy the chosen edits of the open picture, as one step in each")
        self.give.clicked.connect(lambda: self.following.give(self.sheet.selected_paths()))
        self.follow = push("Keep in step", checkable=True)
        self.follow.setToolTip("The selected pictures follow every edit of the open picture")
        self.follow.clicked.connect(self._on_follow)
        self.merge = push(MERGE)
        self.merge.setToolTip("One frame of the selected, or of the set: a bracket, a focus stack, a series")
        self.merge.setAccessibleName("Merge the selected, or stop merging")
        self.merge.clicked.connect(self._on_merge)
        line.addWidget(self.give)
        line.addWidget(self.follow)
        line.addWidget(self.merge)
        line.addStretch(1)
        column.addLayout(line)
        column.addStretch(1)
        return column

    def _level_EV(self, path: Path) -> float | None:
        brief = self.sheet.sheet.looking.briefs.get(path)
        return None if brief is None else brief.level_EV

    def _on_given(self) -> None:
        self.following.stations = tuple(name for name, button in self.stations.items() if button.isChecked())

    def _on_exposure(self, how: str) -> None:
        self.following.exposure = how
        self.exposure_given.show_value(how)

    def _on_follow(self, on: bool) -> None:
        if on:
            self.following.follow(self.sheet.selected_paths())
        else:
            self.following.end()

    def merge_as(self, kind: str) -> None:
        """ "bracket", "focus", "mean", or "" for what the files say."""
        chosen, path = self.sheet.selected_paths(), self.sheet.current_path()
        own = self.session.desk.catalogue.set_of(path) if path is not None else None
        self.merging.merge(chosen if len(chosen) > 1 or own is None else own.pictures, kind)

    def _on_merge(self) -> None:
        if self.merging.is_idle():
            self.merge_as("")
        else:
            self.merging.stop()

    def _show_merging(self) -> None:
        share = self.merging.share
        self.merge.setText(MERGE if share is None else f"Stop, {percent(share, 0)}")

    def _show_following(self) -> None:
        anchor = self.following.anchor
        self.follow.setChecked(anchor is not None)
        self.toldAnew.emit()

    # ---- the shoot as a whole

    def findings(self) -> list[Finding]:
        """Of the shoot, not of the open picture."""
        return list(self.of_shoot.findings())

    def open_findings(self) -> int:
        return len(self.of_shoot.findings())

    @property
    def is_measured(self) -> bool:
        return self.sheet.sheet.looking.is_done

    def enter(self) -> None:
        super().enter()
        self._look_over()

    def _look_over(self) -> None:
        """The shoot as a whole, while it is looked at: what is decided elsewhere waits until then."""
        if self.is_shown:
            self.of_shoot.soon()

    def do_finding(self, finding: Finding) -> None:
        assert isinstance(finding, OfShoot)
        for path, sorted_as in finding.sorts:
            self.session.sort_as(path, sorted_as=sorted_as)
        for path, settings in finding.gives:
            self.session.record_for(path, settings, finding.fix_label)
        if finding.merges:
            self.merging.merge(list(finding.merges), "")
        self.of_shoot.soon()

    def do_first(self) -> None:
        """Here Return opens a picture: what goes to many at once is done by a click."""
        path = self.sheet.current_path()
        if path is not None:
            self.sheet.opened.emit(path)

    def show_finding(self, finding: Finding) -> bool:
        assert isinstance(finding, OfShoot)
        self.sheet.choose_all(finding.pictures)
        if finding.id in ("sort.drift", "sort.wander", "sort.card"):
            self.show_shared("light")
        return True

    def silence(self, finding: Finding, *, for_good: bool) -> None:
        assert isinstance(finding, OfShoot)
        if for_good:
            # of its kind, whatever pictures it is about
            super().silence(replace(finding, subject=""), for_good=True)
            self.of_shoot.changed.emit()
        else:
            self.of_shoot.silence(finding)

    def _on_found(self) -> None:
        self._show()
        self.sheet.viewport().update()
        self.foundAnew.emit()

    def is_idle(self) -> bool:
        return (
            self.sheet.sheet.is_idle()
            and self.following.is_idle()
            and self.merging.is_idle()
            and self.of_shoot.is_idle()
        )

    def end(self) -> None:
        self.sheet.sheet.end()
        self.of_shoot.end()
        self.following.end()
        self.merging.stop()

    def actions(self) -> tuple[ActionSpec, ...]:
        return COMMANDS

    def choose_set(self) -> None:
        """Sorting and ranks then go to all of it."""
        if not self.sheet.choose_set():
            self.session.said.emit("This picture is in no set.")

    def choose_light(self) -> None:
        """As a set: what is given then goes to all of it."""
        if not self.sheet.choose_light():
            self.session.said.emit("The light of this picture is not known yet.")

    def change_sets(self, how: str) -> None:
        """ "keep" the set of the current picture, "join" the selected into one, "part" them from theirs, or "forget"
        what was said of theirs."""
        own, chosen = self.session.desk.catalogue.own_sets, self._chosen()
        if how == "keep":
            path = self.sheet.current_path()
            chosen = list(self._set_about(path)) if path is not None else []
            if len(chosen) < 2:
                self.session.said.emit("This picture is in no set.")
                return
            how = "join"
        if how == "join" and len(chosen) < 2:
            self.session.said.emit("Select two pictures or more to join them into a set.")
            return
        if how == "forget":
            # all of a set that was made goes back
            chosen = [each for path in chosen for each in self._set_about(path)]
        try:
            {"join": own.join, "part": own.part, "forget": own.forget}[how](chosen)
        except (MatizError, OSError) as error:
            self.session.said.emit(f"The sets could not be saved: {error}")
            return
        self.sheet.sheet.regroup()

    def _set_about(self, path: Path) -> tuple[Path, ...]:
        found = self.session.desk.catalogue.set_of(path)
        return found.pictures if found is not None else (path,)

    def write_xmp(self) -> None:
        write_beside(self.session, self._chosen())

    def take_in_xmp(self) -> None:
        take_in(self.session, self._chosen())

    def main(self) -> QWidget:
        return self.sheet

    def path(self) -> Path | None:
        return self.sheet.current_path()

    def refresh(self) -> None:
        self._show()

    def sort_as(self, decision: str) -> None:
        """keep, hold, drop or "" for the chosen picture."""
        self.session.sort_as(*self._chosen(), sorted_as=decision)

    def set_rank(self, rank: int) -> None:
        self.session.sort_as(*self._chosen(), rank=rank)

    def _chosen(self) -> list[Path]:
        """What is selected, when the current picture is in it; else that alone."""
        path, selected = self.sheet.current_path(), self.sheet.selected_paths()
        return selected if path in selected else [path] if path is not None else []

    def reading_text(self) -> str:
        count, kept = len(self.session.pictures), self.session.desk.catalogue.kept_count()
        hidden = len(self.session.desk.catalogue.out_of_sight)
        if hidden:
            return f"{number(count - hidden, 0)} of {number(count, 0)} shown"
        if self.following.anchor is not None:
            return f"{number(len(self.following.followers), 0)} in step"
        return counted(count, "picture") if not kept else f"{number(kept, 0)} of {number(count, 0)} kept"

    def is_decided(self) -> bool:
        return bool(self.session.path and self.session.document.sorted_as)

    def _show(self) -> None:
        path = self.sheet.current_path()
        light = None if path is None else self.of_shoot.light_of(path)
        self.by_time.show_light(light, light.pictures.index(path) if light is not None and path is not None else -1)
        if path is None:
            self.name.setText("")
            self.exposure.setText("")
            return
        document = self.session.document_of(path)
        self.name.setText(printable(path.name))
        self.decision.show_value(document.sorted_as)
        self.rank.show_value(str(document.rank))
        picture = self.session.picture
        if picture is not None and path == picture.path:
            self.exposure.setText(exposure_text(picture.frame))
        else:
            self.exposure.setText("Return opens it")


def exposure_text(frame: Frame) -> str:
    """How a frame was taken, in one line."""
    shot = frame.exposure
    parts = [f"ISO {number(shot.iso, 0)}"] if shot.iso else []
    parts += [time_text(shot.time_s)] if shot.time_s else []
    parts += [f"f/{number(shot.f_number, 1)}"] if shot.f_number else []
    parts += [number(shot.focal_mm, 0, "mm")] if shot.focal_mm else []
    parts += [f"{frame.size[0]} \u00d7 {frame.size[1]} px"]
    return "   ".join(parts)
