"""What must not be lost, land elsewhere or linger: drags, jobs, gifts, deliveries, slow and broken files."""

import errno
import gc
import os
import subprocess
import sys
import tempfile
import time
import weakref

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QInputDevice, QPointingDevice, QTabletEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QFileDialog, QMessageBox

from matiz.errors import Cancelled
from matiz.raw.decode import Decoder
from matiz.recipe.model import PROCESSING, Recipe
from matiz.shoot.log import Log
from matiz.shoot.sidecar import load_document
from matiz.ui.canvas.tools import Tool
from matiz.ui.frame.settle import settle
from matiz.ui.frame.window import Window
from matiz.ui.kit.instrument import Instrument
from matiz.ui.kit.tape import Tape
from matiz.work.delivery_queue import DONE
from matiz.work.follow_preview import follow_preview
from matiz.work.jobs import Job
from matiz.work.session import Session

from .waiting import wait_for

EXPOSURE = "tone.exposure_EV"


def test_a_drag_goes_on_while_the_next_picture_is_opened_and_stays_with_its_own(window, shoot):
    window.go_to(window.stations.tone)
    settle(window)
    tape = window.stations.tone.exposure
    start = QPoint(tape.width() // 2, 48)
    QTest.mousePress(tape, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(tape, start - QPoint(40, 0))
    window.session.open_picture(shoot / "CORVA_0031.dng")
    QTest.mouseMove(tape, start - QPoint(80, 0))
    shown = window.session.recipe.tone.exposure_EV
    assert shown > 0.5 and window.session.path == shoot / "CORVA_0011.dng"
    wait_for(lambda: window.session.path == shoot / "CORVA_0031.dng")
    QTest.mouseMove(tape, start - QPoint(120, 0))
    QTest.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=start - QPoint(120, 0))
    settle(window)
    assert window.session.recipe == Recipe() and load_document(shoot / "CORVA_0031.dng").recipe == Recipe()
    kept = load_document(shoot / "CORVA_0011.dng")
    assert kept.recipe.tone.exposure_EV == shown and kept.version.history.position == 1


def test_escape_takes_back_a_drag_of_a_tape_and_of_an_instrument(window):
    window.go_to(window.stations.tone)
    settle(window)
    tape, ladder = window.stations.tone.exposure, window.stations.tone.ladder
    start = QPoint(tape.width() // 2, 48)
    QTest.mousePress(tape, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(tape, start - QPoint(60, 0))
    assert window.session.recipe != Recipe()
    QTest.keyClick(tape, Qt.Key.Key_Escape)
    assert window.session.recipe == Recipe() and tape.value() == 0.0
    QTest.mouseMove(tape, start - QPoint(90, 0))
    QTest.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=start - QPoint(90, 0))
    assert window.session.recipe == Recipe() and tape.value() == 0.0, "what the hand still does is of no effect"
    end = ladder.end_of(3).toPoint()
    QTest.mousePress(ladder, Qt.MouseButton.LeftButton, pos=end)
    QTest.mouseMove(ladder, end - QPoint(0, 20))
    assert any(window.session.recipe.tone.zones_EV)
    QTest.keyClick(ladder, Qt.Key.Key_Escape)
    QTest.mouseRelease(ladder, Qt.MouseButton.LeftButton, pos=end - QPoint(0, 20))
    settle(window)
    assert window.session.document.recipe == Recipe() and window.session.document.version.history.changes == ()


def test_pictures_that_are_skipped_are_not_decoded(window, shoot, monkeypatch):
    decoded = []
    frame = Decoder.frame

    def counted(self, path, wanted=lambda: True):
        def asked():
            go = wanted()
            decoded.extend([path] if go else [])
            return go

        return frame(self, path, asked)

    monkeypatch.setattr(Decoder, "frame", counted)
    names = ["CORVA_0031.dng", "CORVA_0052.dng"] * 4
    for name in names:
        window.session.open_picture(shoot / name)
    settle(window)
    assert window.session.path == shoot / names[-1] and window.session.is_open
    assert len(decoded) <= 3, "one that had begun, and the last"


def test_a_stopped_job_does_not_begin_and_holds_nothing(qapp):
    worked = []
    held = type("Held", (), {})()
    seen = weakref.ref(held)
    job = Job(lambda _, h=held: worked.append(h), "test")
    del held
    job.stop()
    ended = []
    job.stopped.connect(lambda: ended.append(1))
    job.start()
    wait_for(lambda: ended)
    gc.collect()
    assert worked == [] and seen() is None


def test_nothing_of_a_picture_is_left_when_the_next_is_open(window, shoot):
    window.clicks.questions.ask_pixel(100, 100)
    follow_preview(window.session)
    window.show_tries()
    settle(window)
    window.show_tries()
    engine = weakref.ref(window.session.engine)
    for name in ("CORVA_0031.dng", "CORVA_0052.dng"):
        window.session.open_picture(shoot / name)
        settle(window)
    gc.collect()
    assert engine() is None


def _mute(self):
    """A decoder process that never answers."""
    if self._process is None or self._process.poll() is not None:
        self._kill()
        command = [sys.executable, "-c", "import time; time.sleep(60)"]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    return self._process


def test_a_slow_file_keeps_neither_the_next_one_nor_closing_waiting(qapp, shoot, monkeypatch):
    decoder = Decoder()
    made = Window(Session(decoder))
    made.show()
    with monkeypatch.context() as patched:
        patched.setattr(Decoder, "_running", _mute)
        made.session.open_paths([shoot])
        QTest.qWait(200)
    begun = time.monotonic()
    made.session.open_picture(shoot / "CORVA_0031.dng")
    wait_for(lambda: made.session.is_open, 8.0)
    assert made.session.path == shoot / "CORVA_0031.dng" and time.monotonic() - begun < 6.0
    settle(made)
    with monkeypatch.context() as patched:
        decoder.stop()
        patched.setattr(Decoder, "_running", _mute)
        made.session.open_picture(shoot / "CORVA_0052.dng")
        QTest.qWait(200)
        begun = time.monotonic()
        made.close()
        assert time.monotonic() - begun < 1.5
    decoder.stop()


def test_what_is_not_wanted_any_more_is_not_decoded(shoot):
    with pytest.raises(Cancelled):
        Decoder().frame(shoot / "CORVA_0011.dng", lambda: False)


def test_a_broken_picture_can_be_stepped_past_and_takes_no_edits(window, shoot):
    (shoot / "CORVA_0020.dng").write_bytes((shoot / "CORVA_0011.dng").read_bytes()[:20_000])
    window.open_paths([shoot])
    settle(window)
    window.session.step(1)
    settle(window)
    assert window.session.path == shoot / "CORVA_0020.dng" and not window.session.is_open
    assert "CORVA_0020.dng" in window.view._message and window.view.image() is None
    window.session.commit([(EXPOSURE, 1.0)], "x")
    grip = window.session.begin()
    grip.preview([(EXPOSURE, 1.0)])
    grip.commit(None, "x")
    window.session.undo()
    settle(window)
    assert load_document(shoot / "CORVA_0011.dng").recipe == Recipe()
    window.grab()
    window.session.step(1)
    settle(window)
    assert window.session.path == shoot / "CORVA_0031.dng" and window.session.is_open


def test_every_delivery_is_logged_under_its_own_picture(window, shoot):
    for name in ("CORVA_0011.dng", "CORVA_0052.dng"):
        window.session.sort_as(shoot / name, sorted_as="keep")
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window)
    window.go_to(window.stations.deliver)
    window.stations.deliver.deliver_all_kept()
    settle(window)
    log = Log(shoot)
    assert [e.picture for e in log.events() if e.kind == "deliver"] == ["CORVA_0011.dng", "CORVA_0052.dng"]
    log.close()


def test_a_gift_that_comes_after_another_folder_was_opened_writes_nothing(window, shoot, tmp_path):
    window.session.commit([("light.cct_K", 3100.0)], "Light")
    window.stations.sort.sheet.selectAll()
    window.stations.light.give_change_of_light()
    other = tmp_path / "other"
    other.mkdir()
    (other / "z.dng").write_bytes((shoot / "CORVA_0031.dng").read_bytes())
    window.open_paths([other])
    settle(window, 0.5)
    assert not (shoot / "CORVA_0031.dng.matiz.json").exists() and not (other / "z.dng.matiz.json").exists()


def test_what_is_worked_out_aside_for_one_picture_is_not_done_to_the_next(window, shoot):
    done = []
    window.session.do_aside(lambda _: time.sleep(1.2), "slow", lambda _: done.append("picture"))
    window.session.do_aside(lambda _: time.sleep(1.2), "slow", lambda _: done.append("shoot"), of_shoot=True)
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window, 0.6)
    assert done == ["shoot"]


