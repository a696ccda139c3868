"""Places in the real window: masks made by hand, brush, ramps, parts joined, the list, undo, delivery, the keyboard."""

import threading

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QInputDevice, QPointingDevice, QTabletEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from matiz.colour.spaces import sRGB_to_Lab
from matiz.deliver.orders import order_for
from matiz.deliver.write import deliver
from matiz.develop.graph.graph import mask, place_mask
from matiz.develop.places.weighing import Masked, mask_of
from matiz.masks.subject import SubjectMap
from matiz.measure.places.attention import AttentionPull, AttentionReading
from matiz.measure.places.mask_edge import EdgeReading, EdgeSpot
from matiz.measure.places.places import PlaceReading
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz.recipe.places import (
    Background,
    Bright,
    Brush,
    Colour,
    Ellipse,
    Focus,
    Lasso,
    People,
    Place,
    Ramp,
    Reach,
    SameAs,
    SkinOf,
    Subject,
    Zones,
)
from matiz.recipe.tree import Rows
from matiz.ui.frame.settle import settle
from matiz.ui.stations.places import handles
from matiz.ui.stations.places.attention_bars import ROW_PX, AttentionBars, lengths
from matiz.ui.stations.places.mask_view import over
from matiz.ui.stations.places.where import HOW
from matiz.ui.stations.places.words import NAMES

NONE, LEFT = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton


@pytest.fixture
def places(window):
    window.go_to(window.stations.places)
    settle(window)
    return window.stations.places


def spot(window, x: float, y: float) -> QPoint:
    return window.view.to_widget(x, y).toPoint()


def drag(window, *way: tuple[float, float], modifiers=NONE, button=LEFT) -> None:
    """Along places of the picture, px."""
    start, *rest = (spot(window, *place) for place in way)
    QTest.mousePress(window.view, button, modifiers, start)
    before = start
    for place in rest:
        for share in (0.25, 0.5, 0.75, 1.0):
            QTest.mouseMove(window.view, before + (place - before) * share)
        before = place
    QTest.mouseRelease(window.view, button, modifiers, before)
    settle(window)


def click(window, x: float, y: float, modifiers=NONE) -> None:
    QTest.mouseClick(window.view, LEFT, modifiers, spot(window, x, y))
    settle(window)


def the_place(window) -> Place:
    (place,) = window.session.recipe.places.values()
    return place


def own_mask(window, ident: str) -> np.ndarray:
    recipe = window.session.recipe
    return window.session.engine.render(recipe, 0, result=mask(mask_of(recipe, ident)))[..., 0]


def test_painting_wiping_off_and_straight_strokes_are_steps_that_undo(window, places):
    places.new_place()
    places.add_part(Brush, "add")
    places.where.set_brush(radius_px=25.0, strength_percent=100.0)
    drag(window, (100, 200), (300, 200))
    part = places.part()
    (stroke,) = part.strokes.values()
    assert stroke.radius_px == 25.0 and stroke.erase == "off" and len(stroke.path) > 4 and stroke.path.columns == 2
    np.testing.assert_allclose(stroke.path.points[0], np.array([100.5, 200.5]) / 600, atol=2e-3)
    painted = own_mask(window, places.chosen)
    assert painted[200, 200] > 0.98 and painted[260, 200] == 0.0
    steps = len(window.session.document.version.history.changes)
    # straight on from there, and half of it wiped off again
    click(window, 300, 350, Qt.KeyboardModifier.ShiftModifier)
    assert own_mask(window, places.chosen)[280, 300] > 0.98 and len(places.part().strokes) == 2
    drag(window, (250, 280), (350, 280), modifiers=Qt.KeyboardModifier.AltModifier)
    assert list(places.part().strokes.values())[-1].erase == "on"
    assert own_mask(window, places.chosen)[280, 300] < 0.05
    assert len(window.session.document.version.history.changes) == steps + 2
    window.session.undo()
    settle(window)
    assert own_mask(window, places.chosen)[280, 300] > 0.98
    places.where.erase.setChecked(True)
    drag(window, (100, 200), (150, 200))
    assert list(places.part().strokes.values())[-1].erase == "on"
    while window.session.document.version.history.position:
        window.session.undo()
    settle(window)
    assert window.session.recipe == Recipe()


