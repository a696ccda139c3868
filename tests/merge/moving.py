"""One scene seen from a camera that moved, with things that moved in it: what frames that are merged are made of."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from matiz.colour.temperature import cct_to_xy
from matiz.raw.frame import Frame
from matiz_simcam.camera import Settings, _green_of_white, expose
from matiz_simcam.lens import PERFECT
from matiz_simcam.shoot import scene_of

DAWN = cct_to_xy(5480.0, 0.003)
PANS = Settings(iso=100, time_s=1 / 60, f_number=11, lens=PERFECT, balance_xy=DAWN)


def moved_by(size, dx: float, dy: float, degrees: float, zoom: float = 1.0) -> np.ndarray:
    """(3, 3): where in the scene a px of the frame looks."""
    middle_x, middle_y = ((length - 1) / 2 for length in size)
    turn = zoom * np.array([[np.cos(np.radians(degrees)), -np.sin(np.radians(degrees))],
                            [np.sin(np.radians(degrees)), np.cos(np.radians(degrees))]])  # fmt: skip
    middle = np.array([middle_x, middle_y])
    out = np.eye(3)
    out[:2, :2], out[:2, 2] = turn, middle - turn @ middle + (dx, dy)
    return out


class Seen:
    """A scene as a camera sees it that looks elsewhere: `expose` takes it for a scene."""

    def __init__(self, name: str, size, view: int = 0) -> None:
        self.scene = scene_of(name, size, view=view)
        self.size, self.depth_m = size, None
        self.at, self.thing = np.eye(3), None
        self._light = None

    def light(self, sensitivities) -> np.ndarray:
        if self._light is None:
            self._light = self.scene.seen_through(sensitivities)
        return self._light

    def seen_through(self, sensitivities) -> np.ndarray:
        light = self.light(sensitivities)
        if self.thing is not None:
            (x, y, w, h), value = self.thing
            light = light.copy()
            light[y : y + h, x : x + w] = value
        return cv2.warpPerspective(light, self.at, self.size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                                   borderMode=cv2.BORDER_REFLECT)  # fmt: skip

    def frame(self, name: str, settings: Settings, at=None, thing=None) -> Frame:
        self.at, self.thing = np.eye(3) if at is None else at, thing
        return replace(expose(self, settings), path=Path(name))


def radiance(seen: Seen, ev: float) -> np.ndarray:
    """What a perfect frame would hold at an exposure."""
    from matiz_simcam.camera import sensitivities

    return (seen.light(sensitivities()) / np.float32(_green_of_white(DAWN)) * 2.0**ev).astype(np.float32)
