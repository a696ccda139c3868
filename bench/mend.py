"""Mend: how right its readings are on photographs, how little a turn loses, how repairs look beside OpenCV's, speed."""

from collections.abc import Iterator
from multiprocessing import get_context
from pathlib import Path

import cv2
import numpy as np

from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import decode_sRGB, encode_sRGB, sRGB_to_Lab
from matiz.colour.types import Array
from matiz.develop.engine import Engine
from matiz.kernels.geometry import resampled
from matiz.measure.tilt import read_tilt
from matiz.mend.heal import Area, healed, proposed
from matiz.mend.straight import turned
from matiz.raw.frame import CameraColour, Frame
from matiz.recipe.model import Heal, Recipe
from matiz.recipe.tree import added

from .photographs import Photograph, linear, photographs
from .timing import side_by_side

LINES_PX, HEAL_PX = 1200, 1500
DEGREES = (0.3, -0.7, 1.5, -3.0, 5.0, -8.0)
SURE = 0.6
SIZE = (6000, 4000)
DISCS = 3
"""Of a photograph."""


def run() -> dict[str, float]:
    return {**_tilt(), **_turned_and_back(), **_heal(), **_speed()}


def _tilt() -> dict[str, float]:
    with get_context("spawn").Pool(2, initializer=cv2.setNumThreads, initargs=(1,)) as pool:
        found = pool.map(_turned_tilts, photographs(), chunksize=4)
    sure = [(abs(deg - rows[0][0] - by), rows[0][1], c) for rows in found
            for by, (deg, c) in zip(DEGREES, rows[1:], strict=True)]  # fmt: skip
    off = np.array([error for error, before, after in sure if min(before, after) > SURE])
    return {
        "photographs with a sure tilt": float(sum(rows[0][1] > SURE for rows in found)),
        "change of the tilt off, median degrees": float(np.median(off)),
        "within 0.3 degrees, share": float((off < 0.3).mean()),
    }


def _turned_tilts(photograph: Photograph) -> list[tuple[float, float]]:
    picture = linear(photograph, LINES_PX).astype(np.float32)
    tilts = [read_tilt(each, 0.8).tilt for each in (picture, *(turned_by(picture, by) for by in DEGREES))]
    return [(tilt.deg, tilt.certainty) for tilt in tilts]


