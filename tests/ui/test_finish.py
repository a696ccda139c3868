"""Finish in the real window."""

from types import SimpleNamespace

import pytest
from PIL import Image as Pillow
from PIL import ImageDraw
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from matiz.measure.picture import PictureReading
from matiz.recipe.finish import FallOff
from matiz.recipe.paths import added
from matiz.recipe.places import Ellipse, Place
from matiz.recipe.tree import Rows
from matiz.shoot.sidecar import load_document
from matiz.ui.frame.settle import settle
from matiz.ui.stations.finish.fall_off_plot import FallOffPlot

DEPTH = "finish.fall_off.depth_EV"


@pytest.fixture
def finish(window):
    window.session.open_picture(window.session.pictures[0])
    settle(window)
    station = window.stations.finish
    window.go_to(station)
    settle(window)
    return station


def test_the_edges_are_darkened_by_tape_and_the_finding_is_taken(window, finish):
    before = window.view.grab().toImage()
    tape = finish.edges.tapes[DEPTH]
    tape.setFocus()
    for _ in range(20):
        QTest.keyClick(tape, Qt.Key.Key_Right)
    settle(window)
    assert window.session.recipe.finish.fall_off.depth_EV == pytest.approx(1.0)
    assert window.view.grab().toImage() != before and "edges" in finish.reading_text()
    window.session.commit([(DEPTH, 3.0)], "deep")
    settle(window)
    found = [each for each in window.session.findings if each.id == "finish.fall_off_noticed"]
    assert found and "Noticed in" in finish.edges.note.text()
    window.session.do_finding(found[0])
    settle(window)
    assert window.session.recipe.finish.fall_off.depth_EV < 3.0
    assert not [each for each in window.session.findings if each.id == "finish.fall_off_noticed"]


def test_the_centre_is_dragged_on_the_picture_and_taken_back(window, finish):
    view, page = window.view, finish.edges
    assert page.centre_on(view) is None
    window.session.commit([(DEPTH, 1.0)], "x")
    settle(window)
    at = page.centre_on(view).toPoint()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view, at + QPoint(40, -20))
    QTest.mouseMove(view, at + QPoint(80, -40))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at + QPoint(80, -40))
    settle(window)
    own = window.session.recipe.finish.fall_off
    assert own.x > 0.55 and own.y < 0.48
    moved = page.centre_on(view)
    assert (moved - QPointF(at + QPoint(80, -40))).manhattanLength() < 4
    window.session.undo()
    settle(window)
    assert window.session.recipe.finish.fall_off.x == 0.5
    # elsewhere the picture is moved, not the centre
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(60, 60))
    QTest.mouseMove(view, QPoint(90, 90))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(90, 90))
    assert window.session.recipe.finish.fall_off.x == 0.5
    window.go_to(window.stations.light)
    assert page.tool not in view.tools


def test_a_place_is_spared_by_its_name(window, finish):
    mask = Rows([("e", Ellipse(x=0.3, y=0.2, w=0.2, h=0.2))])
    window.session.commit(added(window.session.recipe, [("places", Place(name="sun", mask=mask))]), "sun")
    settle(window)
    spares = finish.edges.spares
    assert [spares.itemText(n) for n in range(spares.count())] == ["nothing", "sun"]
    spares.setCurrentIndex(1)
    spares.activated.emit(1)
    settle(window)
    assert window.session.recipe.finish.fall_off.spares in window.session.recipe.places
    assert spares.currentText() == "sun"


def test_glow_signature_and_border(window, finish):
    finish.turn_to("Glow and grain")
    window.session.commit([("finish.glow.amount_percent", 50.0)], "x")
    settle(window)
    assert "Blacks" in finish.light.note.text() and "glow" in finish.reading_text()
    finish.turn_to("Signature and border")
    page = finish.marks
    page.text.setFocus()
    QTest.keyClicks(page.text, "Ana Corva")
    QTest.keyClick(page.text, Qt.Key.Key_Return)
    settle(window)
    assert window.session.recipe.finish.signature.text == "Ana Corva"
    assert "stands out by" in page.note.text()
    page.corner.button("upper_left").click()
    settle(window)
    assert window.session.recipe.finish.signature.corner == "upper_left"
    window.session.undo()
    window.session.undo()
    page.text.clearFocus()
    settle(window)
    assert window.session.recipe.finish.signature.text == "" and page.text.text() == ""
    before = window.view.grab().toImage()
    window.session.commit([("finish.border.width_percent", 5.0)], "x")
    window.set_zoom(0.1)
    settle(window)
    shown = window.view.grab().toImage()
    edge = window.view.to_widget(-10.0, 100.0).toPoint()
    assert shown != before and shown.pixelColor(edge).red() == 255


