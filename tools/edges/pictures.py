"""Pictures of made things in front of parts of photographs, with the true share and a rough one as a finder has it."""

from collections.abc import Iterator, Sequence
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from matiz.masks.edges import shown

from .shapes import Image, Pixels, Random, blurred, drawn

CROP, CROPS = 224, 10
"""Side of what the network is shown, px; how many are taken of each thing."""
READ_NOISE = 0.03
"""Of the noise of full light."""
GAMMA = 2.2

Sample = tuple[Image, Image]
"""What the network is shown (CROP, CROP, planes), and the true share of a thing (CROP, CROP)."""


def samples(seed: int, photographs: Sequence[Pixels]) -> Iterator[Sample]:
    """Without an end; photographs: 8-bit sRGB, at least CROP px each way."""
    random = np.random.default_rng(seed)
    before = drawn(random)
    while True:
        thing = drawn(random)
        share, light = thing
        shrink = np.exp(random.uniform(0.0, np.log(3.5))) if random.random() < 0.6 else 1.0
        if shrink > 1.0:
            share, light = (cv2.resize(each, None, fx=1.0 / shrink, fy=1.0 / shrink, interpolation=cv2.INTER_AREA)
                            for each in thing)  # fmt: skip
        edge = np.argwhere((share > 0.05) & (share < 0.95))
        for _ in range(CROPS if len(edge) else 0):
            corner = edge[random.integers(len(edge))] - random.integers(CROP // 5, 4 * CROP // 5, 2)
            part = partial(_cut, corner=corner)
            at = random.integers(0, before[0].shape[0] - CROP, 2)
            other = _cut(before[0], at) if random.random() < 0.25 else None
            yield _sample(random, part(share), part(light), other, photographs)
        before = thing


def _cut(image: Image, corner: NDArray[np.int64]) -> Image:
    top, left = (int(np.clip(at, 0, side - CROP)) for at, side in zip(corner, image.shape, strict=True))
    return image[top : top + CROP, left : left + CROP]


def _sample(random: Random, share: Image, light: Image, other: Image | None, photographs: Sequence[Pixels]) -> Sample:
    turns, mirrored = random.integers(4), random.random() < 0.5
    share, light = (np.rot90(each, turns)[:, :: -1 if mirrored else 1] for each in (share, light))
    behind = _behind(random, photographs)
    if random.random() < 0.25:
        behind = _shaded(random, np.ascontiguousarray(share), behind)
    front = _in_parts(random, np.ascontiguousarray(share), behind, photographs)
    if random.random() < 0.15:
        front = front * (behind.mean(axis=(0, 1)) / np.maximum(front.mean(axis=(0, 1)), 1e-3))
    if other is not None:
        behind = behind + blurred(other, random.uniform(0.0, 6.0))[..., None] * (_front(random, photographs) - behind)
    front = front * (light**1.5)[..., None]
    if random.random() < 0.3:
        # light from behind shines in what is thin
        thin = 1.0 - cv2.GaussianBlur(np.ascontiguousarray(share), (0, 0), random.uniform(4.0, 20.0))
        front = front * (1.0 + random.uniform(0.5, 4.0) * np.clip(thin, 0.0, 1.0)[..., None])
    mixed = share[..., None] * front + (1.0 - share[..., None]) * behind
    if random.random() < 0.3:
        share_seen = cv2.GaussianBlur(np.ascontiguousarray(share), (0, 0), (sigma := random.uniform(0.3, 1.2)))
        mixed, share = cv2.GaussianBlur(mixed, (0, 0), sigma), share_seen
    share = np.ascontiguousarray(share)
    return shown(_developed(random, mixed), rough(random, share)), share


def _part_of(random: Random, photographs: Sequence[Pixels], closest: float, widest: float) -> Image:
    """Of a photograph, linear (CROP, CROP, 3)."""
    picture = photographs[random.integers(len(photographs))]
    side = int(np.clip(CROP * np.exp(random.uniform(np.log(closest), np.log(widest))), 16, min(picture.shape[:2])))
    top, left = (int(random.integers(0, n - side + 1)) for n in picture.shape[:2])
    way = cv2.INTER_AREA if side > CROP else cv2.INTER_CUBIC
    part = cv2.resize(picture[top : top + side, left : left + side], (CROP, CROP), interpolation=way)
    out = (part.astype(np.float32) / np.float32(255.0)) ** GAMMA
    return np.asarray(out * random.uniform(0.4, 1.6) * random.uniform(0.85, 1.15, 3), np.float32)


def _front(random: Random, photographs: Sequence[Pixels]) -> Image:
    kind = random.random()
    if kind < 0.45:
        part = _part_of(random, photographs, 0.2, 2.0)
        calm = random.uniform(0.0, 1.0)
        return np.asarray(part + calm * (part.mean(axis=(0, 1)) - part), np.float32)
    base = _part_of(random, photographs, 0.1, 0.5).mean(axis=(0, 1))
    out = np.ones((CROP, CROP), np.float32)
    for sigma in (1.0, 3.0, 12.0, 50.0):
        out *= np.maximum(1.0 + random.uniform(0.0, 0.3) * _cloud(random, CROP, sigma), 0.1)
    return np.asarray(out[..., None] * base, np.float32)


def _in_parts(random: Random, share: Image, behind: Image, photographs: Sequence[Pixels]) -> Image:
    """Of one stuff, or of several: patches, and a rim along its edge; some of them look like what is behind it, and at
    times all of it does."""
    out = _front(random, photographs)
    if random.random() < 0.12:
        out = _alike(random, behind, out)
    if random.random() < 0.35:
        return out
    inside = cv2.distanceTransform((share > 0.5).astype(np.uint8), cv2.DIST_L2, 3)
    for is_rim in random.random(2) < 0.6:
        if is_rim:
            deep = np.exp(random.uniform(np.log(4.0), np.log(70.0))) * (1.0 + 0.3 * _cloud(random, CROP, 30.0))
            where = inside < deep
        else:
            where = _cloud(random, CROP, random.uniform(12.0, 60.0)) > random.uniform(-0.3, 1.2)
        other = _front(random, photographs)
        if random.random() < 0.4:
            other = _alike(random, behind, other)
        soft = cv2.GaussianBlur(where.astype(np.float32), (0, 0), np.exp(random.uniform(np.log(0.5), np.log(8.0))))
        out = out + soft[..., None] * (other - out)
    return np.asarray(np.maximum(out, 0.0), np.float32)


def _alike(random: Random, behind: Image, stuff: Image) -> Image:
    """A stuff in the colours of what is behind it."""
    fine = stuff / np.maximum(stuff.mean(axis=(0, 1)), 1e-3)
    uneven = 1.0 + random.uniform(0.0, 0.5) * (fine - 1.0)
    return np.asarray(blurred(behind, 12.0) * uneven * random.uniform(0.7, 1.4), np.float32)


def _shaded(random: Random, share: Image, behind: Image) -> Image:
    """What is behind, with the shadow of the thing on it."""
    x, y = random.normal(0.0, 12.0, 2)
    moved = cv2.warpAffine(share, np.array([[1.0, 0.0, x], [0.0, 1.0, y]]), share.shape[::-1],
                           borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    soft = cv2.GaussianBlur(moved, (0, 0), np.exp(random.uniform(np.log(1.0), np.log(15.0))))
    return np.asarray(behind * (1.0 - random.uniform(0.2, 0.9) * soft)[..., None], np.float32)


def _behind(random: Random, photographs: Sequence[Pixels]) -> Image:
    part = _part_of(random, photographs, 0.3, 3.0)
    if random.random() < 0.75:
        part = blurred(part, np.exp(random.uniform(np.log(0.7), np.log(14.0))))
    return part


def _developed(random: Random, light: Image) -> Image:
    """As a file holds it: with noise, encoded, at times sharpened or packed; at times of a dark place, and lifted."""
    level = np.exp(random.uniform(np.log(0.002), np.log(0.05)))
    dim = np.exp(random.uniform(np.log(0.03), 0.0)) if random.random() < 0.35 else 1.0
    light = light * dim
    noise = random.standard_normal(light.shape, np.float32)
    if random.random() < 0.5:
        # what is worked out of a mosaic has noise of more than a px
        sigma = random.uniform(0.4, 0.9)
        noise = cv2.GaussianBlur(noise, (0, 0), sigma) * (1.0 + sigma)
    light = light + level * (np.sqrt(np.maximum(light, 0.0)) + READ_NOISE) * noise
    light = light * dim ** -random.uniform(0.0, 1.0)
    out = np.clip(light, 0.0, 1.0) ** (1.0 / GAMMA)
    if random.random() < 0.3:
        out = out + random.uniform(0.2, 1.0) * (out - cv2.GaussianBlur(out, (0, 0), random.uniform(0.6, 1.5)))
    pixels = np.clip(np.round(out * 255.0), 0, 255).astype(np.uint8)
    if random.random() < 0.3:
        _, packed = cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, int(random.integers(70, 97))])
        pixels = cv2.imdecode(packed, cv2.IMREAD_COLOR)
    return np.asarray(pixels.astype(np.float32) / np.float32(255.0))


