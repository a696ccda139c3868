"""Where the parts of the window lie: route, header, picture or another main view, side column, deck."""

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from ..stations.base import Station
from .findings_panel import FindingsPanel
from .header import Header
from .route import Route


class Panels(QWidget):
    """The central widget of the window.

    In the middle lies one of several main views: the picture, a station's own view, or one that the window brings.
    """

    def __init__(
        self,
        route: Route,
        header: Header,
        picture: QWidget,
        findings: FindingsPanel,
        stations: Sequence[Station],
        *,
        others: Sequence[QWidget],
        bars: Sequence[QWidget],
    ) -> None:
        """others: main views beside the picture and the stations'; bars: thin ones, below the header."""
        super().__init__()
        self.route, self.header, self.picture, self.findings = route, header, picture, findings
        self.station = stations[0]
        """The one that is shown."""
        self.is_alone = False
        """Whether nothing but the picture is shown."""
        self.stack, self.decks, self.sides = QStackedWidget(), QStackedWidget(), QStackedWidget()
        for main in (picture, *others):
            self.stack.addWidget(main)
        for station in stations:
            self.decks.addWidget(station.deck)
            if (own := station.main()) is not None:
                self.stack.addWidget(own)
            if (side := station.side()) is not None:
                self.sides.addWidget(side)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        for part in (header, *bars):
            middle.addWidget(part)
        middle.addWidget(self.stack, 1)
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(self.sides, 1)
        column.addWidget(findings, 1)
        upper = QHBoxLayout()
        upper.setSpacing(0)
        upper.addLayout(middle, 1)
        upper.addLayout(column)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addLayout(upper, 1)
        right.addWidget(self.decks)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(route)
        whole.addLayout(right, 1)
        for part in (header, findings, self.decks, self.sides):
            part.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
            part.setObjectName("chrome")

    def show_station(self, station: Station) -> QWidget:
        """Show its main view, deck and side column; the main view."""
        self.station = station
        self.decks.setCurrentWidget(station.deck)
        self.decks.setFixedHeight(station.deck.height())
        side = station.side()
        if side is not None:
            self.sides.setCurrentWidget(side)
        self.findings.stand_beneath(side is not None)
        self._show_chrome()
        return self.show_main_of_station()

    def show_main_of_station(self) -> QWidget:
        """What the station shows in the middle: its own view, else the picture."""
        main = self.station.main() or self.picture
        self.stack.setCurrentWidget(main)
        return main

    def show_main(self, main: QWidget) -> None:
        """Show one of the main views, and give it the keys."""
        self.stack.setCurrentWidget(main)
        main.setFocus()

    def is_shown(self, main: QWidget) -> bool:
        return self.stack.currentWidget() is main

    def toggle_alone(self) -> None:
        """Nothing but the picture; again to go back."""
        self.is_alone = not self.is_alone
        if self.is_alone:
            self.show_main(self.picture)
        else:
            self.show_main_of_station()
        self._show_chrome()

    def _show_chrome(self) -> None:
        for part in (self.route, self.header, self.decks, self.findings):
            part.setVisible(not self.is_alone)
        self.sides.setVisible(self.station.side() is not None and not self.is_alone)
