"""All keys on one sheet, made from the actions themselves."""

from PySide6.QtWidgets import QDialog, QGridLayout, QWidget

from .actions import ACTIONS
from .controls import caption

FIXED = (
    ("1 \u2026 9", "Go to a station", "View"),
    ("Space, held", "The picture before any change", "View"),
    ("Wheel, drag, double-click", "Zoom around the pointer, move, 1:1 and back", "View"),
    ("Arrows, Shift, Alt", "Step the focused tape; ten times; a tenth", "Recipe"),
)
"""Hands that are not actions: held keys and the mouse."""


class HelpSheet(QDialog):
    """A list by group."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("All keys")
        grid = QGridLayout(self)
        grid.setContentsMargins(24, 20, 24, 20)
        grid.setHorizontalSpacing(24)
        grid.setVerticalSpacing(6)
        row = 0
        for group in dict.fromkeys(spec.group for spec in ACTIONS):
            heading = caption(group, px=13)
            heading.setContentsMargins(0, 12 if row else 0, 0, 2)
            grid.addWidget(heading, row, 0)
            row += 1
            lines = [(", ".join(s.keys), s.help) for s in ACTIONS if s.group == group]
            lines += [(keys, text) for keys, text, where in FIXED if where == group]
            for keys, text in lines:
                grid.addWidget(caption(keys, strong=True), row, 0)
                grid.addWidget(caption(text), row, 1)
                row += 1