def test_a_station_that_is_not_shown_is_not_refreshed(window, monkeypatch):
    asked = []
    for station in window.stations:
        for name in ("refresh", "refresh_readings"):
            plain = getattr(station, name)
            monkeypatch.setattr(
                station, name, lambda s=station, n=name, p=plain: (asked.append((s.key, n)), p())[1], raising=False
            )
    window.go_to(window.stations.light)
    settle(window)
    asked.clear()
    window.session.commit([(EXPOSURE, 1.0)], "x")
    settle(window)
    assert ("light", "refresh") not in asked and not {key for key, _ in asked} - {"light"}
    window.go_to(window.stations.tone)
    assert ("tone", "refresh") in asked and window.stations.tone.exposure.value() == 1.0


def test_everything_that_takes_a_hand_says_what_it_is(window):
    """Tool tips: what it is, its unit and its limits."""
    for tape in window.findChildren(Tape):
        told = tape.toolTip()
        assert told and "From " in told and (not tape.spec.unit or tape.spec.unit in told), tape.label
    assert all(instrument.toolTip() for instrument in window.findChildren(Instrument))
    parts = [*window.findChildren(QAbstractButton), *window.findChildren(QComboBox)]
    without = {b.accessibleName() or getattr(b, "text", str)() for b in parts if not b.toolTip()}
    assert not without, without


