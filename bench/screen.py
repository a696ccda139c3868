"""The fused screen pass against the same steps in NumPy, and a curve drag against a bare copy."""

from dataclasses import replace

import numpy as np

from matiz.colour.spaces import LUMINANCE, REC2020_TO_SRGB
from matiz.develop.graph.engine import Engine
from matiz.develop.stages.rendition import display_table
from matiz.kernels.rendition import TABLE_SIZE
from matiz.kernels.screen import screen as display_screen
from matiz.kernels.units import MIDDLE_GREY
from matiz.recipe.model import Curve, Recipe, Tone
from matiz.recipe.toning import Contrast
from matiz_simcam.shoot import DEMO_SHOTS, simulate

from .timing import side_by_side

SIZE = (2000, 1500)


def in_numpy(working: np.ndarray, table: np.ndarray, matrix: np.ndarray, gain: float) -> np.ndarray:
    """The arithmetic of `kernels.screen.screen`, step by step, float32."""
    scene = np.maximum(working * np.float32(gain), 0)
    high, low = scene.max(axis=2), scene.min(axis=2)
    places = np.linspace(0, 1, TABLE_SIZE, dtype=np.float32)

    def looked_up(x: np.ndarray) -> np.ndarray:
        return np.interp(x / (x + np.float32(MIDDLE_GREY)), places, table).astype(np.float32)

    low_out, high_out = looked_up(low), looked_up(high)
    slope = (high_out - low_out) / np.maximum(high - low, np.float32(1e-9))
    toned = low_out[..., None] + (scene - low[..., None]) * slope[..., None]
    shown = toned @ matrix.T
    luminance = (toned @ LUMINANCE.astype(np.float32))[..., None]
    over, under = shown.max(axis=2, keepdims=True), shown.min(axis=2, keepdims=True)
    with np.errstate(divide="ignore", invalid="ignore"):
        keep = np.minimum(
            np.where(under < 0, luminance / np.maximum(luminance - under, 1e-9), 1),
            np.where(over > 1, (1 - luminance) / np.maximum(over - luminance, 1e-9), 1),
        )
    fitted = np.clip(luminance + (shown - luminance) * keep, 0, 1)
    encoded = np.where(fitted <= 0.0031308, fitted * 12.92, 1.055 * np.maximum(fitted, 1e-6) ** (1 / 2.4) - 0.055)
    out = np.full((*working.shape[:2], 4), 255, np.uint8)
    out[..., :3] = (encoded[..., ::-1] * 255 + 0.5).astype(np.uint8)
    return out


def run() -> dict[str, float]:
    random = np.random.default_rng(1)
    working = random.random((SIZE[1], SIZE[0], 3), np.float32) * 1.5
    tone = Tone(exposure_EV=0.4, curve=Curve(((0.0, 0.0), (0.3, 0.25), (0.7, 0.78), (1.0, 1.0))))
    table, matrix = display_table(tone), REC2020_TO_SRGB.astype(np.float32)
    screen = np.empty((SIZE[1], SIZE[0], 4), np.uint8)
    bytes_out = np.empty(working.shape, np.uint8)
    same = np.abs(in_numpy(working, table, matrix, 1.3).astype(int) - display_screen(working, table, matrix, 1.3))
    taken = side_by_side(
        {
            "fused": lambda: display_screen(working, table, matrix, 1.3, out=screen),
            "NumPy": lambda: in_numpy(working, table, matrix, 1.3),
            "copy to 8 bit": lambda: np.copyto(bytes_out, working, casting="unsafe"),
        }
    )
    megapixels = SIZE[0] * SIZE[1] / 1e6
    return {
        "largest difference of fused and NumPy, of 255": float(same.max()),
        "fused, ms per MP": taken["fused"] * 1e3 / megapixels,
        "NumPy over fused": taken["NumPy"] / taken["fused"],
        "fused over a bare copy to 8 bit": taken["fused"] / taken["copy to 8 bit"],
        **_drag(),
    }


def _drag() -> dict[str, float]:
    """A curve drag on the demo picture at fit: each view has another curve, so nothing is cached."""
    shot = DEMO_SHOTS[0]
    engine = Engine(simulate(shot.scene, (3000, 2000), shot.settings, view=shot.view))
    level = 1
    pixels = engine.render(Recipe(), level)
    bare = np.empty_like(pixels)
    state = {"n": 0}

    def view() -> None:
        state["n"] += 1
        bend = 0.2 + (state["n"] % 400) / 1000
        tone = replace(Tone(), curve=Curve(((0.0, 0.0), (0.4, bend), (1.0, 1.0))))
        engine.render(replace(Recipe(), tone=tone), level)

    def everything() -> None:
        state["n"] += 1
        zones = (0.5, 1.0, 0.8, 0.5, 0.2, 0.0, -0.1, -0.3, -0.5 - state["n"] % 50 / 100, -0.2, 0.0)
        tone = Tone(exposure_EV=0.3, zones_EV=zones, contrast=Contrast(2.0, 2.0, 1.5), haze_percent=30.0, white_EV=0.4,
                    curve=Curve(((0.0, 0.0), (0.4, 0.35), (1.0, 1.0)), red=((0.0, 0.02), (1.0, 1.0))))  # fmt: skip
        engine.render(replace(Recipe(), tone=tone), level)

    working = engine.render(Recipe(), level, result="working")
    bytes_out = np.empty(working.shape, np.uint8)
    taken = side_by_side(
        {
            "view": view,
            "copy": lambda: np.copyto(bare, pixels),
            "everything": everything,
            "copy to 8 bit": lambda: np.copyto(bytes_out, working, casting="unsafe"),
        },
        rounds=25,
    )
    return {
        "drag with all Tone controls in use, ms per view of 1500x1000 px": taken["everything"] * 1e3,
        "the same over a bare copy to 8 bit": taken["everything"] / taken["copy to 8 bit"],
        "curve drag, ms per view of 1500x1000 px": taken["view"] * 1e3,
        "curve drag, views per second": 1 / taken["view"],
        "curve drag over a bare copy of the view": taken["view"] / taken["copy"],
    }