def rough(random: Random, share: Image) -> Image:
    """As a network finds it on a small picture: rounded, grown or shrunk, a little astray; or, a third of the time, as
    it comes from the next smaller size, where it was made exact."""
    if random.random() < 0.33:
        small = cv2.resize(share, (CROP // 2, CROP // 2), interpolation=cv2.INTER_AREA)
        small = small + random.uniform(0.0, 0.6) * (cv2.GaussianBlur(small, (0, 0), random.uniform(0.5, 3.0)) - small)
        small = small * (1.0 - random.uniform(0.0, 0.25) * _cloud(random, CROP // 2, 12.0))
        return _full(np.clip((small - 0.5) * random.uniform(1.0, 1.4) + 0.5, 0.0, 1.0))
    cell = random.uniform(1.0, 6.0)
    side = max(16, round(CROP / cell))
    blur_px = np.exp(random.uniform(np.log(0.8), np.log(14.0)))
    solid = cv2.GaussianBlur(share, (0, 0), blur_px) > np.clip(random.normal(0.48, 0.15), 0.12, 0.85)
    y, x = np.mgrid[0:CROP, 0:CROP].astype(np.float32)
    astray = random.uniform(0.0, 5.0)
    moved = cv2.remap(
        solid.astype(np.float32), x + astray * _cloud(random, CROP, 25.0), y + astray * _cloud(random, CROP, 25.0),
        cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    small = cv2.resize(moved, (side, side), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), random.uniform(0.4, 2.0))
    if random.random() < 0.3:
        faint = cv2.resize(cv2.GaussianBlur(share, (0, 0), blur_px), (side, side), interpolation=cv2.INTER_AREA)
        soft = soft + random.uniform(0.2, 1.0) * (faint - soft)
    return _full(np.clip((soft - 0.5) * random.uniform(1.0, 3.0) + 0.5, 0.0, 1.0))


def _full(small: Image) -> Image:
    return np.asarray(cv2.resize(small, (CROP, CROP), interpolation=cv2.INTER_LINEAR), np.float32)


def _cloud(random: Random, side: int, sigma: float) -> Image:
    """Uneven, smooth, of spread 1."""
    shrink = max(1.0, sigma / 3.0)
    count = round(side / shrink) + 2
    noise = cv2.GaussianBlur(random.standard_normal((count, count), np.float32), (0, 0), sigma / shrink)
    noise = cv2.resize(noise, (side, side), interpolation=cv2.INTER_CUBIC)
    return np.asarray(noise / max(float(noise.std()), 1e-6), np.float32)
