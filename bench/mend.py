"""Mend: how right its readings are on photographs, how little a turn loses, how repairs look beside OpenCV's, speed."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import islice
from multiprocessing import get_context
from pathlib import Path

import cv2
import numpy as np

from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import decode_sRGB, encode_sRGB, sRGB_to_Lab
from matiz.colour.types import Array
from matiz.develop.graph.engine import Engine
from matiz.kernels.geometry import resampled
from matiz.measure.mend.dust import PROPOSED, find_dust
from matiz.measure.mend.tilt import read_tilt
from matiz.mend.fill import filled
from matiz.mend.heal import Area, Take, healed, proposed
from matiz.mend.straight import turned
from matiz.raw.frame import CameraColour, Frame
from matiz.recipe.mending import Band, Heal, HeldLine, Pull
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz_simcam.sensor import SensorFaults
from matiz_simcam.sensor import SensorSpeck as Planted
from matiz_simcam.shoot import DEMO_SHOTS, simulate

from .photographs import Photograph, linear, photographs
from .timing import side_by_side

LINES_PX, HEAL_PX = 1200, 1500
DEGREES = (0.3, -0.7, 1.5, -3.0, 5.0, -8.0)
SURE = 0.6
SIZE = (6000, 4000)
DUST_SIZE, PLANTED = (3000, 2000), 25
DISCS = 3
"""Of a photograph."""


def run() -> dict[str, float]:
    return {**_tilt(), **_turned_and_back(), **_dust(), **_heal(), **_fill(), **_speed()}


def _dust() -> dict[str, float]:
    """Shadows planted on even places of simulated frames of 6 MP: three of the pans, and one of the dim hall."""
    rng, counts, off = np.random.default_rng(3), [], []
    for name in ("CORVA_0011", "CORVA_0015", "CORVA_0019", "CORVA_0054"):
        shot = next(s for s in DEMO_SHOTS if s.name.startswith(name))
        clean = simulate(shot.scene, DUST_SIZE, replace(shot.settings, faults=SensorFaults()), view=shot.view)
        planted = list(islice(_even_places(Engine(clean), rng, shot.settings.f_number), PLANTED))
        faults = SensorFaults(specks=tuple(each[-1] for each in planted))
        frame = simulate(shot.scene, DUST_SIZE, replace(shot.settings, faults=faults), view=shot.view)
        found = [s for s in find_dust(Engine(frame).render(Recipe(), 1, result="camera"), 2) if s.certainty >= PROPOSED]
        hits = set()
        for x, y, width, depth, _ in planted:
            near = [n for n, s in enumerate(found) if np.hypot(s.x - x, s.y - y) < width / 2]
            hits |= set(near[:1])
            off += [(found[n].depth / depth - 1.0, 2.0 * found[n].r / width - 1.0) for n in near[:1]]
        counts.append((len(hits), len(found) - len(hits)))
    depth, radius = np.quantile(np.abs(off), 0.9, axis=0)
    return {
        "planted dust found, of 75 in the pans": float(sum(hits for hits, _ in counts[:3])),
        "of 25 in the noise of the hall": float(counts[3][0]),
        "taken for dust, a frame": sum(false for _, false in counts) / len(counts),
        "depth off, 90 % within": float(depth),
        "radius off, 90 % within": float(radius),
    }


def _even_places(
    engine: Engine, rng: np.random.Generator, f_number: float
) -> Iterator[tuple[float, float, float, float, Planted]]:
    """Middle, width, depth and the shadow itself, px of the frame."""
    small = engine.render(Recipe(), 1, result="camera")
    logs = np.log(np.maximum(small[..., 1], 1e-4))
    spread, taken = 0.7 + 0.3 * 16.0 / f_number, []
    while True:
        x, y = rng.uniform(0.02, 0.98) * DUST_SIZE[0], rng.uniform(0.02, 0.98) * DUST_SIZE[1]
        width, depth = rng.uniform(9.0, 60.0), rng.uniform(0.03, 0.3)
        reach = int(0.75 * width) + 2
        column, row = int(x / 2), int(y / 2)
        if not (reach < column < logs.shape[1] - reach and reach < row < logs.shape[0] - reach):
            continue
        part = np.s_[row - reach : row + reach + 1, column - reach : column + reach + 1]
        uneven = cv2.GaussianBlur(logs[part], (0, 0), max(0.5, 0.11 * width)).std()
        if uneven > 0.25 * depth or np.median(small[part].max(axis=2)) > 0.9 or depth * spread**2 > 0.95:
            continue
        if any(np.hypot(x - px, y - py) < 1.5 * (width + w) for px, py, w in taken):
            continue
        taken.append((x, y, width))
        side = float(DUST_SIZE[0])
        yield x, y, width, depth, Planted(x / side, y / side, width / 2 / side / spread, depth * spread**2)


def _fill() -> dict[str, float]:
    """5 % of photographs, where they are most even, and how long that takes in a frame of 6 MP."""
    kept = []
    for photograph in photographs()[3::8]:
        picture = linear(photograph, HEAL_PX).astype(np.float32).clip(0.0)
        area = _most_even(picture)
        size = picture.shape[1], picture.shape[0]
        box, around = area.box(size, 8), area.box(size, 1)
        take = _taker(picture)
        made = picture.copy()
        made[box[1] : box[1] + box[3], box[0] : box[0] + box[2]] = filled(take, size, area, box)
        x, y, w, h = around
        distance = area.distance(around)
        fine, own = (
            _fine(sRGB_to_Lab(each[y : y + h, x : x + w].reshape(-1, 3)).reshape(h, w, 3)) for each in (made, picture)
        )
        inside, ring = distance <= 0.0, distance > area.radius + area.feather
        around = max(float(fine[ring].std()), 0.05)
        kept.append((float(fine[inside].std() / around), float(own[inside].std() / around)))
    rng = np.random.default_rng(0)
    pixels = cv2.GaussianBlur(rng.random((2000, 3000, 3), np.float32), (0, 0), 3.0)
    radius = (0.05 * 6e6 / np.pi) ** 0.5
    whole = _outline(1500.0, 1000.0, radius)
    box = whole.box((3000, 2000), 8)
    seconds = side_by_side({"fill": lambda: filled(_taker(pixels), (3000, 2000), whole, box)})["fill"]
    ratios = np.array(kept)
    return {
        "filled areas, texture of what lies around, median": float(np.median(ratios[:, 0])),
        "within 20 %, share": float((np.abs(ratios[:, 0] - 1.0) < 0.2).mean()),
        "within 20 % before they were filled, share": float((np.abs(ratios[:, 1] - 1.0) < 0.2).mean()),
        "5 % of 6 MP filled, seconds": seconds,
    }


def _taker(picture: Array) -> Take:
    return lambda box: np.ascontiguousarray(picture[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])


def _outline(x: float, y: float, radius: float) -> Area:
    turn = np.linspace(0.0, 2.0 * np.pi, 24, endpoint=False)
    far = radius * (1.0 + 0.15 * np.sin(3.0 * turn))
    return Area(tuple(zip(x + far * np.cos(turn), y + far * np.sin(turn), strict=True)), 1.0, 3.0, True)


def _most_even(picture: Array) -> Area:
    """An outline of 5 % of a picture where its broad tone changes least."""
    height, width = picture.shape[:2]
    radius = (0.05 * height * width / np.pi) ** 0.5
    small = cv2.resize(picture, None, fx=0.1, fy=0.1, interpolation=cv2.INTER_AREA)
    Lab = sRGB_to_Lab(small.reshape(-1, 3)).reshape(small.shape)
    rng, best = np.random.default_rng(1), (np.inf, 0.0, 0.0)
    for _ in range(80):
        x, y = rng.uniform(1.3 * radius, width - 1.3 * radius), rng.uniform(1.3 * radius, height - 1.3 * radius)
        reach = 1.3 * radius
        part = Lab[int((y - reach) / 10) : int((y + reach) / 10), int((x - reach) / 10) : int((x + reach) / 10)]
        best = min(best, (float(cv2.GaussianBlur(part, (0, 0), radius / 40.0).std(axis=(0, 1)).sum()), x, y))
    return _outline(best[1], best[2], radius)


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
    warp = [Pull(0.4, 0.3, 0.03, -0.02), Band(0.1, 0.1, 0.8, 0.2, 20.0), HeldLine(0.0, 0.35, 1.0, 0.35)]
    warped = all_of_it.change_all(added(all_of_it, [("mend.warp", each) for each in warp]), label="x")[0]
    toned = [("tone.haze_percent", 30.0), ("tone.zones_EV", (0.4,) * 4 + (0.0,) * 7), ("tone.contrast.middle_dB", 2.0)]
    all_of_it = all_of_it.change_all(toned, label="x")[0]
    levels = [all_of_it.change("mend.level_deg", 0.1 * n)[0] for n in range(12)]

    def first(recipe: Recipe) -> None:
        engine.forget()
        engine.render(recipe, 2)

    plain = all_of_it.change_all([(path, Recipe().get(path)) for path, _ in toned], label="x")[0]
    views = side_by_side({"lens": lambda: first(lens), "all": lambda: first(plain), "warped": lambda: first(warped),
                          "repaired": lambda: first(repaired)})  # fmt: skip
    drags = side_by_side({
        "full": lambda: [engine.render(each, 2) for each in levels],
        "draft": lambda: [engine.render(each, 3, result="draft") for each in levels],
    })  # fmt: skip
    return {
        "first view of 24 MP at a quarter, all of Mend over the lens alone": views["all"] / views["lens"],
        "the same with 200 repairs, over without": views["repaired"] / views["all"],
        "the same bent too, over the lens alone": views["warped"] / views["lens"],
        "drag of the level under Tone, views of 1,500x1,000 px a second": len(levels) / drags["full"],
        "drafts of it a second": len(levels) / drags["draft"],
    }
