"""The picture at work: its pixels, its readings, until it is closed."""

from pathlib import Path

from ..develop.frame.camera_colour import light_xy
from ..develop.graph.engine import Engine
from ..measure.picture import Meter
from ..measure.table.values import LightValue, value_of
from ..raw.frame import Frame
from ..recipe.model import Light


class OpenPicture:
    """One decoded picture. Work that was begun for it finds it closed when it comes too late."""

    def __init__(self, path: Path, frame: Frame) -> None:
        self.path = path
        self.engine = Engine(frame)
        self.engine.found.in_haste = True
        self.meter = Meter(self.engine)
        self.is_closed = False
        self._light: tuple[Light, LightValue] | None = None

    @property
    def frame(self) -> Frame:
        return self.engine.frame

    def light_of(self, light: Light) -> LightValue:
        """The light that a recipe's balance is for."""
        if self._light is None or self._light[0] != light:
            self._light = light, value_of(light_xy(self.frame.colour, light))
        return self._light[1]

    def close(self) -> None:
        """Let go of what was made of it: jobs that still hold it hold little."""
        self.is_closed = True
        self.engine.forget()
