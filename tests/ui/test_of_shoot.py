"""Sort says what it finds of the whole shoot, and shows how the light went."""

import shutil
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from matiz.measure.sort.brief import Brief
from matiz.measure.table.values import LightValue
from matiz.raw.frame import Exposure
from matiz.recipe.document import Document
from matiz.shoot.choosing import Seen
from matiz.shoot.one_light import PictureFacts, in_one_light
from matiz.shoot.sets import Proposed
from matiz.shoot.sidecar import load_document
from matiz.ui.canvas.render import pixels_of
from matiz.ui.frame.findings_panel import FindingCard
from matiz.ui.frame.settle import settle
from matiz.ui.stations.sort.light_plot import LightAxes, LightPlot
from matiz.ui.stations.sort.sheet_order import ORDERS, place_of
from matiz.work.looking import Looking

NAMES = [f"P_{n}.dng" for n in range(6)]


@pytest.fixture
def drift(window, shoot, monkeypatch):
    """Six pictures whose light gets warmer while their balance stays, in Sort."""
    source = shoot / "CORVA_0011.dng"
    for path in list(shoot.iterdir()):
        if path != source and path.is_file():
            path.unlink()
    for name in NAMES:
        shutil.copy(source, shoot / name)
    source.unlink()
    camera = LightValue(5500.0, 0.003)

    def one(self, path, job):
        n = NAMES.index(path.name)
        self.briefs[path] = Brief(0.8, 0.0, 0.5, 30.0, LightValue(1e6 / (180.0 + 9.0 * n), 0.0, 0.5), camera)
        return True

    monkeypatch.setattr(Looking, "one", one)
    hear = window.session.desk.hear

    def heard(path, facts):
        stamp = f"2026-05-09T06:{5 * NAMES.index(path.name):02d}:00Z"
        return hear(path, replace(facts, exposure=replace(facts.exposure, time_utc=stamp)))

    monkeypatch.setattr(window.session.desk, "hear", heard)
    window.open_paths([shoot])
    window.go_to(window.stations.sort)
    settle(window)
    while not window.stations.sort.sheet.sheet.looking.is_done or not window.stations.sort.is_idle():
        settle(window)
    return [shoot / name for name in NAMES]


def test_a_drift_is_found_shown_and_followed_by_each(window, drift):
    sort = window.stations.sort
    [finding] = sort.findings()
    assert finding.id == "sort.drift" and sort.open_findings() == 1 and window.findings.isVisible()
    [card] = window.findings.findChildren(FindingCard)
    QTest.mouseClick(card.findChild(type(card.do), "show"), Qt.MouseButton.LeftButton)
    assert sort.sheet.selected_paths() == drift and sort.pages.currentWidget() is sort.by_time
    QTest.mouseClick(card.do, Qt.MouseButton.LeftButton)
    settle(window)
    lights = [window.session.document_of(path).recipe.light for path in drift]
    mireds = [1e6 / light.cct_K for light in lights]
    assert mireds == sorted(mireds) and mireds[-1] - mireds[0] == pytest.approx(45.0, abs=3.0)
    assert all(light.duv == 0.003 for light in lights)
    assert sort.findings() == [] and load_document(drift[3]).recipe.light == lights[3]
    assert load_document(drift[3]).version.history.position == 1, "one step in each"


def test_it_is_said_no_more_where_that_is_wished(window, drift):
    sort = window.stations.sort
    [finding] = sort.findings()
    sort.silence(finding, for_good=False)
    settle(window)
    assert sort.findings() == [] and finding.key in load_document(drift[0]).silenced
    sort.sheet.choose(drift[2])
    window.session.desk.change(drift[0], silenced=())
    window.session.saver.soon()
    sort.of_shoot.soon()
    settle(window)
    assert len(sort.findings()) == 1
    window.findings.silenced.emit(finding, True)
    assert sort.findings() == []
    sort.of_shoot._all = [replace(finding, subject="another")]
    assert sort.findings() == [], "of whatever pictures"


def test_return_opens_a_picture_and_gives_nothing_to_many(window, drift):
    sort = window.stations.sort
    sort.sheet.choose(drift[4])
    sort.decision.setFocus()
    window.do_first_finding()
    settle(window)
    assert window.session.path == drift[4] and len(sort.findings()) == 1
    assert not any(window.session.document_of(path).version.history.position for path in drift)


