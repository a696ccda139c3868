"""Colour in the real window: the strip, a pick in the picture, tint path, primaries, match, skin, black and white,
looks, and all of it by keyboard."""

import json

import cv2
import numpy as np
import pytest
import skimage.data
from PIL import Image
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from matiz.deliver.orders import order_for
from matiz.deliver.write import deliver
from matiz.measure.colour.colour import MOST_CHROMA
from matiz.recipe.colour import NO_SKIN, Grading, Peg, Primaries
from matiz.recipe.looks import Look
from matiz.recipe.places import Reach
from matiz.ui.frame.settle import settle
from matiz.ui.stations.colour.hue_strip import HueStrip, Strip, density, mean_chroma, turned
from matiz.ui.stations.colour.primaries_plan import corner, move_to
from matiz.ui.stations.colour.tint_path import TintPath, TintPlane

LEFT, SHIFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def colour(window):
    window.go_to(window.stations.colour)
    settle(window)
    return window.stations.colour


def drag(widget, start: QPoint, end: QPoint, modifiers=NONE) -> None:
    QTest.mousePress(widget, LEFT, modifiers, start)
    for share in (0.3, 0.6, 1.0):
        at = QPointF(start + (end - start) * share)
        # QTest's moves have no modifiers
        move = QMouseEvent(QEvent.Type.MouseMove, at, widget.mapToGlobal(at), Qt.MouseButton.NoButton, LEFT, modifiers)
        QApplication.sendEvent(widget, move)
    QTest.mouseRelease(widget, LEFT, modifiers, end)


def colours(window) -> Grading:
    return window.session.recipe.colour


# ---- geometry


@pytest.mark.parametrize("hue", [0.0, 45.0, 210.0, 359.0])
@pytest.mark.parametrize("chroma", [0.0, 0.03, 0.29])
def test_a_colour_is_where_it_is_drawn(hue, chroma):
    strip = Strip(1.0, 4.0, 600.0, 180.0)
    back = strip.to_value(*strip.to_px(hue, chroma))
    assert back[0] == pytest.approx(hue) and back[1] == pytest.approx(chroma, abs=1e-9)
    assert strip.to_px(10.0, 9.0)[1] == 4.0, "what is stronger than the strip lies at its top"


def test_a_turn_goes_the_short_way_and_no_further_than_it_may():
    assert turned(Peg(at_deg=350.0), 370.0) == 20.0 and turned(Peg(at_deg=10.0), -10.0) == -20.0
    assert turned(Peg(at_deg=0.0), 170.0) == 90.0


def test_a_peg_stands_where_its_colours_are():
    population = np.zeros((120, 24), np.float32)
    population[40, 8] = 0.2
    assert mean_chroma(population, Peg(at_deg=121.0)) == pytest.approx(8.5 * MOST_CHROMA / 24)
    assert mean_chroma(population, Peg(at_deg=300.0)) == pytest.approx(0.10)
    image = density(population)
    alpha = [image.pixelColor(40, row).alpha() for row in range(image.height())]
    assert max(alpha) == 255 and image.pixelColor(100, int(np.argmax(alpha))).alpha() == 0


def test_corners_are_moved_to_where_they_are_dragged():
    for name, turn, factor in (("red", 12.0, 0.9), ("green", -8.0, 1.1), ("blue", 3.0, 1.2)):
        moved = Primaries(**{f"{name}_deg": turn, f"{name}_chroma": factor})
        assert move_to(name, corner(moved, name)) == (name, turn, factor)
    assert move_to("red", np.array([0.0, 0.0]))[2] <= 1.5
    plane = TintPlane(300.0, 208.0)
    assert plane.to_value(*plane.to_px(-7.5, 12.0)) == pytest.approx((-7.5, 12.0))


# ---- hues


