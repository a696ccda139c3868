"""Deliver's pages in the real window."""

import shutil

import pytest
from PIL import Image as Pillow
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from matiz.deliver.orders import Order
from matiz.shoot.sidecar import load_document
from matiz.ui.frame.settle import settle


@pytest.fixture
def deliver(window):
    window.session.open_picture(window.session.pictures[-1])
    window.go_to(window.stations.deliver)
    settle(window)
    return window.stations.deliver


def claims(window) -> list[str]:
    return [card.finding.claim for card in window.findings.cards()]


def test_checks_stand_before_what_is_open_elsewhere_and_their_fix_changes_the_order(window, deliver):
    deliver.ordering.set_order(Order(space="ROMM RGB"))
    settle(window)
    first = window.findings.cards()[0]
    assert "too wide for 8 bits" in first.finding.claim and deliver.open_findings() >= 1
    assert not first.findChild(type(first.do), "compare"), "there is nothing to compare in the picture"
    assert any(claim.split(":")[0] in ("Mend", "Tone", "Light", "Detail") for claim in claims(window))
    first.do.click()
    settle(window)
    assert deliver.order().space == "Display P3" and not window.session.document.version.history.changes
    assert not any("too wide" in claim for claim in claims(window))


def test_a_finding_of_another_station_is_done_from_here(window, deliver):
    card = next(card for card in window.findings.cards() if card.finding.fix and ": " in card.finding.claim)
    station = card.finding.station
    assert station != "deliver"
    before = getattr(window.session.recipe, station)
    card.do.click()
    settle(window)
    assert getattr(window.session.recipe, station) != before


def test_a_check_that_is_silenced_here_is_quiet(window, deliver):
    deliver.ordering.set_order(Order(pattern="dawn"))
    settle(window)
    found = next(each for each in deliver.findings() if each.id == "deliver.same_names")
    window.session.silence(found, for_good=False)
    settle(window)
    assert not any("same name" in claim for claim in claims(window))


def test_the_paper_view_shows_what_paper_makes_of_the_picture(window, deliver):
    before = window.view.grab().toImage()
    deliver.turn_to("Paper")
    page = deliver.on_paper
    settle(window)
    assert window.view.grab().toImage() == before
    page.see("inks")
    settle(window)
    inks = window.view.grab().toImage()
    assert inks != before and "black is L* 19" in page.told.text()
    page.see("paper")
    settle(window)
    assert window.view.grab().toImage() != inks
    window.view.show_before(True)
    settle(window)
    window.view.show_before(False)
    page.paper.setCurrentIndex(page.paper.findText("glossy paper"))
    page.paper.activated.emit(0)
    settle(window)
    assert "black is L* 5" in page.told.text()
    page.differences.setChecked(True)
    settle(window)
    assert any(page.paper_view._made.lines.values())
    page.see("off")
    settle(window)
    assert window.view.grab().toImage() == before
    page.see("inks")
    deliver.turn_to("Order")
    settle(window)
    assert window.view.grab().toImage() == before, "what another page shows is put away"


def test_the_intent_is_a_part_of_the_order_and_a_broken_profile_is_told(window, deliver, tmp_path):
    deliver.turn_to("Paper")
    page = deliver.on_paper
    page.intent.setCurrentIndex(page.intent.findData("perceptual"))
    page.intent.activated.emit(0)
    page.black.click()
    assert (deliver.order().intent, deliver.order().black_point) == ("perceptual", False)
    assert page.paper_view.paper.intent == "perceptual" and not page.paper_view.paper.black_point
    broken = tmp_path / "broken.icc"
    broken.write_bytes(b"x" * 300)
    page.see("inks")
    deliver.ordering.set_order(Order(space=str(broken)))
    settle(window)
    assert page.paper_view.mode == "off" and "choose another" in window.header.word.whole()


def test_the_picture_is_shown_as_large_as_its_print(window, deliver):
    deliver.turn_to("Paper")
    assert not deliver.on_paper.as_large.isEnabled()
    deliver.ordering.set_order(Order(print_cm=20.0))
    deliver.on_paper.as_large.click()
    settle(window)
    across_in = max(window.session.engine.size(window.session.recipe)) * window.view.viewport.scale
    assert across_in / window.view.screen().physicalDotsPerInch() == pytest.approx(20.0 / 2.54, rel=0.01)


