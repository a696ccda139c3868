"""Mend in the real window: level lines, the crop's handles, turns."""

import shutil
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from matiz.deliver.orders import order_for
from matiz.deliver.write import deliver
from matiz.findings.model import Finding
from matiz.raw.dng import write_dng
from matiz.recipe.mending import Fill, Heal
from matiz.recipe.model import Mend, Recipe
from matiz.recipe.paths import added
from matiz.recipe.tree import Rows
from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window
from matiz.ui.stations.mend.level import lean_of
from matiz.work.session import Session
from matiz_simcam.shoot import DEMO_SHOTS, simulate


def drag(window, start: QPoint, end: QPoint) -> None:
    QTest.mousePress(window.view, Qt.MouseButton.LeftButton, pos=start)
    for share in (0.3, 0.7, 1.0):
        QTest.mouseMove(window.view, start + (end - start) * share)
    QTest.mouseRelease(window.view, Qt.MouseButton.LeftButton, pos=end)
    settle(window)


@pytest.mark.parametrize("by_clicks", [False, True])
def test_a_level_line_is_drawn_along_an_edge(window, by_clicks):
    window.go_to(window.stations.mend)
    window.stations.mend.draw_level()
    # 8 px down over 200: the edge leans clockwise by 2.3 degrees
    start = window.view.to_widget(120, 200).toPoint()
    end = start + QPoint(200, 8)
    if by_clicks:
        for place in (start, end):
            QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=place)
        settle(window)
    else:
        drag(window, start, end)
    assert window.session.recipe.mend.level_deg == pytest.approx(-2.29, abs=0.02)
    assert not window.stations.mend.level.line.isChecked() and len(window.view.tools) == 2
    assert window.view.viewport.picture == window.session.engine.size(window.session.recipe) != (600, 400)
    assert len(window.session.document.version.history.changes) == 1
    # a second line, on the picture as it lies now, adds to it; upright this time
    window.stations.mend.draw_level()
    top = window.view.to_widget(300, 100).toPoint()
    drag(window, top, top + QPoint(-4, 200))
    assert window.session.recipe.mend.level_deg == pytest.approx(-2.29 - 1.15, abs=0.03)
    window.session.undo()
    window.session.undo()
    settle(window)
    assert window.session.recipe == Recipe() and window.view.viewport.picture == (600, 400)


def test_leans_of_lines():
    assert lean_of((0, 0), (100, 5)) == pytest.approx(2.862, abs=1e-3) == lean_of((100, 5), (0, 0))
    assert lean_of((0, 0), (-5, 100)) == pytest.approx(2.862, abs=1e-3) == lean_of((-5, 100), (0, 0))
    assert lean_of((0, 0), (100, -5)) == pytest.approx(-2.862, abs=1e-3)


def test_the_level_is_dragged_on_the_lean_plot(window):
    window.go_to(window.stations.mend)
    plot = window.stations.mend.level.plot
    middle = QPoint(plot.width() // 2, plot.height() // 2)
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(plot, middle + QPoint(40, 0))
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=middle + QPoint(40, 0))
    settle(window)
    expected = -40.0 * 12.0 / (plot.width() - 28)
    assert window.session.recipe.mend.level_deg == pytest.approx(expected, abs=0.1)