def test_a_pen_presses(window, places):
    places.new_place()
    places.add_part(Brush, "add")
    pen = QPointingDevice(
        "pen", 7, QInputDevice.DeviceType.Stylus, QPointingDevice.PointerType.Pen,
        QInputDevice.Capability.Pressure | QInputDevice.Capability.Position, 1, 1,
    )  # fmt: skip

    def send(kind, x, y, pressure):
        at = QPointF(spot(window, x, y))
        event = QTabletEvent(kind, pen, at, at, pressure, 0, 0, 0.0, 0.0, 0, NONE, LEFT, LEFT)
        QApplication.sendEvent(window.view, event)

    send(QEvent.Type.TabletPress, 100, 200, 0.25)
    for x in range(110, 300, 10):
        send(QEvent.Type.TabletMove, x, 200, 0.25 + 0.75 * (x - 100) / 200)
    send(QEvent.Type.TabletRelease, 300, 200, 0.0)
    settle(window)
    (stroke,) = places.part().strokes.values()
    pressure = stroke.path.points[:, 2]
    assert stroke.path.columns == 3 and pressure[0] == 0.25 and pressure.max() > 0.9


def test_the_right_button_makes_the_brush_wider_and_escape_takes_a_stroke_back(window, places):
    places.new_place()
    places.add_part(Brush, "add")
    before = places.where.brush.radius_px
    drag(window, (200, 200), (300, 200), button=Qt.MouseButton.RightButton)
    assert places.where.brush.radius_px > 1.2 * before and not places.part().strokes
    QTest.mousePress(window.view, LEFT, NONE, spot(window, 100, 100))
    QTest.mouseMove(window.view, spot(window, 200, 100))
    assert len(places.part().strokes) == 1
    QTest.keyClick(window.view, Qt.Key.Key_Escape)
    QTest.mouseRelease(window.view, LEFT, NONE, spot(window, 200, 100))
    settle(window)
    assert not places.part().strokes


def test_a_ramp_is_drawn_dragged_and_turned(window, places):
    places.new_place()
    places.add_part(Ramp, "add")
    drag(window, (300, 40), (300, 240))
    ramp = places.part()
    np.testing.assert_allclose((ramp.x, ramp.y, ramp.y2), (0.5, 0.067, 0.4), atol=4e-3)
    drag(window, (300, 240), (400, 200))
    turned = places.part()
    assert (turned.x, turned.y) == (ramp.x, ramp.y) and turned.x2 == pytest.approx(400.5 / 600, abs=4e-3)
    own = own_mask(window, places.chosen)
    assert own[200, 100] > own[200, 400] + 0.2
    middle = ((turned.x + turned.x2) * 300, (turned.y + turned.y2) * 300)
    drag(window, middle, (middle[0] + 60, middle[1]))
    moved = places.part()
    assert moved.x - turned.x == pytest.approx(0.1, abs=5e-3) and moved.y2 == pytest.approx(turned.y2, abs=3e-3)
    steps = len(window.session.document.version.history.changes)
    click(window, 50, 350)
    assert places.part() == moved and len(window.session.document.version.history.changes) == steps


