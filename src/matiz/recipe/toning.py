"""What several sections have: what Tone decides for the whole picture and a place for itself, in the same units and
within the same limits, and whether a station counts."""

from dataclasses import dataclass
from typing import Any

from .leaves import Choice, CurvePoints, Number, Numbers, described
from .tree import Section


def _contrast(help_text: str) -> Any:
    return described(Number("dB", -12.0, 12.0, 0.0, 0.5, 1, help_text))


@dataclass(frozen=True)
class Contrast(Section):
    """Local contrast, by the size of what it acts on."""

    fine_dB: float = _contrast("Contrast of detail up to 0.1 % of the long side.")
    middle_dB: float = _contrast("Contrast of detail up to 0.8 % of the long side.")
    broad_dB: float = _contrast("Contrast of shapes from 0.8 to 5 % of the long side.")


def active() -> Any:
    return described(Choice(("on", "off"), "on", "Whether the station is on; off keeps its values."))


def exposure() -> Any:
    return described(Number("EV", -6.0, 6.0, 0.0, 0.05, 2, "Exposure, in stops."))


def zones() -> Any:
    each = Number("EV", -4.0, 4.0, 0.0, 0.05, 2, "Shift of zones 0..X; smooth between them.")
    return described(Numbers(each, 11))


def haze() -> Any:
    help_text = "Share of the measured haze that is removed; negative adds haze."
    return described(Number("%", -50.0, 100.0, 0.0, 1.0, 0, help_text))


def lightness_curve() -> Any:
    return described(CurvePoints("Display lightness L*/100 in and out; monotone cubic between the points."))
