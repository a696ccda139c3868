"""Tries: a few named alternatives of a picture, and how far each is from what it is now."""

from dataclasses import dataclass

import numpy as np

from ..colour.difference import delta_E_2000
from ..colour.spaces import sRGB_to_Lab
from ..colour.types import Display
from ..develop.frame.camera_colour import light_xy
from ..develop.graph.engine import Engine
from ..measure.picture import PictureReading
from ..measure.table.values import value_of
from ..recipe.change import Settings
from ..recipe.model import Recipe, manual_light
from ..wording import EV, kelvin, number, percent

COUNT = 6
APART_MIRED = 25.0
"""Of a warmer and a cooler try: seen well, and still likely."""
LONG_SIDE = 500
LEAST_DELTA_E = 0.5
"""A try that changes less is left out."""


@dataclass(frozen=True, eq=False)
class Try:
    """One alternative: what it is called, what it sets, how it looks."""

    name: str
    settings: Settings
    display: Display
    """Linear sRGB, long side about LONG_SIDE px."""
    delta_E: float
    """Mean ΔE00 to the picture as it is."""


def tries(engine: Engine, reading: PictureReading, recipe: Recipe) -> list[Try]:
    """The first COUNT alternatives that are seen to differ from the picture as it is, in a fixed order."""
    level = engine.level_for(recipe, LONG_SIDE)
    now = sRGB_to_Lab(engine.render(recipe, level, result="display"))
    found: list[Try] = []
    for name, settings in _candidates(engine, reading, recipe):
        display = engine.render(recipe.change_all(settings, label=name)[0], level, result="display")
        delta_E = float(np.mean(delta_E_2000(now, sRGB_to_Lab(display))))
        if delta_E >= LEAST_DELTA_E:
            found.append(Try(name, settings, display, delta_E))
        if len(found) == COUNT:
            break
    return found


def _candidates(engine: Engine, reading: PictureReading, recipe: Recipe) -> list[tuple[str, Settings]]:
    light = value_of(light_xy(engine.frame.colour, recipe.in_force().light))
    out: list[tuple[str, Settings]] = []
    lights = reading.light.lights.found
    if len(lights) > 1:
        out += [(f"For the light of {kelvin(one.value.cct_K)}", manual_light(one.value.cct_K, one.value.duv))
                for one in lights]  # fmt: skip
    elif reading.light.measured is not None:
        measured = reading.light.measured
        out.append((f"Measured light, {kelvin(measured.cct_K)}", manual_light(measured.cct_K, measured.duv)))
    for word, mired in (("Warmer", -APART_MIRED), ("Cooler", APART_MIRED)):
        # a picture balanced for a cooler light looks warmer
        cct_K = 1e6 / min(max(light.mired + mired, 42.0), 600.0)
        out.append((f"{word} by {number(APART_MIRED, 0, 'mired')}", manual_light(cct_K, light.duv)))
    high_EV = -reading.tone.high_EV
    if high_EV > 0.3:
        raised = round(min(recipe.tone.exposure_EV + high_EV, 6.0), 2)
        name = f"Exposed to white, {EV(raised - recipe.tone.exposure_EV)}"
        out.append((name, (("tone.exposure_EV", raised),)))
    for rendition in ("soft", "strong", "standard"):
        if rendition != recipe.tone.rendition:
            out.append((f"{rendition.capitalize()} rendition", (("tone.rendition", rendition),)))
    out.append((f"Mood kept, {percent(0.6)} adaptation", (("light.adaptation_percent", 60.0),)))
    lifted = (0.6, 0.8, 0.8, 0.6, 0.3, 0.0, -0.2, -0.4, -0.5, -0.4, 0.0)
    out.append(("Shadows lifted, highlights held", (("tone.zones_EV", lifted),)))
    return out
