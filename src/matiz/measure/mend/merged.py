"""What a frame that was merged of several says of itself."""

from dataclasses import dataclass

from ..table.values import Outline


@dataclass(frozen=True)
class MergedReading:
    """Of a frame that Matiz merged."""

    kind: str
    """"bracket", "focus" or "mean"."""
    frames: int
    """Of how many."""
    moved_share: float
    """Of the picture, where things moved between the frames and one of them was taken."""
    moved: tuple[Outline, ...]
    """The largest of those places, px of the picture."""
    missing: tuple[str, ...] = ()
    """Files of frames that repairs are taken from and that cannot be read."""