def test_no_name_in_a_deck_is_cut_in_the_smallest_window(window):
    window.resize(1024, 700)
    for station in window.stations:
        window.go_to(station)
        settle(window)
        for tape in station.deck.findChildren(Tape):
            assert tape.name_fits(), tape.label
        for button in station.deck.findChildren(QAbstractButton):
            assert not button.isVisible() or button.width() >= button.sizeHint().width(), button.text()


class _Pen(Tool):
    """Keeps what it hears."""

    def __init__(self) -> None:
        self.heard: list[tuple[str, object]] = []

    def begin(self, pointer) -> bool:
        self.heard.append(("begin", pointer))
        return True

    def move(self, pointer) -> None:
        self.heard.append(("move", pointer))

    def end(self, pointer) -> None:
        self.heard.append(("end", pointer))

    def cancel(self) -> None:
        self.heard.append(("cancel", None))


def test_a_tool_on_top_has_the_drag_with_pressure_and_in_both_coordinates(window):
    pen = _Pen()
    window.session.commit([("mend.distortion_percent", 8.0)], "Lens")
    window.view.take(pen)
    place = window.view.to_widget(40, 30)
    device = QPointingDevice(
        "pen",
        1,
        QInputDevice.DeviceType.Stylus,
        QPointingDevice.PointerType.Pen,
        QInputDevice.Capability.Pressure,
        1,
        1,
    )
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    for kind, pressure in (
        (QEvent.Type.TabletPress, 0.25),
        (QEvent.Type.TabletMove, 0.5),
        (QEvent.Type.TabletRelease, 0),
    ):
        event = QTabletEvent(kind, device, place, place, pressure, 0.0, 0.0, 0.0, 0.0, 0.0, none, left, left)
        QApplication.sendEvent(window.view, event)
    assert [name for name, _ in pen.heard] == ["begin", "move", "end"]
    first, second = pen.heard[0][1], pen.heard[1][1]
    assert (first.pressure, second.pressure) == (0.25, 0.5)
    assert first.picture == pytest.approx((40, 30), abs=1) and first.inside
    assert abs(first.frame[0] - 40) > 2, "the lens moved it"
    QTest.mousePress(window.view, left, pos=place.toPoint())
    window.view.put_away(pen)
    assert pen.heard[-1][0] == "cancel" and len(window.view.tools) == 2
    QTest.mouseRelease(window.view, left, pos=place.toPoint())
    settle(window)


def test_pictures_of_an_older_arithmetic_are_moved_up_when_asked(window):
    said = []
    window.session.said.connect(said.append)
    window.session.move_up()
    assert "current processing already" in said[-1] and len(window.session.document.versions) == 1
    document = window.session.document
    window.session.desk.put(window.session.path, document.with_recipe(Recipe(processing=1)))
    window.session.move_up()
    settle(window)
    kept = load_document(window.session.path)
    assert kept.versions["Version 1"].recipe.processing == 1 and kept.recipe.processing == PROCESSING


class _FullDisk:
    """Every new file fails, as on a full disk or in a folder that may not be written, until there is room."""

    def __init__(self, monkeypatch, number: int) -> None:
        self.has_room, real = False, tempfile.mkstemp

        def mkstemp(*args, **kwargs):
            if not self.has_room:
                raise OSError(number, os.strerror(number))
            return real(*args, **kwargs)

        monkeypatch.setattr("matiz.system.files.tempfile.mkstemp", mkstemp)


