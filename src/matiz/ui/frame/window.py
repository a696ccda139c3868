"""The window: route, header, picture or a station's own view, findings, deck."""

from pathlib import Path

from PySide6.QtCore import QEvent, QObject, QPointF, Qt
from PySide6.QtGui import QAction, QCloseEvent, QKeyEvent, QKeySequence, QPainterPath, QPolygonF
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ...errors import MatizError
from ...findings.model import Finding
from ...measure.table.values import Outline
from ...proposals.tries import Try
from ...recipe.model import PROCESSING
from ...wording import counted, printable
from ...work import closing
from ...work.faults import Faults
from ...work.gifts import Gifts
from ...work.session import Session
from ...work.sharpest import Sharpest
from ...work.tether import Tether
from ..canvas.comparison import TRIAL
from ..canvas.picture_view import PictureView
from ..canvas.side_by_side import LEAST, SideBySide
from ..canvas.tools import Click
from ..canvas.tries import TriesSheet
from ..kit import theme
from ..kit.action import ActionSpec
from ..kit.loop import use_qt_loop
from ..stations.base import Station
from ..stations.colour.station import ColourStation
from ..stations.deliver.station import DeliverStation
from ..stations.light.station import LightStation
from ..stations.mend.station import MendStation
from ..stations.places.station import PlacesStation
from ..stations.sort.station import SortStation
from ..stations.tone.station import ToneStation
from .actions import ACTIONS
from .commands import CommandSheet
from .demo import DemoMaker
from .fault_bar import FaultBar
from .findings_panel import FindingsPanel
from .header import Header
from .registry import make_stations
from .route import Route
from .show_mode import PinAsk, ShowMode

DESIGN_SIZE = (1280, 800)
MARGIN_PX = 6
"""Round the outline of a place that is lit up."""


class _Highlight:
    """The place of a finding, lit up until something else is done."""

    def __init__(self) -> None:
        self.outlines: tuple[Outline, ...] = ()

    def paint_over(self, painter, view) -> None:
        if not self.outlines:
            return
        outside, inside = QPainterPath(), QPainterPath()
        outside.addRect(view.rect())
        for outline in self.outlines:
            shape = QPolygonF([view.to_widget(x, y) for x, y in outline])
            middle = shape.boundingRect().center()
            # a little larger than the place itself, which must be seen at any zoom
            grown = [point + _toward(point - middle) for point in shape]
            inside.addPolygon(QPolygonF(grown))
        painter.fillPath(outside.subtracted(inside), theme.grey(10, 165))


def _toward(way: QPointF) -> QPointF:
    return QPointF(MARGIN_PX if way.x() > 0 else -MARGIN_PX, MARGIN_PX if way.y() > 0 else -MARGIN_PX)


