"""Tiles show what is decided."""

import os

from PySide6.QtCore import Qt

from matiz.errors import FileError
from matiz.ui.canvas.render import pixels_of
from matiz.ui.frame.settle import settle
from matiz.work import renderings as at
from matiz.work.jobs import Job
from tests.ui.aside import done


def rendered(window):
    renderings = done(window.stations.sort.sheet.sheet.renderings)
    settle(window)
    return renderings


def tile(window, path):
    model = window.stations.sort.sheet.sheet
    row = window.session.pictures.index(path)
    image = model.data(model.index(row), Qt.ItemDataRole.DecorationRole)
    return float(pixels_of(image.convertToFormat(image.Format.Format_RGB32))[..., :3].mean())


def test_a_tile_follows_what_is_decided_and_is_kept(window, shoot, monkeypatch):
    path = window.session.path
    window.go_to(window.stations.sort)
    rendered(window)
    before = tile(window, path)
    assert not (shoot / ".matiz/tiles").exists(), "nothing is decided"
    window.session.commit([("tone.exposure_EV", 2.0)], "Lighter")
    assert window.stations.sort.sheet.sheet.renderings.is_stale(path)
    renderings = rendered(window)
    assert not renderings.is_stale(path) and tile(window, path) > before + 20.0
    (kept,) = (shoot / ".matiz/tiles").iterdir()
    window.session.commit([("tone.exposure_EV", 1.0)], "Less")
    rendered(window)
    (other,) = (shoot / ".matiz/tiles").iterdir()
    assert other != kept and before + 5.0 < tile(window, path)
    lightest = tile(window, path)
    window.session.saver.settle()
    # at the next start it is read, not rendered
    monkeypatch.setattr(at, "Engine", None)
    window.open_paths([shoot])
    settle(window)
    rendered(window)
    assert abs(tile(window, path) - lightest) < 2.0 and not window.stations.sort.sheet.sheet.renderings.is_stale(path)
    window.session.undo()
    window.session.undo()
    settle(window)
    assert abs(tile(window, path) - before) < 2.0, "nothing is decided any more"


def test_pictures_that_are_not_open_are_rendered_too_and_marked_meanwhile(window, shoot):
    one, two = window.session.pictures[:2]
    window.session.commit([("tone.exposure_EV", 2.0)], "Lighter")
    window.session.open_picture(two)
    settle(window)
    window.go_to(window.stations.sort)
    renderings = rendered(window)
    assert not renderings.is_stale(one) and len(list((shoot / ".matiz/tiles").iterdir())) == 1
    shown = window.stations.sort.sheet.grab().toImage()
    renderings._made[one] = (shoot / "older.jpg", renderings._made[one][1])
    assert renderings.is_stale(one)
    window.stations.sort.sheet.viewport().update()
    settle(window)
    assert window.stations.sort.sheet.grab().toImage() != shown, "it says so"


def test_the_open_picture_is_not_decoded_again_unless_it_waits_for_its_subject(window, monkeypatch):
    path, picture, job = window.session.path, window.session.picture, Job(lambda _: None, "x")
    renderings = window.stations.sort.sheet.sheet.renderings
    monkeypatch.setattr(picture.engine.found, "is_at_hand", lambda: True)
    assert renderings._engine_of(path, job) is picture.engine
    monkeypatch.setattr(picture.engine.found, "is_at_hand", lambda: False)
    assert renderings._engine_of(path, job) is not picture.engine
    assert renderings._engine_of(window.session.pictures[1], job).frame.path == window.session.pictures[1]


def test_a_full_disk_and_a_damaged_tile_do_no_harm(window, shoot, monkeypatch):
    def full(file, screen):
        raise FileError("disk full")

    monkeypatch.setattr(at, "keep_rendering", full)
    path = window.session.path
    window.session.commit([("tone.exposure_EV", 2.0)], "Lighter")
    window.go_to(window.stations.sort)
    renderings = rendered(window)
    assert renderings.pixels_of(path) is not None and not renderings.is_stale(path)
    made = tile(window, path)
    monkeypatch.undo()
    file = at.rendering_of(path, window.session.recipe)
    file.parent.mkdir(parents=True)
    file.write_bytes(b"nothing")
    renderings.forget()
    renderings.begin()
    rendered(window)
    assert not renderings.is_stale(path) and tile(window, path) == made, "it is made again"
    os.utime(path, (file.stat().st_mtime + 10.0,) * 2)
    assert renderings._kept(path, file) is None, "of a file that was written since, it is none"
    assert len(file.read_bytes()) > 1000
