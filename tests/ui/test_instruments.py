"""Instruments: geometry as pure functions, and what a drag yields."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from matiz.colour.spaces import xy_to_uv
from matiz.colour.temperature import cct_to_xy
from matiz.measure.table.values import LightValue
from matiz.recipe.leaves import CurvePoints
from matiz.recipe.model import Tone
from matiz.ui.canvas.viewport import FIT, Viewport
from matiz.ui.frame.settle import settle
from matiz.ui.kit.curve import CurveInstrument, Plot, added, moved, removed
from matiz.ui.kit.gauges import print_size_cm
from matiz.ui.kit.ladder import Ladder, rungs, with_offset, y_of, zone_at
from matiz.ui.stations.light.chromaticity import Chromaticity, ChromaticityPlane, light_at, planckian_uv
from matiz.ui.stations.mend.fringes_plot import height_of, span, value_at


@pytest.mark.parametrize("size", [(480, 208), (300, 300), (900, 210)])
@pytest.mark.parametrize("cct_K", [1800, 3000, 5000, 6500, 15_000])
def test_a_light_is_where_it_is_drawn(size, cct_K):
    plane = ChromaticityPlane(*size)
    x, y = plane.to_px(xy_to_uv(cct_to_xy(cct_K, 0.001)))
    back = light_at(plane, x, y)
    assert back[0] == pytest.approx(cct_K, rel=2e-3) and back[1] == pytest.approx(0.001, abs=2e-4)
    assert 0 < x < size[0] and 0 < y < size[1], "the useful lights are all in view"


def test_drags_outside_are_held_to_real_lights():
    cct_K, duv = light_at(ChromaticityPlane(480, 208), 470, 2)
    assert 1500 <= cct_K <= 25_000 and -0.03 <= duv <= 0.03
    assert planckian_uv().shape[1] == 2


def test_the_point_can_be_dragged_and_moved_by_keys(qtbot):
    instrument = Chromaticity()
    qtbot.addWidget(instrument)
    instrument.resize(480, 208)
    instrument.show_balance(LightValue(5000.0, 0.0))
    changing, changed = [], []
    instrument.changing.connect(changing.append)
    instrument.changed.connect(changed.append)
    start = instrument.balance_point().toPoint()
    QTest.mousePress(instrument, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(instrument, start + QPoint(20, -10))
    QTest.mouseMove(instrument, start + QPoint(40, -20))
    QTest.mouseRelease(instrument, Qt.MouseButton.LeftButton, pos=start + QPoint(40, -20))
    assert changing and len(changed) == 1 and changed[0][0] < 4500
    QTest.keyClick(instrument, Qt.Key.Key_Left)
    assert changed[-1][0] > 5000
    QTest.mousePress(instrument, Qt.MouseButton.LeftButton, pos=QPoint(2, 200))
    assert instrument.grabbed is None, "a press beside the point holds nothing"


def test_only_the_ring_is_drawn_while_a_hand_drags(window, monkeypatch):
    """The cloud and the isotherms took 25 ms of the window's thread with each move."""
    window.go_to(window.stations.light)
    settle(window)
    instrument = window.findChild(Chromaticity)
    drawn = []
    paint_ground = Chromaticity._paint_ground
    monkeypatch.setattr(Chromaticity, "_paint_ground", lambda *given: (drawn.append(1), paint_ground(*given))[1])
    before = instrument.grab().toImage()
    for cct_K in (4000.0, 5000.0, 7000.0):
        instrument.show_balance(LightValue(cct_K, 0.0))
        moved = instrument.grab().toImage()
    assert not drawn and moved != before, "the ring is elsewhere"
    window.toggle_surround()
    assert instrument.grab().toImage() != moved and len(drawn) == 1
    window.toggle_surround()
    instrument.show_balance(instrument._balance)
    drawn.clear()
    instrument.show_reading(replace(window.session.reading.light))
    assert instrument.grab().toImage() == moved and len(drawn) == 1, "another reading, of the same light"
    instrument.resize(instrument.width() + 20, instrument.height())
    instrument.grab()
    assert len(drawn) == 2


