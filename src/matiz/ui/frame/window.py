"""The window: route, header, picture or a station's own view, findings, deck."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QWidget,
)

from ...errors import MatizError
from ...findings.model import Finding
from ...proposals.tries import Try
from ...work import closing
from ...work.faults import Faults
from ...work.session import Session
from ...work.sharpest import Sharpest
from ...work.tether import Tether
from ..canvas.comparison import TRIAL
from ..canvas.picture_view import PictureView
from ..canvas.side_by_side import LEAST, SideBySide
from ..canvas.tries import TriesSheet
from ..kit import theme
from ..kit.application import running
from ..kit.loop import use_qt_loop
from ..stations.base import Station
from .bound_actions import bound_actions
from .commands import CommandSheet
from .demo import DemoMaker
from .fault_bar import FaultBar
from .file_questions import ask_about_deleted, may_close
from .findings_panel import FindingsPanel
from .header import Header
from .highlight import Highlight
from .panels import Panels
from .picture_clicks import PictureClicks
from .registry import make_stations
from .route import Route
from .show_mode import PinAsk, ShowMode

DESIGN_SIZE = (1280, 800)


class Window(QMainWindow):
    """Everything a photographer sees.

    It knows stations only as `Station`: what is particular to one of them is in that station. `stations` has each by
    its name, for tests and scripts.
    """

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
        self.stations = make_stations(self.session, self.view)
        self.tries, self.side_by_side = TriesSheet(self.session), SideBySide(self.session)
        self.demo = DemoMaker(self, self.session, self.open_paths)
        self.sharpest, self.tether = Sharpest(self.session), Tether(self.session)
        self.clicks = PictureClicks(self.session, self.view, self.sharpest)
        self.fault_bar, self.faults = FaultBar(), Faults()
        self.highlight = Highlight()
        self.view.overlays.append(self.highlight)
        self.route = Route(list(self.stations))
        self.panels = Panels(
            self.route, self.header, self.view, self.findings, list(self.stations),
            others=(self.tries, self.side_by_side), bars=(self.demo.bar, self.fault_bar),
        )  # fmt: skip
        self.setCentralWidget(self.panels)
        self.actions_by_name = bound_actions(self, self.stations, lambda: self.station, self.go_to)
        self.show_mode = ShowMode(self.session, self.view, lambda: list(self.actions_by_name.values()))
        self._connect()
        self.go_to(self.stations.light)
        running().installEventFilter(self)

    @property
    def station(self) -> Station:
        """The one that is shown."""
        return self.panels.station

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
        self.session.judging.watch(station.shows, station.key)
        station.enter()
        main = self.panels.show_station(station)
        self.route.set_current(list(self.stations).index(station))
        main.setFocus()
        self.highlight.clear()
        self.view.try_out(None)
        self._show_findings()
        self.view.update()

    def sort_as(self, decision: str) -> None:
        path = self._current_path()
        if path:
            self.session.sort_as(path, sorted_as=decision)

    def set_rank(self, rank: int) -> None:
        path = self._current_path()
        if path:
            self.session.sort_as(path, rank=rank)

    def do_first_finding(self) -> None:
        self.highlight.clear()
        self.station.do_first()

    def do_finding(self, finding: Finding) -> None:
        self.highlight.clear()
        self.station.do_finding(finding)

    def leave_out(self) -> None:
        self.session.toggle_station(self.station.key, self.station.title)

    def show_tries(self) -> None:
        """Alternatives of the open picture in its place; again to go back."""
        if self.panels.is_shown(self.tries):
            self._on_try_taken(None)
        elif self.tries.begin():
            self.panels.show_main(self.tries)
        elif self.session.is_open:
            self.session.said.emit("The picture is still being measured: try again in a moment.")

    def show_side_by_side(self) -> None:
        """The pictures that are selected in Sort, or the versions of the open one; again to go back."""
        if self.panels.is_shown(self.side_by_side):
            self.end_side_by_side()
            return
        selected = self.session.selected()
        if len(selected) >= LEAST:
            self.side_by_side.show_pictures(selected)
        elif len(self.session.document.versions) >= LEAST:
            self.side_by_side.show_versions()
        else:
            self.session.said.emit("Select two to six pictures in Sort first, or make a version of this one.")
            return
        self.panels.show_main(self.side_by_side)

    def end_side_by_side(self) -> None:
        if self.panels.is_shown(self.side_by_side):
            self.side_by_side.close_panes()
            self.panels.show_main_of_station()

    def set_zoom(self, zoom: float) -> None:
        if self.panels.is_shown(self.side_by_side):
            self.side_by_side.set_zoom(zoom)
            return
        self.view.set_zoom(zoom)
        self.header.show_zoom(self.view.viewport.zoom)

    def pick_spot(self) -> None:
        """The next click in the picture says what must be sharp in all frames of its set."""
        if not self.panels.is_shown(self.view):
            self.go_to(self.stations.light)
        self.clicks.pick_spot()

    def toggle_tether(self) -> None:
        """Watch the folder of the shoot for new pictures; again to stop."""
        if self.tether.folder is None:
            self.tether.start()
        else:
            self.tether.stop()
            self.session.said.emit("Stopped watching the folder.")

    def toggle_surround(self) -> None:
        app = running()
        # a change of theme sends tens of thousands of events, and none of them is a key
        app.removeEventFilter(self)
        theme.apply(app, theme.DARK if theme.theme() is theme.PRINT else theme.PRINT)
        app.installEventFilter(self)
        for widget in self.findChildren(QWidget):
            widget.update()

    def toggle_alone(self) -> None:
        """The picture without chrome; again to go back."""
        self.panels.toggle_alone()

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

    def show_commands(self) -> None:
        of_station = [self.actions_by_name[own.name] for own in self.station.actions()]
        self.commands = CommandSheet(self, [*of_station, *self.actions_by_name.values()])
        self.commands.open()

    def is_idle(self) -> bool:
        """Nothing is being opened, rendered, measured, written or read."""
        parts: Sequence[Any] = (self.session, self.view, self.demo, self.tries, self.tether, self.side_by_side)
        return all(part.is_idle() for part in (*parts, *self.stations))

    # ---- events

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        # the application's filter: it is asked about every event, so the kind comes first
        kind = event.type()
        if kind not in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) or not isinstance(event, QKeyEvent):
            return super().eventFilter(watched, event)
        if self.show_mode.is_on and self._is_own_key(watched):
            # no widget hears of a key while a client is shown the picture
            if kind == QEvent.Type.KeyPress:
                self._on_key_in_show(event)
            return True
        free = not isinstance(QApplication.focusWidget(), QLineEdit | QAbstractButton | QComboBox)
        if event.key() == Qt.Key.Key_Space and free and self.isActiveWindow():
            if not event.isAutoRepeat():
                self.view.show_before(kind == QEvent.Type.KeyPress)
            return True
        if event.key() == Qt.Key.Key_Escape and kind == QEvent.Type.KeyPress and self.isActiveWindow():
            return self._on_escape() or super().eventFilter(watched, event)
        return super().eventFilter(watched, event)

    def _is_own_key(self, watched: QObject) -> bool:
        """Whether the key is for this window, and not for a dialog."""
        if QApplication.activeModalWidget():
            return False
        return watched is self.windowHandle() or (isinstance(watched, QWidget) and watched.window() is self)

    def _on_key_in_show(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.end_show()
        else:
            self.show_mode.take_key(event)

    def _on_escape(self) -> bool:
        """A drag is taken back, a tool put away, or the chrome comes back: whichever there is."""
        if QApplication.activeModalWidget() is not None:
            return False
        if self.session.cancel_edit():
            return True
        if self.clicks.is_asking:
            self.clicks.stop_asking()
            return True
        if self.view.comparison.mode == TRIAL:
            self.view.try_out(None)
            return True
        if self.panels.is_alone:
            self.toggle_alone()
            return True
        return False

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.show_mode.is_on:
            event.ignore()
            self.session.said.emit("To leave show mode, press Escape and enter the PIN.")
            return
        if not may_close(self, self.session):
            event.ignore()
            return
        running().removeEventFilter(self)
        self.hide()
        closing.begin()
        self.demo.end()
        self.tether.stop()
        self.side_by_side.end()
        self.faults.end()
        self.header.end()
        self.view.end()
        for station in self.stations:
            station.end()
        self.session.end()
        super().closeEvent(event)

    # ---- inside

    def _connect(self) -> None:
        self.route.chosen.connect(lambda index: self.go_to(list(self.stations)[index]))
        self.header.zoomAsked.connect(self.set_zoom)
        self.header.triesAsked.connect(self.show_tries)
        self.header.commandsAsked.connect(self.show_commands)
        self.view.zoomChanged.connect(self.header.show_zoom)
        self.tries.taken.connect(self._on_try_taken)
        self.side_by_side.left.connect(self.end_side_by_side)
        self.side_by_side.opened.connect(self._on_pane_opened)
        self.findings.done.connect(self.do_finding)
        self.findings.shown.connect(self._on_finding_shown)
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
            station.pictureAsked.connect(self._open_in_light)
        self.faults.came.connect(self._on_fault)
        self.show_mode.changed.connect(self._on_show_mode)
        session.pictureOpened.connect(self._on_opened)
        session.pictureClosed.connect(self._on_closed)
        session.sidecarsDeleted.connect(self._on_sidecars_deleted)

    def _current_path(self) -> Path | None:
        """The picture that a command is about."""
        if self.panels.is_shown(self.side_by_side):
            return self.side_by_side.path()
        return self.station.path()

    def _open_in_light(self, path: Path) -> None:
        if self.session.picture is None or path != self.session.picture.path:
            self.session.open_picture(path)
        self.go_to(self.stations.light)

    def _on_pane_opened(self, path: Path) -> None:
        self.end_side_by_side()
        self._open_in_light(path)

    def _on_try_taken(self, one: Try | None) -> None:
        if one is not None:
            self.session.commit(one.settings, one.name)
        self.go_to(self.station)

    def _on_opened(self) -> None:
        if self.panels.is_shown(self.tries):
            self.go_to(self.station)

    def _on_closed(self) -> None:
        self.highlight.clear()
        self._show_findings()

    def _on_sidecars_deleted(self, paths: tuple[Path, ...]) -> None:
        self.deleted_question: QMessageBox = ask_about_deleted(self, self.session, paths)

    def _on_fault(self, text: str) -> None:
        # a client is shown the picture alone
        if not self.show_mode.is_on:
            self.fault_bar.show_fault(text)

    def _on_show_mode(self) -> None:
        on = self.show_mode.is_on
        self.end_side_by_side()
        if on != self.panels.is_alone:
            self.toggle_alone()
        self.showFullScreen() if on else self.showNormal()

    def _on_finding_shown(self, finding: Finding) -> None:
        if not self.station.show_finding(finding):
            self.highlight.toggle(finding.outlines)
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
        self.findings.show_findings(self.station.findings(), measured=self.station.is_measured)
        self.route.refresh()
