"""Merging in the real window."""

import shutil
from dataclasses import replace

from PySide6.QtCore import QItemSelectionModel, Qt
from PySide6.QtTest import QTest

from matiz.develop.graph.as_file import write_frame
from matiz.raw.decode import read_frame
from matiz.ui.frame.settle import settle


def lighter(source, path, factor):
    """The same frame, as if it had been exposed so many times as long."""
    frame = read_frame(source)
    mosaic, black = frame.mosaic, float(frame.mosaic.black.mean())
    values = ((mosaic.values.astype(float) - black) * factor + black).clip(0, mosaic.white).round().astype("uint16")
    shot = replace(frame.exposure, time_s=frame.exposure.time_s * factor)
    write_frame(replace(frame, mosaic=replace(mosaic, values=values), exposure=shot), path)


def chosen(window, paths):
    sheet = window.stations.sort.sheet
    sheet.clearSelection()
    for path in paths:
        index = sheet.sheet.index(window.session.pictures.index(path))
        sheet.selectionModel().select(index, QItemSelectionModel.SelectionFlag.Select)
    sheet.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)


def test_a_bracket_is_merged_opened_and_decided_as_its_reference(window, shoot):
    source = shoot / "CORVA_0011.dng"
    darker, brighter = shoot / "CORVA_0012.dng", shoot / "CORVA_0013.dng"
    lighter(source, darker, 0.25)
    lighter(source, brighter, 4.0)
    window.open_paths([shoot])
    settle(window)
    session = window.session
    session.record_for(source, [("tone.exposure_EV", 0.5)], "Exposure")
    window.go_to(window.stations.sort)
    settle(window)
    chosen(window, [source, darker, brighter])
    said = []
    session.said.connect(said.append)
    QTest.mouseClick(window.stations.sort.merge, Qt.MouseButton.LeftButton)
    assert not window.stations.sort.is_idle() and window.stations.sort.merge.text().startswith("Stop")
    settle(window)
    made = shoot / "CORVA_0011-0013 bracket.dng"
    assert made.exists() and session.path == made and window.stations.sort.merge.text() == "Merge"
    assert any("3 frames merged" in text for text in said)
    assert session.recipe.tone.exposure_EV == 0.5
    assert session.document.version.history.changes[-1].label == "As CORVA_0011.dng"
    assert session.picture.frame.merged.names[0] == source.name
    repair = window.stations.mend.repair
    window.go_to(window.stations.mend)
    window.stations.mend.turn_to("Repair")
    settle(window)
    repair.kinds.button("frame").click()
    assert not repair.sizes["frame"].isHidden() and repair.sizes["detail_px"].isHidden()
    assert repair.sizes["frame"].spec.high == 3.0, "of three"
    repair.sizes["frame"].valueChanged.emit(3.0)
    at = window.view.to_widget(300, 200).toPoint()
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=at)
    settle(window)
    (item,) = session.recipe.mend.repairs.values()
    assert item.KIND == "frame" and item.frame == 3.0 and "frame 3, spot" in repair.list.currentItem().text()
    repair.list.removed.emit(repair.chosen)
    assert session.picture.frame.merged.names[2] in repair.note.text()
    session.open_picture(source)
    settle(window)
    assert repair.kinds.button("frame").isHidden() and repair.kind == "heal", "it is of no other frames"


def test_it_is_stopped_and_leaves_nothing(window, shoot):
    for n in (2, 3):
        shutil.copy(shoot / "CORVA_0011.dng", shoot / f"CORVA_001{n}.dng")
    window.open_paths([shoot])
    settle(window)
    window.go_to(window.stations.sort)
    settle(window)
    chosen(window, [shoot / f"CORVA_001{n}.dng" for n in (1, 2, 3)])
    before = sorted(shoot.glob("*.dng"))
    window.stations.sort.merge_as("mean")
    QTest.mouseClick(window.stations.sort.merge, Qt.MouseButton.LeftButton)
    settle(window)
    assert sorted(shoot.glob("*.dng")) == before and window.stations.sort.merge.text() == "Merge"


def test_one_picture_cannot_be_merged_and_what_fails_is_said(window, shoot):
    window.go_to(window.stations.sort)
    chosen(window, [shoot / "CORVA_0011.dng"])
    window.stations.sort.merge_as("")
    assert "Select the raw frames" in window.header.word.whole()
    chosen(window, [shoot / "CORVA_0011.dng", shoot / "CORVA_0031.dng"])
    window.stations.sort.merge_as("bracket")
    settle(window)
    assert "align them" in window.header.word.whole()
    assert len(window.session.pictures) == 3