def test_the_crop_is_dragged_by_its_handles_with_a_ratio(window):
    window.go_to(window.stations.mend)
    window.stations.mend.turn_to("Crop")
    page = window.stations.mend.crop
    page.ratio.setCurrentIndex(page.ratio.findData("4:5"))
    page.ratio.activated.emit(page.ratio.currentIndex())
    settle(window)
    rect = page.rect()
    assert rect.w / rect.h == pytest.approx(1.25, abs=0.01) and rect.h == 400
    corner = window.view.to_widget(rect.x + rect.w, rect.y + rect.h).toPoint()
    drag(window, corner, corner - QPoint(100, 80))
    made = page.rect()
    assert made.w / made.h == pytest.approx(1.25, abs=0.01) and made.w < rect.w - 50
    assert (made.x, made.y) == pytest.approx((rect.x, rect.y), abs=1)
    assert window.view.viewport.picture == (600, 400), "all of the picture is seen while it is cropped"
    middle = window.view.to_widget(*made.middle).toPoint()
    drag(window, middle, middle + QPoint(30, 20))
    assert page.rect().w == made.w and page.rect().x > made.x
    window.go_to(window.stations.light)
    settle(window)
    kept = window.session.engine.size(window.session.recipe)
    assert window.view.viewport.picture == kept == (round(made.w), round(made.h))
    assert len(window.view.tools) == 2
    window.go_to(window.stations.mend)
    settle(window)
    assert window.view.viewport.picture == (600, 400)
    page.turn_sides()
    assert page.rect().h > page.rect().w
    page.all.click()
    settle(window)
    assert window.session.recipe.mend == Recipe().mend


def test_turns_and_mirror(window):
    window.go_to(window.stations.mend)
    QTest.keyClick(window, Qt.Key.Key_BracketRight, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert window.session.recipe.mend.quarter_turns == "1" and window.view.viewport.picture == (400, 600)
    window.stations.mend.level.mirror.click()
    for _ in range(3):
        window.stations.mend.turn(1)
    settle(window)
    assert window.session.recipe.mend.quarter_turns == "0" and window.session.recipe.mend.mirror == "on"
    # a level line on a mirrored picture turns what is seen
    window.stations.mend.draw_level()
    start = window.view.to_widget(120, 200).toPoint()
    drag(window, start, start + QPoint(200, 8))
    assert window.session.recipe.mend.level_deg == pytest.approx(2.29, abs=0.02)


def test_mends_commands_lead_there(window):
    assert window.station is not window.stations.mend
    QTest.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert window.station is window.stations.mend and window.stations.mend.page is window.stations.mend.crop
    assert window.stations.mend.crop.tool in window.view.tools
    window.go_to(window.stations.light)
    assert window.stations.mend.crop.tool not in window.view.tools


def test_before_lies_as_the_picture_does(window):
    """What it is compared with is levelled and cropped too."""
    window.session.commit([("mend.crop", (0.1, 0.1, 0.5, 0.4)), ("mend.level_deg", 2.0)], "Crop")
    window.session.commit([("tone.exposure_EV", 1.5)], "Exposure")
    settle(window)
    window.view.toggle_comparison("split")
    settle(window)
    assert window.view.comparison._other.image.size() == window.view.image().size()
    window.view.show_before(True)
    settle(window)
    assert window.view.image().size().width() > 0
    window.view.show_before(False)
    window.view.toggle_comparison("split")


def test_a_fix_that_turns_the_picture_is_compared(window):
    window.go_to(window.stations.mend)
    trial = window.session.recipe.change("mend.level_deg", 5.0)[0]
    window.view.try_out(trial, "level")
    settle(window)
    assert window.view.comparison.trial_of == "level"
    assert window.view.comparison._other.view.picture == window.session.engine.size(trial)
    window.view.grab()


def test_a_cropped_pixel_is_asked(window):
    said = []
    window.session.said.connect(said.append)
    window.session.commit([("tone.exposure_EV", 1.5), ("mend.crop", (0.2, 0.2, 0.3, 0.3))], "x")
    window.go_to(window.stations.mend)
    window.stations.mend.turn_to("Crop")
    settle(window)
    for place, told in (((30, 30), "outside the crop"), ((200, 200), "tone")):
        window.clicks.ask_pixel()
        QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=window.view.to_widget(*place).toPoint())
        settle(window)
        assert told in said[-1], said


@pytest.fixture(scope="module")
def dusty_file(tmp_path_factory):
    """A larger frame with its sensor's dust."""
    shot = next(s for s in DEMO_SHOTS if s.name.startswith("CORVA_0015"))
    path = tmp_path_factory.mktemp("dust") / "dusty.dng"
    frame = simulate(shot.scene, (1500, 1000), shot.settings, view=shot.view)
    write_dng(frame, path, np.zeros((8, 12, 3), np.uint8))
    return path


