"""A contact sheet as PDF: every picture as its recipe makes it, with its name, sorting and rank."""

import os
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF, QRectF, Qt
from PySide6.QtGui import QColor, QGuiApplication, QImage, QPageLayout, QPageSize, QPainter, QPdfWriter

from ....errors import Cancelled, FileError, MatizError
from ....system.outputs import write_output
from ....wording import printable
from ...canvas.render import to_image
from ...kit import theme
from ...kit.application import application

COLUMNS, ROWS, DPI = 4, 5, 200
GAP_MM, NAME_MM, MARGIN_MM = 5.0, 9.0, 12.0
Cell = tuple[str, str, Callable[[], QImage]]
"""A name, what is said of it, and the picture, made when it is its turn."""


def write_sheet(
    path: Path, cells: Iterable[Cell], title: str, progress: Callable[[int], bool] = lambda _: True
) -> list[str]:
    """progress: gets how many are drawn, and returns False to stop: then nothing is written, Cancelled is raised.

    Returns what is wrong with pictures that cannot be shown: their cells say so. The file is written whole or not at
    all; it is only replaced where it is a contact sheet of Matiz's.
    """
    if QGuiApplication.instance() is None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        application()
    # into memory: Qt does not say when a disk is full
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setResolution(DPI)
    writer.setTitle(title)
    writer.setCreator("Matiz")
    margins = QMarginsF(MARGIN_MM, MARGIN_MM, MARGIN_MM, MARGIN_MM)
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, margins,
                    QPageLayout.Unit.Millimeter)
    )  # fmt: skip
    painter = QPainter()
    if not painter.begin(writer):
        raise FileError(f"{path}: the contact sheet cannot be drawn")
    try:
        failed = _draw(painter, writer, cells, title, progress)
    finally:
        painter.end()
    data = bytes(buffer.data().data())
    if not (data.startswith(b"%PDF") and data.rstrip().endswith(b"%%EOF")):
        raise FileError(f"{path}: the contact sheet could not be drawn completely; there may be too little memory")
    write_output(path, lambda part: _fill(data, part), "contact sheet")
    return failed


def _fill(data: bytes, part: Path) -> None:
    part.write_bytes(data)


def _draw(
    painter: QPainter, writer: QPdfWriter, cells: Iterable[Cell], title: str, progress: Callable[[int], bool]
) -> list[str]:
    failed = []
    mm = DPI / 25.4
    wide, high = float(writer.width()), float(writer.height())
    head = 8.0 * mm
    width, height = (wide - (COLUMNS - 1) * GAP_MM * mm) / COLUMNS, (high - head - (ROWS - 1) * GAP_MM * mm) / ROWS
    font = theme.font()
    for n, (name, said, make) in enumerate(cells):
        page, place = divmod(n, COLUMNS * ROWS)
        if place == 0:
            if page:
                writer.newPage()
            font.setPointSizeF(11.0)
            painter.setFont(font)
            painter.setPen(QColor(0, 0, 0))
            top = QRectF(0, 0, wide, head)
            painter.drawText(top, Qt.AlignmentFlag.AlignLeft, title)
            painter.drawText(top, Qt.AlignmentFlag.AlignRight, str(page + 1))
            font.setPointSizeF(7.0)
            painter.setFont(font)
        row, column = divmod(place, COLUMNS)
        cell = QRectF(column * (width + GAP_MM * mm), head + row * (height + GAP_MM * mm), width, height)
        room = cell.adjusted(0, 0, 0, -NAME_MM * mm)
        try:
            image = make()
        except MatizError as error:
            failed.append(str(error))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, str(error))
        else:
            size = image.size().toSizeF().scaled(room.size(), Qt.AspectRatioMode.KeepAspectRatio)
            left = room.center().x() - size.width() / 2
            painter.drawImage(QRectF(left, room.bottom() - size.height(), size.width(), size.height()), image)
        words = QRectF(cell.left(), room.bottom() + mm, cell.width(), NAME_MM * mm)
        elided = painter.fontMetrics().elidedText(printable(name), Qt.TextElideMode.ElideMiddle, int(cell.width()))
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft, f"{elided}\n{said}")
        if not progress(n + 1):
            raise Cancelled("stopped by the user")
    return failed


def cell_of(path: Path) -> Cell:
    """The cell of a picture as its sidecar decides."""
    from ....shoot.as_decided import as_decided
    from ....shoot.sidecar import load_document

    try:
        document = load_document(path)
    except MatizError as error:
        return path.name, "", partial(_raise, error)

    def make() -> QImage:
        picture = as_decided(path, document=document)
        recipe, engine = picture.recipe, picture.engine
        return to_image(engine.render(recipe, engine.level_for(recipe, 500))).copy()

    return path.name, f"{document.sorted_as or 'not sorted'}, rank {document.rank}", make


def _raise(error: MatizError) -> QImage:
    raise error
