"""The main job in the real window: open, pick, drag, do a finding, undo, deliver."""

import os
import signal
import subprocess
import sys
import time
from dataclasses import replace
from operator import attrgetter
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from matiz.deliver.orders import OWN, Order, read_orders
from matiz.deliver.queue_file import queue_path, read_queue
from matiz.develop.graph.as_file import write_frame
from matiz.findings.model import Finding
from matiz.raw.dng import write_dng
from matiz.recipe.model import Recipe
from matiz.shoot.log import Log
from matiz.shoot.sidecar import load_document
from matiz.shoot.silenced import Silenced
from matiz.ui.frame.actions import ACTIONS
from matiz.ui.frame.findings_panel import evidence_lines
from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window
from matiz.ui.kit import theme
from matiz.work.session import Session
from matiz_simcam.shoot import DEMO_SHOTS, simulate


def _press(window, key, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    QTest.keyClick(QApplication.focusWidget() or window, key, modifier)
    settle(window)


def _pixels(window) -> np.ndarray:
    image = window.view.image()
    return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)[..., 2::-1].copy()


def test_the_first_picture_is_open_with_readings(window, shoot):
    assert window.session.path == shoot / "CORVA_0011.dng"
    assert window.stations.light.reading_text() == "5\u202f480\u202fK"
    assert window.stations.tone.reading_text() == "0.00\u202fEV"
    assert (
        window.stations.sort.reading_text() == "3\u202fpictures" or window.stations.sort.reading_text() == "3 pictures"
    )
    assert {f.id for f in window.session.findings} >= {"tone.under_exposed"}
    assert _pixels(window).std() > 10


def test_a_neutral_is_picked_in_the_picture(window):
    window.stations.light.pick.setChecked(True)
    place = window.view.to_widget(200, 330).toPoint()
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=place)
    settle(window)
    light = window.session.recipe.light
    assert light.source == "manual" and 3000 < light.cct_K < 6500
    assert not window.stations.light.pick.isChecked()
    from matiz.measure.light.area import read_area

    engine = window.session.engine
    area = (188, 318, 24, 24)
    parts = [engine.render(window.session.recipe, 0, area, result=r) for r in ("camera", "working")]
    assert read_area(engine.frame, *parts, 0.0).LCh[1] < 1.5, "what was picked is neutral now"


def test_a_clipped_pick_is_refused(window, shoot):
    window.session.open_picture(shoot / "CORVA_0052.dng")
    settle(window)
    said = []
    window.session.said.connect(said.append)
    window.stations.light.pick_at(60, 70)
    settle(window)
    assert "clipped" in said[0] and window.session.recipe == Recipe()


def test_a_tape_is_dragged_and_the_picture_follows(window):
    QTest.keyClick(window, Qt.Key.Key_4)
    assert window.station is window.stations.tone
    before = _pixels(window).mean()
    tape = window.stations.tone.exposure
    renders = []
    window.view._renderer.answered.connect(lambda *_: renders.append(1))
    start = QPoint(tape.width() // 2, 48)
    QTest.mousePress(tape, Qt.MouseButton.LeftButton, pos=start)
    for dx in range(0, -120, -12):
        QTest.mouseMove(tape, start + QPoint(dx, 0))
        QTest.qWait(15)
    assert window.session.document.recipe == Recipe(), "nothing is recorded while the hand moves"
    assert len(renders) >= 2, "the view is rendered while the hand moves"
    QTest.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=start + QPoint(-120, 0))
    settle(window)
    assert window.session.document.recipe.tone.exposure_EV > 1.0
    assert _pixels(window).mean() > before + 20
    assert window.session.document.version.history.position == 1, "a drag is one step"
    assert window.stations.tone.reading_text().startswith("+1.")