def turned_by(picture: Array, degrees: float) -> Array:
    """Turned clockwise by OpenCV, cut to what is full."""
    height, width = picture.shape[:2]
    matrix = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), -degrees, 1.0)
    made = cv2.warpAffine(picture, matrix, (width, height), flags=cv2.INTER_LANCZOS4)
    a, low, high = np.radians(abs(degrees)), min(width, height), max(width, height)
    share = 0.99 * low / (low * np.cos(a) + high * np.sin(a))
    w, h = int(width * share), int(height * share)
    return np.ascontiguousarray(made[(height - h) // 2 :, (width - w) // 2 :][:h, :w])


def _turned_and_back() -> dict[str, float]:
    gains = []
    for photograph in photographs()[::8]:
        picture = np.ascontiguousarray(encode_sRGB(np.clip(linear(photograph, 700), 0, 1)), np.float32)
        height, width = picture.shape[:2]
        middle = ((width - 1) / 2, (height - 1) / 2)
        inner = np.s_[90:-90, 90:-90]
        ours, theirs = picture, picture
        for by in (5.0, -5.0):
            ours = resampled(
                ours, np.ones((9, 3), np.float32), corner_px=float(np.hypot(*middle)), away=(-middle[0], -middle[1]),
                middle=middle, size=(width, height), to_lens=turned(500.0, by, 0, 0), steepest=0.0872,
            )  # fmt: skip
            matrix = cv2.getRotationMatrix2D(middle, by, 1.0)
            theirs = cv2.warpAffine(theirs, matrix, (width, height), flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP)
        errors = [float(((each - picture)[inner] ** 2).mean()) for each in (ours, theirs)]
        gains.append(10.0 * np.log10(errors[1] / errors[0]))
    return {"turned by 5 degrees and back, dB over OpenCV's Lanczos, least": float(min(gains))}


def _heal() -> dict[str, float]:
    """Dark discs on even places of photographs."""
    smooth, ours, theirs, better = [], [], [], []
    for photograph in photographs()[1::3]:
        picture = linear(photograph, HEAL_PX).astype(np.float32)
        for x, y, r in _even(picture):
            box, found, painted, inside = _healed(picture, x, y, r)
            truth = picture[box[1] : box[1] + box[3], box[0] : box[0] + box[2]]
            Lab = [sRGB_to_Lab(each.reshape(-1, 3)).reshape(each.shape) for each in (truth, found, *painted)]
            off = [float(delta_E_2000(Lab[0][inside], each[inside]).mean()) for each in Lab[1:]]
            fine = [_fine(each)[inside].std() for each in Lab]
            if fine[0] < 0.6:
                smooth.append(off[0])
            else:
                ours.append(fine[1] / fine[0])
                theirs.append(fine[2] / fine[0])
            better.append(off[0] < min(off[1:]))
    return {
        "healed discs on smooth grounds, mean ΔE00": float(np.mean(smooth)),
        "healed discs on lively grounds, texture kept, median": float(np.median(ours)),
        "the same by OpenCV (Telea)": float(np.median(theirs)),
        "texture within 15 %, share of lively grounds": float(np.mean(np.abs(np.array(ours) - 1.0) < 0.15)),
        "nearer to what was there than both of OpenCV's, share": float(np.mean(better)),
    }


def _even(picture: Array) -> Iterator[tuple[float, float, float]]:
    rng = np.random.default_rng(0)
    height, width = picture.shape[:2]
    found = 0
    for _ in range(150):
        r = float(rng.uniform(6.0, 28.0))
        x, y = float(rng.uniform(4 * r, width - 4 * r)), float(rng.uniform(4 * r, height - 4 * r))
        reach = int(3 * r)
        part = picture[int(y) - reach : int(y) + reach, int(x) - reach : int(x) + reach]
        coarse = cv2.GaussianBlur(sRGB_to_Lab(part.reshape(-1, 3)).reshape(part.shape), (0, 0), r / 3.0)
        if np.abs(coarse - coarse.mean(axis=(0, 1))).max() < 9.0:
            found += 1
            yield x, y, r
        if found == DISCS:
            return


def _healed(
    picture: Array, x: float, y: float, r: float
) -> tuple[tuple[int, int, int, int], Array, list[Array], Array]:
    height, width = picture.shape[:2]
    far = np.hypot(np.arange(width)[None] - x, np.arange(height)[:, None] - y)
    bad = (picture * (1.0 - 0.7 * np.clip((r + 1.0 - far) / 2.0, 0.0, 1.0))[..., None]).astype(np.float32)

    def take(part: tuple[int, int, int, int]) -> Array:
        return np.ascontiguousarray(bad[part[1] : part[1] + part[3], part[0] : part[0] + part[2]])

    area = Area(((x, y),), 1.15 * r, max(2.0, 0.25 * r))
    box = area.box((width, height), 8)
    found = healed(take, (width, height), area, proposed(take, (width, height), area), box)
    codes = np.rint(encode_sRGB(np.clip(take(box), 0, 1)) * 255.0).astype(np.uint8)
    mask = (area.distance(box) <= area.radius + area.feather).astype(np.uint8)
    ways = (cv2.INPAINT_TELEA, cv2.INPAINT_NS)
    painted = [decode_sRGB(cv2.inpaint(codes, mask, 5, way) / 255.0) for way in ways]
    return box, found, painted, area.distance(box) <= r


def _fine(Lab: Array) -> Array:
    light = np.ascontiguousarray(Lab[..., 0], np.float32)
    return light - cv2.GaussianBlur(light, (0, 0), 2.0)


def _speed() -> dict[str, float]:
    pixels = np.random.default_rng(0).random((SIZE[1], SIZE[0], 3), np.float32)
    engine = Engine(Frame(Path("a.tif"), CameraColour(), linear=pixels))
    lens = Recipe().change("mend.distortion_percent", -2.0)[0]
    all_of_it = lens.change_all(
        [("mend.level_deg", 2.0), ("mend.vertical_deg", 4.0), ("mend.crop", (0.05, 0.05, 0.85, 0.55))], label="x"
    )[0]  # fmt: skip
    spots = [Heal(((0.02 + 0.0045 * n, 0.1 + 0.4 * (n % 7) / 7),), dx=0.03) for n in range(200)]
    repaired = all_of_it.change_all(added(all_of_it, [("mend.repairs", spot) for spot in spots]), label="x")[0]
    engine.render(repaired, 2)
    levels = [all_of_it.change("mend.level_deg", 0.1 * n)[0] for n in range(5)]

    def first(recipe: Recipe) -> None:
        engine.forget()
        engine.render(recipe, 2)

    views = side_by_side({"lens": lambda: first(lens), "all": lambda: first(all_of_it),
                          "repaired": lambda: first(repaired)})  # fmt: skip
    drag = side_by_side({"drag": lambda: [engine.render(each, 2) for each in levels if not engine.forget()]})["drag"]
    return {
        "first view of 24 MP at a quarter, all of Mend over the lens alone": views["all"] / views["lens"],
        "the same with 200 repairs, over without": views["repaired"] / views["all"],
        "drag of the level, views of 1,500x1,000 px a second": len(levels) / drag,
    }
