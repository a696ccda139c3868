"""Pictures that are rendered already: untouched they come out as they went in."""

import json

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image as Pillow

from matiz.cli import main
from matiz.deliver.orders import Order
from matiz.deliver.write import deliver
from matiz.develop.graph.engine import Engine
from matiz.raw.decode import read_frame
from matiz.recipe.document import Document
from matiz.recipe.model import RENDERED, Recipe, plain_recipe
from matiz.shoot.desk import Desk


@pytest.fixture(scope="module")
def photograph():
    """A real photograph, and every code of every channel beside it."""
    picture = pytest.importorskip("sklearn.datasets").load_sample_image("china.jpg")[:240, :384]
    codes = np.arange(256, dtype=np.uint8)
    ramps = np.zeros((8, 384, 3), np.uint8)
    for channel in range(3):
        ramps[channel, :256, channel] = codes
    ramps[3:, :256] = codes[None, :, None]
    return np.vstack([picture, ramps])


@pytest.mark.parametrize("kind", ["png", "tif", "png16", "tif16"])
def test_what_is_not_touched_comes_out_as_it_went_in(photograph, tmp_path, kind):
    deep = kind.endswith("16")
    pixels = photograph.astype(np.uint16) * 257 if deep else photograph
    path, out = tmp_path / f"a.{kind[:3]}", tmp_path / "out.png"
    if kind.startswith("tif"):
        tifffile.imwrite(path, pixels, photometric="rgb")
    else:
        path.write_bytes(imagecodecs.png_encode(pixels))
    frame = read_frame(path)
    assert frame.is_rendered and frame.start == RENDERED
    deliver(Engine(frame), plain_recipe(frame.start), Order("PNG"), out)
    made = imagecodecs.png_decode(out.read_bytes())
    assert np.abs(made.astype(int) - photograph.astype(int) * 257).max() < 257, "to 1 of 255"
    shown = Engine(frame).render(plain_recipe(frame.start), 0)[..., 2::-1].astype(int)
    assert np.abs(shown - photograph).max() <= 1


def test_a_jpeg_is_as_it_was_on_the_command_line(photograph, tmp_path):
    path, out = tmp_path / "a.jpg", tmp_path / "out.png"
    Pillow.fromarray(photograph).save(path, quality=95)
    assert main(["develop", str(path), "-o", str(out)]) == 0
    made = imagecodecs.png_decode(out.read_bytes()) / 257.0
    with Pillow.open(path) as before:
        assert np.abs(made - np.asarray(before)).max() < 1.0


def test_floats_are_a_scenes_light_and_start_as_raw_files_do(tmp_path):
    tifffile.imwrite(tmp_path / "a.tif", np.full((20, 30, 3), 0.2, np.float32), photometric="rgb")
    assert not read_frame(tmp_path / "a.tif").is_rendered


def test_the_start_is_kept_and_is_what_stations_go_back_to():
    recipe, _ = plain_recipe(RENDERED).change("tone.exposure_EV", 1.0)
    assert recipe.with_plain() == plain_recipe(RENDERED)
    left_out = recipe.change("tone.active", "off")[0]
    assert left_out.in_force().tone.rendition == "as_delivered"
    assert Recipe.from_json(json.loads(json.dumps(recipe.to_json()))) == recipe
    assert Recipe.from_json({}).start == "raw"
    assert Recipe.from_json({}, RENDERED) == Recipe.from_json({"start": RENDERED}) == plain_recipe(RENDERED)
    assert Recipe.from_json({"tone": {"exposure_EV": 1.0}}, RENDERED) == recipe
    with pytest.raises(ValueError, match="start"):
        Recipe.from_json({"start": "painted"})


def test_what_a_newer_matiz_wrote_goes_back_where_nothing_was_decided_since():
    newer = {"schema": 99, "start": RENDERED, "tone": {"rendition": "etched"}}
    assert Recipe.from_json(newer).to_json()["tone"]["rendition"] == "etched"
    decided = Recipe.from_json(newer).change("tone.rendition", "soft")[0]
    assert decided.to_json()["tone"]["rendition"] == "soft"


def test_a_recipe_that_does_not_say_where_it_starts_starts_as_its_picture_does(tmp_path):
    path, recipe, out = tmp_path / "a.png", tmp_path / "r.json", tmp_path / "out.png"
    pixels = np.random.default_rng(3).integers(0, 256, (24, 32, 3), np.uint8)
    Pillow.fromarray(pixels).save(path)
    recipe.write_text('{"tone": {"exposure_EV": 0.0}}')
    assert main(["develop", str(path), "--recipe", str(recipe), "-o", str(out)]) == 0
    with Pillow.open(out) as made:
        assert np.abs(np.asarray(made).astype(int) - pixels).max() <= 1


def test_a_document_begins_as_its_picture_does_until_something_is_decided(tmp_path):
    assert Document().begun(RENDERED).recipe == plain_recipe(RENDERED)
    assert Document(rank=3).begun(RENDERED).rank == 3
    decided = Document().change_all([("tone.exposure_EV", 1.0)], label="x")[0]
    assert decided.begun(RENDERED) is decided
    (tmp_path / "a.jpg").write_bytes(b"x")
    desk = Desk()
    desk.open([tmp_path])
    desk.record(tmp_path / "a.jpg", [("light.cct_K", 4000.0)], "Light")
    assert desk.document(tmp_path / "a.jpg").recipe.tone.rendition == "as_delivered"
    desk.close_log()
