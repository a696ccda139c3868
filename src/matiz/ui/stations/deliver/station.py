"""Deliver: orders, gauges and the queue."""

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QListView, QVBoxLayout

from ....deliver.checks import Check, checks
from ....deliver.orders import Order
from ....deliver.queue_file import Owed, read_queue, write_queue
from ....develop.stages.border import border_px
from ....errors import FileError, MatizError
from ....findings.model import Finding
from ....system.outputs import write_text_output
from ....wording import number, percent, printable
from ....work.closing import wait_for_pool
from ....work.delivery_queue import LEFT, Delivery, DeliveryQueue
from ....work.jobs import Job
from ....work.loop import Timer
from ....work.pool import Pool
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.action import ActionSpec
from ...kit.controls import caption, name_tip, push
from ...kit.gauges import Gauges
from ..base import ALL
from ..finish.border import paint_border
from ..paged import PagedStation
from .captions import CaptionsPage
from .order import OrderPage
from .paper import PaperPage
from .queue_list import DeliveryDelegate, QueueList
from .same import SamePage

KEEP_MS = 300
"""After the last change of the queue until what it owes is kept."""
FOLDER_NAME = "deliveries"


class DeliverStation(PagedStation):
    """Orders by name and by hand; one picture or all kept ones."""

    number, title, key = 9, "Deliver", "deliver"
    reads = ALL

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.queue = DeliveryQueue(session.decoder)
        self.queue.delivered.connect(self._on_delivered)
        self.queue.failed.connect(session.said.emit)
        self.queue.moved.connect(self._on_queue)
        session.shootChanged.connect(self._on_shoot)
        self._keeper = Pool(1, "queue")
        self._keeping = Timer(self._keep_queue, KEEP_MS)
        self._folder: Path | None = None
        self._shoot: Path | None = None
        self._seen: Path | None = None
        self.ordering, self.on_paper = OrderPage(session, view), PaperPage(session, view)
        self.captions, self.same = CaptionsPage(session, view), SamePage(session, view)
        self.ordering.moving.connect(self._show)
        self.ordering.moved.connect(self.foundAnew)
        self.ordering.moved.connect(lambda: self.on_paper.show_order(self.order()))
        self.on_paper.ordered.connect(lambda parts: self.ordering.set_order(replace(self.order(), **parts)))
        self.on_paper.show_order(self.order())
        self.gauges = Gauges()
        self.row.addWidget(self.gauges, 3)
        self.paged((self.ordering, self.on_paper, self.same, self.captions), "Controls of Deliver.")
        self.row.addLayout(self._queue_column(), 3)
        self.row.setStretch(1, 5)

    # ---- controls

    def _queue_column(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        self.list = QListView()
        self.rows = QueueList(self.queue)
        self.list.setModel(self.rows)
        self.list.setItemDelegate(DeliveryDelegate(self.list))
        self.list.setAccessibleName("Deliveries")
        self.list.setUniformItemSizes(True)
        self.list.setMinimumWidth(210)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addLayout(self._buttons())
        head = QHBoxLayout()
        head.setSpacing(2)
        self.pace = caption("Deliveries", strong=True)
        head.addWidget(self.pace, 1)
        self.pausing = push("pause", checkable=True)
        self.pausing.setToolTip("Start no more; the file being written is finished")
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

    def _buttons(self) -> QHBoxLayout:
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.deliver_one = push("This picture")
        self.deliver_one.setToolTip("Write the open picture with this order")
        self.deliver_one.clicked.connect(self.deliver_this)
        self.deliver_kept = push("All kept")
        self.deliver_kept.setToolTip("Write every picture of the shoot marked keep")
        self.deliver_kept.clicked.connect(self.deliver_all_kept)
        self.choose_folder = push("Folder\u2026")
        self.choose_folder.setToolTip("Where deliveries go")
        self.choose_folder.clicked.connect(self._on_choose_folder)
        for button in (self.deliver_one, self.deliver_kept, self.choose_folder):
            buttons.addWidget(button)
        return buttons

    def order(self) -> Order:
        return self.ordering.order()

    # ---- checks

    def checks(self) -> list[Finding]:
        """What is to be said of the open picture and this order."""
        engine = self.session.engine
        if engine is None:
            return []
        recipe = self.session.recipe
        return self.session.judging.unsilenced(checks(self.session.reading, recipe, self.order(), engine.size(recipe)))

    def findings(self) -> list[Finding]:
        """The checks, and what the other stations have found and nobody has decided."""
        elsewhere = (replace(found, claim=f"{found.station.capitalize()}: {found.claim}")
                     for found in self.session.findings)  # fmt: skip
        return [*self.checks(), *elsewhere]

    def open_findings(self) -> int:
        return len(self.checks())

    def do_finding(self, finding: Finding) -> None:
        if isinstance(finding, Check) and finding.order is not None:
            self.ordering.set_order(finding.order)
        else:
            super().do_finding(finding)

    # ---- the record

    def actions(self) -> tuple[ActionSpec, ...]:
        return (
            ActionSpec(
                "deliver_sheet",
                "Contact sheet",
                ("Ctrl+Shift+C",),
                "A PDF of all pictures marked keep, or of all.",
                "write_contact_sheet",
                "Deliver",
            ),
            ActionSpec(
                "deliver_log",
                "Log of the shoot",
                ("Ctrl+Shift+O",),
                "Times, steps and the plan as a table.",
                "write_log",
                "Deliver",
            ),
        )

    def write_contact_sheet(self) -> None:
        """Of the pictures that are kept, or of all while none is, among the deliveries."""
        pictures = self.session.pictures
        kept = [path for path in pictures if self.session.document_of(path).sorted_as == "keep"] or pictures
        path = self._beside("contact-sheet.pdf")
        if not kept or path is None:
            return
        title = kept[0].parent.name

        def work(job: Job) -> Path:
            from .sheet_pdf import cell_of, write_sheet

            failed = write_sheet(path, map(cell_of, kept), title, lambda done: job.progress(done / len(kept)))
            if failed:
                self.session.said.emit("; ".join(["Some pictures cannot be shown on the sheet", *failed[:3]]))
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
            from ....shoot.record import as_markdown, entries

            self.session.desk.flush_log()
            write_text_output(path, as_markdown(entries(folder)), "log")
            return path

        self.session.do_aside(work, "log", self._on_written, of_shoot=True)

    def _beside(self, name: str) -> Path | None:
        """A path among the deliveries; what Matiz wrote there before is written anew."""
        folder = self._made_folder()
        return None if folder is None else folder / name

    def _made_folder(self) -> Path | None:
        """The folder of deliveries, made where it is missing; None, which the user is told, where it cannot be."""
        folder = self.folder()
        if folder is None:
            return None
        try:
            # one that was not chosen may have come with the pictures, and a link may lead anywhere
            if self._folder is None and folder.is_symlink():
                raise FileError(f"{folder}: is a link to {folder.resolve()}; choose that folder yourself, or another")
            folder.mkdir(exist_ok=True)
        except OSError as error:
            text = str(error) if isinstance(error, MatizError) else f"{folder}: cannot be made ({error.strerror})"
            self.session.said.emit(f"{text}; choose another folder" if error.strerror else text)
            return None
        return folder

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
            self.session.said.emit("No picture is marked keep yet: mark some first.")
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
        super().paint_over(painter, view)
        paint_border(painter, view)

    def _add(self, paths: list[Path]) -> None:
        folder = self._made_folder() if paths else None
        if folder is None:
            return
        from ....deliver.batch import check_room

        try:
            check_room(folder, self.order(), len(paths))
        except OSError as error:
            self.session.said.emit(str(error))
            return
        self.queue.add(
            *(Delivery(path, self.session.document_of(path), self.order(), folder, counter=n)
              for n, path in enumerate(paths, 1))
        )  # fmt: skip

    def refresh(self) -> None:
        super().refresh()
        self._show()

    def refresh_readings(self) -> None:
        super().refresh_readings()
        self._show()

    def _show(self) -> None:
        self.gauges.show_reading(self.reading("delivery"), self.order().space)
        engine = self.session.engine
        if engine is not None:
            width, height = engine.size(self.session.recipe)
            around = 2 * border_px(self.session.recipe.finish.border, (width, height))
            self.gauges.show_size(self.order().size_of((width + around, height + around)))
        folder = self.folder()
        self.note.setText(f"into {printable(folder.name)}" if folder else "")
        self.note.setToolTip(name_tip(str(folder or "")))

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
        self.queue.end()
        super().end()
        self._keeping.stop()
        self._keep_queue()
        wait_for_pool(self._keeper, drops=False)

    def is_idle(self) -> bool:
        return super().is_idle() and self.queue.is_idle() and not self._keeping.is_active() and self._keeper.wait(0.0)

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

        self.session.do_aside(lambda _: read_queue(shoot, self.session.said.emit), "queue", show, of_shoot=True)

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
