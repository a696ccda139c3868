"""Noise taken out of photographs, against other ways side by side, and the seconds it takes.

Five photographs of scikit-image and scikit-learn, linear, with noise of variance a x + b; compared sRGB-encoded. The
others get the same stabilised channels. Wavelets and bm3d are measured where pywt and bm3d are
installed: the latter may not ship.
"""

import statistics
import tempfile
import time
from collections.abc import Callable
from functools import partial
from importlib.util import find_spec
from pathlib import Path

import cv2
import numpy as np
import rawpy
import skimage.data
from skimage.metrics import peak_signal_noise_ratio, structural_similarity
from skimage.restoration import denoise_nl_means, denoise_wavelet, richardson_lucy
from sklearn.datasets import load_sample_image

from matiz.colour.spaces import decode_sRGB, encode_sRGB
from matiz.colour.types import Array
from matiz.develop.frame.noise import OPPONENT, QUICKLY, RENDERED, WELL, NoiseMethod, Scale
from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.develop.stages.deblur import Blur, sharper, wiener
from matiz.recipe.model import Recipe
from matiz_simcam.shoot import DEMO_SHOTS, simulate

LEVELS = {"moderate": (0.002, 2e-5), "strong": (0.01, 2e-4)}
SIDE = 384
VIEW = (900, 500)


def photographs() -> list[Array]:
    """Linear, (SIDE, SIDE, 3) or a little less."""
    crops = (
        (skimage.data.astronaut(), 0, 0), (skimage.data.coffee(), 0, 100), (skimage.data.chelsea(), 0, 30),
        (load_sample_image("flower.jpg"), 20, 100), (load_sample_image("china.jpg"), 40, 0),
    )  # fmt: skip
    return [decode_sRGB(each[y : y + SIDE, x : x + SIDE] / 255.0) for each, y, x in crops]


def ours(stable: Array, sigma: float, *, way: NoiseMethod = WELL) -> Array:
    planes = stable @ OPPONENT.T / sigma
    sides = [(way.reach_px, way.reach_px)] * 2 + [(0, 0)]
    padded = np.pad(planes, sides, mode="symmetric").astype(np.float32)
    made = way.estimate(padded, np.ones((3, 8, 8), np.float32))
    return np.asarray(made.astype(np.float64) * sigma @ OPPONENT)


def non_local_means(stable: Array, sigma: float) -> Array:
    return np.asarray(denoise_nl_means(stable, 5, 6, h=0.8 * sigma, sigma=sigma, fast_mode=True, channel_axis=2))


def wavelets(stable: Array, sigma: float) -> Array:
    return np.asarray(denoise_wavelet(stable, sigma=sigma, convert2ycbcr=False, channel_axis=2, rescale_sigma=True))


def _bm3d(stable: Array, sigma: float) -> Array:
    import bm3d  # type: ignore[import-not-found]

    return np.asarray(bm3d.bm3d_rgb(stable, sigma))


def run() -> dict[str, float]:
    ways: dict[str, Callable[[Array, float], Array]] = {
        "Matiz": ours, "Matiz, quick": partial(ours, way=QUICKLY), "non-local means": non_local_means,
    }  # fmt: skip
    if find_spec("pywt") is not None:
        ways["wavelets"] = wavelets
    if find_spec("bm3d") is not None:
        ways["bm3d"] = _bm3d
    out: dict[str, float] = {}
    for level, (a, b) in LEVELS.items():
        psnr: dict[str, list[float]] = {}
        ssim: dict[str, list[float]] = {}
        seconds: dict[str, list[float]] = {}
        for n, clean in enumerate(photographs()):
            noise = np.random.default_rng(n + 1).normal(size=clean.shape) * np.sqrt(a * clean + b)
            noisy = clean + noise
            scale = Scale(a, b**0.5, np.ones(3))
            stable = scale.to_planes(noisy.astype(np.float32)).astype(np.float64) @ np.linalg.inv(OPPONENT).T
            low, high = float(stable.min()), float(stable.max())
            for name, way in ways.items():
                began = time.perf_counter()
                made = way((stable - low) / (high - low), 1.0 / (high - low)) * (high - low) + low
                seconds.setdefault(name, []).append((time.perf_counter() - began) / (clean[..., 0].size / 1e6))
                back = scale.to_camera((made @ OPPONENT.T).astype(np.float32), 1.0)
                pair = encode_sRGB(np.clip(clean, 0, 1)), encode_sRGB(np.clip(back.astype(np.float64), 0, 1))
                psnr.setdefault(name, []).append(peak_signal_noise_ratio(*pair, data_range=1.0))
                ssim.setdefault(name, []).append(structural_similarity(*pair, channel_axis=2, data_range=1.0))
        for name in ways:
            out[f"{level}, {name}: PSNR, dB"] = statistics.mean(psnr[name])
            out[f"{level}, {name}: SSIM"] = statistics.mean(ssim[name])
            out[f"{level}, {name}: s/MP"] = statistics.median(seconds[name])
    return out | _blur_taken_back() | _in_the_program()


