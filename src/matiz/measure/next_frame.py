"""What the readings of a frame mean for the next exposure in the field: how much more or less light, how short, and
whether one frame is enough."""

from dataclasses import dataclass
from math import ceil, log2

from ..raw.frame import Exposure
from ..wording import EV, number, time_text
from .detail.blur import BlurReading
from .detail.noise import LEAST_dB, NoiseReading
from .tone.patches import FullReading
from .tone.tone import RangeReading

LEFT_EV, LEAST_EV = 0.2, 0.4
"""What is left free above the brightest, and what is worth saying."""
LESS_EV = 1.0
"""Where things are full nobody knows how much too much it was: a step to look again after."""
dB_PER_EV = 3.01
"""Of signal to noise by twice the light, where photons are what is noisy."""
STEP_EV, MOST_FRAMES = 2.0, 5
"""Between frames of a bracket, and how many at most."""
SOFT_PX, SHARP_PX = 1.25, 0.9
"""Spread of the sharpest edges that is soft, and that is good."""


TIME_WHY = {
    "rule": "from the hand", "soft": "the edges are soft; if the camera moved",
    "smeared": "there is motion blur; if the camera moved",
}  # fmt: skip


@dataclass(frozen=True)
class NextFrame:
    """What to change for the next exposure of the same thing."""

    exposure_EV: float
    """More, or less, of light at the sensor; 0 where it is right."""
    gain_dB: float
    """Of signal to noise by that, where it is more."""
    things_full: int
    """How many things, not sources of light, are full."""
    bracket_EV: tuple[float, ...]
    """Exposures against this one, the least first; none where one frame holds all."""
    time_s: float | None
    """The longest exposure from the hand; None where it is short enough, or not known to be too long."""
    time_why: str = ""
    """"rule", "soft" or "smeared"."""

    def words(self) -> str:
        """In a line."""
        parts = []
        if self.bracket_EV:
            frames = ", ".join(EV(value) for value in self.bracket_EV)
            parts.append(f"one frame cannot record it: take {len(self.bracket_EV)}, {frames}")
        elif self.exposure_EV > 0.0:
            parts.append(f"{EV(self.exposure_EV)} fits, {number(self.gain_dB, 1, 'dB')} less noise")
        elif self.exposure_EV < 0.0:
            what = "an area is" if self.things_full == 1 else f"{number(self.things_full, 0)} areas are"
            parts.append(f"{EV(self.exposure_EV)} and check again: {what} clipped")
        if self.time_s is not None:
            parts.append(f"{TIME_WHY[self.time_why]}, {time_text(self.time_s)} or shorter")
        return "; ".join(parts) if parts else "nothing to change"


def next_frame(
    shot: Exposure, stored: RangeReading, full: FullReading, noise: NoiseReading | None, blur: BlurReading
) -> NextFrame:
    """noise: None for a rendered picture, of which only the blur and the time are judged."""
    time_s, why = _time(shot, blur)
    if noise is None:
        return NextFrame(0.0, 0.0, 0, (), time_s, why)
    things = sum(patch.kind == "thing" for patch in full.patches)
    known = [dB for dB in noise.zones_dB if dB is not None]
    missing_EV = max(0.0, (LEAST_dB - min(known)) / dB_PER_EV) if known else 0.0
    more = round(max(0.0, stored.headroom_EV - LEFT_EV), 1)
    if things and missing_EV >= LEAST_EV:
        frames = min(MOST_FRAMES, 1 + ceil((LESS_EV + missing_EV) / STEP_EV))
        return NextFrame(0.0, 0.0, things, tuple(-LESS_EV + STEP_EV * n for n in range(frames)), time_s, why)
    if things:
        return NextFrame(-LESS_EV, 0.0, things, (), time_s, why)
    if more >= LEAST_EV:
        return NextFrame(more, dB_PER_EV * more, 0, (), time_s, why)
    return NextFrame(0.0, 0.0, 0, (), time_s, why)


def _time(shot: Exposure, blur: BlurReading) -> tuple[float | None, str]:
    if shot.time_s is None:
        return None, ""
    if blur.smear is not None:
        return _as_set(shot.time_s * min(SHARP_PX / blur.smear.spread_px, 1.0)), "smeared"
    if blur.blur_px is not None and blur.blur_px > SOFT_PX:
        # a smear grows with the time
        return _as_set(shot.time_s * SHARP_PX / blur.blur_px), "soft"
    if blur.blur_px is not None and blur.blur_px <= SHARP_PX:
        return None, ""  # it was short enough, or stood on something
    focal = shot.focal_35_mm or shot.focal_mm
    # the reciprocal of the focal length: common practice, no source; longer ones stand on something
    if focal and 1.0 / focal < shot.time_s < 8.0 / focal:
        return _as_set(1.0 / focal), "rule"
    return None, ""


def _as_set(time_s: float) -> float:
    """The next shorter third of a stop."""
    stops = ceil(round(-3.0 * log2(time_s), 6)) / 3.0
    return float(2.0**-stops)