def test_the_ladder_has_a_rung_for_each_zone():
    zones = tuple([0.0] * 4 + [0.5, 0.25, 0.25] + [0.0] * 4)
    made = rungs(zones, Tone(), 220.0)
    assert [r.zone for r in made] == list(range(11))
    assert made[0].y == pytest.approx(200.0) and made[10].y == pytest.approx(0.0), "zone X is at the top"
    assert made[4].share == 0.5 and made[5].share == 0.25
    assert made[5].lightness == pytest.approx(49.5, abs=0.5), "zone V is shown at 18 %"
    assert all(a.lightness <= b.lightness for a, b in pairwise(made))


def test_heights_on_the_ladder_are_zones():
    assert y_of(5.0, 220.0) == pytest.approx(110.0) and y_of(10.0, 220.0) == pytest.approx(10.0)
    for zone in (0.0, 3.3, 10.0):
        assert zone_at(y_of(zone, 220.0), 220.0) == pytest.approx(zone)


def test_a_rung_is_moved_in_steps_and_within_limits():
    plain = (0.0,) * 11
    assert with_offset(plain, 3, 0.73)[3] == pytest.approx(0.75) and with_offset(plain, 3, 0.73)[4] == 0.0
    assert with_offset(plain, 0, 9.0)[0] == 4.0 and with_offset(plain, 10, -9.0)[10] == -4.0


