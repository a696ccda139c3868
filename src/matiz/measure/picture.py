"""All readings of a picture under a recipe, and what of them may be kept while the recipe moves."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from ..colour.types import SceneLinear
from ..develop.engine import Engine
from ..raw.camera_colour import light_xy
from ..raw.noise import noise_of
from ..raw.sensor import level_for, level_size
from ..recipe.model import Mend, Recipe
from .deliver import DeliveryReading, read_delivery
from .light import LightReading, read_light
from .mend import MendReading, read_mend
from .noise import NoiseReading, noise_reading
from .patches import Patch, clipped_patches, is_full, rebuilt_share
from .stored import StoredReading, read_stored
from .tone import RawReading, ToneReading, luminance_EV, raw_range, tone_reading, uneven_light, zone_of
from .values import LightValue, value_of

WORKING_LONG_SIDE = 500


@dataclass(frozen=True)
class PictureReading:
    """What the instruments say of one picture under one recipe."""

    light: LightReading
    balance: LightValue
    """The light that the recipe balances for."""
    tone: ToneReading
    delivery: DeliveryReading
    mend: MendReading
    noise: NoiseReading | None = None
    """None for pictures that are not raw."""
    stored: StoredReading | None = None
    """None for all but pictures in 8 bits."""


class Meter:
    """Reads one frame. What depends on the file alone is measured once, and the rest when it must be."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._kept: dict[str, tuple[Any, Any]] = {}

    def read(self, recipe: Recipe) -> PictureReading:
        frame, recipe = self.engine.frame, recipe.in_force()
        working, scene, display = (
            self.engine.render(recipe, self._small_level, result=way) for way in ("working", "scene", "display")
        )
        full, rebuilt = self._since("full", recipe.mend, lambda: self._full_places(recipe.mend))
        raw = RawReading(*self._raw_range, tuple(self._with_level(patch, recipe) for patch in full), rebuilt)
        uneven = self._since("uneven", (recipe.mend, recipe.light), lambda: uneven_light(luminance_EV(working, 0.0)))
        tone = tone_reading(raw, uneven, working, scene, display, recipe.tone, 2**self._small_level)
        delivery = read_delivery(display, scene, recipe.tone)
        balance = value_of(light_xy(frame.colour, recipe.light))
        noise = self._noise(working, recipe)
        return PictureReading(self._light, balance, tone, delivery, self._mend, noise, self._stored)

    def _since(self, name: str, key: Any, make: Callable[[], Any]) -> Any:
        """A reading that is kept until what it depends on, `key`, changes."""
        if name not in self._kept or self._kept[name][0] != key:
            self._kept[name] = (key, make())
        return self._kept[name][1]

    def _noise(self, working: SceneLinear, recipe: Recipe) -> NoiseReading | None:
        if self.engine.frame.mosaic is None:
            return None
        camera = self.engine.render(recipe, self._small_level, result="camera")
        zone = zone_of(luminance_EV(working, recipe.tone.exposure_EV))
        return noise_reading(noise_of(self.engine.frame), camera, zone)

    @cached_property
    def _small_level(self) -> int:
        """The smallest level that still has enough pixels to count."""
        return level_for(self.engine.frame, WORKING_LONG_SIDE)

    @cached_property
    def _light(self) -> LightReading:
        camera = self.engine.render(Recipe(), self._small_level, result="camera")
        return read_light(self.engine.frame, camera, 2**self._small_level)

    @cached_property
    def _mend(self) -> MendReading:
        return read_mend(self.engine.frame)

    @cached_property
    def _stored(self) -> StoredReading | None:
        return read_stored(self.engine.frame)

    @cached_property
    def _raw_range(self) -> tuple[float, tuple[float, float, float]]:
        return raw_range(self.engine.frame)

    def _full_places(self, mend: Mend) -> tuple[tuple[Patch, ...], float]:
        """Clipped patches and the share rebuilt: they move with the lens's correction, and with nothing else."""
        camera = self.engine.render(Recipe(mend=mend), self._patch_level, result="camera")
        return clipped_patches(camera, 2**self._patch_level), rebuilt_share(camera)

    @property
    def _patch_level(self) -> int:
        return min(1, self._small_level)

    def _with_level(self, patch: Patch, recipe: Recipe) -> Patch:
        level = self._patch_level
        width, height = level_size(self.engine.frame, level)
        x, y = patch.x >> level, patch.y >> level
        box = (x, y, min(max(patch.w >> level, 1), width - x), min(max(patch.h >> level, 1), height - y))
        full = is_full(self.engine.render(recipe, level, box, result="camera")).any(axis=2)
        scene = self.engine.render(recipe, level, box, result="scene")
        values = scene.max(axis=2)[full]
        return replace(patch, level=float(np.median(values))) if values.size else patch