def test_an_ellipse_an_outline_and_picks(window, places):
    places.new_place()
    places.add_part(Ellipse, "add")
    drag(window, (240, 240), (340, 290))
    ellipse = places.part()
    assert (ellipse.x, ellipse.w) == (pytest.approx(0.4, abs=4e-3), pytest.approx(1 / 3, abs=8e-3))
    wide = handles.handles(ellipse)["wide"]
    drag(window, (wide[0] * 600, wide[1] * 600), (290, 240))
    assert places.part().w == pytest.approx(1 / 6, abs=8e-3) and places.part().h == ellipse.h
    places.add_part(Lasso, "add")
    drag(window, (50, 50), (150, 50), (150, 150), (50, 150))
    assert len(places.part().path) > 4 and own_mask(window, places.chosen)[100, 100] == 1.0
    places.add_part(Reach, "subtract")
    click(window, 300, 200)
    click(window, 500, 300, Qt.KeyboardModifier.AltModifier)
    reach = places.part()
    assert reach.join == "subtract" and len(reach.picks) == len(reach.keep_out) == 1
    click(window, 300, 200)
    assert not places.part().picks
    places.add_part(Colour, "add")
    click(window, 100, 300)
    assert places.part().picks[0] == (pytest.approx(100.5 / 600, abs=3e-3), pytest.approx(0.5, abs=3e-3))
    assert len(the_place(window).mask) == 4


