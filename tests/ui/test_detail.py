"""Detail in the real window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from matiz.develop.frame.noise import share_left, share_left_there
from matiz.develop.graph.as_file import write_frame
from matiz.measure.detail.blur import BlurReading
from matiz.measure.detail.detail import DetailReading
from matiz.recipe.paths import added
from matiz.recipe.places import Ellipse, Place
from matiz.recipe.tree import Rows
from matiz.ui.frame.settle import settle
from matiz.ui.stations.detail.loupes import Loupes
from matiz.ui.stations.detail.noise_plot import NoisePlot
from matiz.ui.stations.detail.station import detail_note
from matiz_simcam.shoot import DEMO_SHOTS, simulate


@pytest.fixture
def detail(window, shoot):
    """The station on a frame at ISO 3200."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    write_frame(simulate(shot.scene, (600, 400), shot.settings, view=shot.view), shoot / "CORVA_0031.dng")
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window)
    station = window.stations.detail
    window.go_to(station)
    settle(window)
    return station


def test_noise_is_taken_out_by_need_and_by_hand_and_undone(window, detail):
    assert "Noise in the flat area" in detail.note.text() and detail.by_need.isEnabled()
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
    assert "texture" not in detail_note(DetailReading(3.0, None, 0.0), None, None)
    assert detail_note(None, None, None) == ""
    before, after = (BlurReading(spread, 90, ((spread,),)) for spread in (1.6, 1.1))
    assert "1.6" in detail_note(None, before, after) and "now 1.1" in detail_note(None, before, after)
    assert "now" not in detail_note(None, before, before)


def came(plot) -> dict[int, float]:
    """Decibels of each zone as it comes."""
    return {zone: dB for zone, dB, _ in plot._zones}


def test_the_noisiest_zone_is_dragged_to_what_is_wanted(window, detail):
    plot = detail.plot
    zones = came(plot)
    assert zones and plot.line_y() == pytest.approx(plot.plane().y(min(zones.values())))
    x, y = plot.plane().left + 40.0, plot.line_y()
    assert plot.hit(x, y) and plot.hit(x, y + 40.0) is None
    wanted = min(zones.values()) + 6.0
    start, end = (QPoint(round(x), round(at)) for at in (y, plot.plane().y(wanted)))
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(plot, end)
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=end)
    settle(window)
    noise = window.session.recipe.detail.noise
    assert noise.strength_percent == pytest.approx(50.0, abs=4.0), "6 dB are half of it"
    assert noise.colour_percent == noise.strength_percent + 25.0
    assert min(now - dB for _, dB, now in plot._zones) == pytest.approx(6.0, abs=0.8)
    plot.setFocus()
    QTest.keyClick(plot, Qt.Key.Key_Down)
    settle(window)
    assert window.session.recipe.detail.noise.strength_percent < noise.strength_percent
    window.session.commit([("tone.zones_EV", tuple(0.2 if n == min(zones) else 0.0 for n in range(11)))], "Lifted")
    settle(window)
    assert came(plot)[min(zones)] == pytest.approx(zones[min(zones)] - 0.6, abs=0.2), "a lift shows more noise"


def test_what_a_place_lifts_shows_more_noise(window, detail):
    before = came(detail.plot)
    mask = Rows([("e", Ellipse(x=0.5, y=0.33, w=1.0, h=0.6))])
    lifted = Place(name="all", mask=mask, exposure_EV=1.5)
    window.session.commit(added(window.session.recipe, [("places", lifted)]), "all")
    settle(window)
    lower = [before[zone] - dB for zone, dB, _ in detail.plot._zones if zone in before]
    assert max(lower) > 2.0 and min(lower) > -0.1
    QTest.mouseClick(detail.by_need, Qt.MouseButton.LeftButton)
    settle(window)
    recipe = window.session.recipe
    [place] = recipe.places.values()
    assert place.denoise_percent > 10.0, "what is lifted loses more of its noise, there"
    assert share_left_there(recipe, place) < share_left(recipe)
    gained = [now - dB for _, dB, now in detail.plot._zones]
    assert max(gained) > min(gained) > 0.0


def test_a_plot_of_nothing_takes_no_drag():
    plot = NoisePlot()
    plot.resize(200, 200)
    plot.show_zones(())
    plot.grab()
    said = []
    plot.changed.connect(said.append)
    QTest.keyClick(plot, Qt.Key.Key_Up)
    assert plot.hit(100, plot.line_y()) is None and not said
    plane = plot.plane()
    assert plane.dB(plane.y(17.0)) == pytest.approx(17.0) and plane.y(99.0) == plane.top
    lefts = [plane.bar(n, 4)[0] for n in range(4)]
    assert np.diff(lefts) == pytest.approx(plane.width / 4)


def test_what_is_sharpened_is_seen(window, detail):
    window.view.set_zoom(1.0)
    window.session.commit([("detail.sharpen.amount_percent", 200.0)], "x")
    settle(window)
    picture = window.view.grab().toImage()
    QTest.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    settle(window)
    where = window.view.grab().toImage()
    centre = window.view.rect().center()
    seen = {where.pixelColor(centre + QPoint(dx, dy)).red() for dx in range(-90, 90, 3) for dy in range(-60, 60, 3)}
    assert min(seen) < 20 and max(seen) > 235
    QTest.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    settle(window)
    signed = window.view.grab().toImage()
    values = [signed.pixelColor(centre + QPoint(dx, dy)) for dx in range(-90, 90, 3) for dy in range(-60, 60, 3)]
    assert all(each.red() == each.green() == each.blue() for each in values)
    assert min(each.red() for each in values) < 118 and max(each.red() for each in values) > 138
    assert sum(each.red() == 128 for each in values) > 0.2 * len(values), "what is left alone is middle grey"
    window.session.commit([("detail.sharpen.amount_percent", 0.0)], "x")
    settle(window)
    assert window.view.grab().toImage().pixelColor(centre).red() == 128, "it follows the recipe"
    window.session.undo()
    window.go_to(window.stations.colour)
    settle(window)
    window.go_to(detail)
    settle(window)
    assert window.view.grab().toImage() == picture, "who comes back sees the picture"