def test_pegs_are_put_dragged_and_taken_away_on_the_strip(window, colour):
    strip = colour.hues.strip
    x = round(strip.strip().to_px(40.0, 0.0)[0])
    QTest.mouseDClick(strip, LEFT, NONE, QPoint(x, 30))
    settle(window)
    (peg,) = colours(window).pegs.values()
    assert peg.at_deg == pytest.approx(40.0, abs=1.0) and peg == Peg(at_deg=peg.at_deg)
    before = window.session.recipe
    head = QPoint(*(round(v) for v in strip.head(peg)))
    drag(strip, head, head + QPoint(30, -25))
    settle(window)
    (moved,) = colours(window).pegs.values()
    assert moved.hue_deg == pytest.approx(30 / strip.strip().width * 360.0, abs=0.6)
    assert moved.chroma > 1.2 and moved.lightness == 0.0
    head = QPoint(*(round(v) for v in strip.head(moved)))
    drag(strip, head, head + QPoint(0, -20), SHIFT)
    (lifted,) = colours(window).pegs.values()
    assert lifted.lightness == 5.0 and (lifted.hue_deg, lifted.chroma) == (moved.hue_deg, moved.chroma)
    window.session.undo()
    window.session.undo()
    settle(window)
    assert window.session.recipe == before, "a drag is one step"
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    assert not colours(window).pegs


def test_a_hue_is_picked_in_the_picture_and_dragged_there(window, colour):
    window.actions_by_name["colour_pick"].trigger()
    assert colour.hues.pick.isChecked()
    width, height = window.session.engine.size(window.session.recipe)
    at = window.view.to_widget(width * 0.5, height * 0.85).toPoint()
    QTest.mousePress(window.view, LEFT, NONE, at)
    settle(window)
    for step in (10, 20, 40):
        QTest.mouseMove(window.view, at + QPoint(step, -50))
    QTest.mouseRelease(window.view, LEFT, NONE, at + QPoint(40, -50))
    settle(window)
    (peg,) = colours(window).pegs.values()
    assert peg.hue_deg == 10.0 and peg.chroma == pytest.approx(1.2)
    # pressed again where it stands now: the same peg is taken
    window.session.undo()
    settle(window)
    assert not colours(window).pegs, "put and dragged in one step"
    window.session.redo()
    taken = colour.hues.taken_at(peg.at_deg + peg.hue_deg + 3.0)
    assert taken[1] == peg and not taken[2]
    assert colour.hues.taken_at(peg.at_deg + 120.0)[2]
    colour.leave()
    assert not colour.hues.pick.isChecked()


def test_a_quick_click_puts_a_peg_before_the_colour_is_read(window, colour):
    colour.hues.pick.setChecked(True)
    QTest.mouseClick(window.view, LEFT, NONE, window.view.to_widget(300, 330).toPoint())
    assert not colours(window).pegs, "nothing was read yet"
    settle(window)
    (peg,) = colours(window).pegs.values()
    assert peg == Peg(at_deg=peg.at_deg)
    window.session.undo()
    assert not colours(window).pegs


def test_twelve_even_pegs_take_the_place_of_those_that_are_there(window, colour):
    colour.hues.add(77.0)
    colour.hues.even.click()
    assert [peg.at_deg for peg in colours(window).pegs.values()] == [30.0 * n for n in range(12)]
    colour.hues.even.click()
    assert len(colours(window).pegs) == 12


def test_the_hues_page_is_worked_by_keyboard_alone(window, colour):
    strip = colour.hues.strip
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Insert)
    QTest.keyClick(strip, Qt.Key.Key_Insert)
    first, second = sorted(colours(window).pegs.values(), key=lambda peg: peg.at_deg)
    assert abs(first.at_deg - second.at_deg) == pytest.approx(180.0, abs=1.0)
    was = colour.hues.chosen
    QTest.keyClick(strip, Qt.Key.Key_PageUp)
    chosen = colour.hues.chosen
    assert chosen != was
    for key, times in ((Qt.Key.Key_Right, 3), (Qt.Key.Key_Up, 2)):
        for _ in range(times):
            QTest.keyClick(strip, key)
    QTest.keyClick(strip, Qt.Key.Key_Down, SHIFT)
    peg = colours(window).pegs[chosen]
    assert (peg.hue_deg, peg.chroma, peg.lightness) == (3.0, 1.04, -1.0)
    tape = colour.tapes["colour.muted_percent"]
    tape.setFocus()
    QTest.keyClick(tape, Qt.Key.Key_Right)
    assert colours(window).muted_percent == 1.0


