"""Deliver: orders, gauges and the queue."""

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QListView, QVBoxLayout

from ...deliver.orders import Order
from ...recipe.leaves import Number
from ...wording import number
from ..controls import Words, caption, push
from ..delivery_queue import FAILED, STOPPED, Delivery, DeliveryDelegate, DeliveryQueue
from ..instruments.gauges import Gauges
from ..picture_view import PictureView
from ..session import Session
from ..tape import Ruling, Tape
from .base import ALL, Station

QUALITY = Number("", 50.0, 100.0, 95.0, 1.0, 0, "JPEG quality: 95 is fit for handing on, 80 for mail.")
SHORT_SIDE = Number("px", 200.0, 8000.0, 1920.0, 20.0, 0, "Short side of the delivery; a picture is never enlarged.")
FOLDER_NAME = "deliveries"


class DeliverStation(Station):
    """Orders by tape and word; one picture or all kept ones."""

    number, title, key = 9, "Deliver", "deliver"
    reads, shows = ALL, ("delivery",)

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.queue = DeliveryQueue(session.decoder)
        self.queue.delivered.connect(self._on_delivered)
        self.queue.failed.connect(session.said.emit)
        self._folder: Path | None = None
        self.gauges = Gauges()
        self.row.addWidget(self.gauges, 3)
        self.row.addLayout(self._controls(), 4)
        self.row.addLayout(self._queue_column(), 3)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        self.format = Words(
            "Format",
            [("JPEG", "JPEG"), ("TIFF", "TIFF 16 bit"), ("PNG", "PNG 16 bit")],
            "Of the files that are written.",
        )
        self.format.show_value("JPEG")
        self.format.chosen.connect(lambda _: self._show())
        self.size = Words(
            "Size", [("full", "full size"), ("short", "short side")], "How large they are; a picture is never enlarged."
        )
        self.size.show_value("short")
        self.size.chosen.connect(lambda _: self._show())
        column.addWidget(self.format)
        column.addWidget(self.size)
        self.quality = Tape("Quality", QUALITY)
        self.short_side = Tape("Short side", SHORT_SIDE, Ruling(0.25, (20, 50, 100, 200, 500, 1000)))
        tapes = QGridLayout()
        tapes.setHorizontalSpacing(20)
        for n, tape in enumerate((self.short_side, self.quality)):
            tape.valueChanging.connect(lambda _: self._show())
            tape.refused.connect(self.session.said.emit)
            tapes.addWidget(tape, 0, n)
        column.addLayout(tapes)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.deliver_one = push("Deliver this picture")
        self.deliver_one.setToolTip("Write the open picture as it is ordered here")
        self.deliver_one.clicked.connect(self.deliver_this)
        self.deliver_kept = push("Deliver all kept")
        self.deliver_kept.setToolTip("Every picture of the shoot that is sorted as keep")
        self.deliver_kept.clicked.connect(self.deliver_all_kept)
        self.choose_folder = push("Folder\u2026")
        self.choose_folder.setToolTip("Where deliveries go")
        self.choose_folder.clicked.connect(self._on_choose_folder)
        for button in (self.deliver_one, self.deliver_kept, self.choose_folder):
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        self.note = caption()
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    def _queue_column(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        self.list = QListView()
        self.list.setModel(self.queue)
        self.list.setItemDelegate(DeliveryDelegate(self.list))
        self.list.setAccessibleName("Deliveries")
        self.list.setUniformItemSizes(True)
        self.list.setMinimumWidth(210)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        head = QHBoxLayout()
        head.addWidget(caption("Deliveries", strong=True))
        head.addStretch(1)
        for text, tip, act in (
            ("stop", "Stop the chosen delivery, or all", self._on_stop),
            ("retry", "Try failed and stopped ones again", self._on_retry),
        ):
            button = push(text)
            button.setProperty("flat", "true")
            button.setToolTip(tip)
            button.setAccessibleName(f"{text} deliveries")
            button.clicked.connect(act)
            head.addWidget(button)
        column.addLayout(head)
        column.addWidget(self.list, 1)
        return column

    def order(self) -> Order:
        """What the controls ask for."""
        chosen = next(v for v in ("JPEG", "TIFF", "PNG") if self.format.button(v).isChecked())
        short = round(self.short_side.value()) if self.size.button("short").isChecked() else None
        return Order(chosen, round(self.quality.value()), short)

    def folder(self) -> Path | None:
        """Where deliveries go: beside the pictures, unless another folder was chosen."""
        if self._folder is None and self.session.path is not None:
            return self.session.path.parent / FOLDER_NAME
        return self._folder

    def set_folder(self, folder: Path) -> None:
        self._folder = folder
        self._show()

    def deliver_this(self) -> None:
        if self.session.path is not None:
            self._add(self.session.path)

    def deliver_all_kept(self) -> None:
        kept = [p for p in self.session.pictures if self.session.document_of(p).sorted_as == "keep"]
        if not kept:
            self.session.said.emit("No picture is sorted as keep yet: sort some first.")
        for path in kept:
            self._add(path)

    def reading_text(self) -> str:
        waiting = sum(row.state in ("waiting", "working") for row in self.queue.rows)
        done = sum(row.state == "done" for row in self.queue.rows)
        if waiting:
            return f"{number(waiting, 0)} to write"
        return f"{number(done, 0)} written" if done else ""

    def is_decided(self) -> bool:
        return any(row.state == "done" and row.picture == self.session.path for row in self.queue.rows)

    def _add(self, path: Path) -> None:
        folder = self.folder()
        assert folder is not None
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            self.session.said.emit(f"{folder}: cannot be made ({error.strerror}); choose another folder")
            return
        self.queue.add(Delivery(path, self.session.document_of(path), self.order(), folder))

    def refresh(self) -> None:
        self._show()

    def refresh_readings(self) -> None:
        self.gauges.show_reading(self.reading("delivery"))

    def _show(self) -> None:
        engine = self.session.engine
        if engine is not None:
            self.gauges.show_size(self.order().size_of(engine.size(self.session.recipe)))
        self.quality.setEnabled(self.format.button("JPEG").isChecked())
        self.short_side.setEnabled(self.size.button("short").isChecked())
        folder = self.folder()
        self.note.setText(f"sRGB, profile, metadata; into {folder.name}" if folder else "")
        self.note.setToolTip(str(folder or ""))

    def _on_delivered(self, row: Delivery) -> None:
        if row.picture in self.session.pictures:
            self.session.desk.note(row.picture, "deliver", str(row.path))

    def _on_choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self.deck, "Folder for deliveries", str(self.folder() or Path.home()))
        if chosen:
            self.set_folder(Path(chosen))

    def _on_stop(self) -> None:
        for row in self._chosen():
            self.queue.stop(row)

    def _on_retry(self) -> None:
        for row in self._chosen():
            if row.state in (FAILED, STOPPED):
                self.queue.retry(row)

    def _chosen(self) -> list[Delivery]:
        picked = self.list.selectionModel().selectedIndexes()
        return [i.data(Qt.ItemDataRole.UserRole) for i in picked] or list(self.queue.rows)