def test_two_parts_are_joined_and_joined_otherwise(window, places):
    places.new_place()
    places.add_part(Bright, "add")
    places.add_part(Zones, "intersect")
    page = places.where
    assert page.list.count() == 2 and page.list.item(1).text().startswith("intersect")
    assert not page.join.isHidden()
    before = own_mask(window, places.chosen)
    page.join.button("subtract").click()
    settle(window)
    assert places.part().join == "subtract" and page.list.item(1).text().startswith("subtract")
    assert not np.array_equal(own_mask(window, places.chosen), before)
    page.invert.click()
    settle(window)
    np.testing.assert_allclose(own_mask(window, places.chosen), before, atol=2e-3)
    page.list.setCurrentRow(0)
    page.channel.button("blue").click()
    assert places.part().channel == "blue" and page.join.isHidden()
    tape = page.tapes(Bright)["exponent"]
    QTest.keyClick(tape, Qt.Key.Key_Right)
    assert places.part().exponent == pytest.approx(1.1)
    page.list.setFocus()
    QTest.keyClick(page.list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert [part.KIND for part in the_place(window).mask.values()] == ["zones", "bright"]
    QTest.keyClick(page.list, Qt.Key.Key_Delete)
    assert [part.KIND for part in the_place(window).mask.values()] == ["zones"]


def test_parts_are_offered_with_other_places_among_them(window, places):
    places.new_place()
    places.set_place("name", "Sky", "x")
    first = places.chosen
    places.new_place()
    button = places.where.joiners["intersect"]
    button.menu().aboutToShow.emit()
    offered = {action.text().partition(":")[0]: action for action in button.menu().actions()}
    assert {"Brush", "Ramp", "Zones", "Edges", "Of Sky"} <= set(offered)
    offered["Zones"].trigger()
    assert places.part() == Zones(join="intersect")
    button.menu().aboutToShow.emit()
    next(action for action in button.menu().actions() if action.text().startswith("Of Sky")).trigger()
    assert places.part() == SameAs(join="intersect", of=first)


def test_two_places_are_merged_into_the_first(window, places):
    places.new_place()
    places.add_part(Ramp, "add")
    first = places.chosen
    window.actions_by_name["place_merge"].trigger()
    assert len(places.place().mask) == 1
    places.new_place()
    places.add_part(Ellipse, "add")
    second = places.chosen
    window.actions_by_name["place_merge"].trigger()
    settle(window)
    recipe = window.session.recipe
    assert places.chosen == first and places.part() == SameAs(of=second)
    assert recipe.places[second].active == "off"
    alone = [own_mask(window, ident) for ident in (first, second)]
    assert alone[0].sum() > alone[1].sum() > 0.0 and (alone[0] >= alone[1] - 1e-6).all()
    window.session.undo()
    assert window.session.recipe.places[second].active == "on"


def test_a_place_is_doubled_its_strength_lowered_and_the_list_is_worked_by_keys(window, places):
    places.new_place()
    places.add_part(Ramp, "add")
    places.set_place("exposure_EV", -1.0, "x")
    window.actions_by_name["place_double"].trigger()
    settle(window)
    first, second = window.session.recipe.places.values()
    assert second.mask == first.mask and second.exposure_EV == -1.0 and places.place() is second
    places.turn_to("What")
    strength = places.what.tapes["strength_percent"]
    for _ in range(4):
        QTest.keyClick(strength, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert places.place().strength_percent == 60.0
    rows = places.list.rows
    rows.item(1).setText("Dusk")
    assert places.place().name == "Dusk"
    rows.item(1).setCheckState(Qt.CheckState.Unchecked)
    assert places.place().active == "off"
    rows.setFocus()
    QTest.keyClick(rows, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert next(iter(window.session.recipe.places.values())).name == "Dusk"
    places.list.buttons["same"].click()
    settle(window)
    (part,) = places.place().mask.values()
    assert isinstance(part, SameAs) and window.session.recipe.places[part.of].name == "Dusk"
    assert list(window.session.recipe.places)[1] == places.chosen, "right after it"
    QTest.keyClick(rows, Qt.Key.Key_Delete)
    assert len(window.session.recipe.places) == 2
    window.session.undo()
    assert len(window.session.recipe.places) == 3


def test_painting_light_goes_to_its_standing_place_at_once(window, places):
    window.go_to(window.stations.tone)
    window.actions_by_name["place_lighter"].trigger()
    assert window.station is places and the_place(window).name == "Lighter"
    before = window.session.engine.render(window.session.recipe, 0)[200, 200].astype(int)
    drag(window, (150, 200), (250, 200))
    stroke = next(iter(places.part().strokes.values()))
    assert 5.0 <= stroke.strength_percent <= 20.0 and stroke.hardness_percent == 0.0
    after = window.session.engine.render(window.session.recipe, 0)[200, 200].astype(int)
    assert after[:3].sum() > before[:3].sum()
    window.actions_by_name["place_darker"].trigger()
    window.actions_by_name["place_lighter"].trigger()
    assert len(window.session.recipe.places) == 2 and places.place().name == "Lighter"
    assert isinstance(places.part(), Brush)


def test_the_mask_is_seen_in_the_picture_and_alone_and_hides_while_a_tape_moves(window, places):
    places.new_place()
    places.add_part(Ramp, "add")
    settle(window)
    plain = window.view.grab().toImage()
    window.actions_by_name["place_mask"].trigger()
    settle(window)
    in_picture = window.view.grab().toImage()
    assert in_picture != plain and places.mask_view.mode == "picture"
    window.actions_by_name["place_mask"].trigger()
    settle(window)
    middle = window.view.to_widget(60, 380).toPoint()
    ratio = window.view.devicePixelRatioF()
    below = window.view.grab().toImage().pixelColor(middle * ratio)
    assert below.lightness() == 0, "nothing of it lies down there"
    grip = window.session.begin()
    grip.preview([(f"{places.place_path()}.exposure_EV", 1.0)])
    assert places.mask_view.is_hidden and places.tool.is_hidden
    grip.commit(None, "x")
    assert not places.mask_view.is_hidden
    settle(window)
    shown = np.full((2, 2, 4), (40, 80, 200, 255), np.uint8)
    made = over(shown, np.array([[1.0, 0.0], [0.5, 0.0]], np.float32))
    assert (made[0, 0] == shown[0, 0]).all() and np.ptp(made[0, 1][:3].astype(int)) == 0 and (made[..., 3] == 255).all()


def test_what_a_place_changes_is_in_its_tapes_and_the_delivery(window, places, tmp_path):
    places.new_place()
    places.add_part(Ramp, "add")
    places.turn_to("What")
    for name in ("exposure_EV", "warmer_mired", "contrast.middle_dB", "chroma_percent"):
        QTest.keyClick(places.what.tapes[name], Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    place = places.place()
    made = place.exposure_EV, place.warmer_mired, place.contrast.middle_dB, place.chroma_percent
    assert made == (0.5, 10.0, 5.0, 10.0)
    places.what.hold.click()
    assert places.place().hold_chroma == "off"
    settle(window)
    reading = places._reading()
    assert reading.inside_EV > 0.2 > 0.1 > abs(reading.outside_EV) and "inside" in places.list.told.text()
    zones = places.ladder._reading.zones
    assert sum(zones) == pytest.approx(1.0) and zones != places.ladder._reading.zones_before
    places.ladder.setFocus()
    QTest.keyClick(places.ladder, Qt.Key.Key_Up)
    assert any(places.place().zones_EV)
    places.turn_to("Curve")
    places.curve.starter.click()
    places.curve.blend.button("multiply").click()
    assert len(places.place().curve) == 5 and places.place().blend == "multiply"
    settle(window)
    files = [tmp_path / "with.png", tmp_path / "without.png"]
    for path, recipe in zip(files, (window.session.recipe, Recipe()), strict=True):
        deliver(window.session.engine, recipe, order_for(path), path)
    made, plain = (np.asarray(Image.open(path)).astype(int) for path in files)
    assert np.abs(made - plain)[20:60].mean() > 3.0 > np.abs(made - plain)[-20:].mean()


def test_two_clicks_rank_every_mask_and_one_takes_the_best(window, places):
    places.turn_to("Rank")
    view = window.view.grab().toImage()
    bright, dark = (300, 60), (300, 350)
    engine, recipe = window.session.engine, window.session.recipe
    for spots in (bright, dark):
        click(window, *spots)
    assert window.view.grab().toImage() != view
    page = places.rank
    ranks = [each.d_prime for each in page.found]
    assert len(ranks) >= 5 and ranks == sorted(ranks, reverse=True) and ranks[0] > 2.0
    best = page.found[0]
    own = engine.render(recipe, 0, result=mask(Masked(Rows([("p", best.part)]))))[..., 0]
    assert own[55:65, 295:305].mean() - own[345:355, 295:305].mean() > 0.15
    page.button.click()
    settle(window)
    assert type(places.part()) is type(best.part) and places.page is places.where
    assert page.tool not in window.view.tools
    # the same place twice is parted by nothing
    places.turn_to("Rank")
    page.forget()
    click(window, *bright)
    click(window, *bright)
    assert not page.found and "separates these" in page.note.text()


def test_colours_are_pinned_as_the_whole_is_balanced_now(window, places):
    places.new_place()
    places.turn_to("What")
    places.what.pin.click()
    settle(window)
    now = window.session.light
    assert places.place().pinned_K == pytest.approx(now.cct_K, abs=0.1)
    before = window.session.engine.render(window.session.recipe, 1)[100, 150, :3].astype(int)
    warmed = [("light.source", "manual"), ("light.cct_K", round(now.cct_K + 1500.0, 0))]
    window.session.commit(warmed, "x")
    held = window.session.engine.render(window.session.recipe, 1)[100, 150, :3].astype(int)
    places.what.pin.click()
    assert places.place().pinned_K == 0.0
    free = window.session.engine.render(window.session.recipe, 1)[100, 150, :3].astype(int)
    assert np.abs(held - before).max() <= 4 < np.abs(free - before).max()


def test_a_tint_is_picked_from_the_picture(window, places):
    places.new_place()
    places.turn_to("What")
    places.curve.pick.setChecked(True)
    click(window, 300, 60)
    place = places.place()
    shown = window.session.engine.render(Recipe(), 0, result="display")[57:64, 297:304].reshape(-1, 3).mean(axis=0)
    _, a, b = sRGB_to_Lab(shown)
    assert place.tint_hue_deg == pytest.approx(np.degrees(np.arctan2(b, a)) % 360, abs=12.0) and place.tint_chroma > 0.0
    assert not places.curve.pick.isChecked() and len(window.view.tools) == 3


def test_handles_of_ellipses_turn_and_stay_even():
    part = Ellipse(x=0.5, y=0.3, w=0.4, h=0.2, turn_deg=0.0)
    assert handles.moved(part, "turn", (0.5, 0.6)) == {"turn_deg": 90.0}
    assert handles.moved(part, "turn", (0.8, 0.35), held=True) == {"turn_deg": 15.0}
    assert handles.moved(part, "wide", (0.6, 0.3)) == {"w": pytest.approx(0.2)}
    assert handles.moved(part, "high", (0.5, 0.45), held=True) == {"h": pytest.approx(0.3), "w": pytest.approx(0.6)}
    turned = Ellipse(x=0.5, y=0.3, w=0.4, h=0.2, turn_deg=90.0)
    assert handles.handles(turned)["wide"] == (pytest.approx(0.5), pytest.approx(0.5))
    full, gone = handles.outlines(turned)
    assert np.ptp(gone[:, 1]) == pytest.approx(0.4, abs=2e-3) and np.ptp(full[:, 1]) < np.ptp(gone[:, 1])
    ramp = Ramp(x=0.2, y=0.2, x2=0.2, y2=0.5)
    stepped = handles.moved(ramp, "gone", (0.48, 0.21), held=True)
    assert stepped == {"x2": pytest.approx(0.4802, abs=1e-3), "y2": pytest.approx(0.2)}
    assert handles.drawn(part, (0.1, 0.1), (0.2, 0.3), held=True)["w"] == pytest.approx(0.4)
    assert not handles.handles(Bright()) and not handles.drawn(Bright(), (0, 0), (1, 1))


def test_the_subject_is_looked_for_aside_and_taps_correct_it(window, places, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    said = []
    window.session.said.connect(said.append)
    places.new_place()
    settle(window)
    places.add_part(Subject, "add")
    assert not the_place(window).mask, "the part is there when it is found"
    settle(window)
    (part,) = the_place(window).mask.values()
    assert isinstance(part, Subject) and said[0].startswith("Looking for the subject") and said[-1] == "Subject found."
    ident = next(iter(window.session.recipe.places))
    before = own_mask(window, ident)
    height, width = before.shape[:2]
    click(window, width * 0.5, height * 0.9)
    click(window, width * 0.3, height * 0.1, Qt.KeyboardModifier.AltModifier)
    (part,) = the_place(window).mask.values()
    assert len(part.picks) == 1 and len(part.keep_out) == 1
    assert np.abs(own_mask(window, ident) - before).max() > 0.5
    window.session.undo()
    window.session.undo()
    settle(window)
    assert np.abs(own_mask(window, ident) - before).max() < 1e-6
    places.add_part(Background, "subtract")
    assert len(the_place(window).mask) == 2, "found before: at once"
    settle(window)


def test_places_of_another_picture_are_not_touched(window, places):
    places.new_place()
    places.add_part(Brush, "add")
    window.session.step(1)
    settle(window)
    assert not window.session.recipe.places and places.chosen == "" and places.part() is None
    drag(window, (100, 100), (200, 100))
    assert not window.session.recipe.places
    window.session.step(-1)
    settle(window)
    assert isinstance(places.part(), Brush) and Rows() == places.part().strokes


def test_a_place_is_given_to_pictures_that_are_selected(window, places):
    places.new_place()
    places.add_part(Ramp, "add")
    places.set_place("name", "Sky", "x")
    places.same_place()
    places.set_place("exposure_EV", -0.5, "x")
    own, others = window.session.path, [path for path in window.session.pictures if path != window.session.path]
    window.stations.light.gifts.place_to([own, *others], places.chosen)
    settle(window)
    given = window.session.desk.recipe(others[0])
    sky, made = given.places.values()
    assert sky.name == "Sky" and made.exposure_EV == -0.5
    assert sky.mask == window.session.recipe.places[part_of(made)].mask
    assert len(window.session.recipe.places) == 2
    window.session.step(1)
    settle(window)
    np.testing.assert_allclose(own_mask(window, given.places.order[1]), own_mask(window, given.places.order[0]))


def test_what_is_painted_goes_along_with_what_it_is_painted_on(window, places, monkeypatch):
    places.new_place()
    places.add_part(Brush, "add")
    drag(window, (100, 100), (200, 100))
    settle(window)
    others = [path for path in window.session.pictures if path != window.session.path]
    said = []
    window.session.said.connect(said.append)
    way = np.array([[1.0, 0.0, 30.0], [0.0, 1.0, -20.0]])
    for answer, lost in ((way, ""), (None, "was not found")):
        monkeypatch.setattr("matiz.measure.sort.travel.way_to", lambda *_, answer=answer: answer)
        monkeypatch.setattr("matiz.measure.sort.travel.MOST_dE", 200.0)
        window.stations.light.gifts.place_to(others[:1], places.chosen)
        settle(window)
        (own,) = window.session.recipe.places[places.chosen].mask.values()
        made = window.session.desk.recipe(others[0]).places
        (given,) = made[made.order[-1]].mask.values()
        step = [each.strokes[each.strokes.order[0]].path.points[:, :2] for each in (own, given)]
        long_side = max(window.session.engine.frame.size)
        moved = (0.0, 0.0) if answer is None else (30.0 / long_side, -20.0 / long_side)
        assert (step[1] - step[0]).mean(axis=0) == pytest.approx(moved, abs=1e-4)
        assert "The place was copied to 1 picture" in said[-1] and (lost in said[-1])


def test_what_is_painted_goes_along_with_a_place_that_has_its_mask(window, places, monkeypatch):
    places.new_place()
    places.add_part(Brush, "add")
    drag(window, (100, 100), (200, 100))
    painted = places.chosen
    places.same_place()
    settle(window)
    other = next(path for path in window.session.pictures if path != window.session.path)
    monkeypatch.setattr("matiz.measure.sort.travel.way_to", lambda *_: np.array([[1.0, 0.0, 30.0], [0.0, 1.0, -20.0]]))
    monkeypatch.setattr("matiz.measure.sort.travel.MOST_dE", 200.0)
    window.stations.light.gifts.place_to([other], places.chosen)
    settle(window)
    first, second = window.session.desk.recipe(other).places.values()
    strokes = (next(iter(each.mask.values())).strokes for each in (window.session.recipe.places[painted], first))
    own, given = (next(iter(each.values())).path.points for each in strokes)
    far = np.array([30.0, -20.0]) / max(window.session.engine.frame.size)
    assert (given - own)[:, :2].mean(axis=0) == pytest.approx(far, abs=1e-4)
    assert part_of(second) in window.session.desk.recipe(other).places


def test_a_painted_place_for_what_cannot_be_read_is_said(window, places, shoot):
    places.new_place()
    places.add_part(Brush, "add")
    drag(window, (100, 100), (200, 100))
    settle(window)
    other = next(path for path in window.session.pictures if path != window.session.path)
    other.write_bytes(b"no picture")
    said = []
    window.session.said.connect(said.append)
    window.stations.light.gifts.place_to([other], places.chosen)
    settle(window)
    assert said[-1] == "None of them could be read." and not window.session.desk.recipe(other).places


def part_of(place: Place) -> str:
    (part,) = place.mask.values()
    return part.of


# ---- what is found, and what the eye is drawn to


class Slow:
    """Stands for the network: finds the lower half, once it is let go."""

    def __init__(self, monkeypatch) -> None:
        self.calls, self.gate = 0, threading.Event()
        monkeypatch.setattr("matiz.develop.frame.found.find_subject", self)

    def __call__(self, picture, on_look) -> SubjectMap:
        self.calls += 1
        assert self.gate.wait(20)
        share = np.zeros((64, 64), np.float32)
        share[32:] = 1.0
        return SubjectMap(share, "network")


def test_a_picture_that_wants_its_subject_is_shown_at_once_and_again_when_it_is_found(
    window, places, tmp_path, monkeypatch
):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    network = Slow(monkeypatch)
    kinds = (Subject(), Background(), Subject(invert="on"))
    places_made = [Place(mask=Rows([("m1", part)]), exposure_EV=-2.0) for part in kinds]
    window.session.commit(added(window.session.recipe, [("places", each) for each in places_made]), "x")
    engine, recipe = window.session.engine, window.session.recipe
    for ident in recipe.places:
        node, n = place_mask(recipe, ident)
        assert engine.render(recipe, 1, result=node)[..., n].max() == 0.0, "not waited for, and nothing is changed"
    ident = recipe.places.order[0]
    node, n = place_mask(recipe, ident)
    network.gate.set()
    settle(window)
    mask = own_mask(window, ident)
    assert mask[-20:].min() > 0.9 and mask[:20].max() < 0.1 and network.calls == 1
    assert engine.render(recipe, 1, result=node)[..., n].max() > 0.9, "made anew now that it is known"
    window.session.undo()
    window.session.redo()
    settle(window)
    assert network.calls == 1


def test_the_attention_page_finds_the_subject_lifts_it_and_holds_a_pull_back(window, places, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    Slow(monkeypatch).gate.set()
    places.turn_to("Attention")
    settle(window)
    page = places.attention
    assert page.look_for.isVisible() and not page.lift.isVisible() and "not been looked for" in page.note.text()
    page.look_for.click()
    settle(window)
    assert page.lift.isVisible() and not page.look_for.isVisible() and "fills 50" in page.note.text()
    plain = window.view.grab().toImage()
    page.lift.click()
    settle(window)
    assert [place.name for place in places.places().values()] == ["Subject lifted", "Background held back"]
    assert window.view.grab().toImage() != plain
    assert "without places" in page.note.text() or page.reading().subject is not None
    pulls = page.reading().pulls
    if pulls:
        QTest.keyClick(page.bars, Qt.Key.Key_Down)
        assert page.which == min(1, len(pulls) - 1)
        page.darken.click()
        settle(window)
        assert [place.name for place in places.places().values()][-1] == "Pull held back"
    page.soften.click()
    assert [place.name for place in places.places().values()][-1] == "Background softened"
    settle(window)


def test_bars_are_as_long_as_shares_and_rows_are_hit():
    pulls = tuple(AttentionPull(10.0, 10.0, 5.0, share, "colour", 50.0, 10.0) for share in (0.1, 0.05))
    bars = AttentionBars()
    bars.resize(360, 160)
    assert lengths(AttentionReading(0.4, 0.2, pulls)) == pytest.approx([0.5, 1.0, 0.25, 0.125])
    bars.show_reading(AttentionReading(0.4, 0.2, pulls), None, 0)
    assert bars.hit(50, 4 + 2.5 * ROW_PX) == 0 and bars.hit(50, 4 + 3.5 * ROW_PX) == 1
    assert bars.hit(50, 10) is None and bars.hit(50, 4 + 4.5 * ROW_PX) is None
    chosen = []
    bars.changed.connect(chosen.append)
    QTest.mouseClick(bars, Qt.MouseButton.LeftButton, pos=QPoint(50, int(4 + 3.5 * ROW_PX)))
    assert chosen == [1]
    bars.grab()


def test_how_a_mask_ends_is_told_in_the_list(window, places):
    edge = EdgeReading(0.93, (EdgeSpot(1, 2, 3, 4, 12.0),), (), 0.0)
    places.list.show_reading(PlaceReading(0.2, (0.0,) * 11, (0.0,) * 11), edge)
    assert "edge: 93 % along edges in the picture, 1 leak" in places.list.told.text().replace("\u202f", " ")


@pytest.mark.parametrize("kind", [People, SkinOf, Focus])
def test_what_is_found_can_be_added_from_the_menu(window, places, kind, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    Slow(monkeypatch).gate.set()
    places.new_place()
    places.add_part(kind, "add")
    settle(window)
    (part,) = the_place(window).mask.values()
    assert type(part) is kind and HOW[NAMES[kind]] == places.where.note.text()
    assert "fit_px" in places.where.tapes(kind)
