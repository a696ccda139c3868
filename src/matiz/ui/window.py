"""The window: route, header, picture or contact sheet, findings, deck."""

from pathlib import Path

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QAction, QCloseEvent, QKeyEvent, QKeySequence, QPainterPath, QShortcut
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ..errors import MatizError
from ..findings.model import Finding
from ..proposals.tries import Try
from . import theme
from .actions import ACTIONS
from .demo import DemoMaker
from .findings_panel import FindingsPanel
from .gifts import Gifts
from .header import Header
from .help_sheet import HelpSheet
from .picture_view import PictureView
from .route import Route
from .session import Session
from .stations.base import Station
from .stations.deliver import DeliverStation
from .stations.light import LightStation
from .stations.mend import MendStation
from .stations.sort import SortStation
from .stations.tone import ToneStation
from .tries import TriesSheet

DESIGN_SIZE = (1280, 800)


class _Highlight:
    """The place of a finding, lit up until something else is done."""

    def __init__(self) -> None:
        self.area = None

    def paint_over(self, painter, view) -> None:
        if self.area is not None:
            outside = QPainterPath()
            outside.addRect(view.rect())
            inside = QPainterPath()
            inside.addRect(view.rect_on_widget(self.area).adjusted(-6, -6, 6, 6))
            painter.fillPath(outside.subtracted(inside), theme.grey(10, 165))