def test_a_place_has_the_same_pegs(window, colour):
    window.go_to(window.stations.places)
    places = window.stations.places
    places.turn_to("Hues")
    assert not places.hues.pegs.strip.isEnabled()
    places.new_place()
    places.turn_to("Hues")
    places.hues.pegs.add(200.0)
    settle(window)
    assert [peg.at_deg for peg in places.place().pegs.values()] == [200.0]
    places.hues.pegs.strip.changed.emit((places.hues.pegs.chosen, {"hue_deg": 15.0}))
    assert next(iter(places.place().pegs.values())).hue_deg == 15.0 and not colours(window).pegs
    assert "colour" in places.shows
    places.turn_to("What")
    assert places.shows == ("places",), "what another page shows need not follow the hand"


# ---- tint path and primaries


def test_the_tint_path_begins_with_three_nodes_and_is_dragged(window, colour):
    colour.turn_to("Tint path")
    settle(window)
    path: TintPath = colour.tint.path
    start = QPoint(*(round(v) for v in path.plane().to_px(0.0, 0.0)))
    drag(path, start, start + QPoint(20, -30))
    settle(window)
    nodes = colours(window).tint
    assert list(nodes) == ["dark", "middle", "light"]
    moved = [name for name, node in nodes.items() if node.a or node.b]
    assert len(moved) == 1 and nodes[moved[0]].a > 1.0 and nodes[moved[0]].b > 2.0
    colour.tint.usual.click()
    assert colours(window).tint["light"].b > 0.0 > colours(window).tint["dark"].b
    path.setFocus()
    colour.tint.choose("dark")
    QTest.keyClick(path, Qt.Key.Key_PageUp)
    QTest.keyClick(path, Qt.Key.Key_Left)
    assert colours(window).tint["middle"].a == 0.0
    QTest.keyClick(path, Qt.Key.Key_Delete)
    QTest.keyClick(path, Qt.Key.Key_Insert)
    assert "middle" not in colours(window).tint and len(colours(window).tint) == 3


def test_a_tint_is_picked_in_the_picture(window, colour):
    colour.turn_to("Tint path")
    colour.tint.pick.setChecked(True)
    QTest.mouseClick(window.view, LEFT, NONE, window.view.to_widget(300, 330).toPoint())
    settle(window)
    (node,) = colours(window).tint.values()
    assert 5.0 <= node.at <= 95.0 and (node.a or node.b) and not colour.tint.pick.isChecked()


def test_a_primary_is_dragged_and_taken_back(window, colour):
    colour.turn_to("Primaries")
    settle(window)
    plan = colour.primaries.plan
    start = QPoint(*(round(v) for v in plan.plane().to_px(corner(Primaries(), "blue"))))
    drag(plan, start, start + QPoint(8, -6))
    assert colours(window).primaries.blue_deg > 1.0 and colour.primaries.chosen == "blue"
    plan.setFocus()
    QTest.keyClick(plan, Qt.Key.Key_PageUp)
    QTest.keyClick(plan, Qt.Key.Key_Up)
    assert colours(window).primaries.red_chroma == 1.01
    colour.primaries.back.click()
    assert colours(window).primaries == Primaries()


# ---- match