def test_a_rung_is_dragged_and_moved_by_keys(qtbot):
    ladder = Ladder()
    qtbot.addWidget(ladder)
    ladder.resize(320, 242)
    ladder.show()
    ladder.changed.connect(lambda zones: ladder.show_tone(Tone(zones_EV=zones)))
    start = ladder.end_of(3).toPoint()
    rung = round(ladder.inner().height() / 11)
    QTest.mousePress(ladder, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(ladder, start - QPoint(0, rung))
    QTest.mouseRelease(ladder, Qt.MouseButton.LeftButton, pos=start - QPoint(0, rung))
    assert ladder._tone.zones_EV[3] == pytest.approx(1.0, abs=0.06), "a rung is one EV"
    assert ladder.selected() == 3
    ladder.setFocus()
    QTest.keyClick(ladder, Qt.Key.Key_PageUp)
    QTest.keyClick(ladder, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert ladder._tone.zones_EV[4] == pytest.approx(-0.5)
    QTest.keyClick(ladder, Qt.Key.Key_Delete)
    assert ladder._tone.zones_EV[4] == 0.0
    QTest.mouseDClick(ladder, Qt.MouseButton.LeftButton, pos=ladder.end_of(3).toPoint())
    assert ladder._tone.zones_EV == (0.0,) * 11
    assert not ladder.grab().isNull()


SPEC = CurvePoints("x.")


def test_moved_points_stay_a_rising_curve():
    points = ((0.0, 0.0), (0.3, 0.4), (0.6, 0.7), (1.0, 1.0))
    for index in range(4):
        for x, y in ((-1, -1), (2, 2), (0.3, 0.0), (0.45, 0.9)):
            assert SPEC.check("x", moved(points, index, x, y))
    assert moved(points, 1, 0.35, 0.45)[1] == (0.35, 0.45)


def test_points_are_added_on_the_curve_and_taken_away():
    points = ((0.0, 0.0), (1.0, 1.0))
    more, index = added(points, 0.25)
    assert more[index] == (0.25, 0.25) and len(more) == 3
    assert added(more, 0.251) == (more, index), "no room: the near one is taken"
    assert removed(more, index) == points and removed(points, 0) == points


def test_the_curve_by_mouse_and_by_keys(qtbot):
    instrument = CurveInstrument()
    qtbot.addWidget(instrument)
    instrument.resize(216, 216)
    instrument.show()
    changed = []
    instrument.changed.connect(changed.append)
    middle = QPoint(*(round(v) for v in instrument.plot().to_px(0.5, 0.5)))
    QTest.mousePress(instrument, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(instrument, middle - QPoint(0, 20))
    QTest.mouseRelease(instrument, Qt.MouseButton.LeftButton, pos=middle - QPoint(0, 20))
    assert len(changed) == 1 and changed[0][1] == pytest.approx((0.5, 0.6), abs=0.01)
    QTest.keyClick(instrument, Qt.Key.Key_Down)
    assert changed[-1][1][1] == pytest.approx(changed[0][1][1] - 0.005)
    QTest.keyClick(instrument, Qt.Key.Key_Insert)
    assert len(changed[-1]) == 4
    QTest.keyClick(instrument, Qt.Key.Key_PageUp)
    QTest.keyClick(instrument, Qt.Key.Key_Delete)
    assert len(changed[-1]) == 3
    px, py = instrument.plot().to_px(*changed[-1][1])
    QTest.mousePress(instrument, Qt.MouseButton.LeftButton, pos=QPoint(round(px), round(py)))
    QTest.mouseMove(instrument, QPoint(400, 400))
    QTest.mouseRelease(instrument, Qt.MouseButton.LeftButton, pos=QPoint(400, 400))
    assert len(changed[-1]) == 2, "pulled out of the square"


def test_plot_round_trip():
    plot = Plot(8, 8, 200, 100)
    assert plot.to_value(*plot.to_px(0.3, 0.8)) == pytest.approx((0.3, 0.8))


def test_print_size():
    assert print_size_cm((3000, 1500)) == pytest.approx((25.4, 12.7))


# ---- what of the picture is seen

FULL = Viewport((6000, 4000), (900, 500))


def test_fit_shows_all_and_asks_for_a_level_that_is_large_enough():
    assert FULL.scale == pytest.approx(0.125)
    assert FULL.level == 3 and FULL.region(3) == (0, 0, 750, 500)
    assert FULL.to_window(0, 0) == pytest.approx((75, 0))


@pytest.mark.parametrize("zoom", [0.2, 0.5, 1.0, 2.0])
def test_the_point_under_the_pointer_stays(zoom):
    around = (500.0, 200.0)
    before = FULL.to_picture(*around)
    view = FULL.zoomed(zoom, around)
    assert view.to_picture(*around) == pytest.approx(before, abs=2.0)
    assert view.level == max(0, int(np.floor(np.log2(1 / zoom))))
    _, _, w, h = view.region(view.level)
    assert w * h <= (900 / zoom / 2**view.level + 4) * (500 / zoom / 2**view.level + 4)


def test_zooming_out_ends_at_fit_and_pans_stop_at_the_border():
    assert FULL.zoomed(1.0).zoomed(0.01).zoom == FIT
    view = FULL.zoomed(1.0).panned(1e6, 1e6)
    assert view.origin == pytest.approx((0, 0))
    assert FULL.panned(50, 50).origin == pytest.approx(FULL.origin)
    assert FULL.zoomed(99.0).scale == 8.0


def test_a_small_picture_can_be_seen_one_to_one():
    small = Viewport((300, 200), (900, 500))
    assert small.scale == 2.5 and small.zoomed(1.0).scale == 1.0
    assert small.zoomed(0.3).zoom == FIT and small.zoomed(1.0).zoomed(FIT).scale == 2.5


def test_a_region_lands_where_it_belongs():
    view = FULL.zoomed(1.0, (450, 250))
    region = view.region(0)
    x, y, w, h = view.placed(region, 0)
    assert x <= 0 and y <= 0 and x + w >= 900 and y + h >= 500
    assert view.to_window(region[0], region[1]) == pytest.approx((x, y))


def test_the_fringe_plot_is_its_own_inverse():
    assert span(0.3, -0.2) == 2.0 and span(0.0, -4.0) == 5.0
    for value in (-4.0, 0.0, 1.3):
        assert value_at(height_of(value, 180.0, 5.0), 180.0, 5.0) == pytest.approx(value)
    assert height_of(5.0, 180.0, 5.0) == 0.0, "outward is up"
