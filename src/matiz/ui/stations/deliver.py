"""Deliver: orders, gauges and the queue."""

from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QThreadPool, QTimer
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QHBoxLayout, QListView, QVBoxLayout

from ...colour.outputs import SPACES
from ...deliver.checks import Check, checks
from ...deliver.orders import FORMATS, OWN, Order, orders_file, read_orders, write_orders
from ...deliver.queue_file import Owed, read_queue, write_queue
from ...develop.border import border_px
from ...errors import MatizError
from ...files import write_text_whole
from ...findings.model import Finding
from ...recipe.leaves import Number
from ...wording import number, percent
from ..actions import ActionSpec
from ..controls import caption, push
from ..delivery_queue import LEFT, Delivery, DeliveryDelegate, DeliveryQueue
from ..finishing.border import paint_border
from ..instruments.gauges import Gauges
from ..jobs import Job
from ..line import Line
from ..picture_view import PictureView
from ..session import Session
from ..tape import Ruling, Tape
from .base import ALL, Station

QUALITY = Number("", 50.0, 100.0, 95.0, 1.0, 0, "Quality of lossy formats: 95 is fit for handing on, 80 for mail.")
SIDE = Number("px", 200.0, 12_000.0, 1920.0, 20.0, 0, "That side of the delivery; a picture is never enlarged.")
MEGAPIXELS = Number("MP", 0.1, 200.0, 6.0, 0.1, 1, "Megapixels of the delivery; a picture is never enlarged.")
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
KEEPS = {"all": "all metadata", "rights": "rights and time", "none": "no metadata"}
KEEP_MS = 300
"""After the last change of the queue until what it owes is kept."""
PROFILE = "profile\u2026"
FOLDER_NAME = "deliveries"


