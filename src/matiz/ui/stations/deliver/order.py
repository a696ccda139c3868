"""The order: named ones, and every part of it by hand."""

from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout

from ....colour.outputs import SPACES
from ....deliver.orders import FORMATS, OWN, Order, orders_file, own_orders, write_orders
from ....errors import MatizError
from ....recipe.leaves import Number
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.controls import caption, push
from ...kit.line import Line
from ...kit.tape import Ruling, Tape
from ..page import Page

QUALITY = Number("", 50.0, 100.0, 95.0, 1.0, 0, "Quality of lossy formats: 95 for delivery, 80 for mail.")
SIDE = Number("px", 200.0, 12_000.0, 1920.0, 20.0, 0, "The length of that side; pictures are never enlarged.")
MEGAPIXELS = Number("MP", 0.1, 200.0, 6.0, 0.1, 1, "Megapixels of the delivery; pictures are never enlarged.")
PRINT = Number("cm", 5.0, 200.0, 40.0, 1.0, 0, "Long side of the print.")
SIZES: dict[str, tuple[str, Number | None]] = {
    "full": ("full size", None),
    "short_side": ("short side", SIDE),
    "long_side": ("long side", SIDE),
    "megapixels": ("megapixels", MEGAPIXELS),
    "print_cm": ("print at 300 ppi", PRINT),
}
SHARPENINGS = {
    "none": "not sharpened",
    "screen": "for a screen",
    "glossy": "for glossy paper",
    "matte": "for matte paper",
}
KEEPS = {"all": "all metadata", "rights": "rights and time only", "none": "no metadata"}
PROFILE = "profile\u2026"