class Window(QMainWindow):
    """Everything a photographer sees."""

    def __init__(self, session: Session | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Matiz")
        self.setWindowIcon(theme.icon("matiz", 64))
        self.resize(*DESIGN_SIZE)
        self.setMinimumSize(1024, 700)
        self.session = session or Session()
        self.view = PictureView(self.session)
        self.header = Header(self.session)
        self.findings = FindingsPanel()
        self.sort = SortStation(self.session, self.view)
        self.mend = MendStation(self.session, self.view)
        self.light = LightStation(self.session, self.view)
        self.tone = ToneStation(self.session, self.view)
        self.deliver = DeliverStation(self.session, self.view)
        self.stations: list[Station] = [self.sort, self.mend, self.light, self.tone, self.deliver]
        self.station: Station = self.light
        self.route = Route(self.stations)
        self.tries = TriesSheet(self.session)
        self.gifts = Gifts(self.session)
        self.demo = DemoMaker(self)
        self._highlight = _Highlight()
        self.view.overlays.append(self._highlight)
        self._lay_out()
        self._connect()
        self.actions_by_name = self._make_actions()
        self.go_to(self.light)
        QApplication.instance().installEventFilter(self)

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
        if self.station in self.view.overlays:
            self.station.leave()
        self.station = station
        station.enter()
        self.stack.setCurrentWidget(self.sort.sheet if station is self.sort else self.view)
        self.decks.setCurrentWidget(station.deck)
        self.decks.setFixedHeight(station.deck.height())
        self.findings.setVisible(station is not self.sort)
        self.route.set_current(self.stations.index(station))
        (self.sort.sheet if station is self.sort else self.view).setFocus()
        self._highlight.area = None
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

    def undo(self) -> None:
        self.session.undo()

    def redo(self) -> None:
        self.session.redo()

    def new_version(self) -> None:
        if self.session.is_open:
            self.session.new_version()

    def do_first_finding(self) -> None:
        for finding in self.station_findings():
            if finding.fix:
                self.do_finding(finding)
                return

    def do_finding(self, finding: Finding) -> None:
        self._highlight.area = None
        self.session.do_finding(finding)

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

    def pick_neutral(self) -> None:
        self.go_to(self.light)
        self.light.pick.setChecked(True)

    def set_zoom(self, zoom: float) -> None:
        self.view.set_zoom(zoom)
        self.header.show_zoom(self.view.viewport.zoom)

    def toggle_clip_view(self) -> None:
        self.go_to(self.tone)
        self.tone.clip_view.toggle()

    def toggle_comparison(self, mode: str) -> None:
        self.view.toggle_comparison(mode)

    def ask_pixel(self) -> None:
        """The next click in the picture says which decision made the place what it is."""
        self.view.asking = True
        self.view.setCursor(Qt.CursorShape.WhatsThisCursor)

    def toggle_surround(self) -> None:
        theme.apply(QApplication.instance(), theme.DARK if theme.theme() is theme.PRINT else theme.PRINT)
        for widget in self.findChildren(QWidget):
            widget.update()

    def show_help(self) -> None:
        self.help_sheet = HelpSheet(self)
        self.help_sheet.show()

    def station_findings(self) -> list[Finding]:
        return [f for f in self.session.findings if f.station == self.station.key]

    def is_idle(self) -> bool:
        """Nothing is being opened, rendered, measured, written or read."""
        parts = (self.session, self.view, self.deliver.queue, self.sort.sheet.sheet, self.demo, self.tries)
        return all(part.is_idle() for part in parts)

    # ---- events

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            focus = QApplication.focusWidget()
            free = not isinstance(focus, QLineEdit | QAbstractButton | QComboBox)
            if event.key() == Qt.Key.Key_Space and free and self.isActiveWindow():
                if not event.isAutoRepeat():
                    self.view.show_before(kind == QEvent.Type.KeyPress)
                return True
        return super().eventFilter(watched, event)

    def closeEvent(self, event: QCloseEvent) -> None:
        QApplication.instance().removeEventFilter(self)
        self.demo.end()
        self.deliver.queue.end()
        self.header.end()
        self.view.end()
        self.sort.sheet.sheet.end()
        self.session.end()
        super().closeEvent(event)

    # ---- inside

    def _lay_out(self) -> None:
        self.stack = QStackedWidget()
        self.stack.addWidget(self.view)
        self.stack.addWidget(self.sort.sheet)
        self.stack.addWidget(self.tries)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.header)
        middle.addWidget(self.demo.bar)
        middle.addWidget(self.stack, 1)
        upper = QHBoxLayout()
        upper.setSpacing(0)
        upper.addLayout(middle, 1)
        upper.addWidget(self.findings)
        self.decks = QStackedWidget()
        for station in self.stations:
            self.decks.addWidget(station.deck)
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
        for part in (self.header, self.findings, self.decks):
            part.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
            part.setObjectName("chrome")

    def _connect(self) -> None:
        self.route.chosen.connect(lambda index: self.go_to(self.stations[index]))
        self.header.zoomAsked.connect(self.set_zoom)
        self.header.triesAsked.connect(self.show_tries)
        self.view.zoomChanged.connect(self.header.show_zoom)
        self.view.asked.connect(self.session.ask_pixel)
        self.sort.sheet.opened.connect(self._on_sheet_opened)
        self.tries.taken.connect(self._on_try_taken)
        self.findings.done.connect(self.do_finding)
        self.findings.shown.connect(self._on_shown)
        self.findings.silenced.connect(lambda finding, good: self.session.silence(finding, for_good=good))
        session = self.session
        session.readingsChanged.connect(self._show_findings)
        for signal in (session.readingsChanged, session.recipeChanged, session.recipeChanging, session.sortingChanged):
            signal.connect(lambda *_: self.route.update())
        session.shootChanged.connect(self.route.update)
        session.pictureOpened.connect(self._on_opened)
        self.deliver.queue.dataChanged.connect(lambda *_: self.route.update())

    def _make_actions(self) -> dict[str, QAction]:
        made = {}
        for spec in ACTIONS:
            action = QAction(spec.text, self)
            action.setShortcuts([QKeySequence(k) for k in spec.keys])
            action.setToolTip(spec.help)
            action.setStatusTip(spec.help)
            slot = getattr(self, spec.slot)
            action.triggered.connect(lambda _=False, s=slot, a=spec.argument: s() if a is None else s(a))
            self.addAction(action)
            made[spec.name] = action
        for station in self.stations:
            key = QShortcut(QKeySequence(str(station.number)), self)
            key.activated.connect(lambda s=station: self.go_to(s))
        return made

    def _chosen_path(self) -> Path | None:
        return self.sort.sheet.current_path() if self.station is self.sort else self.session.path

    def _on_sheet_opened(self, path: Path) -> None:
        if path != self.session.path:
            self.session.open_picture(path)
        self.go_to(self.light)

    def _on_try_taken(self, one: Try | None) -> None:
        if one is not None:
            self.session.commit(one.settings, one.name)
        self.go_to(self.station)

    def _on_opened(self) -> None:
        if self.stack.currentWidget() is self.tries:
            self.go_to(self.station)
        self._highlight.area = None
        self._show_findings()

    def _on_shown(self, finding: Finding) -> None:
        self._highlight.area = None if self._highlight.area == finding.area else finding.area
        self.view.update()

    def _show_findings(self) -> None:
        measured = self.session.reading is not None
        self.findings.show_findings(self.station_findings(), measured=measured)
        self.route.update()