def test_the_plot_is_dragged_by_its_marks():
    plot, told = FallOffPlot(), []
    plot.resize(340, 170)
    plot.changed.connect(told.append)
    plot.show_set(FallOff(depth_EV=1.0, lift_EV=0.2, start_percent=40.0))
    plot.show_most(0.8)
    for name, by in (("depth_EV", QPoint(0, 20)), ("lift_EV", QPoint(0, -10)), ("start_percent", QPoint(30, 0))):
        mark = plot.marks()[name].toPoint()
        QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=mark)
        QTest.mouseMove(plot, mark + by)
        QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=mark + by)
    values = dict(told)
    assert values["depth_EV"] == pytest.approx(1.7, abs=0.15)
    assert values["lift_EV"] > 0.4 and values["start_percent"] > 45
    assert plot.hit(200, 5) is None
    plot.grab()


def test_what_lies_behind_is_blurred_and_the_subject_kept(window, finish, middle_found):
    finish.turn_to("Behind")
    page, session = finish.behind, window.session
    before = window.view.grab().toImage()
    tape = page.tapes["finish.behind.disc_px"]
    tape.setFocus()
    for _ in range(20):
        QTest.keyClick(tape, Qt.Key.Key_Right)
    settle(window)
    assert session.recipe.finish.behind.disc_px == 20.0 and window.view.grab().toImage() != before
    assert "disc of 20" in page.note.text() and "as at f/" in page.note.text()
    page.keep_subject.click()
    settle(window)
    (ident,) = session.recipe.places.order
    assert session.recipe.finish.behind.keeps == ident and page.keeps.currentText() == "Subject"
    page.keep_subject.click()
    settle(window)
    assert session.recipe.places.order == (ident,), "one is enough"
    page.keeps.setCurrentIndex(0)
    page.keeps.activated.emit(0)
    assert session.recipe.finish.behind.keeps == ""
    session.undo()
    assert session.recipe.finish.behind.keeps == ident


def test_the_line_where_the_ground_is_sharp_is_dragged(window, finish):
    finish.turn_to("Behind")
    page, session, view = finish.behind, window.session, window.view
    assert page.lines_on(view) == {}
    session.commit([("finish.behind.disc_px", 20.0), ("finish.behind.far_y", 0.3)], "x")
    settle(window)
    y = round(page.lines_on(view)["finish.behind.far_y"])
    at = QPoint(view.width() // 2, y)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view, at + QPoint(0, 20))
    QTest.mouseMove(view, at + QPoint(0, 60))
    assert session.recipe.finish.behind.far_y > 0.3
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at + QPoint(0, 60))
    settle(window)
    moved = page.lines_on(view)["finish.behind.far_y"]
    assert moved == pytest.approx(y + 60, abs=3)
    session.undo()
    settle(window)
    assert session.recipe.finish.behind.far_y == 0.3
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view, at + QPoint(0, 40))
    QTest.keyClick(view, Qt.Key.Key_Escape)
    settle(window)
    assert session.recipe.finish.behind.far_y == 0.3, "Escape takes a drag back"


def test_a_drawing_signs_in_place_of_text(window, finish, tmp_path):
    finish.turn_to("Signature and border")
    page, session = finish.marks, window.session
    drawn = Pillow.new("RGBA", (300, 120))
    ImageDraw.Draw(drawn).line([(20, 100), (150, 20), (280, 100)], fill=(0, 0, 90, 255), width=14)
    drawn.save(tmp_path / "sign.png")
    before = window.view.grab().toImage()
    page.sign_with(tmp_path / "sign.png")
    settle(window)
    assert session.recipe.finish.signature.drawing.columns > 250 and window.view.grab().toImage() != before
    assert page.draw.text() == "No image" and not page.text.isEnabled() and "stands out by" in page.note.text()
    assert load_document(session.picture.path).recipe.finish.signature == session.recipe.finish.signature
    page.draw.click()
    settle(window)
    assert not session.recipe.finish.signature.drawing.rows and window.view.grab().toImage() == before
    (tmp_path / "broken.png").write_bytes(b"\x89PNG nothing")
    page.sign_with(tmp_path / "broken.png")
    settle(window)
    assert "save it as PNG" in window.header.word.whole()


def test_attention_is_told_where_the_edges_change_it(window):
    """In a picture without a subject it said: 2 % of attention, 2 % without."""
    edges = window.stations.finish.page
    before = SimpleNamespace(subject=0.021)
    for share, told in (
        (0.024, ""),
        (None, ""),
        (0.34, "the subject holds 34\u202f% of the attention, 2\u202f% without"),
    ):
        readings = {"attention": SimpleNamespace(subject=share), "attention_unfinished": before}
        window.session.judging.reading = PictureReading(readings)
        assert "; ".join(edges._of_attention()) == told
