"""Photographs and simulated scenes under lights that are known, by made-up cameras."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cache, lru_cache, partial
from typing import Any

import cv2
import numpy as np

from matiz.colour.adaptation import adaptation_matrix
from matiz.colour.illuminants import black_body, daylight
from matiz.colour.spaces import D65_XY, XYZ_TO_REC2020, RGB_to_XYZ_matrix, xy_to_XYZ
from matiz.colour.temperature import cct_to_xy, duv_limit, xy_to_cct
from matiz.colour.types import Array, Camera, Image
from matiz.develop.frame.camera_colour import interpolated
from matiz.develop.graph.engine import Engine
from matiz.raw.frame import Calibration, CameraColour
from matiz.recipe.model import Recipe
from matiz_simcam import targets
from matiz_simcam.camera import Settings, expose, light_spectrum, light_xy_of
from matiz_simcam.shoot import DEMO_SHOTS, scene_of

from .photographs import Photograph, linear, photographs

LONG_PX = 400
TEMPERATURES_K = (2300, 2700, 3200, 4000, 5000, 5600, 6500, 7500, 9000)
WARM_K, COOL_K = (2100.0, 3300.0), (4700.0, 9000.0)
BORDERS = {"half": 0.004, "soft": 0.03, "gradient": 0.12}
"""How wide the border between two lights is, of the long side."""
ROOMS = ("CORVA_0052", "CORVA_0056")
SCENES = ("CORVA_0031", "CORVA_0011", "CORVA_0054", *ROOMS)
BALANCE_XY = cct_to_xy(4500.0)
SPECTRA = ("planck:2800", "planck:4500", "daylight:5500", "daylight:8000", "LED-B3", "daylight:6500")


@dataclass(frozen=True, eq=False)
class Cast:
    """A picture as a camera would see it under lights that are known."""

    of: str
    """The photograph or scene: pictures of the same must not lie on both sides of learning and testing."""
    kind: str
    """"one", or how two lights meet."""
    colour: CameraColour
    camera: Camera
    mired: tuple[float, ...]
    """Of the lights, the warm one first."""
    duv: float
    warm_share: Array | None
    """(height, width) of the warm light in what arrives; None for one light."""


Make = Callable[[], Cast]


@cache
def cameras() -> tuple[CameraColour, ...]:
    """The simulated camera, two whose colours differ from it, and one that sees the working space."""
    simulated = expose(targets.chart((60, 40), "daylight:5500"), Settings()).colour.calibrations
    rng = np.random.default_rng(7)
    bent = []
    for amount in (0.06, 0.1):
        turn = np.eye(3) + rng.normal(0.0, amount, (3, 3))
        bent.append(tuple(Calibration(c.cct_K, turn @ c.color_matrix) for c in simulated))
    return tuple(CameraColour(each) for each in (simulated, *bent, (Calibration(6504.0, XYZ_TO_REC2020),)))


def under(picture: Image, colour: CameraColour, cct_K: float, duv: float = 0.0) -> Camera:
    """Camera values of linear sRGB (height, width, 3) whose white becomes the light's, by Bradford's adaptation."""
    xy = cct_to_xy(cct_K, duv)
    adapt = adaptation_matrix(xy_to_XYZ(D65_XY), xy_to_XYZ(xy)) @ RGB_to_XYZ_matrix("sRGB")
    return np.asarray(picture @ (interpolated(colour, cct_K).color_matrix @ adapt).T.astype(np.float32), np.float32)


def taken(values: Camera, rng: np.random.Generator) -> Camera:
    """With blur, an exposure, noise and clipping."""
    if rng.random() < 1 / 3:
        values = cv2.GaussianBlur(values, (0, 0), 1.0)
    values = values / np.quantile(values.max(axis=2), 0.995) * 2.0 ** rng.choice([-1.5, -0.5, 0.0, 0.4])
    noise = rng.choice([0.0, 0.5, 1.5])
    spread = np.sqrt(0.02 * noise * np.maximum(values, 0.0) + 1e-4 * noise**2)
    return np.clip(values + spread * rng.normal(size=values.shape), 0.0, 1.0).astype(np.float32)


def one_light(photograph: Photograph, seed: int) -> Cast:
    rng = np.random.default_rng(seed)
    colour = cameras()[rng.integers(len(cameras()))]
    cct_K = float(rng.choice(TEMPERATURES_K))
    duv = float(np.clip(rng.normal(0.001, 0.004), -0.01, min(0.01, 0.6 * duv_limit(cct_K))))
    camera = taken(under(linear(photograph, LONG_PX), colour, cct_K, duv), rng)
    return Cast(photograph.sha256, "one", colour, camera, (1e6 / cct_K,), duv, None)


def two_lights(photograph: Photograph, seed: int) -> Cast:
    rng = np.random.default_rng(seed)
    colour = cameras()[rng.integers(len(cameras()))]
    warm_K, cool_K = float(rng.uniform(*WARM_K)), float(rng.uniform(*COOL_K))
    picture = linear(photograph, LONG_PX)
    kind, share = _met(picture.shape[:2], rng)
    gain = 2.0 ** rng.uniform(-0.7, 0.7)
    from_warm, from_cool = share * gain, 1.0 - share
    both = from_warm[..., None] * under(picture, colour, warm_K) + from_cool[..., None] * under(picture, colour, cool_K)
    camera = taken(both.astype(np.float32), rng)
    return Cast(photograph.sha256, kind, colour, camera, (1e6 / warm_K, 1e6 / cool_K), 0.0,
                from_warm / (from_warm + from_cool))  # fmt: skip


def _met(shape: tuple[int, ...], rng: np.random.Generator) -> tuple[str, Array]:
    """How two lights meet, and the share of one in every pixel."""
    kind = str(rng.choice([*BORDERS, "spot", "spots"]))
    height, width = shape
    y, x = np.mgrid[0:height, 0:width] / max(height, width)
    if kind in BORDERS:
        angle, border = rng.uniform(0.0, 2.0 * np.pi), rng.uniform(-0.12, 0.12)
        across = (x - x.mean()) * np.cos(angle) + (y - y.mean()) * np.sin(angle)
        return kind, 1.0 / (1.0 + np.exp(-(across - border) / BORDERS[kind]))
    lit = np.zeros(shape)
    for _ in range(1 if kind == "spot" else 3):
        at_x, at_y, radius = rng.uniform(0.0, x.max()), rng.uniform(0.0, y.max()), rng.uniform(0.15, 0.35)
        lit += np.exp(-((x - at_x) ** 2 + (y - at_y) ** 2) / radius**2)
    lit *= rng.uniform(1.0, 3.0)
    return kind, lit / (1.0 + lit)


@lru_cache(maxsize=8)
def scene_and_shot(name: str) -> tuple[Any, Any]:
    shot = next(s for s in DEMO_SHOTS if s.name.startswith(name))
    return scene_of(shot.scene, (600, 400), view=shot.view), shot


def simulated(
    name: str, spectra: dict[str, Array], balance_xy: Array, gains: dict[str, float] | None = None
) -> tuple[Any, Any, Camera]:
    """A demo scene under other lights, the frame, and its camera values at half size.

    spectra: by the scene's light, "all" for the rest. gains: of "lanterns" and "window". balance_xy: the camera's own
    choice.
    """
    base, shot = scene_and_shot(name)
    scene = base.copy()
    scene.lights = {light: spectra.get(light, spectra["all"]) for light in scene.lights}
    scene.glows = {glow: spectra.get(glow, spectra["all"]) for glow in scene.glows}
    for light, gain in (gains or {}).items():
        scene.irradiance[light] *= gain
        glow = {"lanterns": "flame", "window": "outside"}[light]
        if glow in scene.emission:
            scene.emission[glow] *= gain
    frame = expose(scene, replace(shot.settings, balance_xy=balance_xy))
    return scene, frame, Engine(frame).render(Recipe(), 1, result="camera")


def simulated_one(name: str, light: str) -> Cast:
    spectrum = light_spectrum(light)
    _, frame, camera = simulated(name, {"all": spectrum}, BALANCE_XY)
    cct_K, duv = xy_to_cct(light_xy_of(spectrum))
    return Cast(name, "one", frame.colour, camera, (1e6 / float(cct_K),), float(duv), None)


def simulated_two(name: str, seed: int) -> Cast:
    rng = np.random.default_rng(seed)
    warm_K, cool_K, gain = rng.uniform(*WARM_K), rng.uniform(5200.0, 8000.0), rng.uniform(0.7, 1.4)
    warm = black_body(warm_K)
    scene, frame, camera = simulated(
        name,
        {"lanterns": warm, "flame": warm, "all": daylight(cool_K)},
        BALANCE_XY,
        {"lanterns": gain, "window": 1.0 / gain},
    )
    share = cv2.resize(scene.light_shares()["lanterns"], camera.shape[1::-1], interpolation=cv2.INTER_AREA)
    return Cast(name, "room", frame.colour, camera, (1e6 / warm_K, 1e6 / cool_K), 0.0, share)


def ones(each: int) -> Iterator[tuple[str, Make]]:
    """Every photograph with one light under `each` casts, and the simulated scenes: what each is of, and its making."""
    for n, photograph in enumerate(p for p in photographs() if p.has_one_light):
        yield from ((photograph.sha256, partial(one_light, photograph, 1000 * n + k)) for k in range(each))
    for name in SCENES:
        yield from ((name, partial(simulated_one, name, light)) for light in SPECTRA)


def twos(each: int) -> Iterator[tuple[str, Make]]:
    """Every photograph with one light under `each` pairs of lights, and the simulated rooms."""
    for n, photograph in enumerate(p for p in photographs() if p.has_one_light):
        yield from ((photograph.sha256, partial(two_lights, photograph, 1000 * n + 500 + k)) for k in range(each))
    for name in ROOMS:
        yield from ((name, partial(simulated_two, name, k)) for k in range(6 * each))