@pytest.fixture
def dusty(window, shoot, dusty_file):
    """It is open on the Dust page."""
    shutil.copy(dusty_file, shoot / "dusty.dng")
    window.open_paths([shoot / "dusty.dng"])
    settle(window)
    window.go_to(window.stations.mend)
    window.stations.mend.turn_to("Dust")
    settle(window)
    return window


def test_the_dust_is_walked_through(dusty):
    said = []
    dusty.session.said.connect(said.append)
    page = dusty.stations.mend.dust
    count = len(page.specks())
    assert count >= 2 and not page.walk.heal.isEnabled()
    assert dusty.stations.mend.reading_text() == f"dust: 0 of {count}"
    QTest.keyClick(dusty, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    settle(dusty)
    assert dusty.view.viewport.zoom == 1.0 and page.walk.current == 0
    middle = dusty.view.to_widget(page.specks()[0].x, page.specks()[0].y)
    assert abs(middle.x() - dusty.view.width() / 2) < 200, "as far to the middle as the border lets it"
    page.show_dust.setChecked(True)
    settle(dusty)
    seen = dusty.view.grab().toImage().pixelColor(middle.toPoint())
    assert seen.red() == seen.green() == seen.blue() < 40, "the shadow is black"
    page.show_dust.setChecked(False)
    page.walk.heal.click()
    settle(dusty)
    assert len(dusty.session.recipe.mend.repairs) == 1 and page.walk.current == 1
    for _ in range(count - 1):
        page.walk.decline.click()
    settle(dusty)
    assert f"All of {count} dust spots" in said[-1] and dusty.view.viewport.zoom == 0.0
    assert "no dust spot left" in page.note.text()
    assert dusty.stations.mend.reading_text() == "dust looked at"
    states = [mark.state for mark in page.plan._marks]
    assert states.count("healed") == 1 and states.count("no dust") == count - 1
    assert "mend.dust" not in {finding.id for finding in dusty.session.findings}, "and nothing more is said of it"
    for _ in range(count):
        dusty.session.undo()
    settle(dusty)
    assert dusty.session.recipe == Recipe()


def test_a_fix_that_adds_repairs_is_compared_and_let_go(dusty):
    card = next(card for card in dusty.findings.cards() if card.finding.id == "mend.dust")
    for mode in ("trial", "off", "trial"):
        card.compared.emit(card.finding)
        settle(dusty)
        assert dusty.view.comparison.mode == mode
    assert len(dusty.session.recipe.mend.repairs) == 0


def test_the_crop_is_harmless_without_a_picture(qapp):
    window = Window(Session())
    window.show()
    window.go_to(window.stations.mend)
    window.stations.mend.turn_to("Crop")
    QTest.mouseMove(window.view, QPoint(50, 50))
    pointer = window.view.pointer(QPointF(50, 50))
    window.stations.mend.crop.tool.hover(pointer)
    assert not window.stations.mend.crop.tool.begin(pointer)
    settle(window)
    window.close()


def test_what_another_page_shows_does_not_follow_the_hand(dusty):
    for title, shows in (("Level", ("tilt",)), ("Lens", ("mend",)), ("Crop", ("subject", "whole_border"))):
        dusty.stations.mend.turn_to(title)
        assert dusty.session.judging._visible == dusty.stations.mend.shows == shows


def test_a_spot_is_healed_its_source_moved_and_taken_away(dusty):
    page, view = dusty.stations.mend.repair, dusty.view
    page.sizes["radius_px"].valueChanged.emit(20.0)
    spot = view.to_widget(420, 420).toPoint()
    before = dusty.session.engine.render(Recipe(), 0, (410, 410, 20, 20)).copy()
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=spot)
    settle(dusty)
    repairs = dusty.session.recipe.mend.repairs
    (ident,) = repairs
    item = repairs[ident]
    assert page.chosen == ident and item.KIND == "heal" and (item.dx, item.dy) != (0.0, 0.0)
    assert item.path[0] == pytest.approx((420.5 / 1500, 420.5 / 1500), abs=0.002)
    after = dusty.session.engine.render(dusty.session.recipe, 0, (410, 410, 20, 20))
    assert not np.array_equal(before, after)
    source = view.to_widget(420 + item.dx * 1500, 420 + item.dy * 1500).toPoint()
    drag(dusty, source, source + QPoint(40, 0))
    moved = dusty.session.recipe.mend.repairs[ident]
    scale = view.viewport.scale
    assert moved.dx - item.dx == pytest.approx(40 / scale / 1500, abs=0.002)
    assert moved.dy == pytest.approx(item.dy, abs=1e-3)
    QTest.keyClick(dusty, Qt.Key.Key_Delete, Qt.KeyboardModifier.ControlModifier)
    settle(dusty)
    assert len(dusty.session.recipe.mend.repairs) == 0 and page.chosen == ""
    for _ in range(3):
        dusty.session.undo()
    settle(dusty)
    assert dusty.session.recipe == Recipe()


