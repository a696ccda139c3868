"""Demosaic: quality on real photographs, speed against LibRaw and OpenCV; the whole way to 16 bit."""

import multiprocessing
import resource
import tempfile
import warnings
from dataclasses import replace
from pathlib import Path

import numpy as np
import rawpy

from matiz.colour.spaces import decode_sRGB, encode_sRGB
from matiz.deliver.write import developed
from matiz.develop.graph.engine import LITTLE_CACHE, Engine
from matiz.kernels.demosaic import demosaic
from matiz.kernels.encoding import encode
from matiz.kernels.levels import levels
from matiz.raw.decode import read_frame, shared_decoder
from matiz.raw.dng import write_dng
from matiz.raw.frame import Mosaic
from matiz.recipe.model import Mend, Recipe
from matiz_simcam.shoot import DEMO_SHOTS, simulate

from .timing import side_by_side

SIZE = (6000, 4000)
ONES = np.ones(3, np.float32)
FRINGES = Recipe(mend=Mend(fringe_red_px=0.6, fringe_blue_px=-0.8))
MEGAPIXELS = {6: (3000, 2000), 24: SIZE, 60: (9492, 6328)}


def run() -> dict[str, float]:
    return {**_quality(), **_speed(), **_sizes()}


def _quality() -> dict[str, float]:
    """CPSNR in dB on sRGB-encoded 8-bit-scale values, 8 px borders left out; five real photographs."""
    from skimage import data
    from sklearn.datasets import load_sample_images

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from colour_demosaicing import demosaicing_CFA_Bayer_Menon2007 as menon
    pictures = [data.astronaut(), data.chelsea(), data.coffee(), *load_sample_images().images]
    ours, theirs = [], []
    for picture in pictures:
        photograph = picture[: picture.shape[0] // 2 * 2, : picture.shape[1] // 2 * 2, :3]
        linear = decode_sRGB(photograph / 255.0)
        places = np.tile([[0, 1], [1, 2]], (linear.shape[0] // 2, linear.shape[1] // 2))[..., None]
        mosaic = np.take_along_axis(linear, places, axis=2)[..., 0]
        ours.append(_cpsnr(encode_sRGB(np.clip(demosaic(mosaic.astype(np.float32), (0, 0), ONES), 0, 1)), photograph))
        theirs.append(_cpsnr(np.clip(menon(encode_sRGB(mosaic), "RGGB"), 0, 1), photograph))
    return {
        "CPSNR of ours on linear data, dB": float(np.mean(ours)),
        "CPSNR of Menon 2007 on encoded data, dB": float(np.mean(theirs)),
    }


def _cpsnr(picture: np.ndarray, photograph: np.ndarray) -> float:
    inner = np.s_[8:-8, 8:-8]
    return float(10 * np.log10(255**2 / np.mean((picture * 255 - photograph)[inner] ** 2)))


def _speed() -> dict[str, float]:
    shot = DEMO_SHOTS[0]
    small = simulate(shot.scene, (1500, 1000), shot.settings, view=shot.view)
    assert small.mosaic is not None
    mosaic = np.tile(small.mosaic.values, (SIZE[1] // 1000, SIZE[0] // 1500))
    frame = replace(small, mosaic=Mosaic(mosaic, small.mosaic.pattern, small.mosaic.black, small.mosaic.white))
    black, gain = small.mosaic.black, np.full((2, 2), 1 / 15_488, np.float32)
    balanced = levels(mosaic, black, gain)
    out = np.empty((*balanced.shape, 3), np.float32)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.dng"
        write_dng(frame, path, np.zeros((200, 300, 3), np.uint8))

        def ahd() -> None:
            with rawpy.imread(str(path)) as raw:
                raw.postprocess(
                    demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD, use_camera_wb=True, output_bps=16,
                    no_auto_bright=True, adjust_maximum_thr=0,
                )  # fmt: skip

        def unpack() -> None:
            with rawpy.imread(str(path)) as raw:
                raw.unpack()

        def whole() -> None:
            encode(developed(Engine(frame, cache_bytes=LITTLE_CACHE), FRINGES), 16)

        def listed() -> None:
            shared_decoder().listing(path)

        def first_picture() -> None:
            Engine(read_frame(path)).render(Recipe(), 2, result="draft")

        taken = side_by_side(
            {
                "LibRaw AHD": ahd,
                "unpack": unpack,
                "demosaic": lambda: demosaic(balanced, (0, 0), ONES, out=out),
                "whole": whole,
                "first picture": first_picture,
                "listed": listed,
            },
            rounds=3,
        )
    return {
        "demosaic of 24 MP, s": taken["demosaic"],
        "LibRaw postprocess with AHD over our demosaic": taken["LibRaw AHD"] / taken["demosaic"],
        "mosaic to developed 16 bit over LibRaw postprocess with AHD": taken["whole"] / taken["LibRaw AHD"],
        "file to first picture at fit over LibRaw unpacking": taken["first picture"] / taken["unpack"],
        "listing one file, ms": 1000 * taken["listed"],
        "peak memory of all of this, GB": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20,
    }


def _sizes() -> dict[str, float]:
    """Developing from 6 to 60 MP, each in a process of its own: ms a megapixel, and the most memory."""
    out = {}
    context = multiprocessing.get_context("spawn")
    for megapixels, size in MEGAPIXELS.items():
        with context.Pool(1) as pool:
            seconds, gigabytes = pool.apply(_developed_alone, (size,))
        out[f"developing {megapixels} MP, ms a megapixel"] = 1000 * seconds / (size[0] * size[1] / 1e6)
        out[f"developing {megapixels} MP, peak GB"] = gigabytes
    return out


def _developed_alone(size: tuple[int, int]) -> tuple[float, float]:
    """Seconds (median of three) and peak GB of developing a frame of a size to 16 bit."""
    shot = DEMO_SHOTS[0]
    small = simulate(shot.scene, (1500, 1000), shot.settings, view=shot.view)
    mosaic = small.mosaic
    assert mosaic is not None
    repeats = (-(-size[1] // 1000), -(-size[0] // 1500))
    values = np.ascontiguousarray(np.tile(mosaic.values, repeats)[: size[1], : size[0]])
    frame = replace(small, mosaic=replace(mosaic, values=values))
    taken = side_by_side({"whole": lambda: encode(developed(Engine(frame), FRINGES), 16)}, rounds=3)
    # a process is born with its parent's peak in the resource counters, so ask for its own
    status = Path("/proc/self/status").read_text().split("VmHWM:")[1]
    return taken["whole"], int(status.split()[0]) / 2**20