class DeliverStation(Station):
    """Orders by name and by hand; one picture or all kept ones."""

    number, title, key = 9, "Deliver", "deliver"
    reads, shows = ALL, ("delivery", "blur_after")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.queue = DeliveryQueue(session.decoder)
        self.queue.delivered.connect(self._on_delivered)
        self.queue.failed.connect(session.said.emit)
        self.queue.moved.connect(self._on_queue)
        session.shootChanged.connect(self._on_shoot)
        self._keeper = QThreadPool()
        self._keeper.setMaxThreadCount(1)
        self._keeping = QTimer(self, singleShot=True, interval=KEEP_MS)
        self._keeping.timeout.connect(self._keep_queue)
        self._folder: Path | None = None
        self._shoot: Path | None = None
        self._seen: Path | None = None
        self._order = Order(short_side=1920, sharpening="screen")
        self._orders = self._read_orders()
        self.gauges = Gauges()
        self.row.addWidget(self.gauges, 3)
        self.row.addLayout(self._controls(), 5)
        self.row.addLayout(self._queue_column(), 3)
        self._show_order()

    # ---- controls

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addLayout(self._order_line())
        column.addLayout(self._choices())
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
        column.addLayout(tapes)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.deliver_one = push("This picture")
        self.deliver_one.setToolTip("Write the open picture as it is ordered here")
        self.deliver_one.clicked.connect(self.deliver_this)
        self.deliver_kept = push("All kept")
        self.deliver_kept.setToolTip("Every picture of the shoot that is sorted as keep")
        self.deliver_kept.clicked.connect(self.deliver_all_kept)
        self.choose_folder = push("Folder\u2026")
        self.choose_folder.setToolTip("Where deliveries go")
        self.choose_folder.clicked.connect(self._on_choose_folder)
        for button in (self.deliver_one, self.deliver_kept, self.choose_folder):
            buttons.addWidget(button)
        self.note = caption()
        self.note.setAccessibleName("What is open before it is delivered")
        buttons.addWidget(self.note, 1)
        column.addLayout(buttons)
        column.addStretch(1)
        return column

    def _order_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(6)
        self.named = _box("Order", "A named order: its format, size, colours and all else", ())
        self.named.activated.connect(lambda _: self.take_order(self.named.currentText()))
        self.name = Line(placeholderText="Name of an order")
        self.name.setAccessibleName("Name of the order")
        self.name.setToolTip("Under which what is set here is kept")
        self.keep = push("Keep")
        self.keep.setToolTip("Keep what is set here under that name")
        self.keep.clicked.connect(self.keep_order)
        self.drop = push("Drop")
        self.drop.setToolTip("Drop the order of that name; one that ships becomes what it was")
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
        self.format = _box("Format", "Of the files that are written", ((f, f) for f in FORMATS))
        self.space = _box("Colour space", "Of the files; its profile is put into them", ((s, s) for s in SPACES))
        self.space.addItem(PROFILE, PROFILE)
        self.size = _box("Size", "How large they are; a picture is never enlarged",
                         ((n, text) for n, (text, _) in SIZES.items()))  # fmt: skip
        self.sharpening = _box("Sharpening", "For what they are looked at on", SHARPENINGS.items())
        self.keeps = _box("Metadata", "What they say of author, camera and time", KEEPS.items())
        self.place = _box("Place of shooting", "Whether they say where it was taken",
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
        head.setSpacing(2)
        self.pace = caption("Deliveries", strong=True)
        head.addWidget(self.pace, 1)
        self.pausing = push("pause", checkable=True)
        self.pausing.setToolTip("Begin nothing more; what is being written is finished")
        self.pausing.toggled.connect(self.queue.pause)
        stop, retry = push("stop"), push("retry")
        stop.setToolTip("Stop the chosen delivery, or all")
        stop.clicked.connect(self._on_stop)
        retry.setToolTip("Try failed and stopped ones again")
        retry.clicked.connect(self._on_retry)
        for button in (self.pausing, stop, retry):
            button.setProperty("flat", "true")
            button.setAccessibleName(f"{button.text()} deliveries")
            head.addWidget(button)
        column.addLayout(head)
        column.addWidget(self.list, 1)
        return column

    # ---- the order

    def order(self) -> Order:
        """What the controls ask for."""
        return self._order

    def set_order(self, order: Order) -> None:
        self._order = order
        self._show_order()
        self._show()
        self.foundAnew.emit()

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
        try:
            return read_orders(orders_file())
        except MatizError as error:
            self.session.said.emit(str(error))
            return dict(OWN)

    def _set(self, **changes: Any) -> None:
        self._take(**changes)
        self._show_order()
        self.foundAnew.emit()

    def _take(self, **changes: Any) -> None:
        """Without showing it in the controls: a tape that moves shows itself."""
        try:
            self._order = replace(self._order, **changes)
        except MatizError as error:
            self.session.said.emit(str(error))
        self._show()

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
            chosen, _ = QFileDialog.getOpenFileName(self.deck, "Colour profile", str(Path.home()), "ICC (*.icc *.icm)")
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

    # ---- checks

    def checks(self) -> list[Finding]:
        """What is to be said of the open picture and this order."""
        engine = self.session.engine
        if engine is None:
            return []
        recipe = self.session.recipe
        return self.session.unsilenced(checks(self.session.reading, recipe, self._order, engine.size(recipe)))

    def findings(self) -> list[Finding]:
        """The checks, and what the other stations have found and nobody has decided."""
        elsewhere = (replace(found, claim=f"{found.station.capitalize()}: {found.claim}")
                     for found in self.session.findings)  # fmt: skip
        return [*self.checks(), *elsewhere]

    def open_findings(self) -> int:
        return len(self.checks())

    def do_finding(self, finding: Finding) -> None:
        if isinstance(finding, Check) and finding.order is not None:
            self.set_order(finding.order)
        else:
            super().do_finding(finding)

    # ---- the record

    def actions(self) -> tuple[ActionSpec, ...]:
        return (
            ActionSpec("deliver_sheet", "Contact sheet", ("Ctrl+Shift+C",), "A PDF of all that is kept, or of all.",
                       "write_contact_sheet", "Deliver"),
            ActionSpec("deliver_log", "Log of the shoot", ("Ctrl+Shift+O",), "Times, steps and the plan, as a table.",
                       "write_log", "Deliver"),
        )  # fmt: skip

    def write_contact_sheet(self) -> None:
        """Of the pictures that are kept, or of all while none is, among the deliveries."""
        pictures = self.session.pictures
        kept = [path for path in pictures if self.session.document_of(path).sorted_as == "keep"] or pictures
        path = self._beside("contact-sheet.pdf")
        if not kept or path is None:
            return
        title = kept[0].parent.name

        def work(job: Job) -> Path:
            from ..sheet_pdf import cell_of, write_sheet

            write_sheet(path, map(cell_of, kept), title, lambda done: job.progress(done / len(kept)))
            return path

        job = self.session.do_aside(work, "contact sheet", self._on_written, of_shoot=True)
        job.progressed.connect(lambda share, _: self.session.said.emit(f"Contact sheet: {percent(share, 0)}"))

    def write_log(self) -> None:
        """As Markdown among the deliveries, and said in short."""
        path, pictures = self._beside("log.md"), self.session.pictures
        if path is None or not pictures:
            return
        folder = pictures[0].parent

        def work(_: Job) -> Path:
            from ...shoot.record import as_markdown, entries

            write_text_whole(path, as_markdown(entries(folder)))
            return path

        self.session.do_aside(work, "log", self._on_written, of_shoot=True)

    def _beside(self, name: str) -> Path | None:
        """A path among the deliveries; what Matiz wrote there before is written anew."""
        folder = self.folder()
        if folder is None:
            return None
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            self.session.said.emit(f"{folder}: cannot be made ({error.strerror}); choose another folder")
            return None
        return folder / name

    def _on_written(self, path: Path) -> None:
        self.session.said.emit(f"Written: {path}")

    # ---- deliveries

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
            self._add([self.session.path])

    def deliver_all_kept(self) -> None:
        kept = [p for p in self.session.pictures if self.session.document_of(p).sorted_as == "keep"]
        if not kept:
            self.session.said.emit("No picture is sorted as keep yet: sort some first.")
        self._add(kept)

    def reading_text(self) -> str:
        waiting = sum(row.state in ("waiting", "working") for row in self.queue.rows)
        done = sum(row.state == "done" for row in self.queue.rows)
        if waiting:
            return f"{number(waiting, 0)} to write"
        return f"{number(done, 0)} written" if done else ""

    def is_decided(self) -> bool:
        return any(row.state == "done" and row.picture == self.session.path for row in self.queue.rows)

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        paint_border(painter, view)

    def _add(self, paths: list[Path]) -> None:
        folder = self.folder()
        if not paths or folder is None:
            return
        from ...deliver.batch import check_room

        try:
            folder.mkdir(parents=True, exist_ok=True)
            check_room(folder, self.order(), len(paths))
        except OSError as error:
            if isinstance(error, MatizError):
                self.session.said.emit(str(error))
            else:
                self.session.said.emit(f"{folder}: cannot be made ({error.strerror}); choose another folder")
            return
        self.queue.add(
            *(Delivery(path, self.session.document_of(path), self.order(), folder, counter=n)
              for n, path in enumerate(paths, 1))
        )  # fmt: skip

    def refresh(self) -> None:
        self._show()

    def refresh_readings(self) -> None:
        self._show()

    def _show(self) -> None:
        self.gauges.show_reading(self.reading("delivery"), self._order.space)
        engine = self.session.engine
        if engine is not None:
            width, height = engine.size(self.session.recipe)
            around = 2 * border_px(self.session.recipe.finish.border, (width, height))
            self.gauges.show_size(self.order().size_of((width + around, height + around)))
        open_ones = Counter(finding.station for finding in self.session.findings)
        said = ", ".join(f"{name.capitalize()} {count}" for name, count in open_ones.items())
        folder = self.folder()
        self.note.setText(f"open: {said}" if said else f"into {folder.name}" if folder else "")
        self.note.setToolTip(str(folder or ""))

    def _on_delivered(self, row: Delivery) -> None:
        if row.picture in self.session.pictures:
            self.session.desk.note(row.picture, "deliver", str(row.path))

    def _on_queue(self) -> None:
        left, pace = self.queue.left_s(), self.queue.pace_s()
        if left is not None and pace is not None:
            self.pace.setText(f"{number(left, 0, 's')} left, {number(pace, 1, 's')} each")
        else:
            self.pace.setText("Deliveries")
        self._keeping.start()

    def _keep_queue(self) -> None:
        """On a thread of its own, one after the other: the disk may be slow."""
        shoot = self._shoot
        if shoot is None:
            return
        owed = [Owed(row.picture, row.order, row.folder) for row in self.queue.owed()]
        job = Job(lambda _: write_queue(shoot, owed), "queue")
        job.failed.connect(self.session.said.emit)
        job.start(self._keeper)

    def end(self) -> None:
        self._keeping.stop()
        self._keep_queue()
        self._keeper.waitForDone()

    def is_idle(self) -> bool:
        return not self._keeping.isActive() and not self._keeper.activeThreadCount()

    def _on_shoot(self) -> None:
        """What an earlier session owed waits to be tried again."""
        pictures = self.session.pictures
        shoot = pictures[0].parent if pictures else None
        if shoot == self._seen:
            return
        self._keeping.stop()
        self._keep_queue()
        # nothing is kept of this one before what it owes is known
        self._seen, self._shoot = shoot, None
        self.queue.forget_owed()
        if shoot is None:
            return

        def show(left: list[Owed]) -> None:
            self._shoot = shoot
            self.queue.add(
                *(Delivery(owed.picture, self.session.document_of(owed.picture), owed.order, owed.folder, state=LEFT)
                  for owed in left)
            )  # fmt: skip

        self.session.do_aside(lambda _: read_queue(shoot), "queue", show, of_shoot=True)

    def _on_choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self.deck, "Folder for deliveries", str(self.folder() or Path.home()))
        if chosen:
            self.set_folder(Path(chosen))

    def _on_stop(self) -> None:
        for row in self._chosen():
            self.queue.stop(row)

    def _on_retry(self) -> None:
        for row in self._chosen():
            self.queue.retry(row)

    def _chosen(self) -> list[Delivery]:
        picked = self.list.selectionModel().selectedIndexes()
        return [i.data(Qt.ItemDataRole.UserRole) for i in picked] or list(self.queue.rows)


def _box(name: str, tip: str, items: Any) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    box.setToolTip(f"{name}. {tip}")
    box.setMinimumContentsLength(6)
    for value, text in items:
        box.addItem(text, value)
    return box