def test_two_areas_are_compared_and_made_alike(window, colour):
    window.actions_by_name["colour_match"].trigger()
    view = window.view
    drag(view, view.to_widget(60, 60).toPoint(), view.to_widget(120, 100).toPoint())
    QTest.mouseClick(view, LEFT, NONE, view.to_widget(480, 90).toPoint())
    settle(window)
    match = colour.match
    assert len(match.areas) == 2 and match.areas[0][2:] == pytest.approx((60, 40), abs=3)
    before = match.pair.dE00
    assert before > 0.5 and match.values["dE00"].text() != "–"
    match.alike.click()
    settle(window)
    (place,) = window.session.recipe.places.values()
    (part,) = place.mask.values()
    assert isinstance(part, Reach) and len(part.keep_out) == 1
    assert match.pair.dE00 < 0.3 < before
    assert "before" in match.values["dE00 before"].text()
    window.session.undo()
    match.middle.click()
    settle(window)
    assert len(window.session.recipe.places) == 2 and match.pair.dE00 < 0.5
    match.again.click()
    assert not match.areas
    match.put((10, 10, 50, 50))
    match.put((20, 20, 50, 50))
    settle(window)
    match.alike.click()
    settle(window)
    assert "apart" in window.header.word.whole(), "areas that lie over each other are refused with a reason"


# ---- skin, black and white


def test_skin_is_picked_and_evened_out(window, colour, shoot):
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window)
    colour.turn_to("Skin")
    assert "Pick skin" in colour.skin.note.text() and not colour.skin.half.isEnabled()
    colour.skin.pick.setChecked(True)
    # sand is as near as this picture comes to skin
    QTest.mouseClick(window.view, LEFT, NONE, window.view.to_widget(450, 200).toPoint())
    settle(window)
    assert colours(window).skin.reference != NO_SKIN
    plot = colour.skin.plot
    plot.setFocus()
    QTest.keyClick(plot, Qt.Key.Key_Right)
    assert colours(window).skin.evenness_percent == 5.0
    middle = plot.line()[1]
    x, y = plot.to_px(middle[1], middle[0])
    start = QPoint(round(x + plot._wide_px()), round(y))
    drag(plot, start, QPoint(round(x + 8), round(y)))
    assert colours(window).skin.evenness_percent > 90.0
    colour.skin.half.click()
    settle(window)
    assert colours(window).skin.evenness_percent == 50.0 and "of the picture" in colour.skin.note.text()
    colour.skin.drop.click()
    assert colours(window).skin.reference == NO_SKIN