def test_enter_does_the_first_finding_and_undo_takes_it_back(window):
    window.go_to(window.stations.tone)
    settle(window)
    assert window.findings.cards()[0].finding.id == "tone.under_exposed"
    _press(window, Qt.Key.Key_Return)
    assert window.session.recipe.tone.exposure_EV > 1.0
    assert window.findings.cards() == []
    _press(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.recipe == Recipe() and len(window.findings.cards()) == 1
    _press(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert window.session.recipe.tone.exposure_EV > 1.0


def test_enter_is_not_taken_while_a_value_is_typed(window):
    window.go_to(window.stations.tone)
    settle(window)
    tape = window.stations.tone.exposure
    tape.setFocus()
    QTest.keyClicks(tape, "-")
    QTest.keyClicks(tape._editor, "1")
    QTest.keyClick(tape._editor, Qt.Key.Key_Return)
    settle(window)
    assert window.session.recipe.tone.exposure_EV == -1.0


def test_digits_type_into_a_focused_tape_and_else_go_to_stations(window):
    window.go_to(window.stations.tone)
    window.stations.tone.exposure.setFocus()
    QTest.keyClick(window.stations.tone.exposure, Qt.Key.Key_3)
    assert window.station is window.stations.tone and window.stations.tone.exposure.is_typing()
    QTest.keyClick(window.stations.tone.exposure._editor, Qt.Key.Key_Escape)
    window.view.setFocus()
    QTest.keyClick(window.view, Qt.Key.Key_3)
    assert window.station is window.stations.light
    QTest.keyClick(window.view, Qt.Key.Key_9)
    assert window.station is window.stations.deliver


def test_space_shows_before_while_it_is_held(window):
    window.session.commit([("tone.exposure_EV", 2.0)], "Exposure")
    settle(window)
    after = _pixels(window).mean()
    window.view.setFocus()
    QTest.keyPress(window.view, Qt.Key.Key_Space)
    settle(window)
    assert window.view.is_before() and _pixels(window).mean() < after - 20
    QTest.keyRelease(window.view, Qt.Key.Key_Space)
    settle(window)
    assert _pixels(window).mean() == pytest.approx(after, abs=0.1)


def test_zoom_by_key_and_wheel_renders_what_is_seen(window):
    window.set_zoom(1.0)
    settle(window)
    assert window.view.viewport.level == 0
    image = window.view.image()
    expected = window.session.engine.render(window.session.recipe, 0, window.view.viewport.region(0))
    assert (image.height(), image.width()) == expected.shape[:2]
    _press(window, Qt.Key.Key_F2)
    assert window.view.viewport.zoom == 0.0


def test_findings_can_be_silenced_for_the_picture_and_for_good(window, shoot):
    finding = next(f for f in window.session.findings if f.id == "tone.under_exposed")
    window.session.silence(finding, for_good=False)
    settle(window)
    assert finding.id not in {f.id for f in window.session.findings}
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window)
    assert finding.id in {f.id for f in window.session.findings}, "only the one picture was meant"
    window.session.silence(finding, for_good=True)
    assert finding.id not in {f.id for f in window.session.findings}
    assert Silenced().ids() == {finding.id}


def test_evidence_is_said_as_it_was_measured():
    """A count is whole; what is none keeps what its unit is told by."""
    told = {
        "leaks": (2, "leaks  2"), "largest_px": (3748, "largest  3 748 px"), "a_px": (1.24, "a  1.2 px"),
        "halo_L": (1.73, "halo  1.7 L*"), "mean_dE": (2.44, "mean ΔE  2.4"), "gap_EV": (0.5, "gap  0.50 EV"),
        "is": ("even", "is  even"), "at_K": (4820.0, "at  4 820 K"), "off_duv": (0.0021, "off Duv  0.0021"),
        "stands_out_times": (2.31, "stands out  2.3 times"), "turn_of_255": (3.0, "turn  3 of 255"),
    }  # fmt: skip
    evidence = {name: value for name, (value, _) in told.items()}
    lines = evidence_lines(Finding(id="x.y", station="tone", claim="", evidence=evidence))
    assert [line.replace("\u202f", " ") for line in lines] == [words for _, words in told.values()]


def test_evidence_is_written_with_units(window):
    finding = next(f for f in window.session.findings if f.id == "tone.under_exposed")
    assert any(line.startswith("gap  1.") and line.endswith("EV") for line in evidence_lines(finding))


def test_show_lights_up_the_place(window, shoot):
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0052.dng")
    bright = replace(shot.settings, ev=shot.settings.ev + 1.6)
    write_frame(simulate(shot.scene, (600, 400), bright, view=shot.view), shoot / "CORVA_0052.dng")
    window.session.open_picture(shoot / "CORVA_0052.dng")
    window.go_to(window.stations.tone)
    settle(window)
    card = next(c for c in window.findings.cards() if c.finding.id == "tone.clipped")
    before = window.view.grab().toImage()
    next(b for b in card.findChildren(QPushButton) if b.text() == "show").click()
    assert window.view.grab().toImage() != before


def test_the_clip_view_marks_the_window(window, shoot):
    window.session.open_picture(shoot / "CORVA_0052.dng")
    window.go_to(window.stations.tone)
    settle(window)
    before = window.view.grab().toImage()
    QTest.keyClick(window.view, Qt.Key.Key_F6)
    assert window.stations.tone.clip_view.isChecked()
    after = window.view.grab().toImage()
    x, y, w, h = window.session.reading.full.patches[0].x, window.session.reading.full.patches[0].y, 30, 30
    place = window.view.rect_on_widget((x, y, w, h)).toRect()
    assert after.copy(place) != before.copy(place)


def test_everything_is_delivered_and_the_file_is_right(window, shoot):
    window.session.commit([("tone.exposure_EV", 1.2)], "Exposure")
    window.session.sort_as(window.session.path, rank=3)
    window.go_to(window.stations.deliver)
    window.stations.deliver.ordering.set_order(Order())
    window.stations.deliver.deliver_this()
    for box, value in (
        (window.stations.deliver.ordering.format, "TIFF"),
        (window.stations.deliver.ordering.size, "short_side"),
    ):
        box.setCurrentIndex(box.findData(value))
        box.activated.emit(box.currentIndex())
    tape = window.stations.deliver.ordering.sizes["short_side"]
    tape.valueChanged.emit(200.0)
    assert window.stations.deliver.order() == Order("TIFF", short_side=200)
    window.stations.deliver.deliver_this()
    settle(window)
    jpeg, tiff = shoot / "deliveries" / "CORVA_0011.jpg", shoot / "deliveries" / "CORVA_0011.tif"
    assert [row.state for row in window.stations.deliver.queue.rows] == ["done", "done"]
    import tifffile

    assert tifffile.imread(tiff).shape == (200, 300, 3)
    with Pillow.open(jpeg) as picture:
        delivered = np.asarray(picture).astype(float)
        assert b'xmp:Rating="3"' in picture.info["xmp"]
    shown = window.session.engine.render(window.session.document.recipe, 0)[..., 2::-1].astype(float)
    assert np.abs(delivered - shown).mean() < 1.5
    log = Log(shoot)
    assert [e.kind for e in log.events("CORVA_0011.dng")].count("deliver") == 2
    log.close()


def test_orders_are_kept_by_name_taken_and_dropped(window, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    deliver = window.stations.deliver
    window.go_to(deliver)
    deliver.ordering.take_order("print")
    assert deliver.order() == OWN["print"] and deliver.ordering.named.currentText() == "print"
    assert deliver.ordering.sizes["print_cm"].isVisible() and not deliver.ordering.quality.isEnabled()
    deliver.ordering.format.setCurrentIndex(deliver.ordering.format.findData("WebP"))
    deliver.ordering.format.activated.emit(0)
    assert deliver.order().format == "WebP" and deliver.ordering.named.currentIndex() == -1
    deliver.ordering.name.setText("walls")
    deliver.ordering.keep.click()
    assert deliver.ordering.named.currentText() == "walls"
    assert read_orders(tmp_path / "config" / "matiz" / "orders.json")["walls"].format == "WebP"
    deliver.ordering.take_order("screen")
    deliver.ordering.take_order("walls")
    assert deliver.order().format == "WebP"
    deliver.ordering.drop.click()
    assert "walls" not in read_orders(tmp_path / "config" / "matiz" / "orders.json")
    deliver.ordering.name.setText("")
    deliver.ordering.keep.click()
    deliver.ordering.pattern.setText("{nothing}")
    deliver.ordering.pattern.editingFinished.emit()
    assert "pattern" in window.header.word.whole() and deliver.ordering.pattern.text() == "{name}"
    page = deliver.ordering
    for box, value in ((page.keeps, "none"), (page.place, "yes"), (page.sharpening, "matte"), (page.space, "opRGB"),
                       (page.size, "full")):  # fmt: skip
        box.setCurrentIndex(box.findData(value))
        box.activated.emit(box.currentIndex())
    order = deliver.order()
    assert (order.keeps, order.keeps_place, order.sharpening, order.space) == ("none", True, "matte", "opRGB")
    assert order.size_of((6000, 4000)) == (6000, 4000)


def test_what_is_owed_survives_a_restart(window, shoot):
    deliver = window.stations.deliver
    window.go_to(deliver)
    deliver.pausing.setChecked(True)
    deliver.deliver_this()
    settle(window)
    assert [row.state for row in deliver.queue.rows] == ["waiting"]
    assert [each.picture for each in read_queue(shoot)] == [window.session.path]
    deliver._seen = None
    deliver._on_shoot()
    settle(window)
    assert [row.state for row in deliver.queue.rows] == ["left over"]
    deliver.pausing.setChecked(False)
    deliver._on_retry()
    settle(window)
    assert deliver.queue.rows[0].state == "done" and read_queue(shoot) == []
    # what the user stops is owed no more
    deliver.pausing.setChecked(True)
    deliver.deliver_this()
    settle(window)
    assert len(read_queue(shoot)) == 1
    deliver._on_stop()
    settle(window)
    assert deliver.queue.rows[1].state == "stopped" and read_queue(shoot) == []
    deliver.pausing.setChecked(False)
    assert deliver.queue.pace_s() > 0 and not queue_path(shoot).exists()
    # what is damaged or leads elsewhere is left out
    (shoot.parent / "x.dng").write_bytes(b"")
    queue_path(shoot).write_text('{"owed": [{"picture": "../x.dng", "order": {}, "folder": "/"}, 3]}')
    assert read_queue(shoot) == []


def test_a_delivery_can_be_stopped_and_tried_again(window, shoot, monkeypatch):
    window.go_to(window.stations.deliver)
    monkeypatch.setattr("matiz.develop.frame.tiles.TILE_PX", 64)
    window.stations.deliver.deliver_this()
    row = window.stations.deliver.queue.rows[0]
    window.stations.deliver._on_stop()
    settle(window)
    assert row.state == "stopped" and list((shoot / "deliveries").iterdir()) == []
    window.stations.deliver._on_retry()
    settle(window)
    assert row.state == "done" and row.path.exists()


def test_sorting_by_keys(window, shoot):
    _press(window, Qt.Key.Key_1)
    assert window.station is window.stations.sort and window.panels.stack.currentWidget() is window.stations.sort.sheet
    _press(window, Qt.Key.Key_Right)
    assert window.stations.sort.sheet.current_path().name == "CORVA_0031.dng"
    _press(window, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    _press(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    document = load_document(shoot / "CORVA_0031.dng")
    assert (document.sorted_as, document.rank) == ("keep", 4)
    _press(window, Qt.Key.Key_Return)
    assert window.session.path.name == "CORVA_0031.dng" and window.station is window.stations.light
    window.go_to(window.stations.deliver)
    window.stations.deliver.deliver_all_kept()
    settle(window)
    assert [p.name for p in (shoot / "deliveries").iterdir()] == ["CORVA_0031.jpg"]


def test_pages_go_through_the_shoot(window):
    _press(window, Qt.Key.Key_PageDown)
    assert window.session.path.name == "CORVA_0031.dng"
    _press(window, Qt.Key.Key_PageUp)
    assert window.session.path.name == "CORVA_0011.dng"


def test_versions(window):
    window.session.commit([("tone.exposure_EV", 1.0)], "Exposure")
    window.session.new_version()
    window.session.commit([("tone.exposure_EV", -1.0)], "Exposure")
    settle(window)
    assert window.session.document.current == "Version 2"
    window.session.show_version("Version 1")
    settle(window)
    assert window.session.recipe.tone.exposure_EV == 1.0


def test_undo_survives_a_restart(qapp, shoot):
    first = Window(Session())
    first.show()
    first.open_paths([shoot])
    settle(first)
    first.session.commit([("tone.exposure_EV", 1.0)], "Exposure")
    first.close()
    second = Window(Session())
    second.show()
    second.open_paths([shoot])
    settle(second)
    assert second.session.recipe.tone.exposure_EV == 1.0
    second.session.undo()
    assert second.session.recipe == Recipe()
    second.close()


def test_a_damaged_picture_is_said_and_the_rest_goes_on(window, shoot):
    (shoot / "CORVA_0099.dng").write_bytes((shoot / "CORVA_0011.dng").read_bytes()[:20_000])
    (shoot / "CORVA_0098.jpg").write_bytes(b"no picture")
    window.open_paths([shoot])
    settle(window)
    window.go_to(window.stations.sort)
    settle(window)
    window.session.open_picture(shoot / "CORVA_0099.dng")
    settle(window)
    assert "CORVA_0099.dng" in window.view._message
    window.session.open_picture(shoot / "CORVA_0031.dng")
    window.go_to(window.stations.light)
    settle(window)
    assert window.view._message == "" and _pixels(window).std() > 5


def test_a_damaged_sidecar_is_said_and_left_alone(window, shoot):
    path = shoot / "CORVA_0031.dng.matiz.json"
    path.write_text("{damaged")
    said = []
    window.session.said.connect(said.append)
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window)
    assert any("CORVA_0031.dng.matiz.json" in text for text in said) and path.read_text() == "{damaged"


def test_jpegs_open_too(window, shoot):
    Pillow.fromarray((np.random.default_rng(0).random((300, 450, 3)) * 255).astype(np.uint8)).save(shoot / "z.jpg")
    window.open_paths([shoot / "z.jpg"])
    settle(window)
    assert (
        window.session.engine.frame.size == (450, 300) and window.stations.light.reading_text() == "6\u202f500\u202fK"
    )


def test_the_command_of_a_station_goes_there_when_it_is_seen_there(window):
    window.go_to(window.stations.detail)
    window.actions_by_name["give_light"].trigger()
    assert window.station is window.stations.detail, "what is copied to other pictures is not seen in Light"
    window.actions_by_name["clip_view"].trigger()
    assert window.station is window.stations.tone and window.stations.tone.clip_view.isChecked()
    window.actions_by_name["pick_neutral"].trigger()
    assert window.station is window.stations.light and window.stations.light.pick.isChecked()


def test_every_action_has_a_slot_a_key_and_help(window):
    specs = [(window, spec) for spec in ACTIONS]
    specs += [(station, spec) for station in window.stations for spec in station.actions()]
    keys = [k for _, spec in specs for k in spec.keys]
    assert len(keys) == len(set(keys)) and all(QKeySequence(k).count() == 1 for k in keys)
    for owner, spec in specs:
        assert callable(attrgetter(spec.slot)(owner)) and spec.help.endswith(".")
        assert window.actions_by_name[spec.name].text() == spec.text


def test_commands_are_found_by_typing_and_run(window):
    """F1 and a button open them; words narrow them; Enter runs the first; they fit the smallest window."""
    window.resize(1024, 700)
    QTest.keyClick(window.view, Qt.Key.Key_F1)
    sheet = window.commands
    assert sheet.isVisible() and sheet.width() <= 1024 and sheet.height() <= 700
    shown = {command.text for command in sheet.model.shown}
    assert {spec.text.rstrip("\u2026") for spec in ACTIONS} <= shown and {"Go to Tone", "Zoom"} <= shown
    assert all(command.help.endswith(".") for command in sheet.model.shown)
    rects = [sheet.list.visualRect(sheet.model.index(n)) for n in range(4)]
    assert rects[0].top() == rects[1].top() and rects[2].top() > rects[0].top(), "two columns"
    QTest.keyClicks(sheet.typed, "clip")
    assert sheet.model.shown[0].text == "Clip view" and sheet.told.text().startswith("Hatch")
    QTest.keyClick(sheet.typed, Qt.Key.Key_Return)
    settle(window)
    assert not sheet.isVisible() and window.stations.tone.clip_view.isChecked()
    window.header.commands.click()
    QTest.keyClicks(window.commands.typed, "xyzzy")
    assert window.commands.model.rowCount() == 0 and "No command" in window.commands.told.text()
    QTest.keyClick(window.commands.typed, Qt.Key.Key_Escape)
    assert not window.commands.isVisible()


def test_the_picture_is_seen_alone(window):
    wide = window.view.width()
    QTest.keyClick(window.view, Qt.Key.Key_F11)
    settle(window)
    assert window.view.size() == window.size() and not window.route.isVisible() and not window.findings.isVisible()
    window.activateWindow()
    QTest.keyClick(window.view, Qt.Key.Key_Escape)
    settle(window)
    assert window.view.width() == wide and window.route.isVisible()


@pytest.mark.parametrize("size", [(1024, 700), (1280, 800), (2560, 1440)])
def test_every_station_fits_every_window(window, size):
    window.resize(*size)
    for station in window.stations:
        window.go_to(station)
        settle(window)
        assert window.size().width() == size[0] and window.size().height() == size[1]
        for button in station.deck.findChildren(QPushButton):
            if button.isVisible():
                assert button.width() >= button.sizeHint().width(), button.text()
                assert station.deck.rect().contains(button.mapTo(station.deck, button.rect().bottomRight()))


def test_the_print_surround_is_light(window):
    dark = window.grab().toImage().pixelColor(20, 780).lightness()
    window.toggle_surround()
    assert window.grab().toImage().pixelColor(20, 780).lightness() > dark + 80
    window.toggle_surround()
    assert theme.theme() is theme.DARK


def test_the_chrome_is_neutral_and_text_has_contrast():
    for part in ("window", "panel", "raised", "line", "text", "quiet", "strong"):
        c = theme.colour(part)
        assert c.red() == c.green() == c.blue()
    from matiz.colour.spaces import luminance

    def contrast(a: float, b: float) -> float:
        high, low = max(luminance(a), luminance(b)) + 0.05, min(luminance(a), luminance(b)) + 0.05
        return high / low

    for chosen in (theme.DARK, theme.PRINT):
        assert contrast(chosen.text, chosen.panel) >= 7.0 and contrast(chosen.text, chosen.raised) >= 7.0
        assert contrast(chosen.quiet, chosen.panel) >= 4.5


def test_everything_that_takes_a_hand_has_a_name(window):
    from matiz.ui.kit.instrument import Instrument
    from matiz.ui.kit.tape import Tape

    for kind in (Tape, Instrument):
        assert all(w.accessibleName() for w in window.findChildren(kind))
    assert all(b.accessibleName() or b.text() for b in window.findChildren(QPushButton))


KILLED = """
import sys, time
from pathlib import Path
from PySide6.QtCore import QTimer
from matiz.ui.kit.application import application
from matiz.work.session import Session
from matiz.ui.frame.window import Window
app = application()
window = Window(Session())
window.show()
window.open_paths([Path(sys.argv[1])])
state = {"n": 0}
def drag():
    if window.session.is_open:
        state["n"] += 1
        state["grip"] = state.get("grip") or window.session.begin()
        state["grip"].preview([("tone.exposure_EV", state["n"] / 100)])
        print(time.monotonic(), state["n"] / 100, flush=True)
timer = QTimer(interval=20)
timer.timeout.connect(drag)
timer.start()
app.exec()
"""


def test_killing_the_process_in_a_drag_loses_at_most_the_last_second(shoot):
    root = Path(__file__).parents[2]
    process = subprocess.Popen([sys.executable, "-c", KILLED, str(shoot)], cwd=root, stdout=subprocess.PIPE, text=True)
    for line in process.stdout:
        first = line.split()
        break
    history = [tuple(map(float, first))]
    until = time.monotonic() + 3.2
    while time.monotonic() < until:
        history.append(tuple(map(float, process.stdout.readline().split())))
    os.kill(process.pid, signal.SIGKILL)
    process.stdout.close()
    process.wait()
    saved = load_document(shoot / "CORVA_0011.dng").recipe.tone.exposure_EV
    killed_at = history[-1][0]
    old_enough = [value for at, value in history if at < killed_at - 1.4]
    assert saved >= max(old_enough), "saved every second, and a moment for the disk"


def test_the_demo_is_made_in_the_window_and_can_be_stopped(qapp, tmp_path):
    made = Window(Session())
    made.show()
    made.demo.open(tmp_path, (750, 500))
    deadline = time.monotonic() + 60
    while not list(tmp_path.glob("*.dng")) and time.monotonic() < deadline:
        QTest.qWait(50)
    assert made.demo.bar.isVisible()
    made.demo.stop()
    settle(made)
    some = len(list(tmp_path.glob("*.dng")))
    assert 0 < some < len(DEMO_SHOTS) and made.session.is_open
    made.close()


def test_a_frame_turned_on_its_side_is_upright(window, shoot, tmp_path):
    from dataclasses import replace

    from matiz.raw.decode import read_frame

    frame = read_frame(shoot / "CORVA_0011.dng")
    write_dng(replace(frame, orientation=6), shoot / "turned.dng", np.zeros((40, 60, 3), np.uint8))
    window.session.pictures.append(shoot / "turned.dng")
    window.session.open_picture(shoot / "turned.dng")
    settle(window)
    assert window.session.engine.frame.size == (400, 600)
    assert window.view.viewport.picture == (400, 600)


def test_a_thousand_files_stay_smooth(window, shoot):
    """The sheet asks for previews of what is seen only."""
    source = shoot / "CORVA_0011.dng"
    for n in range(1000):
        os.link(source, shoot / f"n{n:04d}.dng")
    window.open_paths([shoot])
    settle(window)
    window.go_to(window.stations.sort)
    settle(window)
    window.stations.sort.sheet.scrollToBottom()
    settle(window)
    assert len(window.session.pictures) == 1003
    assert 0 < len(window.stations.sort.sheet.sheet._images) < 100


def test_split_shows_before_at_the_left_and_its_line_is_dragged(window):
    window.session.commit([("tone.exposure_EV", 2.0)], "Exposure")
    settle(window)
    plain = window.view.grab().toImage()
    QTest.keyClick(window.view, Qt.Key.Key_F9)
    settle(window)
    split = window.view.grab().toImage()
    place, middle = window.view.image_place(), window.view.height() // 2
    left, right = int(place.left() + 20), int(place.right() - 20)
    assert split.pixelColor(left, middle).lightness() < plain.pixelColor(left, middle).lightness()
    assert split.pixelColor(right, middle) == plain.pixelColor(right, middle)
    line = round(window.view.comparison.line_x(window.view.width()))
    QTest.mousePress(window.view, Qt.MouseButton.LeftButton, pos=QPoint(line, middle))
    QTest.mouseMove(window.view, QPoint(left + 5, middle))
    QTest.mouseRelease(window.view, Qt.MouseButton.LeftButton, pos=QPoint(left + 5, middle))
    moved = window.view.grab().toImage()
    beyond = left + 60
    assert moved.pixelColor(beyond, middle) == plain.pixelColor(beyond, middle)
    QTest.keyClick(window.view, Qt.Key.Key_F9)
    assert window.view.grab().toImage().pixelColor(left, middle) == plain.pixelColor(left, middle)


def test_the_change_map_draws_contours(window):
    zones = (0.0,) * 3 + (1.0, 1.0) + (0.0,) * 6
    window.session.commit([("tone.zones_EV", zones)], "Zones")
    settle(window)
    plain = window.view.grab().toImage()
    QTest.keyClick(window.view, Qt.Key.Key_F10)
    settle(window)
    window.view.grab()
    settle(window)
    assert window.view.grab().toImage() != plain
    assert any(window.view.comparison._lines.values())
    QTest.keyClick(window.view, Qt.Key.Key_F10)
    assert window.view.grab().toImage() == plain


def test_the_light_map_is_drawn_where_two_lights_are(window, shoot):
    toast = next(s for s in DEMO_SHOTS if s.name == "CORVA_0057.dng")
    write_frame(simulate(toast.scene, (600, 400), toast.settings, view=toast.view), shoot / "CORVA_0052.dng")
    window.session.open_picture(shoot / "CORVA_0052.dng")
    window.go_to(window.stations.light)
    settle(window)
    assert len(window.session.reading.light.lights.found) == 2 and window.stations.light.map.isEnabled()
    assert "two lights" in window.stations.light.note.text()
    before = window.view.grab().toImage()
    window.stations.light.map.click()
    assert window.view.grab().toImage() != before
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window)
    assert not window.stations.light.map.isEnabled()


def test_tone_is_worked_by_keyboard_alone(window):
    """Tab reaches every control, arrows the words of a row; arrows move ladder and tapes, Space presses words."""
    QTest.keyClick(window, Qt.Key.Key_4)
    station = window.stations.tone
    reached, first = set(), None
    station.ladder.setFocus()
    for _ in range(60):
        widget = QApplication.focusWidget()
        first = first or widget
        reached.add(widget.accessibleName() or widget.text())
        QTest.keyClick(widget, Qt.Key.Key_Tab)
        if QApplication.focusWidget() is first:
            break
    names = {
        "Zone ladder",
        "Tone curve",
        "Curve of: L*",
        "Exposure",
        "White point",
        "Black point",
    }
    names |= {"Fine contrast", "Middle contrast", "Broad contrast", "Haze removed", "S curve 1.2", "Clip view"}
    assert names <= reached, names - reached
    assert any(name.startswith("Rendition") for name in reached)
    station.ladder.setFocus()
    _press(window, Qt.Key.Key_Up)
    assert window.session.recipe.tone.zones_EV[5] == pytest.approx(0.05)
    station.tapes["tone.haze_percent"].setFocus()
    _press(window, Qt.Key.Key_Right)
    assert window.session.recipe.tone.haze_percent == 1.0
    station.channels.button("red").setFocus()
    _press(window, Qt.Key.Key_Space)
    assert station.channel == "red"
    station.curve.setFocus()
    _press(window, Qt.Key.Key_Insert)
    assert len(window.session.recipe.tone.curve.red) == 3 and len(window.session.recipe.tone.curve.lightness) == 2
    next(b for b in station.deck.findChildren(QPushButton) if b.accessibleName() == "S curve 1.4").setFocus()
    _press(window, Qt.Key.Key_Space)
    assert len(window.session.recipe.tone.curve.lightness) == 5


def test_mend_is_dragged_in_its_plot(window):
    QTest.keyClick(window, Qt.Key.Key_2)
    settle(window)
    window.stations.mend.turn_to("Lens")
    plot = window.stations.mend.lens.plot
    end = plot._end("b").toPoint()
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=end)
    grabbed = plot.grabbed
    QTest.mouseMove(plot, end - QPoint(0, 30))
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=end - QPoint(0, 30))
    settle(window)
    mend = window.session.recipe.mend
    moved = mend.fringe_red_px if grabbed == "r" else mend.fringe_blue_px
    assert moved > 0.3, "up is outward"
    assert window.stations.mend.is_decided() and "Lens" in window.stations.mend.lens.note.text()