def test_a_stroke_is_cloned_and_delivered(dusty, tmp_path):
    page, view = dusty.stations.mend.repair, dusty.view
    page.kinds.button("clone").click()
    page.sizes["radius_px"].valueChanged.emit(15.0)
    start = view.to_widget(600, 600).toPoint()
    drag(dusty, start, start + QPoint(60, 20))
    (item,) = dusty.session.recipe.mend.repairs.values()
    assert item.KIND == "clone" and len(item.path) > 2
    dusty.session.commit([("mend.crop", (0.2, 0.2, 0.5, 0.4)), ("mend.quarter_turns", "1")], "Crop")
    settle(dusty)
    order = order_for(tmp_path / "x.png")
    deliver(dusty.session.engine, dusty.session.recipe, order, tmp_path / "x.png")
    with Image.open(tmp_path / "x.png") as written:
        assert written.size == dusty.session.engine.size(dusty.session.recipe) == (600, 750)


def test_texture_and_base_are_healed_apart(dusty):
    page, view, session = dusty.stations.mend.repair, dusty.view, dusty.session
    dusty.stations.mend.turn_to("Repair")
    assert page.sizes["detail_px"].isHidden()
    made = {}
    for layer, at in (("base", (600, 600)), ("mixed", (500, 600)), ("texture", (400, 700))):
        page.kinds.button("mix" if layer == "mixed" else layer).click()
        drag(dusty, view.to_widget(*at).toPoint(), view.to_widget(*at).toPoint())
        settle(dusty)
        made[layer] = session.recipe.mend.repairs[page.chosen]
        assert made[layer].KIND == "heal" and made[layer].layer == layer
        assert not page.sizes["detail_px"].isHidden()
        assert f"  {layer}, spot" in page.list.currentItem().text()
    assert (made["base"].dx, made["base"].dy) == (0.0, 0.0) != (made["texture"].dx, made["texture"].dy)
    assert (made["mixed"].dx, made["mixed"].dy) == (0.0, 0.0) and not made["mixed"].has_source
    plain = session.engine.render(Recipe(), 0, (570, 570, 60, 60), result="camera")
    shown = []
    ways = ("base", 3.0), ("base", 12.0), ("texture", 3.0), ("texture", 12.0), ("both", 3.0), ("mixed", 3.0)
    for layer, px in ways:
        item = replace(made["texture"], path=made["base"].path, layer=layer, detail_px=px)
        recipe = replace(Recipe(), mend=replace(Mend(), repairs=Rows([("a", item)])))
        shown.append(session.engine.render(recipe, 0, (570, 570, 60, 60), result="camera").copy())
    apart = [np.abs(a - b).mean() for n, a in enumerate(shown) for b in (*shown[:n], plain)]
    assert min(apart) > 1e-6, "each layer and each blur makes another picture"
    page.choose("")
    page.kinds.button("heal").click()
    assert page.sizes["detail_px"].isHidden()


