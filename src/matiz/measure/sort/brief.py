"""What is worth knowing of a picture before it is opened, so short that a thousand are looked at aside."""

import math
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from ...develop.frame.camera_colour import as_shot_xy
from ...develop.graph.engine import LITTLE_CACHE, Engine
from ...errors import ArgumentError
from ...raw.frame import Frame
from ...recipe.model import Recipe, plain_recipe
from ..light.card import grey_card
from ..light.evidence import gather
from ..light.light import measured_light
from ..picture import Meter
from ..table.table import LONG_SIDE
from ..table.values import LightValue, value_of
from ..tone.luminances import luminance_EV
from .look import lightnesses, look_of
from .streak import LONG_SIDE as STREAK_PX
from .streak import NIGHT_S, streak_share

VERSION = 2
"""Of how they are read: what another one wrote is read anew."""
ZONE = 3
LEAST_CERTAINTY = 0.6
"""Of a tilt or of dust for it to be told."""


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
    light: LightValue | None = None
    """The light that was measured; None where too little tells it."""
    as_shot: LightValue | None = None
    """What the camera took for it; None for a rendered picture."""
    card: LightValue | None = None
    """The light of a grey card that lies in it."""
    look: str = ""
    """See `look.look_of`; empty where it is not known."""
    level_EV: float | None = None
    """Of the middle of the picture's scene luminances, stops from white; None where it is not known."""
    streak: float | None = None
    """Length of the longest straight streak in a night, of the long side; None where it is no night."""
    tilt_deg: float | None = None
    """How far it leans clockwise; None where nothing tells it surely, or while `dust` is None."""
    dust: int | None = None
    """Shadows of dust; None where they were not looked for: that takes longer than all else."""

    def to_json(self) -> dict[str, Any]:
        return asdict(self)

    @staticmethod
    def from_json(told: dict[str, Any]) -> "Brief":
        """Raises KeyError, TypeError or ValueError for what none has written."""

        def number(name: str) -> float | None:
            return None if told[name] is None else float(told[name])

        def light(name: str) -> LightValue | None:
            own = told[name]
            return None if own is None else LightValue(*(float(own[part]) for part in ("cct_K", "duv", "certainty")))

        brief = Brief(
            number("edges_px"), float(told["full_share"]), float(told["headroom_EV"]), number("snr_dB"),
            light("light"), light("as_shot"), light("card"), str(told["look"]), number("level_EV"),
            number("streak"), None if told.get("tilt_deg") is None else float(told["tilt_deg"]),
            None if told.get("dust") is None else int(told["dust"]),
        )  # fmt: skip
        if brief.look:
            lightnesses(brief.look)
        numbers = [value for value in vars(brief).values() if isinstance(value, float)]
        for each in (brief.light, brief.as_shot, brief.card):
            numbers += [] if each is None else [each.cct_K, each.duv, each.certainty]
        if not all(map(math.isfinite, numbers)):
            raise ValueError("a reading is not a number")
        return brief


def brief_of(frame: Frame) -> Brief:
    """The readings of a frame about which nothing is decided."""
    engine, recipe = Engine(frame, cache_bytes=LITTLE_CACHE), plain_recipe(frame.start)
    read = Meter(engine).read(recipe, ("range", "noise", "blur"))
    blur, noise = read["blur"], read["noise"]
    edges = round(blur.blur_px, 2) if blur.blur_px is not None and blur.is_sure else None
    snr = None if noise is None or noise.zones_dB[ZONE] is None else round(noise.zones_dB[ZONE], 1)
    full = max(read["range"].clipped)
    level = engine.level_for(recipe, LONG_SIDE)
    camera = engine.render(recipe, level, result="small camera")
    as_shot = _as_shot(frame)
    light = measured_light(gather(frame.colour, camera), as_shot or LightValue(5003.0, 0.0, 0.0))
    card = grey_card(frame.colour, camera, 2**level)
    look = look_of(engine.render(recipe, level, result="small display"))
    middle = float(np.median(luminance_EV(engine.render(recipe, level, result="small working"), 0.0)))
    return Brief(
        edges, round(full, 6), round(read["range"].headroom_EV, 2), snr,
        _rounded(light), _rounded(as_shot), _rounded(card.light if card is not None else None), look,
        round(middle, 2), _streak(engine, recipe),
    )  # fmt: skip


def looked_closer(frame: Frame, brief: Brief) -> Brief:
    """The same with tilt and dust, as a picture deserves that is kept."""
    recipe = plain_recipe(frame.start)
    read = Meter(Engine(frame, cache_bytes=LITTLE_CACHE)).read(recipe, ("tilt", "dust"))
    tilt = read["tilt"].tilt
    is_told = tilt.certainty >= LEAST_CERTAINTY
    dust = sum(speck.certainty >= LEAST_CERTAINTY for speck in read["dust"].specks)
    return replace(brief, tilt_deg=round(tilt.deg, 2) if is_told else None, dust=dust)


def _streak(engine: Engine, recipe: Recipe) -> float | None:
    if (engine.frame.exposure.time_s or 0.0) < NIGHT_S:
        return None
    camera = engine.render(recipe, engine.level_for(recipe, STREAK_PX), result="small camera")
    return streak_share(np.ascontiguousarray(camera[..., 1]), engine.frame.exposure.time_s)


def _as_shot(frame: Frame) -> LightValue | None:
    if frame.mosaic is None:
        return None
    try:
        return value_of(as_shot_xy(frame.colour))
    except ArgumentError:
        return None


def _rounded(light: LightValue | None) -> LightValue | None:
    return None if light is None else LightValue(round(light.cct_K, 1), round(light.duv, 5), round(light.certainty, 3))