def test_a_pixel_is_asked_which_decision_made_it(window):
    said = []
    window.session.said.connect(said.append)
    window.session.commit([("tone.exposure_EV", 1.5)], "Exposure")
    settle(window)
    QTest.keyClick(window.view, Qt.Key.Key_F5)
    assert window.clicks.is_asking
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=window.view.to_widget(300, 250).toPoint())
    settle(window, 0.5)
    assert not window.clicks.is_asking
    assert said and said[-1].startswith("This point: tone") and "exposure EV ΔE" in said[-1]


def test_one_pictures_light_is_given_to_others(window, shoot):
    """Selected in the sheet; one step of their own each, that can be taken back."""
    said = []
    window.session.said.connect(said.append)
    window.session.commit([("light.cct_K", 4300.0), ("light.duv", 0.002)], "Light")
    window.go_to(window.stations.sort)
    settle(window)
    window.stations.light.give_light()
    assert "Select other pictures" in said[-1]
    window.stations.sort.sheet.selectAll()
    window.stations.light.give_light()
    assert said[-1].endswith("copied to 2 pictures.")
    settle(window)
    for name in ("CORVA_0031.dng", "CORVA_0052.dng"):
        kept = load_document(shoot / name)
        assert (kept.recipe.light.cct_K, kept.recipe.light.duv) == (4300.0, 0.002)
        assert kept.version.undo().recipe == Recipe()
    window.stations.light.give_light()
    assert "Select other" in said[-1], "nothing is left to give"


