"""The sharpest of a set, in the real window."""

import shutil
from dataclasses import replace

import cv2
import numpy as np
from PySide6.QtCore import QItemSelectionModel, QPoint, Qt
from PySide6.QtTest import QTest

from matiz.develop.graph.as_file import write_frame
from matiz.raw.decode import read_frame
from matiz.ui.frame.settle import settle


def test_the_sharpest_of_a_set_is_found_shown_and_kept(window, shoot):
    """Three copies of one frame, of which one is softer."""
    source = window.session.pictures[0]
    soft = source.with_name(f"{source.stem}-1{source.suffix}")
    shutil.copy(source, source.with_name(f"{source.stem}-2{source.suffix}"))
    frame = read_frame(source)
    values = cv2.GaussianBlur(frame.mosaic.values.astype(np.float32), (0, 0), 2.0)
    write_frame(replace(frame, mosaic=replace(frame.mosaic, values=values.astype(np.uint16))), soft)
    window.open_paths([shoot])
    settle(window)
    session = window.session
    window.sharpest.keep_best()
    assert "First choose" in window.header.word.whole()
    three = [path for path in session.pictures if path.stem.startswith(source.stem)]
    session.open_picture(three[0])
    settle(window)
    for path in three:
        sheet = window.stations.sort.sheet
        sheet.selectionModel().select(
            sheet.sheet.index(session.pictures.index(path)),
            QItemSelectionModel.SelectionFlag.Select,
        )
    before = window.stations.sort.sheet.grab().toImage()
    window.pick_spot()
    at = window.view.image_place().center().toPoint() + QPoint(0, 40)
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=at)
    settle(window)
    assert set(session.ranked) == set(three)
    order = list(session.ranked.values())
    assert order[-1].path == soft and order[-1].kind == "soft" and order[1].detail > 0.97
    assert "sharpest there" in window.header.word.whole() and soft.stem in window.header.word.whole()
    window.go_to(window.stations.sort)
    settle(window)
    assert window.stations.sort.sheet.grab().toImage() != before
    window.sharpest.keep_best()
    assert session.document_of(order[0].path).sorted_as == "keep"
    assert session.document_of(soft).sorted_as == "hold"
    window.open_paths([shoot])
    settle(window)
    assert session.ranked == {}


def test_a_picture_without_a_set_has_no_sharpest(window):
    window.session.open_picture(window.session.pictures[0])
    settle(window)
    window.stations.sort.sheet.clearSelection()
    window.sharpest.rank(100.0, 100.0, [])
    assert "in no set" in window.header.word.whole()
