"""The picture at work: its pixels, its readings, until it is closed."""

from pathlib import Path

from ..develop.graph.engine import Engine
from ..measure.picture import Meter
from ..raw.frame import Frame


class OpenPicture:
    """One decoded picture. Work that was begun for it finds it closed when it comes too late."""

    def __init__(self, path: Path, frame: Frame) -> None:
        self.path = path
        self.engine = Engine(frame)
        self.engine.found.in_haste = True
        self.meter = Meter(self.engine)
        self.is_closed = False
        self.looked_for = False
        """Whether its subject was looked for."""

    @property
    def frame(self) -> Frame:
        return self.engine.frame

    def close(self) -> None:
        """Let go of what was made of it: jobs that still hold it hold little."""
        self.is_closed = True
        self.engine.forget()