def test_sets_are_shown_and_sorted_as_one(window, shoot):
    from matiz.raw.frame import Exposure, Facts

    session, sort = window.session, window.stations.sort
    window.go_to(sort)
    settle(window)
    for n, path in enumerate(session.pictures[:3]):
        stamp = f"2026-05-09T06:12:{n:02d}Z"
        exposure = Exposure(100.0, 2.0 ** (2 * n) / 500, 8.0, stamp, 24.0)
        session.take_facts(path, Facts("", exposure, (3, 2)))
    sort.sheet.sheet.regroup()
    assert session.desk.catalogue.set_of(session.pictures[0]).kind == "bracket"
    assert not sort.sheet.grab().isNull()
    sort.sheet.choose(session.pictures[1])
    window.actions_by_name["sort_set"].trigger()
    assert sort.sheet.selected_paths() == session.pictures[:3]
    sort.sort_as("keep")
    sort.set_rank(2)
    told = [session.document_of(path) for path in session.pictures]
    assert [(each.sorted_as, each.rank) for each in told[:3]] == [("keep", 2)] * 3
    assert all(each.sorted_as == "" for each in told[3:])
    sort.sheet.choose(session.pictures[0])
    sort.sort_as("drop")
    assert session.document_of(session.pictures[1]).sorted_as == "keep", "what is not selected stays"


def test_the_record_is_written_from_the_window(window, shoot):
    window.session.commit([("tone.exposure_EV", 0.5)], "Exposure")
    window.go_to(window.stations.deliver)
    for name in ("deliver_log", "deliver_sheet"):
        window.actions_by_name[name].trigger()
        settle(window)
    deadline = time.monotonic() + 30.0
    pdf = shoot / "deliveries" / "contact-sheet.pdf"
    while not pdf.exists() and time.monotonic() < deadline:
        settle(window)
    assert pdf.read_bytes().startswith(b"%PDF")
    assert "| CORVA_0011.dng |" in (shoot / "deliveries" / "log.md").read_text()