def _answered(monkeypatch, *answers: str) -> list[str]:
    """Message boxes press these buttons, one after the other; what the boxes said."""
    left, said = list(answers), []

    def run(box) -> None:
        said.append(box.text())
        pressed = next(b for b in box.buttons() if b.text().replace("&", "") == left[0])
        left.pop(0)
        box.clickedButton = lambda: pressed

    monkeypatch.setattr(QMessageBox, "exec", run)
    return said


@pytest.mark.parametrize("number", [errno.ENOSPC, errno.EACCES, errno.EROFS])
def test_what_cannot_be_saved_is_said_and_saved_without_another_edit_once_it_can(window, shoot, monkeypatch, number):
    disk = _FullDisk(monkeypatch, number)
    said = []
    window.session.said.connect(said.append)
    window.session.record_for(shoot / "CORVA_0011.dng", [(EXPOSURE, 0.5)], "x")
    wait_for(lambda: any("not saved" in text for text in said))
    assert os.strerror(number) in "".join(said) and load_document(shoot / "CORVA_0011.dng").recipe == Recipe()
    disk.has_room = True
    wait_for(lambda: window.session.saver.is_idle())
    assert load_document(shoot / "CORVA_0011.dng").recipe.tone.exposure_EV == 0.5


def test_closing_on_a_full_disk_asks_and_loses_nothing(window, shoot, tmp_path, monkeypatch):
    disk = _FullDisk(monkeypatch, errno.ENOSPC)
    window.session.record_for(shoot / "CORVA_0011.dng", [(EXPOSURE, 0.5)], "x")
    said = _answered(
        monkeypatch,
        "Keep the window open",
        "Try again",
        "Keep the window open",
        "Save elsewhere…",
        "Keep the window open",
    )
    assert not window.close() and window.isVisible() and "CORVA_0011.dng" in said[0]
    assert not window.close() and len(said) == 3, "it tries again, and asks again"
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "nowhere"))
    assert not window.close() and len(said) == 5, "a folder that does not take it is no way out"
    disk.has_room = True
    assert window.close() and len(said) == 5
    assert load_document(shoot / "CORVA_0011.dng").recipe.tone.exposure_EV == 0.5


def test_a_delivery_onto_a_full_disk_fails_and_says_so(window, shoot, monkeypatch):
    _FullDisk(monkeypatch, errno.ENOSPC)
    window.go_to(window.stations.deliver)
    window.stations.deliver.deliver_this()
    wait_for(lambda: window.stations.deliver.queue.rows and window.stations.deliver.queue.is_idle())
    row = window.stations.deliver.queue.rows[0]
    assert row.state == "failed" and "No space left" in row.text
    assert not [path for path in row.folder.iterdir() if path.suffix in (".jpg", ".part")]


def test_a_folder_that_is_removed_is_said(window, shoot, monkeypatch):
    said = []
    window.session.said.connect(said.append)
    kept = shoot.with_name("kept")
    shoot.rename(kept)
    window.session.record_for(shoot / "CORVA_0011.dng", [(EXPOSURE, 0.5)], "x")
    wait_for(lambda: any("not saved" in text for text in said))
    window.session.open_picture(shoot / "CORVA_0031.dng")
    wait_for(lambda: any("no such file" in text for text in said))
    kept.rename(shoot)
    wait_for(lambda: window.session.saver.is_idle())
    assert load_document(shoot / "CORVA_0011.dng").recipe.tone.exposure_EV == 0.5


def test_two_windows_on_one_folder_lose_nothing_of_each_other(window, shoot):
    other = Window(Session())
    try:
        other.show()
        other.open_paths([shoot])
        for one, settings in ((window, [(EXPOSURE, 0.5)]), (other, [("light.cct_K", 4300.0)])):
            one.session.open_picture(shoot / "CORVA_0011.dng")
            settle(one)
            one.session.record_for(shoot / "CORVA_0011.dng", settings, "x")
        for one in (window, other):
            settle(one)
            wait_for(one.session.saver.is_idle)
        kept = load_document(shoot / "CORVA_0011.dng").recipe
        assert (kept.tone.exposure_EV, kept.light.cct_K) == (0.5, 4300.0)
        for one in (window, other):
            one.go_to(one.stations.deliver)
            one.stations.deliver.deliver_this()
        for one in (window, other):
            wait_for(lambda queue=one.stations.deliver.queue: queue.rows and queue.is_idle())
        rows = [one.stations.deliver.queue.rows[0] for one in (window, other)]
        assert [row.state for row in rows] == [DONE, DONE]
        made = [path for path in rows[0].folder.iterdir() if path.stem.startswith("CORVA_0011")]
        assert rows[0].folder == rows[1].folder and len(made) == 2
    finally:
        settle(other)
        other.close()
        other.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