def _blur_taken_back() -> dict[str, float]:
    """The photographs blurred by a Gaussian, then deconvolved by it; Richardson-Lucy of scikit-image side by side."""
    out: dict[str, float] = {}
    grey = np.ones(3, np.float32)
    for sigma in (1.0, 1.5, 2.0, 2.5):
        told: dict[str, list[float]] = {}
        for n, clean in enumerate(photographs()):
            light = (clean @ np.array([0.2126, 0.7152, 0.0722])).astype(np.float32)
            noise = 0.001 * np.random.default_rng(n).normal(size=light.shape) * np.sqrt(light + 0.01)
            blurred = (cv2.GaussianBlur(light, (0, 0), sigma) + noise).astype(np.float32)
            began = time.perf_counter()
            ours_made = sharper(blurred, wiener(Blur(sigma)), sigma, 1e-6, RENDERED, grey)
            told.setdefault("s/MP", []).append((time.perf_counter() - began) / (light.size / 1e6))
            bell = cv2.getGaussianKernel(25, sigma)
            others = richardson_lucy(np.maximum(blurred, 1e-4), bell @ bell.T, 10, clip=False)
            for name, made in (("blurred", blurred), ("Matiz", ours_made), ("Richardson-Lucy", others)):
                pair = encode_sRGB(np.clip(light, 0, 1)), encode_sRGB(np.clip(made, 0, 1))
                told.setdefault(f"{name}: PSNR, dB", []).append(peak_signal_noise_ratio(*pair, data_range=1.0))
        out |= {f"blur {sigma:g} px, {name}": statistics.mean(values) for name, values in told.items()}
    return out


def _in_the_program() -> dict[str, float]:
    """A view at 1:1 of a frame of 6 megapixels, and the whole frame against LibRaw's AHD."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    frame = simulate(shot.scene, (3000, 2000), shot.settings, view=shot.view)
    settings = [("detail.noise.strength_percent", 80.0), ("detail.noise.colour_percent", 100.0)]
    plain, clean = Recipe(), Recipe().change_all(settings, label="noise")[0]
    region = (1000, 700, *VIEW)
    times = {}
    for name, recipe in (("without", plain), ("with", clean)):
        engine = Engine(frame)
        engine.sensor.noise.at(0)
        began = time.perf_counter()
        engine.render_alone(recipe, 0, region)
        times[f"1:1 view, {name} noise taken out, s"] = time.perf_counter() - began
    again = clean.change("detail.noise.strength_percent", 60.0)[0]
    began = time.perf_counter()
    engine.render_alone(again, 0, region)
    times["1:1 view, strength moved, s"] = time.perf_counter() - began
    engine = Engine(frame)
    began = time.perf_counter()
    for _ in engine.full(clean, result="camera"):
        pass
    whole = time.perf_counter() - began
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.dng"
        write_frame(frame, path)
        with rawpy.imread(str(path)) as raw:
            began = time.perf_counter()
            raw.postprocess(demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD, no_auto_bright=True, output_bps=16)
            ahd = time.perf_counter() - began
    return times | {"whole frame, s": whole, "times LibRaw's AHD": whole / ahd}