def test_the_balance_of_a_picture_is_dragged_in_the_plot(window, drift):
    sort, plot = window.stations.sort, window.stations.sort.by_time
    sort.show_shared("light")
    sort.sheet.choose(drift[1])
    settle(window)
    axes = plot.axes()
    x, y = axes.x(10.0), axes.y(1e6 / 5500.0)
    assert plot.hit(x, y) == ("balance", 2) and plot.hit(x, axes.y(198.0)) == ("picture", 2)
    assert plot.hit(x + 40.0, y) is None or plot.hit(x + 40.0, y)[1] != 2
    start, end = QPoint(round(x), round(y)), QPoint(round(x), round(axes.y(200.0)))
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=start)
    assert sort.sheet.current_path() == drift[2], "it is chosen"
    QTest.mouseMove(plot, end)
    light = sort.of_shoot.light_of(drift[2])
    plot.show_light(replace(light, measured_mired=light.measured_mired + 90.0), 2)
    assert plot.mired_of(2) == pytest.approx(200.0, abs=1.5) and plot.axes() == axes, "the plot holds still"
    plot.show_light(light, 2)
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=end)
    settle(window)
    own = window.session.document_of(drift[2]).recipe.light
    assert 1e6 / own.cct_K == pytest.approx(200.0, abs=1.5) and own.duv == 0.003, "as green as the camera had it"
    assert plot.mired_of(2) == pytest.approx(1e6 / own.cct_K, abs=0.1)
    plot.setFocus()
    QTest.keyClick(plot, Qt.Key.Key_Up)
    QTest.keyClick(plot, Qt.Key.Key_Right)
    settle(window)
    now = window.session.document_of(drift[2]).recipe.light
    assert 1e6 / now.cct_K == pytest.approx(1e6 / own.cct_K + 1.0, abs=0.1)
    assert sort.sheet.current_path() == drift[3]
    assert window.session.document_of(drift[2]).version.history.position == 1, "of a row of steps one is kept"
    plot.grab()


def test_a_plot_without_a_light_takes_nothing():
    plot = LightPlot()
    plot.resize(300, 120)
    plot.show_light(None, -1)
    plot.grab()
    assert plot.hit(100.0, 50.0) is None and plot.axes() is None
    [unknown] = in_one_light([PictureFacts(Path("a"), replace(_exposure(), time_utc="2026-05-09T06:00:00Z"))])
    plot.show_light(unknown, 0)
    plot.grab()
    QTest.keyClick(plot, Qt.Key.Key_Up)
    assert isinstance(plot.axes(), LightAxes)


def _exposure():
    return Exposure(iso=100.0, time_s=0.01, f_number=8.0, focal_mm=50.0, lens="b")


def test_pictures_are_put_into_every_order():
    shots = [
        Seen(Path("c"), Document(rank=5), replace(_exposure(), time_utc="2026-05-09T06:03:00Z", iso=400.0)),
        Seen(Path("a"), Document(), replace(_exposure(), time_utc="2026-05-09T06:05:00Z", lens="a", focal_mm=90.0)),
        Seen(Path("b"), Document(rank=2), None),
        Seen(Path("d"), Document(), replace(_exposure(), time_utc="2026-05-09T06:01:00Z", iso=800.0, focal_mm=35.0)),
    ]
    briefs = {
        "a": Brief(1.4, 0.2, 0.0, 20.0, dust=2, tilt_deg=-3.0), "c": Brief(0.9, 0.0, 0.0, 30.0, dust=7),
        "d": Brief(None, 0.1, 0.0, None, dust=0, tilt_deg=1.0),
    }  # fmt: skip

    def put(order):
        return "".join(s.path.name for s in sorted(shots, key=lambda s: place_of(s, briefs.get(s.path.name), order)))

    expected = {"time": "dcab", "iso": "acdb", "lens": "adcb", "rank": "cbad", "sharp": "cabd", "full": "adcb",
                "noise": "acbd", "dust": "cadb", "tilt": "adbc"}  # fmt: skip
    assert {order: put(order) for order in ORDERS if order != "name"} == expected


def test_all_of_one_light_are_selected_and_a_set_is_kept(window, drift):
    sort = window.stations.sort
    sort.sheet.choose(drift[4])
    sort.choose_light()
    assert sort.sheet.selected_paths() == drift and sort.sheet.current_path() == drift[0]
    said = []
    window.session.said.connect(said.append)
    sort.change_sets("keep")
    assert "in no set" in said[-1]
    sort.change_sets("join")
    sort.sheet.choose(drift[1])
    sort.change_sets("forget")
    window.session.desk.catalogue._set_of = dict.fromkeys(drift[:2], Proposed("burst", tuple(drift[:2])))
    sort.change_sets("keep")
    assert window.session.desk.catalogue.own_sets.groups() == {NAMES[0]: 1, NAMES[1]: 1}
    sort.of_shoot.lights = []
    sort.choose_light()
    assert "not known" in said[-1]


def test_a_line_over_the_tiles_says_which_are_of_one_light(window, drift):
    sheet = window.stations.sort.sheet

    def over(path):
        rect = sheet.visualRect(sheet.sheet.index(window.session.pictures.index(path)))
        strip = sheet.viewport().grab().toImage().copy(rect.left(), rect.top(), rect.width(), 3)
        plain = strip.convertToFormat(strip.Format.Format_RGB32)
        return pixels_of(plain)[..., :3].max(axis=2)

    first = over(drift[0])
    line = first[:, 10:-2].max(axis=0)
    assert line.max() > line.min() + 40 and 0.3 < (line > line.min() + 40).mean() < 0.95, "dashed"
    assert first[:, :6].max() < line.max() - 40, "it begins there"
    assert over(drift[1])[:, :6].max() > line.max() - 40, "and goes on"
    sheet.arrange("time")
    assert over(drift[0]).max() < line.max() - 40, "in another order it says nothing"
    sheet.arrange("name")
    window.stations.sort.of_shoot.lights = []
    assert over(drift[0]).max() < line.max() - 40
