"""Matiz in Python: the page about it is run as it stands, and what goes wrong says what to do."""

import doctest
import re
import shutil
from pathlib import Path

import numpy as np
import pytest

from matiz import api
from matiz.api import open_folder, open_picture, reading_names
from matiz.deliver.orders import order_for
from matiz.develop.graph.engine import Engine, full_picture
from matiz.errors import ArgumentError, MatizError, RecipeError
from matiz.raw.decode import read_frame
from matiz.shoot.sidecar import load_document

PAGE = Path(__file__).parents[1] / "docs/python.md"


def test_the_page_runs_as_it_stands(shoot, monkeypatch, capsys):
    monkeypatch.chdir(shoot.parent)
    blocks = re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.DOTALL)
    assert len(blocks) >= 7
    names: dict = {}
    for n, block in enumerate(blocks):
        exec(compile(block, f"{PAGE.name}, block {n + 1}", "exec"), names)
    assert "CORVA_0011.dng" in capsys.readouterr().out
    assert (shoot.parent / "delivered.jpg").exists()


@pytest.fixture
def picture(shoot):
    return open_picture(shoot / "CORVA_0011.dng")


def test_it_is_developed_as_the_engine_does(picture):
    changed = picture.changed({"tone.exposure_EV": 0.5})
    engine = Engine(read_frame(picture.path))
    whole = full_picture(engine, changed.recipe, result="display")
    np.testing.assert_allclose(changed.develop(), whole, atol=2e-3)
    np.testing.assert_array_equal(changed.develop(region=(10, 20, 40, 30)), changed.develop()[20:50, 10:50])
    lit = changed.develop(linear=True)
    assert np.median(lit / np.maximum(picture.develop(linear=True), 1e-6)) == pytest.approx(2.0**0.5, rel=1e-3)


def test_what_it_is_opened_with_can_be_said(picture, shoot):
    recipe = picture.changed({"tone.exposure_EV": -1.0}).recipe
    assert open_picture(shoot / "CORVA_0011.dng", recipe=recipe).recipe.tone.exposure_EV == -1.0


def test_saving_is_one_step(picture):
    changed = picture.changed({"tone.exposure_EV": 0.5, "tone.haze_percent": 10.0})
    changed.save("by a script")
    (step,) = load_document(picture.path).version.history.changes
    assert step.label == "by a script"
    changed.save("again")
    assert len(load_document(picture.path).version.history.changes) == 1, "nothing changed"


def test_its_size_follows_the_crop(picture):
    assert picture.size == (600, 400)
    assert picture.changed({"mend.crop": (0.1, 0.1, 0.5, 0.3)}).size == (300, 180)


def test_what_is_wrong_is_said(picture, tmp_path):
    with pytest.raises(RecipeError, match="exposure_EV"):
        picture.changed({"tone.exposure_EV": 99.0})
    with pytest.raises(ArgumentError, match="region or long_side"):
        picture.develop(region=(0, 0, 10, 10), long_side=100)
    with pytest.raises(ArgumentError, match="does not lie within"):
        picture.develop(region=(590, 0, 100, 100))
    with pytest.raises(ArgumentError, match="no reading is called 'colours'"):
        picture.measure(["colours"])
    with pytest.raises(MatizError, match="no such file"):
        open_picture(tmp_path / "gone.dng")
    with pytest.raises(MatizError, match="choose a folder"):
        open_folder(tmp_path / "gone")
    finding = next(each for each in _with_claims(picture) if not each.has_fix)
    with pytest.raises(ArgumentError, match="nothing that would fix it"):
        picture.fixed(finding)


def _with_claims(picture):
    from matiz.findings.model import Finding

    return [Finding("x", "tone", "A claim.", certainty=1.0)] + picture.findings()


def test_a_delivery_takes_an_order(picture, tmp_path):
    order = order_for(tmp_path / "a.png", long_side=120)
    made = picture.deliver(tmp_path / "a.png", order=order)
    assert made == tmp_path / "a.png" and made.exists()


def test_the_examples_of_the_docstrings_give_what_they_say(picture, monkeypatch):
    monkeypatch.chdir(picture.path.parent)
    shutil.copy(picture.path, "IMG_0001.dng")
    found = doctest.DocTestFinder().find(api, globs={"picture": picture})
    run = doctest.DocTestRunner()
    for each in found:
        run.run(each)
    assert run.summarize(verbose=False) == (0, 7)


def test_every_public_function_says_what_it_takes():
    assert len(reading_names()) > 40
    for name in ("open_picture", "open_folder", "reading_names"):
        assert getattr(api, name).__doc__
    for name in ("changed", "develop", "measure", "report", "findings", "fixed", "save", "deliver", "size", "frame"):
        assert getattr(api.Picture, name).__doc__, name
