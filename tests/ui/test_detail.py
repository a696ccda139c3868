"""Detail in the real window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from matiz.develop.as_file import write_frame
from matiz.measure.blur import BlurReading
from matiz.measure.detail import DetailReading
from matiz.simcam.shoot import DEMO_SHOTS, simulate
from matiz.ui.instruments.loupes import Loupes
from matiz.ui.shots import settle
from matiz.ui.stations.detail import told


@pytest.fixture
def detail(window, shoot):
    """The station on a frame at ISO 3200."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    write_frame(simulate(shot.scene, (600, 400), shot.settings, view=shot.view), shoot / "CORVA_0031.dng")
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window)
    station = window.by_key["detail"]
    window.go_to(station)
    settle(window)
    return station


def test_noise_is_taken_out_by_need_and_by_hand_and_undone(window, detail):
    assert "Noise in the flat spot" in detail.note.text() and detail.by_need.isEnabled()
    before = window.view.grab().toImage()
    detail.by_need.click()
    settle(window)
    noise = window.session.recipe.detail.noise
    assert noise.strength_percent >= 15.0 and noise.colour_percent > noise.strength_percent
    assert window.view.grab().toImage() != before and "dB" in detail.reading_text()
    tape = detail.tapes["detail.noise.strength_percent"]
    tape.setFocus()
    QTest.keyClick(tape, Qt.Key.Key_Right)
    settle(window)
    assert window.session.recipe.detail.noise.strength_percent == noise.strength_percent + 1.0
    window.session.undo()
    window.session.undo()
    settle(window)
    assert window.session.recipe.detail.noise.strength_percent == 0.0
    assert window.view.grab().toImage() == before


def test_sharpening_is_seen_at_1_to_1(window, detail):
    window.view.set_zoom(1.0)
    settle(window)
    before = window.view.grab().toImage()
    window.session.commit([("detail.sharpen.amount_percent", 200.0)], "x")
    settle(window)
    assert window.view.grab().toImage() != before and detail.is_decided()


def test_a_loupe_that_is_clicked_is_gone_to(window, detail):
    left, _ = detail.loupes.cells()[1]
    QTest.mouseClick(detail.loupes, Qt.MouseButton.LeftButton, pos=left.center().toPoint())
    assert window.view.viewport.zoom == 1.0
    x, _, w, _ = window.session.reading.spots.texture
    assert abs(window.view.viewport.centre[0] * 600 - (x + w / 2)) < 1.0
    assert detail.loupes.hit(2000, 5) is None


def test_loupes_are_painted_px_for_px():
    loupes = Loupes()
    loupes.resize(660, 208)
    pairs = [(np.full((160, 160, 4), v, np.uint8), np.full((160, 160, 4), v + 40, np.uint8)) for v in (40, 90, 140)]
    loupes.show_pairs(pairs)
    shown = loupes.grab().toImage()
    for (left, right), value in zip(loupes.cells(), (40, 90, 140), strict=True):
        seen = [shown.pixelColor(QPoint(int(cell.center().x()), 60)).red() for cell in (left, right)]
        assert seen == [value, value + 40]
    loupes.show_pairs([])
    loupes.grab()


def test_what_is_told():
    assert "texture" not in told(DetailReading(3.0, None, 0.0), None, None)
    assert told(None, None, None) == ""
    before, after = (BlurReading(spread, 90, ((spread,),)) for spread in (1.6, 1.1))
    assert "1.6" in told(None, before, after) and "now 1.1" in told(None, before, after)
    assert "now" not in told(None, before, before)
