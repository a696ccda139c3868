"""Hands in the picture and on the stations: whites that land, tones that are pulled, tries, stations left out."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from matiz.develop.graph.as_file import write_frame
from matiz.measure.picture import PictureReading
from matiz.recipe.model import Recipe
from matiz.ui.frame.settle import settle
from matiz_simcam.shoot import DEMO_SHOTS, simulate


def test_a_white_is_picked_and_lands(window):
    window.session.commit([("tone.exposure_EV", 1.5)], "Exposure")
    window.stations.light.lands.setFocus()
    QTest.keyClick(window.stations.light.lands, Qt.Key.Key_Left)
    assert window.stations.light.lands.value() == 244.0
    window.stations.light.pick.setChecked(True)
    window.stations.light.white.setChecked(True)
    assert not window.stations.light.pick.isChecked() and len(window.view.tools) == 3, "one pick at a time"
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=window.view.to_widget(60, 40).toPoint())
    settle(window)
    assert not window.stations.light.white.isChecked() and len(window.view.tools) == 2
    recipe = window.session.recipe
    assert recipe.light.source == "manual" and len(recipe.tone.curve.lightness) == 3
    shown = window.session.engine.render(recipe, 0, (50, 30, 20, 20))[..., :3].reshape(-1, 3).mean(axis=0)
    assert np.abs(shown - 244.0).max() < 4.0


def test_a_dark_pick_is_no_white(window):
    said = []
    window.session.said.connect(said.append)
    window.session.commit([("tone.exposure_EV", -6.0)], "Dark")
    window.stations.light.land_at(200, 330)
    settle(window)
    assert "too dark for a white" in said[-1] and window.session.recipe.light.source == "as_shot"


def test_a_grey_in_each_light_is_clicked(window, shoot):
    said = []
    window.session.open_picture(shoot / "CORVA_0052.dng")
    settle(window)
    window.session.said.connect(said.append)
    width, height = window.session.engine.frame.size
    window.stations.light.pick.setChecked(True)
    window.stations.light.two_greys.setChecked(True)
    assert not window.stations.light.pick.isChecked() and len(window.view.tools) == 3
    for x, y in ((0.85 * width, 0.3 * height), (0.43 * width, 0.92 * height)):
        QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=window.view.to_widget(x, y).toPoint())
        settle(window)
        assert not [text for text in said if "Pick something" in text], said
    assert "in the other light" in said[0]
    greys = window.session.recipe.light.greys
    np.testing.assert_allclose(greys, ((0.85, 0.3 * height / width), (0.43, 0.92 * height / width)), atol=0.01)
    assert not window.stations.light.two_greys.isChecked() and window.stations.light.map.isChecked()
    assert [light.value.certainty for light in window.session.reading.light.lights.found] == [1.0, 1.0]
    window.session.undo()
    assert window.session.recipe == Recipe()


def test_a_fix_is_compared_before_it_is_done(window):
    """Now at the left and with the fix at the right; the picture itself is left alone. A change, another station,
    Escape or the button again end it."""
    window.go_to(window.stations.tone)
    window.session.commit([("tone.exposure_EV", -2.0)], "Dark")
    settle(window)
    card = next(card for card in window.findings.cards() if card.finding.has_fix)
    button = card.findChild(QPushButton, "compare")
    before, after = window.session.recipe, window.session.recipe.change_all(card.finding.fix, label="x")[0]
    plain = window.view.grab().toImage()
    button.click()
    settle(window)
    seen = window.view.grab().toImage()
    place = window.view.image_place().toRect()
    left, right = (QPoint(place.left() + place.width() * n // 8, place.center().y()) for n in (1, 7))
    assert seen.pixel(left) == plain.pixel(left) and seen.pixel(right) != plain.pixel(right)
    assert window.session.recipe == before
    window.session.commit(card.finding.fix, "fix")
    settle(window)
    assert window.session.recipe == after and window.view.comparison.mode == "off"
    assert window.view.grab().toImage().pixel(right) == seen.pixel(right), "what was shown is what comes"
    window.session.undo()
    settle(window)
    ends = (
        lambda pressed: pressed.click(),
        lambda _: QTest.keyClick(window, Qt.Key.Key_Escape),
        lambda _: window.go_to(window.stations.light),
    )
    for end in ends:
        card = next(card for card in window.findings.cards() if card.finding.has_fix)
        button = card.findChild(QPushButton, "compare")
        button.click()
        assert window.view.comparison.mode == "trial"
        end(button)
        assert window.view.comparison.mode == "off"


def test_a_tone_is_pulled_in_the_picture(window):
    """Down by 30 px is a tenth of the way from white to black; one step, and the rest of the curve stays."""
    window.go_to(window.stations.tone)
    window.stations.tone.pull.setChecked(True)
    place = window.view.to_widget(300, 250).toPoint()
    QTest.mouseMove(window.view, place)
    settle(window)
    tone = window.stations.tone.curve._mark
    assert 0 < tone < 1
    QTest.mousePress(window.view, Qt.MouseButton.LeftButton, pos=place)
    settle(window)
    QTest.mouseMove(window.view, place + QPoint(0, 30))
    assert window.session.document.recipe == Recipe(), "nothing is recorded while the hand moves"
    QTest.mouseRelease(window.view, Qt.MouseButton.LeftButton, pos=place + QPoint(0, 30))
    settle(window)
    (x, y) = window.session.recipe.tone.curve.lightness[1]
    assert x == pytest.approx(max(tone, 0.04), abs=1e-3) and y == pytest.approx(max(tone - 0.1, 0.0), abs=2e-3)
    window.session.undo()
    assert window.session.recipe == Recipe()
    window.go_to(window.stations.light)
    assert len(window.view.tools) == 2


def test_tries_are_shown_and_one_is_taken(window):
    QTest.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert window.panels.stack.currentWidget() is window.tries and len(window.tries.names()) == 6
    QTest.keyClick(window.tries, Qt.Key.Key_Right)
    QTest.keyClick(window.tries, Qt.Key.Key_Down)
    QTest.keyClick(window.tries, Qt.Key.Key_Return)
    settle(window)
    assert window.panels.stack.currentWidget() is window.view
    assert window.session.document.version.history.changes[-1].label == window.tries.names()[4]
    before = window.session.recipe
    window.show_tries()
    settle(window)
    QTest.keyClick(window.tries, Qt.Key.Key_Escape)
    assert window.session.recipe == before and window.panels.stack.currentWidget() is window.view
    window.show_tries()
    settle(window)
    QTest.mouseClick(window.tries, Qt.MouseButton.LeftButton, pos=window.tries.tile(0).center().toPoint())
    assert window.session.recipe != before


def test_tries_close_when_another_picture_opens(window, shoot):
    window.show_tries()
    window.session.open_picture(shoot / "CORVA_0031.dng")
    settle(window)
    assert window.panels.stack.currentWidget() is window.view


def test_a_station_is_left_out_and_taken_back(window):
    window.session.commit([("tone.exposure_EV", 1.5)], "Exposure")
    window.go_to(window.stations.tone)
    settle(window)
    bright = window.view.image().copy()
    QTest.keyClick(window.view, Qt.Key.Key_0)
    settle(window)
    assert window.stations.tone.is_left_out() and window.session.recipe.tone.exposure_EV == 1.5
    assert window.view.image() != bright
    assert not [f for f in window.session.findings if f.station == "tone"]
    QTest.keyClick(window.view, Qt.Key.Key_0)
    settle(window)
    assert not window.stations.tone.is_left_out() and window.view.image() == bright
    window.go_to(window.stations.sort)
    window.leave_out()
    assert window.session.recipe.tone.exposure_EV == 1.5, "sorting has nothing to leave out"


def test_the_camera_is_followed(window):
    window.go_to(window.stations.tone)
    window.session.commit([("tone.exposure_EV", -2.0)], "Dark")
    window.stations.tone.camera.click()
    settle(window, 0.5)
    assert window.session.document.version.history.changes[-1].label == "As the camera showed it"
    assert window.session.recipe.tone.exposure_EV > -1.0


def test_a_cards_light_goes_to_its_set(window, shoot):
    """The pictures of the small shoot lie hours apart: nothing follows; then the times say otherwise."""
    said = []
    window.session.said.connect(said.append)
    window.session.commit([("light.cct_K", 3100.0)], "Light")
    window.stations.light.gifts.light_to_set()
    settle(window)
    assert "20 minutes" in said[-1]
    assert set(window.session.desk.catalogue.taken_utc) == set(window.session.pictures), (
        "also those whose preview was never seen"
    )
    later = window.session.pictures[1]
    window.session.desk.catalogue.taken_utc[window.session.path] = "2026-05-09T10:00:00Z"
    window.session.desk.catalogue.taken_utc[later] = "2026-05-09T10:05:00Z"
    window.stations.light.gifts.light_to_set()
    settle(window)
    assert said[-1].endswith("copied to 1 picture.")
    assert window.session.document_of(later).recipe.light.cct_K == 3100.0


def test_a_change_of_light_goes_to_the_selected(window, shoot):
    said = []
    window.session.said.connect(said.append)
    window.stations.light.give_change_of_light()
    assert "Select other pictures" in said[-1]
    window.session.commit([("light.cct_K", 4300.0)], "Light")
    window.stations.sort.sheet.selectAll()
    window.stations.light.give_change_of_light()
    settle(window, 0.5)
    assert said[-1].endswith("copied to 2 pictures.")
    given = [window.session.document_of(path).recipe.light.cct_K for path in window.session.pictures[1:]]
    assert given[0] != given[1] != 4300.0


def test_light_and_mend_are_worked_by_keyboard_alone(window):
    """Tab reaches every control of both decks, and keys move what they reach."""
    wanted = {
        window.stations.light: {"Pick a neutral", "Pick a white", "Named illuminant", "Colour temperature",
                       "Duv, green to the right", "Adaptation (lower keeps the mood)",
                       "Tone of a picked white, of 255"},
        window.stations.mend: {"Lens: uncorrected", "Distortion, barrel to the left", "Vignetting at the corner",
                      "Red fringe at the corner", "Blue fringe at the corner"},
    }  # fmt: skip
    for station, names in wanted.items():
        window.go_to(station)
        if station is window.stations.mend:
            window.stations.mend.turn_to("Lens")
        first = (
            window.stations.mend.words.button("Lens")
            if station is window.stations.mend
            else station.row.itemAt(0).widget()
        )
        first.setFocus()
        reached = set()
        for _ in range(40):
            widget = QApplication.focusWidget()
            reached.add(widget.accessibleName() or widget.text())
            QTest.keyClick(widget, Qt.Key.Key_Tab)
            if QApplication.focusWidget() is first:
                break
        assert names <= reached, names - reached
    window.stations.mend.lens.tapes["mend.fall_off_EV"].setFocus()
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Right)
    assert window.session.recipe.mend.fall_off_EV == 0.05
    window.go_to(window.stations.light)
    window.stations.light.duv.setFocus()
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Right)
    assert window.session.recipe.light.source == "manual"


def test_tries_wait_for_the_readings(window):
    said = []
    window.session.said.connect(said.append)
    window.session.judging.reading = PictureReading({})
    window.show_tries()
    assert "being measured" in said[-1] and window.panels.stack.currentWidget() is window.view


def test_a_sidecar_that_cannot_be_read_is_never_written_over(window, shoot):
    """Sorting, ranking and a gift of light leave it as it is, and say why."""
    sidecar = shoot / "CORVA_0031.dng.matiz.json"
    sidecar.write_text("{from a newer Matiz, or damaged")
    window.open_paths([shoot])
    settle(window)
    said = []
    window.session.said.connect(said.append)
    window.session.commit([("light.cct_K", 4300.0)], "Light")
    window.session.sort_as(shoot / "CORVA_0031.dng", sorted_as="keep")
    window.stations.sort.sheet.selectAll()
    window.stations.light.give_light()
    settle(window)
    assert sidecar.read_text() == "{from a newer Matiz, or damaged"
    assert sum("cannot be read" in text for text in said) == 1, "one message"
    assert said[-1].endswith("copied to 1 picture.")


def test_tries_of_another_picture_come_too_late(window, shoot):
    """Asked for one picture, then for the next before they are there: only those of the second are shown."""
    toast = next(s for s in DEMO_SHOTS if s.name == "CORVA_0057.dng")
    write_frame(simulate(toast.scene, (600, 400), toast.settings, view=toast.view), shoot / "CORVA_0052.dng")
    window.show_tries()
    first = window.tries._job
    window.session.open_picture(shoot / "CORVA_0052.dng")
    settle(window)
    window.show_tries()
    settle(window)
    shown = window.tries.names()
    first.returned.emit([])
    assert window.tries.names() == shown and any("light of" in name for name in shown)