def test_an_outline_is_filled_another_way_and_stopped(dusty):
    page, view = dusty.stations.mend.repair, dusty.view
    dusty.stations.mend.turn_to("Repair")
    page.kinds.button("fill").click()
    assert page.outline.isChecked()

    def draw_round(x: float, y: float, r: float) -> None:
        corners = [view.to_widget(x + dx, y + dy).toPoint() for dx, dy in ((-r, -r), (r, -r), (r, r), (-r, r))]
        QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=corners[0])
        for corner in corners[1:]:
            QTest.mouseMove(view, corner)
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=corners[-1])

    draw_round(700, 700, 60)
    assert page.job is not None and not page.stop.isHidden() and len(dusty.session.recipe.mend.repairs) == 0
    settle(dusty)
    (ident,) = dusty.session.recipe.mend.repairs
    item = dusty.session.recipe.mend.repairs[ident]
    assert item.KIND == "fill" and item.outline == "on" and page.chosen == ident and page.stop.isHidden()
    engine = dusty.session.engine
    runs = engine.sensor.patches.runs
    shown = engine.render(dusty.session.recipe, 0, (660, 660, 80, 80), result="camera").copy()
    assert engine.sensor.patches.runs == runs, "what was made aside is what is shown"
    plain = engine.render(Recipe(), 0, (660, 660, 80, 80), result="camera")
    assert np.abs(shown - plain).mean() > 1e-3
    page.another.click()
    settle(dusty)
    assert dusty.session.recipe.mend.repairs[ident].turn == 1.0
    other = engine.render(dusty.session.recipe, 0, (660, 660, 80, 80), result="camera")
    assert np.abs(other - shown).max() > 1e-3
    draw_round(400, 300, 120)
    page.stop.click()
    settle(dusty)
    assert list(dusty.session.recipe.mend.repairs) == [ident] and page.job is None
    # what is filled is taken by its inside
    page.choose("")
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.to_widget(700, 700).toPoint())
    assert page.chosen == ident


