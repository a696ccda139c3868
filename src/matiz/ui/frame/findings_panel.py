"""The findings of the station: one card each, the one that changes the picture most first."""

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFont, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ...findings.model import Finding
from ...wording import number
from ..kit import theme
from ..kit.controls import caption, push
from ..kit.painted import painting

STRIP_PX, LINE_PX = 28, 36
"""Of the column, and of what is left of it when nothing is found: a strip, or a line beneath a list."""
ANY_HEIGHT = 16_777_215
"""Qt's own bound of a widget's size, which it does not give by name."""
UNITS = {
    "EV": ("EV", 2), "K": ("K", 0), "%": ("%", 2), "mired": ("mired", 0), "of_255": ("of 255", 0), "duv": ("", 4),
    "px": ("px", 1), "dB": ("dB", 0), "deg": ("°", 1), "L": ("L*", 1), "dE": ("", 1), "times": ("times", 1),
    "percent": ("%", 1), "": ("", 1),
}  # fmt: skip
"""By the end of a name: how it is said, and how many decimals what is no count has."""
QUANTITIES = {"duv": " Duv", "dE": " ΔE"}
"""What has no unit is called by its name."""


def evidence_lines(finding: Finding) -> list[str]:
    """Evidence as people read it: the unit is the end of each name."""
    lines = []
    for name, value in finding.evidence.items():
        words, unit = name.replace("_", " "), ""
        for ending in UNITS:
            if name.endswith(f"_{ending}"):
                words, unit = name[: -len(ending) - 1].replace("_", " "), ending
        words += QUANTITIES.get(unit, "")
        said, decimals = UNITS[unit]
        text = value if isinstance(value, str) else number(value, 0 if isinstance(value, int) else decimals, said)
        lines.append(f"{words}  {text}")
    return lines


class FindingCard(QFrame):
    """One finding."""

    done = Signal(object)
    shown = Signal(object)
    compared = Signal(object)
    silenced = Signal(object, bool)

    def __init__(self, finding: Finding) -> None:
        super().__init__()
        self.finding = finding
        self.setAccessibleName(finding.claim)
        self.setObjectName("card")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 8)
        column.setSpacing(4)
        column.addWidget(_wrapped(finding.claim, strong=True))
        column.addWidget(_wrapped("\n".join(evidence_lines(finding))))
        column.addWidget(_wrapped(f"certainty  {number(finding.certainty * 100, 0, '%')}"))
        if finding.has_fix:
            self.do = push(finding.fix_label)
            self.do.setAccessibleName(f"Apply: {finding.fix_label}")
            self.do.setToolTip("Apply this fix. Undo takes it back.")
            self.do.clicked.connect(lambda: self.done.emit(finding))
            self.do.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            column.addSpacing(2)
            column.addWidget(self.do)
        row = QHBoxLayout()
        row.setSpacing(0)
        if finding.is_somewhere:
            tip = "Highlight it in the picture, or select the pictures"
            row.addWidget(self._small("show", tip, lambda: self.shown.emit(finding)))
        if finding.changes_picture:
            tip = "Compare the picture with and without the fix before applying it; again to stop"
            row.addWidget(self._small("compare", tip, lambda: self.compared.emit(finding)))
        row.addStretch(1)
        row.addWidget(
            self._small("hide here", "Hide this finding for this picture", lambda: self.silenced.emit(finding, False))
        )
        row.addWidget(
            self._small("never", "Never show this kind of finding again", lambda: self.silenced.emit(finding, True))
        )
        column.addLayout(row)

    def _small(self, text: str, tip: str, act: Callable[[], object]) -> QPushButton:
        button = push(text)
        button.setObjectName(text)
        button.setProperty("flat", "true")
        button.setToolTip(tip)
        button.setAccessibleName(f"{text}: {self.finding.claim}")
        button.clicked.connect(act)
        return button

    def mouseDoubleClickEvent(self, _: QMouseEvent) -> None:
        if self.finding.area:
            self.shown.emit(self.finding)


class FindingsPanel(QWidget):
    """The column at the right."""

    done = Signal(object)
    shown = Signal(object)
    compared = Signal(object)
    silenced = Signal(object, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(theme.SIDE_PX)
        self.setAccessibleName("Findings")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._title = caption("Findings", strong=True)
        self._title.setContentsMargins(12, 10, 12, 8)
        column.addWidget(self._title)
        self._area = area = QScrollArea(widgetResizable=True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.addWidget(area, 1)
        self._holder = QWidget()
        self._cards = QVBoxLayout(self._holder)
        self._cards.setContentsMargins(8, 0, 8, 8)
        self._cards.setSpacing(8)
        area.setWidget(self._holder)
        self._empty = caption("nothing found")
        self._empty.setContentsMargins(4, 0, 0, 0)
        self._shown_findings: list[Finding] | None = None
        self._is_beneath, self._is_narrow = False, False
        self.show_findings([], measured=False)

    def is_strip(self) -> bool:
        return self.width() == STRIP_PX

    def stand_beneath(self, on: bool) -> None:
        """Beneath a list, which takes the room where nothing is found."""
        if on != self._is_beneath:
            self._is_beneath = on
            self._narrow(self._is_narrow)

    @painting
    def paintEvent(self, painter: QPainter, _: QPaintEvent) -> None:
        if self.is_strip():
            painter.setFont(theme.font(theme.TEXT_PX))
            painter.setPen(theme.colour("quiet"))
            painter.translate(self.width() / 2 - 4, 12)
            painter.rotate(90)
            painter.drawText(0, 0, "nothing found")

    def _narrow(self, on: bool) -> None:
        """A strip that says so leaves its width to the picture."""
        self._is_narrow = on
        self._title.setVisible(not on or self._is_beneath)
        self._title.setText("Nothing found" if on else "Findings")
        self._area.setVisible(not on)
        self.setFixedWidth(STRIP_PX if on and not self._is_beneath else theme.SIDE_PX)
        self.setMaximumHeight(LINE_PX if on and self._is_beneath else ANY_HEIGHT)
        self.setToolTip("Nothing was found at this station" if on else "")

    def cards(self) -> list[FindingCard]:
        items = (self._cards.itemAt(index) for index in range(self._cards.count()))
        return [card for item in items if item is not None and isinstance(card := item.widget(), FindingCard)]

    def show_findings(self, findings: list[Finding], *, measured: bool) -> None:
        """The findings of the station; `measured` is False while there are no readings yet."""
        self._empty.setText("" if measured else "measuring")
        if findings or measured:
            self._narrow(not findings)
        if findings == self._shown_findings:
            return
        self._shown_findings = findings
        while self._cards.count():
            item = self._cards.takeAt(0)
            card = item.widget() if item is not None else None
            if card is not None and card is not self._empty:
                card.hide()
                card.deleteLater()
        self._cards.addWidget(self._empty)
        self._empty.setVisible(not findings)
        for finding in findings:
            made = FindingCard(finding)
            made.done.connect(self.done)
            made.shown.connect(self.shown)
            made.compared.connect(self.compared)
            made.silenced.connect(self.silenced)
            self._cards.addWidget(made)
            # what is not shown yet has no height: the area would squash all of them into its own until the next turn
            made.show()
        self._cards.addStretch(1)


def _wrapped(text: str, *, strong: bool = False) -> QLabel:
    label = caption(text, strong=strong)
    label.setWordWrap(True)
    if strong:
        label.setFont(theme.font(theme.TEXT_PX + 1, QFont.Weight.Medium))
    return label
