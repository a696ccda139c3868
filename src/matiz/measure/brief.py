"""What is worth knowing of a picture before it is opened, so short that a thousand are looked at aside."""

from dataclasses import asdict, dataclass
from typing import Any

from ..develop.engine import LITTLE_CACHE, Engine
from ..raw.frame import Frame
from ..recipe.model import plain_recipe
from .picture import Meter

VERSION = 1
"""Of how they are read: what another one wrote is read anew."""
ZONE = 3


@dataclass(frozen=True)
class Brief:
    """Readings of a frame as the camera held it."""

    edges_px: float | None
    """Spread of its sharpest edges, px of the full size; None where too little tells it surely."""
    full_share: float
    """Of the photosites of the fullest channel, 0..1."""
    headroom_EV: float
    """By how much more light it could have got."""
    snr_dB: float | None
    """Signal to noise in zone III; None for a rendered picture and where nothing is so dark."""

    def to_json(self) -> dict[str, Any]:
        return asdict(self)

    @staticmethod
    def from_json(told: dict[str, Any]) -> "Brief":
        """Raises KeyError, TypeError or ValueError for what none has written."""

        def number(name: str) -> float | None:
            return None if told[name] is None else float(told[name])

        return Brief(number("edges_px"), float(told["full_share"]), float(told["headroom_EV"]), number("snr_dB"))


def brief_of(frame: Frame) -> Brief:
    """The readings of a frame about which nothing is decided."""
    read = Meter(Engine(frame, cache_bytes=LITTLE_CACHE)).read(plain_recipe(frame.start), ("range", "noise", "blur"))
    blur, noise = read["blur"], read["noise"]
    edges = round(blur.blur_px, 2) if blur.blur_px is not None and blur.is_sure else None
    snr = None if noise is None or noise.zones_dB[ZONE] is None else round(noise.zones_dB[ZONE], 1)
    full = max(read["range"].clipped)
    return Brief(edges, round(full, 6), round(read["range"].headroom_EV, 2), snr)
