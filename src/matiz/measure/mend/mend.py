"""Readings of the Mend station: fringes in the picture, and what the database knows of the lens."""

from dataclasses import dataclass

from ...develop.frame.lens import KnownLens, known_lens
from ...raw.frame import Frame
from .fringes import FringeReading, read_fringes


@dataclass(frozen=True)
class MendReading:
    """What the lens did to a frame, as far as it can be told."""

    fringes: FringeReading | None
    """None where too little in the picture tells, or it is not raw."""
    lens: KnownLens | None
    """None when the database does not know the lens."""


def read_mend(frame: Frame) -> MendReading:
    return MendReading(read_fringes(frame.mosaic) if frame.mosaic is not None else None, known_lens(frame))
