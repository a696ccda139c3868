"""DNG files of Matiz's own: compressed mosaics and linear values, read back by Matiz and by others."""

from dataclasses import replace

import numpy as np
import pytest
import rawpy
import tifffile

from matiz.develop.frame.sensor import Sensor
from matiz.develop.graph.engine import Engine
from matiz.raw.decode import read_frame
from matiz.raw.dng import write_dng
from matiz.raw.frame import Frame
from matiz.recipe.model import Recipe
from matiz_simcam.camera import Settings
from matiz_simcam.shoot import simulate

PREVIEW = np.zeros((20, 30, 3), np.uint8)


@pytest.fixture(scope="module")
def frame() -> Frame:
    return simulate("lava-lizard", (240, 160), Settings(iso=400, focus_m=1.2))


def linear_of(frame: Frame) -> Frame:
    camera = Sensor(frame).read(0, (0, 0, *frame.size))
    return replace(frame, mosaic=None, linear=camera, noise_profile=())


@pytest.mark.parametrize("mosaic", ["2x2", "6x6"])
def test_a_compressed_mosaic_is_smaller_and_the_same(tmp_path, mosaic):
    frame = simulate("lava-lizard", (240, 162), Settings(iso=400, focus_m=1.2, mosaic=mosaic))
    for name, compress in (("plain", False), ("small", True)):
        write_dng(frame, tmp_path / f"{name}.dng", PREVIEW, compress=compress)
    assert (tmp_path / "small.dng").stat().st_size < 0.85 * (tmp_path / "plain.dng").stat().st_size
    read = read_frame(tmp_path / "small.dng")
    assert (read.mosaic.values == frame.mosaic.values).all()
    np.testing.assert_array_equal(read.mosaic.black, frame.mosaic.black)
    assert read.mosaic.white == frame.mosaic.white and read.camera == frame.camera
    with rawpy.imread(str(tmp_path / "small.dng")) as raw:
        assert (raw.raw_image_visible == frame.mosaic.values).all()


@pytest.mark.parametrize("compress", [False, True])
def test_a_linear_dng_keeps_values_and_colour(tmp_path, frame, compress):
    linear = linear_of(frame)
    write_dng(linear, tmp_path / "a.dng", PREVIEW, compress=compress)
    read = read_frame(tmp_path / "a.dng")
    np.testing.assert_array_equal(np.asarray(read.linear), linear.linear)
    with tifffile.TiffFile(tmp_path / "a.dng") as tiff:
        assert tiff.pages[0].pages[0].asarray().shape == (160, 240, 3)
    # developed, it is the picture that the mosaic gives
    ours, theirs = (Engine(f).render(Recipe(), 0, result="display") for f in (read, frame))
    assert np.abs(ours - theirs).mean() < 0.002


def test_sixteen_bit_linear_values_are_scaled_by_black_and_white(tmp_path, frame):
    values = np.random.default_rng(1).integers(200, 4000, (32, 48, 3)).astype(np.uint16)
    with tifffile.TiffWriter(tmp_path / "a.dng") as tiff:
        tags = [(50706, "B", 4, (1, 4, 0, 0)), (50717, "H", 3, (4000,) * 3), (50714, "H", 3, (200, 210, 220))]
        tags += [
            (50721, "2i", 9, tuple(v for m in np.eye(3).ravel() for v in (int(m * 1000), 1000))),
            (50778, "H", 1, 21),
        ]
        tiff.write(values, photometric=34892, planarconfig=1, metadata=None, extratags=tags)
    read = read_frame(tmp_path / "a.dng")
    expected = (values - np.array([200.0, 210.0, 220.0])) / (4000.0 - np.array([200.0, 210.0, 220.0]))
    np.testing.assert_allclose(read.linear, expected, rtol=1e-5)
