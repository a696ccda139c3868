"""Small pictures of what is decided, beside the shoot."""

import numpy as np
import pytest
from PIL import Image

from matiz.errors import FileError
from matiz.recipe.model import plain_recipe
from matiz.shoot.renderings import keep_rendering, rendering_of


def test_one_is_named_by_what_is_decided(tmp_path):
    path, plain = tmp_path / "a.dng", plain_recipe()
    lighter = plain.applied([("tone.exposure_EV", 1.0)])
    darker = plain.applied([("tone.exposure_EV", -1.0)])
    assert rendering_of(path, plain) is None
    assert rendering_of(path, plain_recipe("rendered")) is None
    files = {rendering_of(path, each) for each in (lighter, darker)} | {rendering_of(tmp_path / "b.dng", lighter)}
    assert len(files) == 3 and all(file.parent == tmp_path / ".matiz" / "tiles" for file in files)
    assert rendering_of(path, lighter) == rendering_of(path, plain.applied([("tone.exposure_EV", 1.0)]))


def test_the_newest_takes_the_place_of_older_ones_of_the_same_picture(tmp_path):
    plain = plain_recipe()
    screen = np.zeros((20, 30, 4), np.uint8)
    screen[..., 2] = 200
    files = [rendering_of(tmp_path / name, plain.applied([("tone.exposure_EV", EV)]))
             for name, EV in (("a.dng", 1.0), ("a.dng.b.dng", 1.0), ("a.dng", 2.0))]  # fmt: skip
    for file in files:
        keep_rendering(file, screen)
    assert sorted(files[0].parent.iterdir()) == sorted(files[1:])
    red, green, blue = np.asarray(Image.open(files[2]))[10, 15].astype(int)
    assert red > 190 and green < 15 and blue < 15, "the screen's order of colours"
    keep_rendering(files[2], screen)
    assert files[2].exists()


def test_where_nothing_can_be_written_is_said(tmp_path):
    (tmp_path / ".matiz").write_text("a file")
    file = rendering_of(tmp_path / "a.dng", plain_recipe().applied([("tone.exposure_EV", 1.0)]))
    with pytest.raises(FileError, match="tiles"):
        keep_rendering(file, np.zeros((4, 4, 4), np.uint8))
