"""Frames of 24 megapixels merged: seconds, and against demosaicing them one by one in the same run."""

import time
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from matiz.develop.frame.sensor import Sensor
from matiz.measure.sort.brief import brief_of
from matiz.merge.bracket import merge_bracket
from matiz.merge.focus import merge_focus
from matiz.merge.mean import merge_mean
from matiz.raw.frame import Frame
from matiz_simcam.camera import Settings, expose, sensitivities
from matiz_simcam.lens import PERFECT
from matiz_simcam.shoot import scene_of

SIZE = (6000, 4000)
EVS = (-0.6, -2.6, 1.4)
SHIFT_PX, TURN_DEG = 40.0, 1.0


class _FromTheHand:
    """A scene seen from frame to frame a little elsewhere: `expose` takes it for a scene."""

    def __init__(self) -> None:
        self.size, self.depth_m = SIZE, None
        self.light = scene_of("salt-pans", SIZE, view=5).seen_through(sensitivities())
        self.n = 0

    def seen_through(self, _sensitivities: object) -> object:
        turn = cv2.getRotationMatrix2D((SIZE[0] / 2, SIZE[1] / 2), TURN_DEG * self.n, 1.0)
        turn[:, 2] += SHIFT_PX * self.n * np.array([0.8, -0.6])
        return cv2.warpAffine(self.light, turn, SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)


def run() -> dict[str, float]:
    seen, settings = _FromTheHand(), Settings(iso=100, time_s=1 / 60, f_number=11, lens=PERFECT)
    frames: list[Frame] = []
    for seen.n, ev in zip((0, 1, -1), EVS, strict=True):
        own = replace(settings, ev=ev, seed=seen.n + 2, time_s=2.0 ** (ev + 0.6) / 60)
        frames.append(replace(expose(seen, own), path=Path(f"{seen.n}.dng")))  # type: ignore[arg-type]
    del seen.light
    began = time.perf_counter()
    for frame in frames:
        Sensor(frame).read(0, (0, 0, *SIZE))
    single = (time.perf_counter() - began) / len(frames)
    out = {"demosaicing one, s": single}
    for name, merge, count in (("a bracket of 3", merge_bracket, 3), ("2 focused differently", merge_focus, 2),
                               ("a mean of 3", merge_mean, 3)):  # fmt: skip
        began = time.perf_counter()
        merge(frames[:count])
        took = time.perf_counter() - began
        out |= {f"{name}, s": took, f"{name}, times demosaicing as many": took / (count * single)}
    began = time.perf_counter()
    brief_of(frames[0])
    return out | {"short readings of one, s": time.perf_counter() - began}