def test_repairs_are_listed_ordered_switched_and_sized(dusty):
    page, session = dusty.stations.mend.repair, dusty.session
    dusty.stations.mend.turn_to("Repair")
    items = [Heal(((0.1 * n, 0.2),), radius_px=20.0, dx=0.05) for n in (2, 4, 6)]
    session.commit(added(session.recipe, [("mend.repairs", item) for item in items]), "Three")
    settle(dusty)
    first, second, third = session.recipe.mend.repairs.order
    assert page.list.count() == 3 and page.list.item(1).text() == "2  heal, spot 20\u202fpx"
    page.list.setCurrentRow(0)
    assert page.chosen == first
    QTest.keyClick(page.list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert session.recipe.mend.repairs.order == (second, first, third) and page.chosen == first
    page.list.item(2).setCheckState(Qt.CheckState.Unchecked)
    assert session.recipe.mend.repairs[third].active == "off"
    tape = page.sizes["feather_px"]
    tape.valueChanging.emit(9.0)
    tape.valueChanged.emit(9.5)
    assert session.recipe.mend.repairs[first].feather_px == 9.5
    QTest.keyClick(page.list, Qt.Key.Key_Delete)
    assert first not in session.recipe.mend.repairs and page.chosen == ""
    tape.valueChanged.emit(3.0)
    assert session.recipe.mend.repairs[second].feather_px == 4.0 and tape.value() == 3.0
    page.choose(second)
    page.kinds.button("clone").click()
    assert page.chosen == "" and tape.value() == 3.0, "what is drawn next is meant"
    for _ in range(5):
        dusty.session.undo()
    settle(dusty)
    assert session.recipe == Recipe() and page.list.count() == 0


def test_the_picture_is_bent_by_the_hand(window):
    window.go_to(window.stations.mend)
    window.stations.mend.turn_to("Warp")
    page, session, view = window.stations.mend.warp, window.session, window.view

    def at(x: float, y: float) -> QPoint:
        return view.to_widget(x, y).toPoint()

    page.take_word("line")
    drag(window, at(10, 120), at(590, 120))
    page.take_word("taller")
    drag(window, at(100, 40), at(500, 120))
    line, band = session.recipe.mend.warp.values()
    assert (line.y, line.x, line.x2) == pytest.approx((0.2, 10 / 600, 590 / 600), abs=0.003)
    assert (band.x, band.y, band.w, band.h) == pytest.approx((1 / 6, 1 / 15, 2 / 3, 2 / 15), abs=0.004)
    assert band.percent == 20.0 and page.chosen == session.recipe.mend.warp.order[1]
    tape = page.tapes[type(band)]
    tape.valueChanging.emit(30.0)
    tape.valueChanged.emit(35.0)
    assert session.recipe.mend.warp[page.chosen].percent == 35.0
    page.take_word("pull")
    drag(window, at(300, 300), at(340, 280))
    pull = session.recipe.mend.warp[page.chosen]
    assert (pull.x, pull.y, pull.dx, pull.dy) == pytest.approx((0.5, 0.5, 40 / 600, -20 / 600), abs=0.004)
    mapping = session.engine.mapping(session.recipe)
    np.testing.assert_allclose(mapping.to_frame([(340, 280)])[0], (300, 300), atol=2.0)
    assert "stretched most" in page.plan.lines()[0] and window.view.grab() is not None
    # it is taken by its end, and moved on
    drag(window, at(340, 280), at(350, 290))
    assert len(session.recipe.mend.warp) == 3
    assert session.recipe.mend.warp[page.chosen].dx == pytest.approx(50 / 600, abs=0.004)
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=at(200, 330))
    pin = session.recipe.mend.warp[page.chosen]
    assert (pin.dx, pin.dy) == pytest.approx((0.0, 0.0), abs=0.01) and len(session.recipe.mend.warp) == 4
    page.take_away.click()
    assert len(session.recipe.mend.warp) == 3
    page.flat.click()
    settle(window)
    assert len(session.recipe.mend.warp) == 0 and page.plan.lines() == ("nothing is stretched",)
    while session.recipe != Recipe():
        window.session.undo()
    settle(window)


def test_frames_are_proposed_about_a_named_subject(window):
    said = []
    window.session.said.connect(said.append)
    window.go_to(window.stations.mend)
    window.stations.mend.turn_to("Crop")
    settle(window)
    page, session = window.stations.mend.crop, window.session
    page.name.setChecked(True)
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=window.view.to_widget(350, 180).toPoint())
    settle(window)
    assert not page.name.isChecked() and page.pick not in window.view.tools
    assert session.recipe.mend.subject[0] == pytest.approx((350.5 / 600, 180.5 / 600), abs=0.003)
    assert "as named" in page.note.text() and "from the nearest crossing of thirds" in page.note.text()
    seen = []
    for _ in range(len(page.frames()) + 1):
        QTest.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        settle(window)
        seen.append(session.recipe.mend.crop)
        assert page.note.text().startswith("Frame ") and "crossing of" in page.note.text()
    assert len(set(seen)) == len(seen) - 1 and seen[0] == seen[-1], "each once, then the first again"
    rect = page.rect()
    assert rect.holds(page.subject().x, page.subject().y)
    while session.recipe != Recipe():
        window.session.undo()
    settle(window)


def test_a_bright_thing_at_the_border_is_filled_by_its_finding(dusty):
    """What fills is made aside before it is put to the recipe."""
    path = tuple((x / 1500, y / 1500) for x, y in ((1460, 300), (1499, 300), (1499, 340), (1460, 340)))
    fill = Fill(path=path, outline="on", radius_px=2.0)
    finding = Finding("mend.bright_at_border", "mend", "x", adds=(("mend.repairs", fill),), fix_label="Fill it")
    dusty.session.do_finding(finding)
    assert len(dusty.session.recipe.mend.repairs) == 0
    settle(dusty)
    assert [item.KIND for item in dusty.session.recipe.mend.repairs.values()] == ["fill"]