def test_captions_are_kept_in_the_sidecar_given_to_the_kept_and_written(window, deliver, shoot):
    session = window.session
    for path in session.pictures[:2]:
        session.sort_as(path, sorted_as="keep")
    deliver.turn_to("Caption")
    page = deliver.captions
    page.caption.setFocus()
    QTest.keyClicks(page.caption, "The long table")
    QTest.keyClick(page.caption, Qt.Key.Key_Return)
    page.keywords.setFocus()
    QTest.keyClicks(page.keywords, "supper, hall,, supper ")
    page.give.click()
    settle(window)
    assert "Copied to 2" in window.header.word.whole()
    for path in (session.picture.path, *session.pictures[:2]):
        kept = load_document(path)
        assert (kept.caption, kept.keywords) == ("The long table", ("supper", "hall"))
    session.open_picture(session.pictures[0])
    settle(window)
    assert page.caption.text() == "The long table" and page.keywords.text() == "supper, hall"
    page.keywords.clear()
    page.keywords.setModified(True)
    page.keywords.editingFinished.emit()
    session.open_picture(session.pictures[1])
    settle(window)
    assert page.keywords.text() == "supper, hall" and load_document(session.pictures[0]).keywords == ()
    deliver.deliver_this()
    settle(window)
    with Pillow.open(deliver.queue.rows[0].path) as picture:
        assert picture.getexif()[270] == "The long table"


def test_one_thing_is_followed_through_the_set_and_levelled(window, shoot):
    """The same frame three times, one of them darker and bluer; two others do not show it."""
    source = window.session.pictures[0]
    for n in (1, 2):
        shutil.copy(source, source.with_name(f"{source.stem}-{n}{source.suffix}"))
    window.open_paths([shoot])
    settle(window)
    session = window.session
    first, dim, same = (
        next(p for p in session.pictures if p.stem == f"{source.stem}{end}") for end in ("", "-1", "-2")
    )
    session.record_for(dim, [("tone.exposure_EV", -0.5), ("light.cct_K", 4600.0)], "moved")
    session.open_picture(first)
    window.go_to(window.stations.deliver)
    window.stations.deliver.turn_to("Same")
    settle(window)
    page = window.stations.deliver.same
    assert not page.follow_set.isEnabled()
    view = window.view
    place = view.image_place()
    at = place.center().toPoint()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view, at + QPoint(20, 20))
    QTest.mouseMove(view, at + QPoint(60, 50))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at + QPoint(60, 50))
    settle(window)
    assert page.anchor is not None and page.follow_set.isEnabled()
    page.follow_set.click()
    settle(window)
    assert page.found[dim].drift.dE00 > 3.0 and page.found[same].drift.dE00 < 0.2
    lost = [path for path, found in page.found.items() if found is None]
    assert lost and dim.name in page.note.text() and "Not found" in page.note.text()
    assert page.level_all.text() == "Level 1 picture"
    page.level_all.click()
    settle(window)
    kept = load_document(dim)
    assert kept.version.history.changes[-1].label == f"As in {first.name}"
    assert kept.recipe.tone.exposure_EV == pytest.approx(session.recipe.tone.exposure_EV, abs=0.1)
    assert not page.level_all.isEnabled() and page.found[dim].drift.dE00 < 1.0
    page.plot.changed.emit(page._in_order().index(lost[0]))
    settle(window)
    assert session.picture.path == lost[0]
    page.put((20, 20, 60, 60))
    settle(window)
    assert page.found[lost[0]] is not None
    page.other.click()
    assert page.anchor is None and "Drag over" in page.note.text()


def test_what_the_readings_mean_for_the_next_frame_is_said(window):
    window.session.open_picture(window.session.pictures[0])
    settle(window)
    window.clicks.questions.ask_next_frame()
    assert "Next frame: " in window.header.word.whole() and "EV" in window.header.word.whole()


def test_an_order_is_edited_and_the_queue_driven_by_keys_alone(window, deliver, shoot):
    page = deliver.ordering
    page.format.setFocus()
    QTest.keyClick(page.format, Qt.Key.Key_Down)
    assert deliver.order().format == "PNG"
    page.size.setFocus()
    QTest.keyClick(page.size, Qt.Key.Key_Home)
    assert deliver.order().short_side is None
    page.name.setFocus()
    QTest.keyClicks(page.name, "walls")
    page.keep.setFocus()
    QTest.keyClick(page.keep, Qt.Key.Key_Space)
    assert page.named.currentText() == "walls"
    deliver.pausing.setFocus()
    QTest.keyClick(deliver.pausing, Qt.Key.Key_Space)
    deliver.deliver_one.setFocus()
    QTest.keyClick(deliver.deliver_one, Qt.Key.Key_Space)
    row = deliver.queue.rows[0]
    assert row.state == "waiting"
    deliver.list.setFocus()
    QTest.keyClick(deliver.list, Qt.Key.Key_Down)
    buttons = {button.text(): button for button in deliver.deck.findChildren(type(deliver.pausing))}
    for name, state in (("stop", "stopped"), ("retry", "waiting")):
        buttons[name].setFocus()
        QTest.keyClick(buttons[name], Qt.Key.Key_Space)
        assert row.state == state
    deliver.pausing.setFocus()
    QTest.keyClick(deliver.pausing, Qt.Key.Key_Space)
    settle(window)
    assert row.state == "done" and row.path.suffix == ".png"