def test_black_and_white_with_a_filter_is_delivered_grey(window, colour, tmp_path):
    window.actions_by_name["colour_mono"].trigger()
    settle(window)
    assert colour.page is colour.mono and colours(window).black_and_white == "on"
    assert colour.reading_text() == "black and white"
    colour.mono.filters.button("red").click()
    colour.mono.add(250.0)
    strip: HueStrip = colour.mono.strip
    head = QPoint(*(round(v) for v in strip.head(colour.mono.peg())))
    drag(strip, head, head + QPoint(0, 24))
    settle(window)
    peg = colour.mono.peg()
    assert peg.lightness == -6.0 and peg.chroma == 1.0, "upward is lightness here"
    shown = window.view.image()
    pixel = shown.pixelColor(shown.width() // 2, shown.height() // 2)
    assert max(pixel.red(), pixel.green(), pixel.blue()) - min(pixel.red(), pixel.green(), pixel.blue()) <= 1
    path = tmp_path / "grey.jpg"
    deliver(window.session.engine, window.session.recipe, order_for(path), path)
    with Image.open(path) as picture:
        seen = np.asarray(picture.convert("RGB")).astype(float)
    assert np.ptp(seen, axis=2).mean() < 1.5


# ---- looks


def test_a_look_is_laid_on_dragged_kept_and_given(window, colour, tmp_path, shoot):
    window.actions_by_name["colour_looks"].trigger()
    settle(window)
    looks = colour.looks
    assert len(looks.looks) == 6 and len(looks.changes) == 6
    assert all(look.why for look in looks.looks)
    names = [look.name for look in looks.looks]
    looks.list.setCurrentRow(names.index("Pale morning"))
    looks.take.click()
    settle(window)
    assert colours(window).muted_percent == 40.0 and window.session.recipe.tone.rendition == "soft"
    assert looks.changes[names.index("Pale morning")] == pytest.approx(0.0, abs=1e-6), "it is laid on already"
    assert looks.changes[names.index("Stone and weather")] > 1.0
    looks.strength.setFocus()
    QTest.keyClick(looks.strength, Qt.Key.Key_Left)
    settle(window)
    assert colours(window).muted_percent == 38.0
    kept = tmp_path / "Mine.json"
    looks.keep_as(kept, "Mine")
    settle(window)
    assert json.loads(kept.read_text())["recipe"]["colour"]["muted_percent"] == 38.0
    assert looks.look().name == "Mine"
    others = [path for path in window.session.pictures if path != window.session.picture.path]
    window.stations.light.gifts.look_to(others, looks.look(), 1.0)
    for path in others:
        assert window.session.desk.recipe(path).colour.muted_percent == 38.0


def test_a_file_that_is_no_look_is_refused_with_a_reason(window, colour, tmp_path):
    colour.turn_to("Looks")
    bad = tmp_path / "bad.json"
    for text in ("{", "[]", '{"look": 1, "name": "x", "recipe": {"places": []}}',
                 '{"look": 1, "name": "x", "recipe": {"colour": {"chroma_percent": 900}}}'):  # fmt: skip
        bad.write_text(text)
        colour.looks.open_file(bad)
        assert window.header.word.whole().startswith("bad.json"), text
    assert len(colour.looks.looks) == 6


def test_what_the_delivery_cannot_hold_is_said(window, colour):
    window.session.commit([("colour.chroma_percent", 150.0)], "x")
    settle(window)
    assert not colour.note.text().endswith(" 0.0 %") and "outside" in colour.reading_text()
    found = [finding for finding in window.session.findings if finding.id == "colour.out_of_gamut"]
    assert found and found[0].outlines


def test_a_look_is_a_part_of_a_recipe(window, colour):
    """Laid on twice as strongly, on a picture that has pegs of its own: those of the look take their place."""
    colour.hues.add(10.0)
    look = Look("x", "", {"colour": {"pegs": [{"id": "a", "at_deg": 130.0, "chroma": 0.8}]}})
    window.session.commit(look.settings(window.session.recipe, 2.0), "x")
    (peg,) = colours(window).pegs.values()
    assert peg.at_deg == 130.0 and peg.chroma == pytest.approx(0.6)


def test_spots_on_a_face_are_walked_through(window, colour, tmp_path):
    head = cv2.resize(skimage.data.astronaut()[:300, 100:350], None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    soft = cv2.GaussianBlur(head, (0, 0), 1.5).astype(np.float32)
    for x, y in ((187, 262), (296, 258)):
        soft += cv2.circle(np.zeros_like(soft), (x, y), 3, (4.0, -18.0, -10.0), -1, cv2.LINE_AA)
    path = tmp_path / "head.png"
    Image.fromarray(np.clip(soft, 0, 255).astype(np.uint8)).save(path)
    window.open_paths([path])
    settle(window)
    window.go_to(window.stations.colour)
    colour.turn_to("Skin")
    settle(window)
    skin = colour.skin
    assert "2 small spots" in skin.note.text() and not skin.walk.heal.isEnabled()
    finding = next(each for each in window.session.findings if each.id == "colour.spots_on_skin")
    assert len(finding.outlines) == 2
    skin.walk.next.click()
    settle(window)
    spot = skin.walk.spots()[0]
    assert "Spot 1 of 2, face 1: redder" in skin.note.text() and window.view.viewport.zoom == 1.0
    for n in (2, 1):
        skin.walk.next.click()
        settle(window)
        assert f"Spot {n} of 2" in skin.note.text(), "one after the other, and round"
    skin.walk.heal.click()
    settle(window)
    assert "Spot 2 of 2" in skin.note.text()
    (heal,) = window.session.recipe.mend.repairs.values()
    assert heal.path[0][0] * 600 == pytest.approx(spot.x + 0.5, abs=1.0)
    skin.walk.decline.click()
    settle(window)
    assert len(window.session.recipe.mend.no_dust) == 1 and not skin.walk.next.isEnabled()
    assert "colour.spots_on_skin" not in {each.id for each in window.session.findings}
