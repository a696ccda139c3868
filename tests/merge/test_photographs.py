"""Real photographs, taken anew by the simulated camera as a bracket from the hand."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data
from sklearn.datasets import load_sample_image

from matiz.colour.spaces import decode_sRGB
from matiz.merge.bracket import merge_bracket
from matiz_simcam.camera import Settings, expose
from matiz_simcam.lens import PERFECT

from .moving import moved_by
from .test_align import missed_px

SETTINGS = Settings(iso=400, lens=PERFECT, f_number=8)
EVS = (-1.0, -3.0, 1.0)
PHOTOGRAPHS = {
    "astronaut": skimage.data.astronaut,
    "coffee": skimage.data.coffee,
    "cat": skimage.data.chelsea,
    "flower": lambda: load_sample_image("flower.jpg"),
    "temple": lambda: load_sample_image("china.jpg"),
}


class Photograph:
    """What the camera looks at: `expose` takes it for a scene."""

    def __init__(self, pixels) -> None:
        height, width = (length // 2 * 2 for length in pixels.shape[:2])
        self.light = decode_sRGB(pixels[:height, :width] / 255.0).astype(np.float32)
        self.size, self.depth_m, self.at = (width, height), None, np.eye(3)

    def seen_through(self, _sensitivities):
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        return cv2.warpPerspective(self.light, self.at, self.size, flags=flags, borderMode=cv2.BORDER_REFLECT)


@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_it_is_laid_on_itself_and_nothing_moved(name):
    photograph = Photograph(PHOTOGRAPHS[name]())
    ways = [np.eye(3), moved_by(photograph.size, 12.0, -7.0, 0.7), moved_by(photograph.size, -9.3, 5.2, -0.5)]
    frames = []
    for n, (ev, photograph.at) in enumerate(zip(EVS, ways, strict=True)):
        settings = replace(SETTINGS, ev=ev, seed=n + 1, time_s=2.0 ** (ev + 1.0) / 60)
        frames.append(replace(expose(photograph, settings), path=Path(f"{n}.dng")))
    made = merge_bracket(frames)
    for alignment, truth in zip(made.alignments, ways[1:], strict=True):
        assert np.median(missed_px(alignment, truth, photograph.size)) < 0.1
    assert made.moved.share == 0.0
    assert np.log2(made.gains) == pytest.approx((0.0, -2.0, 2.0), abs=0.03)