class OrderPage(Page):
    """Format, size, colours, sharpness, metadata and names of what is written."""

    title, tip = "Order", "Format, size, colour space, metadata and names of the files"
    shows = ("delivery", "blur_after")

    moving = Signal()
    """The order is something else now; it may go on, under a hand."""
    moved = Signal()

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self._order = Order(short_side=1920, sharpening="screen")
        self._orders = self._read_orders()
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addLayout(self._order_line())
        column.addLayout(self._choices())
        column.addLayout(self._tapes())
        column.addStretch(1)
        self.row.addLayout(column)
        self._show_order()

    def _order_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(6)
        self.named = _box("Order", "A saved order: its format, size, colour space and everything else", ())
        self.named.activated.connect(lambda _: self.take_order(self.named.currentText()))
        self.name = Line(placeholderText="Name of an order")
        self.name.setAccessibleName("Name of the order")
        self.name.setToolTip("The name to save these settings under")
        self.keep = push("Keep")
        self.keep.setToolTip("Save these settings under that name")
        self.keep.clicked.connect(self.keep_order)
        self.drop = push("Drop")
        self.drop.setToolTip("Delete the order of that name; a built-in one is reset")
        self.drop.clicked.connect(self.drop_order)
        line.addWidget(caption("Order"))
        line.addWidget(self.named, 2)
        line.addWidget(self.name, 2)
        line.addWidget(self.keep)
        line.addWidget(self.drop)
        return line

    def _choices(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setSpacing(6)
        self.format = _box("Format", "Format of the files", ((f, f) for f in FORMATS))
        self.space = _box(
            "Colour space", "Colour space of the files; its profile is embedded", ((s, s) for s in SPACES)
        )
        self.space.addItem(PROFILE, PROFILE)
        self.size = _box("Size", "Size of the files; pictures are never enlarged",
                         ((n, text) for n, (text, _) in SIZES.items()))  # fmt: skip
        self.sharpening = _box("Sharpening", "Output sharpening, by what the files are for", SHARPENINGS.items())
        self.keeps = _box("Metadata", "What the files say about author, camera and time", KEEPS.items())
        self.place = _box("Place of shooting", "Whether the files say where the picture was taken",
                          (("no", "without place"), ("yes", "with place")))  # fmt: skip
        self.pattern = Line()
        self.pattern.setAccessibleName("Names of the files")
        self.pattern.setToolTip("{name} {counter:03} {date} {time} {rank} {version}, and your own words")
        self.pattern.editingFinished.connect(self._on_pattern)
        self.format.activated.connect(lambda _: self._set(format=self.format.currentData()))
        self.space.activated.connect(lambda _: self._on_space())
        self.size.activated.connect(lambda _: self._on_size())
        self.sharpening.activated.connect(lambda _: self._set(sharpening=self.sharpening.currentData()))
        self.keeps.activated.connect(lambda _: self._set(keeps=self.keeps.currentData()))
        self.place.activated.connect(lambda _: self._set(keeps_place=self.place.currentData() == "yes"))
        boxes = (self.format, self.space, self.size, self.sharpening, self.keeps, self.place, self.pattern)
        for n, box in enumerate(boxes):
            grid.addWidget(box, n // 4, n % 4, 1, 1 if box is not self.pattern else 2)
        for column in range(4):
            grid.setColumnStretch(column, 1)
        return grid

    def _tapes(self) -> QGridLayout:
        tapes = QGridLayout()
        tapes.setHorizontalSpacing(20)
        self.sizes = {name: Tape(text, spec, Ruling(0.25, (20, 50, 100, 200, 500, 1000)) if spec is SIDE else None)
                      for name, (text, spec) in SIZES.items() if spec is not None}  # fmt: skip
        self.quality = Tape("Quality", QUALITY)
        for name, tape in self.sizes.items():
            tape.valueChanging.connect(lambda value, n=name: self._take(**{n: self._sized(n, value)}))
            tape.valueChanged.connect(lambda value, n=name: self._set(**{n: self._sized(n, value)}))
            tapes.addWidget(tape, 0, 0)
        self.quality.valueChanging.connect(lambda value: self._take(quality=round(value)))
        self.quality.valueChanged.connect(lambda value: self._set(quality=round(value)))
        tapes.addWidget(self.quality, 0, 1)
        for tape in (*self.sizes.values(), self.quality):
            tape.refused.connect(self.session.said.emit)
        tapes.setColumnStretch(0, 1)
        tapes.setColumnStretch(1, 1)
        return tapes

    # ---- what is ordered

    def order(self) -> Order:
        """What the controls ask for."""
        return self._order

    def set_order(self, order: Order) -> None:
        self._order = order
        self._show_order()
        self.moving.emit()
        self.moved.emit()

    def take_order(self, name: str) -> None:
        """A named one."""
        if name in self._orders:
            self.name.setText(name)
            self.set_order(self._orders[name])

    def keep_order(self) -> None:
        name = self.name.text().strip()
        if not name:
            self.session.said.emit("Name the order first.")
            return
        self._keep_orders({**self._orders, name: self._order})

    def drop_order(self) -> None:
        name = self.name.text().strip()
        left = {each: order for each, order in self._orders.items() if each != name}
        self._keep_orders({**left, name: OWN[name]} if name in OWN else left)

    def _keep_orders(self, orders: dict[str, Order]) -> None:
        try:
            write_orders(orders_file(), orders)
        except MatizError as error:
            self.session.said.emit(str(error))
            return
        self._orders = orders
        self._show_order()

    def _read_orders(self) -> dict[str, Order]:
        return own_orders(self.session.said.emit)

    def _set(self, **changes: Any) -> None:
        self._take(**changes)
        self._show_order()
        self.moved.emit()

    def _take(self, **changes: Any) -> None:
        """Without showing it in the controls: a tape that moves shows itself."""
        try:
            self._order = replace(self._order, **changes)
        except MatizError as error:
            self.session.said.emit(str(error))
        self.moving.emit()

    def _on_size(self) -> None:
        chosen = self.size.currentData()
        none: dict[str, Any] = dict.fromkeys(self.sizes)
        self._set(
            **(none | {chosen: self._sized(chosen, self.sizes[chosen].value())} if chosen in self.sizes else none)
        )

    @staticmethod
    def _sized(name: str, value: float) -> float | int:
        return round(value) if name in ("short_side", "long_side") else value

    def _on_space(self) -> None:
        chosen = self.space.currentData()
        if chosen == PROFILE:
            chosen, _ = QFileDialog.getOpenFileName(self.body, "Colour profile", str(Path.home()), "ICC (*.icc *.icm)")
        if chosen:
            self._set(space=chosen)
        else:
            self._show_order()

    def _on_pattern(self) -> None:
        if self.pattern.text() != self._order.pattern:
            self._set(pattern=self.pattern.text())

    def _size_by(self) -> str:
        return next((name for name in self.sizes if getattr(self._order, name) is not None), "full")

    def _show_order(self) -> None:
        order = self._order
        self.named.clear()
        self.named.addItems(list(self._orders))
        known = next((name for name, each in self._orders.items() if each == order), None)
        self.named.setCurrentIndex(-1 if known is None else self.named.findText(known))
        self.named.setPlaceholderText("by hand")
        if order.space not in SPACES and self.space.findData(order.space) < 0:
            self.space.insertItem(self.space.count() - 1, Path(order.space).stem, order.space)
        for box, value in (
            (self.format, order.format), (self.space, order.space), (self.size, self._size_by()),
            (self.sharpening, order.sharpening), (self.keeps, order.keeps),
            (self.place, "yes" if order.keeps_place else "no"),
        ):  # fmt: skip
            box.setCurrentIndex(box.findData(value))
        self.pattern.setText(order.pattern)
        chosen = self._size_by()
        for name, tape in self.sizes.items():
            tape.setVisible(name == chosen)
            value = getattr(order, name)
            if value is not None:
                tape.set_value(float(value))
        self.quality.set_value(float(order.quality))
        self.quality.setEnabled(FORMATS[order.format].is_lossy)


def _box(name: str, tip: str, items: Any) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    box.setToolTip(f"{name}. {tip}")
    box.setMinimumContentsLength(6)
    for value, text in items:
        box.addItem(text, value)
    return box