class Window(QMainWindow):
    """Everything a photographer sees."""

    def __init__(self, session: Session | None = None) -> None:
        super().__init__()
        use_qt_loop()
        self.setWindowTitle("Matiz")
        self.setWindowIcon(theme.icon("matiz", 64))
        self.resize(*DESIGN_SIZE)
        self.setMinimumSize(1024, 700)
        self.session = session or Session()
        self.session.seeker.is_hand_down = lambda: QApplication.mouseButtons() != Qt.MouseButton.NoButton
        self.view = PictureView(self.session)
        self.header = Header(self.session)
        self.findings = FindingsPanel()
        self.by_key = make_stations(self.session, self.view)
        self.stations = list(self.by_key.values())
        self.station: Station = self.light
        self.route = Route(self.stations)
        self.tries, self.side_by_side = TriesSheet(self.session), SideBySide(self.session)
        self.gifts = Gifts(self.session)
        self.demo = DemoMaker(self)
        self.sharpest, self.tether = Sharpest(self.session), Tether(self.session)
        self._ask = Click(self._on_asked, Qt.CursorShape.WhatsThisCursor)
        self._spot = Click(self._on_spot)
        self.fault_bar, self.faults = FaultBar(), Faults()
        self._highlight = _Highlight()
        self.view.overlays.append(self._highlight)
        self._lay_out()
        self._connect()
        self.actions_by_name = self._make_actions()
        self.show_mode = ShowMode(self.session, self.view, lambda: list(self.actions_by_name.values()))
        self.show_mode.changed.connect(self._on_show_mode)
        self.go_to(self.light)
        QApplication.instance().installEventFilter(self)

    # the stations that commands of the window go to by name

    @property
    def sort(self) -> SortStation:
        return self.by_key["sort"]  # type: ignore[return-value]

    @property
    def mend(self) -> MendStation:
        return self.by_key["mend"]  # type: ignore[return-value]

    @property
    def light(self) -> LightStation:
        return self.by_key["light"]  # type: ignore[return-value]

    @property
    def tone(self) -> ToneStation:
        return self.by_key["tone"]  # type: ignore[return-value]

    @property
    def colour(self) -> ColourStation:
        return self.by_key["colour"]  # type: ignore[return-value]

    @property
    def places(self) -> PlacesStation:
        return self.by_key["places"]  # type: ignore[return-value]

    @property
    def deliver(self) -> DeliverStation:
        return self.by_key["deliver"]  # type: ignore[return-value]

    # ---- what actions do

    def open_paths(self, paths: list[Path]) -> None:
        try:
            self.session.open_paths(paths)
        except MatizError as error:
            self.session.said.emit(str(error))

    def open_folder(self) -> None:
        start = str(self.session.path.parent if self.session.path else Path.home())
        chosen = QFileDialog.getExistingDirectory(self, "Open a folder of pictures", start)
        if chosen:
            self.open_paths([Path(chosen)])

    def go_to(self, station: Station) -> None:
        self.side_by_side.close_panes()
        if self.station.is_shown:
            self.station.leave()
        self.station = station
        self.session.watch(station.shows, station.key)
        station.enter()
        main = station.main() or self.view
        self.stack.setCurrentWidget(main)
        self.decks.setCurrentWidget(station.deck)
        self.decks.setFixedHeight(station.deck.height())
        self.sides.setVisible(station.side() is not None)
        self.findings.stand_beneath(station.side() is not None)
        if station.side() is not None:
            self.sides.setCurrentWidget(station.side())
        self._show_chrome()
        self.route.set_current(self.stations.index(station))
        main.setFocus()
        self._highlight.outlines = ()
        self.view.try_out(None)
        self._show_findings()
        self.view.update()

    def step(self, by: int) -> None:
        self.session.step(by)

    def sort_as(self, decision: str) -> None:
        path = self._chosen_path()
        if path:
            self.session.sort_as(path, sorted_as=decision)

    def set_rank(self, rank: int) -> None:
        path = self._chosen_path()
        if path:
            self.session.sort_as(path, rank=rank)

    def give_light(self) -> None:
        self.gifts.light_to(self.sort.sheet.selected_paths())

    def give_light_to_set(self) -> None:
        self.gifts.light_to_set()

    def give_change_of_light(self) -> None:
        self.gifts.change_to(self.sort.sheet.selected_paths())

    def give_place(self) -> None:
        self.gifts.place_to(self.sort.sheet.selected_paths(), self.places.chosen)

    def give_look(self) -> None:
        look, strength = self.colour.looks.look(), self.colour.looks.strength.value() / 100.0
        if look is None:
            self.session.said.emit("Choose a look in Colour first.")
        else:
            self.gifts.look_to(self.sort.sheet.selected_paths(), look, strength)

    def undo(self) -> None:
        self.session.undo()

    def redo(self) -> None:
        self.session.redo()

    def new_version(self) -> None:
        self.session.new_version()

    def move_up(self) -> None:
        """Render a picture of an older Matiz by the newest arithmetic."""
        if self.session.is_open and self.session.recipe.processing == PROCESSING:
            self.session.said.emit("This picture is rendered by the newest arithmetic already.")
        self.session.move_up()

    def do_first_finding(self) -> None:
        self._highlight.outlines = ()
        self.station.do_first()

    def do_finding(self, finding: Finding) -> None:
        self._highlight.outlines = ()
        self.station.do_finding(finding)

    def leave_out(self) -> None:
        self.session.toggle_station(self.station.key, self.station.title)

    def show_tries(self) -> None:
        """Alternatives of the open picture in its place; again to go back."""
        if self.stack.currentWidget() is self.tries:
            self._on_try_taken(None)
        elif self.tries.begin():
            self.stack.setCurrentWidget(self.tries)
            self.tries.setFocus()
        elif self.session.is_open:
            self.session.said.emit("The picture is still being measured: try again in a moment.")

    def show_side_by_side(self) -> None:
        """The pictures that are selected in Sort, or the versions of the open one; again to go back."""
        if self.stack.currentWidget() is self.side_by_side:
            self.end_side_by_side()
            return
        selected = self.sort.sheet.selected_paths()
        if len(selected) >= LEAST:
            self.side_by_side.show_pictures(selected)
        elif len(self.session.document.versions) >= LEAST:
            self.side_by_side.show_versions()
        else:
            self.session.said.emit("Select two to six pictures in Sort first, or make a version of this one.")
            return
        self.stack.setCurrentWidget(self.side_by_side)
        self.side_by_side.setFocus()

    def end_side_by_side(self) -> None:
        if self.stack.currentWidget() is self.side_by_side:
            self.side_by_side.close_panes()
            self.stack.setCurrentWidget(self.station.main() or self.view)

    def _on_pane_opened(self, path: Path) -> None:
        self.end_side_by_side()
        self._on_sheet_opened(path)

    def pick_neutral(self) -> None:
        self.go_to(self.light)
        self.light.pick.setChecked(True)

    def set_zoom(self, zoom: float) -> None:
        if self.stack.currentWidget() is self.side_by_side:
            self.side_by_side.set_zoom(zoom)
            return
        self.view.set_zoom(zoom)
        self.header.show_zoom(self.view.viewport.zoom)

    def toggle_clip_view(self) -> None:
        self.go_to(self.tone)
        self.tone.clip_view.toggle()

    def toggle_comparison(self, mode: str) -> None:
        self.view.toggle_comparison(mode)

    def ask_pixel(self) -> None:
        """The next click in the picture says which decision made the place what it is."""
        self.view.take(self._ask)

    def say_next_frame(self) -> None:
        self.session.say_next_frame()

    def pick_spot(self) -> None:
        """The next click in the picture says what must be sharp in all frames of its set."""
        if self.stack.currentWidget() is not self.view:
            self.go_to(self.light)
        self.session.said.emit("Click what must be sharp.")
        self.view.take(self._spot)

    def toggle_tether(self) -> None:
        """Follow the folder of the shoot, or no more."""
        if self.tether.folder is None:
            self.tether.start()
        else:
            self.tether.stop()
            self.session.said.emit("The folder is followed no more.")

    def keep_sharpest(self) -> None:
        self.sharpest.keep_best()

    @property
    def is_asking(self) -> bool:
        return self._ask in self.view.tools

    def toggle_surround(self) -> None:
        application = QApplication.instance()
        # tens of thousands of events, none of them for a key
        application.removeEventFilter(self)
        theme.apply(application, theme.DARK if theme.theme() is theme.PRINT else theme.PRINT)
        application.installEventFilter(self)
        for widget in self.findChildren(QWidget):
            widget.update()

    def toggle_alone(self) -> None:
        """The picture without chrome; again to go back."""
        self._alone = not self._alone
        if self._alone:
            self.stack.setCurrentWidget(self.view)
            self.view.setFocus()
        else:
            self.stack.setCurrentWidget(self.station.main() or self.view)
        self._show_chrome()

    def begin_show(self) -> None:
        """The picture alone for a client, behind a PIN."""
        asked = PinAsk(self, entering=True)
        if asked.exec():
            self.show_mode.begin(asked.pin.text(), may_mark=asked.marking.isChecked())

    def end_show(self) -> None:
        """Ask for the PIN."""
        asked = PinAsk(self, entering=False)
        if asked.exec():
            self.show_mode.end(asked.pin.text())

    def _on_fault(self, text: str) -> None:
        # a client is shown the picture alone
        if not self.show_mode.is_on:
            self.fault_bar.show_fault(text)

    def _on_show_mode(self) -> None:
        on = self.show_mode.is_on
        self.end_side_by_side()
        if on != self._alone:
            self.toggle_alone()
        self.showFullScreen() if on else self.showNormal()

    def show_commands(self) -> None:
        self.commands = CommandSheet(self, [*self._station_actions(), *self.actions_by_name.values()])
        self.commands.open()

    def station_findings(self) -> list[Finding]:
        return self.station.findings()

    def is_idle(self) -> bool:
        """Nothing is being opened, rendered, measured, written or read."""
        parts = (
            self.session, self.view, self.deliver.queue, self.sort.sheet.sheet, self.demo, self.tries, self.tether,
            self.side_by_side,
        )  # fmt: skip
        return all(part.is_idle() for part in (*parts, *self.stations))

    # ---- events

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if self.show_mode.is_on and self._is_shown_key(watched, event):
            # whoever hears of it first: nobody else does
            if kind == QEvent.Type.KeyPress:
                self._on_shown_key(event)
            return True
        if kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            focus = QApplication.focusWidget()
            free = not isinstance(focus, QLineEdit | QAbstractButton | QComboBox)
            if event.key() == Qt.Key.Key_Space and free and self.isActiveWindow():
                if not event.isAutoRepeat():
                    self.view.show_before(kind == QEvent.Type.KeyPress)
                return True
            if event.key() == Qt.Key.Key_Escape and kind == QEvent.Type.KeyPress and self.isActiveWindow():
                return self._on_escape() or super().eventFilter(watched, event)
        return super().eventFilter(watched, event)

    def _is_shown_key(self, watched: QObject, event: QEvent) -> bool:
        """Whether it is a key of this window, and no dialog's."""
        if event.type() not in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) or QApplication.activeModalWidget():
            return False
        return watched is self.windowHandle() or (isinstance(watched, QWidget) and watched.window() is self)

    def _on_shown_key(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.end_show()
        else:
            self.show_mode.take_key(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.show_mode.is_on:
            event.ignore()
            self.session.said.emit("Show mode ends with its PIN: press Escape.")
            return
        if not self._may_close():
            event.ignore()
            return
        QApplication.instance().removeEventFilter(self)
        self.hide()
        closing.begin()
        self.demo.end()
        self.tether.stop()
        self.side_by_side.end()
        self.faults.end()
        self.deliver.queue.end()
        self.header.end()
        self.view.end()
        self.sort.sheet.sheet.end()
        for station in self.stations:
            station.end()
        self.session.end()
        super().closeEvent(event)

    # ---- inside

    def _may_close(self) -> bool:
        """Whether all is written, or the user lets go of what cannot be."""
        while not self.session.saver.settle():
            names = ", ".join(one.path.name for one in self.session.desk.unsaved()[:5])
            asked = QMessageBox(self)
            asked.setTextFormat(Qt.TextFormat.PlainText)
            asked.setWindowTitle("Not saved")
            asked.setText(printable(f"Your edits to {names} could not be saved."))
            asked.setInformativeText("Make room on the disk or make the folder writable, and try again.")
            again = asked.addButton("Try again", QMessageBox.ButtonRole.AcceptRole)
            elsewhere = asked.addButton("Write elsewhere…", QMessageBox.ButtonRole.AcceptRole)
            stay = asked.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
            asked.addButton("Close without it", QMessageBox.ButtonRole.DestructiveRole)
            asked.exec()
            if asked.clickedButton() is stay:
                return False
            if asked.clickedButton() is elsewhere:
                if self._write_elsewhere():
                    return True
                continue
            if asked.clickedButton() is not again:
                return True
        return True

    def _write_elsewhere(self) -> bool:
        """Whether the user chose a folder that took all that is unsaved."""
        folder = QFileDialog.getExistingDirectory(self, "Write what was decided to a folder")
        if not folder:
            return False
        try:
            self.session.desk.write_apart(Path(folder))
        except MatizError as error:
            self.session.said.emit(str(error))
            return False
        return True

    def _lay_out(self) -> None:
        self._alone = False
        self.stack = QStackedWidget()
        self.stack.addWidget(self.view)
        self.stack.addWidget(self.tries)
        self.stack.addWidget(self.side_by_side)
        self.decks, self.sides = QStackedWidget(), QStackedWidget()
        for station in self.stations:
            self.decks.addWidget(station.deck)
            if station.main() is not None:
                self.stack.addWidget(station.main())
            if station.side() is not None:
                self.sides.addWidget(station.side())
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.header)
        middle.addWidget(self.demo.bar)
        middle.addWidget(self.fault_bar)
        middle.addWidget(self.stack, 1)
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(self.sides, 1)
        column.addWidget(self.findings, 1)
        upper = QHBoxLayout()
        upper.setSpacing(0)
        upper.addLayout(middle, 1)
        upper.addLayout(column)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addLayout(upper, 1)
        right.addWidget(self.decks)
        whole = QHBoxLayout()
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.route)
        whole.addLayout(right, 1)
        holder = QWidget()
        holder.setLayout(whole)
        self.setCentralWidget(holder)
        for part in (self.header, self.findings, self.decks, self.sides):
            part.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
            part.setObjectName("chrome")

    def _connect(self) -> None:
        self.route.chosen.connect(lambda index: self.go_to(self.stations[index]))
        self.header.zoomAsked.connect(self.set_zoom)
        self.header.triesAsked.connect(self.show_tries)
        self.header.commandsAsked.connect(self.show_commands)
        self.view.zoomChanged.connect(self.header.show_zoom)
        self.sort.sheet.opened.connect(self._on_sheet_opened)
        self.tries.taken.connect(self._on_try_taken)
        self.side_by_side.left.connect(self.end_side_by_side)
        self.side_by_side.opened.connect(self._on_pane_opened)
        self.findings.done.connect(self.do_finding)
        self.findings.shown.connect(self._on_shown)
        self.findings.compared.connect(self._on_compared)
        self.findings.silenced.connect(lambda finding, good: self.station.silence(finding, for_good=good))
        session = self.session
        session.findingsChanged.connect(self._show_findings)
        for signal in (session.readingsChanged, session.recipeChanged, session.recipeChanging, session.sortingChanged):
            signal.connect(lambda *_: self.route.refresh())
        session.shootChanged.connect(self.route.refresh)
        session.pictureCame.connect(lambda _: self.route.refresh())
        for station in self.stations:
            station.toldAnew.connect(self.route.refresh)
            station.foundAnew.connect(self._show_findings)
        self.faults.came.connect(self._on_fault)
        session.pictureOpened.connect(self._on_opened)
        session.pictureClosed.connect(self._on_closed)
        session.sidecarsDeleted.connect(self._on_sidecars_deleted)
        self.deliver.queue.changed.connect(lambda _: self.route.refresh())

    def _make_actions(self) -> dict[str, QAction]:
        made = {}
        for spec in ACTIONS:
            made[spec.name] = self._make_action(spec, self)
        for station in self.stations:
            spec = ActionSpec(
                f"to_{station.key}", f"Go to {station.title}", (str(station.number),),
                f"Station {station.number} of the route.", "go_to", "Stations", station,
            )  # fmt: skip
            made[spec.name] = self._make_action(spec, self)
            for own in station.actions():
                made[own.name] = self._make_action(own, station)
        return made

    def _make_action(self, spec: ActionSpec, owner: object) -> QAction:
        action = QAction(spec.text, self)
        action.setShortcuts([QKeySequence(k) for k in spec.keys])
        action.setToolTip(spec.help)
        action.setStatusTip(spec.help)
        slot = getattr(owner, spec.slot)

        def act() -> None:
            # what a station does is seen there
            if isinstance(owner, Station) and owner is not self.station:
                self.go_to(owner)
            slot() if spec.argument is None else slot(spec.argument)

        action.triggered.connect(lambda _=False: act())
        self.addAction(action)
        return action

    def _station_actions(self) -> list[QAction]:
        """Commands of the station that is shown come first."""
        return [self.actions_by_name[own.name] for own in self.station.actions()]

    def _show_chrome(self) -> None:
        for part in (self.route, self.header, self.decks):
            part.setVisible(not self._alone)
        self.findings.setVisible(not self._alone)
        self.sides.setVisible(self.station.side() is not None and not self._alone)

    def _chosen_path(self) -> Path | None:
        if self.stack.currentWidget() is self.side_by_side:
            return self.side_by_side.path()
        return self.sort.sheet.current_path() if self.station is self.sort else self.session.path

    def _on_escape(self) -> bool:
        """A drag is taken back, a tool put away, or the chrome comes back: whichever there is."""
        if QApplication.activeModalWidget() is not None:
            return False
        if self.session.cancel_edit():
            return True
        if self.is_asking:
            self.view.put_away(self._ask)
            return True
        if self.view.comparison.mode == TRIAL:
            self.view.try_out(None)
            return True
        if self._alone:
            self.toggle_alone()
            return True
        return False

    def _on_asked(self, x: float, y: float) -> None:
        self.view.put_away(self._ask)
        at = self._kept_place(x, y)
        if at is not None:
            self.session.ask_pixel(*at)

    def _on_spot(self, x: float, y: float) -> None:
        self.view.put_away(self._spot)
        at, path = self._kept_place(x, y), self.session.path
        if at is None or path is None:
            return
        selected, own = self.sort.sheet.selected_paths(), self.session.desk.catalogue.set_of(path)
        chosen = selected if len(selected) > 1 and path in selected else own.pictures if own is not None else []
        self.sharpest.rank(*at, chosen)

    def _kept_place(self, x: float, y: float) -> tuple[float, float] | None:
        """Where a place that is seen lies in the picture; None, which is said, where it is cropped away."""
        engine = self.session.engine
        if engine is None:
            return None
        # a station may show more of the picture than is kept of it
        seen, kept = engine.mapping(self.view.recipe), engine.mapping(self.session.recipe)
        x, y = kept.from_plane(seen.to_plane([(x, y)]))[0]
        if 0 <= x < kept.size[0] and 0 <= y < kept.size[1]:
            return float(x), float(y)
        self.session.said.emit("This place is cropped away: click one that is kept.")
        return None

    def _on_sheet_opened(self, path: Path) -> None:
        if self.session.picture is None or path != self.session.picture.path:
            self.session.open_picture(path)
        self.go_to(self.light)

    def _on_try_taken(self, one: Try | None) -> None:
        if one is not None:
            self.session.commit(one.settings, one.name)
        self.go_to(self.station)

    def _on_opened(self) -> None:
        if self.stack.currentWidget() is self.tries:
            self.go_to(self.station)

    def _on_sidecars_deleted(self, paths: tuple[Path, ...]) -> None:
        """They are saved again already; whoever deleted them on purpose says so here."""
        asked = self.deleted_question = QMessageBox(self)
        asked.setTextFormat(Qt.TextFormat.PlainText)
        asked.setWindowTitle("Sidecars deleted")
        count = counted(len(paths), "picture")
        names = ", ".join(path.name for path in paths[:5]) + (", and others" if len(paths) > 5 else "")
        asked.setText(printable(f"The sidecars of {count} were deleted outside of this window: {names}."))
        asked.setInformativeText("Your edits have been saved again. If you deleted them on purpose, discard the edits.")
        keep = asked.addButton("Keep the edits", QMessageBox.ButtonRole.RejectRole)
        discard = asked.addButton("Discard the edits", QMessageBox.ButtonRole.DestructiveRole)
        asked.setDefaultButton(keep)
        asked.setEscapeButton(keep)
        discard.clicked.connect(lambda: self.session.discard_edits(paths))
        asked.open()

    def _on_closed(self) -> None:
        self._highlight.outlines = ()
        self._show_findings()

    def _on_shown(self, finding: Finding) -> None:
        if self.station.show_finding(finding):
            return
        self._highlight.outlines = () if self._highlight.outlines == finding.outlines else finding.outlines
        self.view.update()

    def _on_compared(self, finding: Finding) -> None:
        """Now and with the fix side by side; again to end it."""
        if self.view.comparison.trial_of == finding.key:
            self.view.try_out(None)
            return
        recipe = self.session.recipe
        tried = recipe.change_all(finding.settings(recipe), label=finding.fix_label)[0]
        self.view.try_out(tried, finding.key)

    def _show_findings(self) -> None:
        self.findings.show_findings(self.station_findings(), measured=self.station.is_measured)
        self.route.refresh()
