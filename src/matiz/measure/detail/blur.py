"""How far a picture is blurred as it was taken: the spread of its sharpest edges, and where.

A profile is taken across each strong, lone edge and compared with steps seen through Gaussians. Nature's own edges
are soft too, so the sharpest of them tell of the lens and the focus; and where all lone edges are soft, as of clouds,
texture may still say that little can have been blurred.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array
from ...develop.frame.tiles import Region

PATCH_PX = 128
"""Side of a patch that is looked into, px of the full size."""
ACROSS, DOWN = 6, 4
"""Patches, one in each part of the frame: where its edges are strongest."""
REACH_PX, STEP_PX = 9.0, 0.5
"""Of a profile, to each side, and from sample to sample."""
ALONG = np.arange(-3.0, 3.1, 1.0)
"""Px along the edge over which a profile is averaged."""
SIGMAS = np.geomspace(0.25, 4.5, 100)
SHIFTS = np.arange(-1.5, 1.51, 0.125)
MOST_EDGES = 160
"""Of a patch that are fitted: the strongest."""
LEAST_STEP, LEAST_NOISE = 0.15, 12.0
"""A step that counts: share of the lighter side, and times the noise of a px."""
MOST_MISFIT = 0.035
"""Root mean square from the fitted step, share of its height."""
SHARPEST = 0.25
"""Quantile of the spreads of a patch's edges that is taken for its blur."""
FEW_SHARPEST = 0.08
"""The same of all edges together. The lower of both counts: much in nature is soft, and taking back more blur than
there is draws outlines."""
ALIKE = 1.3
"""Times the spread of the sharpest patch up to which another is as sharp: chance makes some sharper."""
MID_GREY = 0.18
BLOCK_PX, LEAST_BLOCKS = 32, 8
"""Blocks that texture is looked for in, and how many must have some."""
CLEAR, LEAST_SLOPE, FINEST = 4.0, 1e-5, 0.97
"""Texture counts from so many times the noise, and from that mean square of slopes on; the quantile of the blocks that
is the finest."""
LEAST_EDGES, LONE_EDGES = 24, 60
"""That tell the blur of a place, and that make one place alone believed."""


@dataclass(frozen=True)
class EdgeWidths:
    """Edges that were fitted, in px of the patches."""

    spread_px: Array
    """(n,) standard deviation of the Gaussian."""
    patch: NDArray[np.int64]
    """(n,) the patch that it is in."""


@dataclass(frozen=True)
class Smear:
    """What a picture is blurred along one way, beyond what it is across."""

    spread_px: float
    """Standard deviation, px."""
    along_deg: float
    """0 level, 90 upright, from level toward up."""

    @property
    def went_px(self) -> float:
        """How far things went while the shutter was open."""
        return self.spread_px * 12.0**0.5


@dataclass(frozen=True)
class BlurReading:
    """The blur of a picture as it was taken."""

    blur_px: float | None
    """Standard deviation, px of the full frame, of the sharpest places, the px and the demosaic in it: about 0.4
    where nothing is blurred. None with too few edges."""
    edges: int
    """How many told it."""
    places_px: tuple[tuple[float | None, ...], ...]
    """By the part of the frame, DOWN rows of ACROSS; None with too few edges there."""
    sharpest: tuple[bool, ...] = ()
    """Which of them, row by row, are as sharp as any: `blur_px` is theirs."""
    is_sure: bool = True
    """Whether more than one place says so, or one with many edges: a hot pixel looks sharp too."""
    smear: Smear | None = None
    """None where none is seen surely."""


def choose_patches(
    small: NDArray[np.float32], step: int, size: tuple[int, int]
) -> tuple[list[Region], tuple[int, int]]:
    """Regions of the full size, row by row, and how many across and down: ACROSS and DOWN where there is room.

    small: (height, width) linear luminance at a level; step: full-size px per px of it; size: of the full picture.
    """
    rough = np.sqrt(np.maximum(small, 1e-5))
    slope = np.hypot(*(cv2.Sobel(rough, cv2.CV_32F, dx, 1 - dx) for dx in (1, 0)))
    side = max(2, PATCH_PX // step)
    strength = cv2.blur(slope, (side, side))
    across, down = (max(1, min(count, length // PATCH_PX)) for count, length in zip((ACROSS, DOWN), size, strict=True))
    out = []
    for row in np.array_split(np.arange(small.shape[0]), down):
        for column in np.array_split(np.arange(small.shape[1]), across):
            part = strength[row[0] : row[-1] + 1, column[0] : column[-1] + 1]
            y, x = np.unravel_index(int(np.argmax(part)), part.shape)
            w, h = (min(PATCH_PX, length) for length in size)
            left = int(np.clip((column[0] + x) * step - w // 2, 0, size[0] - w))
            top = int(np.clip((row[0] + y) * step - h // 2, 0, size[1] - h))
            out.append((left, top, w, h))
    return out, (across, down)


def find_edges(
    patches: list[NDArray[np.float32]], noise: float, full: list[NDArray[np.bool_]] | None = None
) -> EdgeWidths:
    """Lone edges of patches (height, width) of linear luminance.

    noise: standard deviation of a px at mid grey 0.18, as a share of it; taken to grow as the root of the light.
    full: where a patch is cut off; a step that is looks sharper than it was.
    """
    spreads, which = [], []
    for n, patch in enumerate(patches):
        if min(patch.shape) > 2 * REACH_PX:
            spread = _fitted(patch, noise, None if full is None else full[n])
            spreads.append(spread)
            which.append(np.full(len(spread), n))
    if not spreads:
        return EdgeWidths(np.zeros(0), np.zeros(0, np.int64))
    return EdgeWidths(np.concatenate(spreads), np.concatenate(which))


def most_blur(patches: list[NDArray[np.float32]], noise: float) -> float:
    """The blur that the finest texture of patches (height, width) of linear luminance still allows, px; infinite
    without any.

    Whatever was there before it, a Gaussian of s px leaves slopes that one more of 1 px takes no more than ((s^2 + 1) /
    s^2)^2 of: as much as of white noise. noise: as for `find_edges`; 0 where it is not known, which allows less.
    """
    left = []
    # on a scale on which noise is even, and the shares that it has in the slopes
    own = (0.5 * noise) ** 2 * MID_GREY
    again = own / (4.0 * np.pi)
    for patch in patches:
        rows, columns = (length // BLOCK_PX for length in patch.shape)
        if not rows or not columns:
            continue
        root = np.sqrt(np.maximum(patch, 0.0) + np.float32(1e-5))
        fine, coarse = (
            cv2.resize(_slopes(each)[: rows * BLOCK_PX, : columns * BLOCK_PX], (columns, rows),
                       interpolation=cv2.INTER_AREA)
            for each in (root, cv2.GaussianBlur(root, (0, 0), 1.0))
        )  # fmt: skip
        clear = (fine - own > CLEAR * own) & (fine > LEAST_SLOPE) & (coarse - again > 0.1 * coarse)
        left.append(((fine - own) / np.maximum(coarse - again, 1e-12))[clear])
    ratios = np.concatenate(left) if left else np.zeros(0)
    if len(ratios) < LEAST_BLOCKS:
        return np.inf
    ratio = max(float(np.quantile(ratios, FINEST)), 1.0 + 1e-6)
    return float(1.0 / np.sqrt(np.sqrt(ratio) - 1.0))


def _slopes(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """Their squares, by central differences."""
    kernel = np.array([[-0.5, 0.0, 0.5]], np.float32)
    across, down = (cv2.filter2D(plane, cv2.CV_32F, each, borderType=cv2.BORDER_REFLECT) for each in (kernel, kernel.T))
    return np.asarray(across * across + down * down)


def read_blur(edges: EdgeWidths, grid: tuple[int, int], most: float, like: BlurReading | None = None) -> BlurReading:
    """grid: patches across and down. most: what the finest texture allows. like: a reading whose sharpest places are
    looked at again."""
    across, down = grid
    every = [_quantile(edges.spread_px[edges.patch == n], SHARPEST) for n in range(across * down)]
    places = tuple(tuple(every[row * across : (row + 1) * across]) for row in range(down))
    told = [spread for spread in every if spread is not None]
    sharpest = [spread is not None and spread <= ALIKE * min(told) for spread in every]
    if like is not None and any(like.sharpest):
        sharpest = list(like.sharpest)
    alike = [spread for spread, counts in zip(every, sharpest, strict=True) if counts and spread is not None]
    counted = np.isin(edges.patch, np.flatnonzero(sharpest)) if like is not None and any(sharpest) else edges.patch >= 0
    few = _quantile(edges.spread_px[counted], FEW_SHARPEST)
    whole = min(few, float(np.median(alike))) if alike and few is not None else few
    whole = None if whole is None else min(whole, most)
    return BlurReading(whole, len(edges.spread_px), places, tuple(sharpest), _is_borne_out(edges, sharpest))


def _is_borne_out(edges: EdgeWidths, sharpest: list[bool]) -> bool:
    which = np.flatnonzero(sharpest)
    return len(which) != 1 or int((edges.patch == which[0]).sum()) >= LONE_EDGES


def _quantile(spreads: Array, share: float) -> float | None:
    return float(np.quantile(spreads, share)) if len(spreads) >= LEAST_EDGES else None


def _fitted(patch: NDArray[np.float32], noise: float, full: NDArray[np.bool_] | None) -> Array:
    smooth = cv2.GaussianBlur(patch, (0, 0), 1.0)
    gx, gy = (cv2.Sobel(smooth, cv2.CV_32F, dx, 1 - dx, scale=0.125) for dx in (1, 0))
    slope = np.hypot(gx, gy)
    margin = int(REACH_PX) + 2
    inner = np.zeros(patch.shape, bool)
    inner[margin:-margin, margin:-margin] = True
    # the ridge of the slope: what is steepest of the px across it
    ridge = inner & (slope >= 0.98 * cv2.dilate(slope, np.ones((3, 3), np.uint8)))
    reach = 2 * int(REACH_PX) + 1
    if full is not None:
        ridge &= cv2.dilate(full.astype(np.uint8), np.ones((reach, reach), np.uint8)) == 0
    ridge &= slope > 0.02 * np.maximum(cv2.blur(patch, (9, 9)), 1e-5)
    y, x = np.nonzero(ridge)
    strongest = np.argsort(-slope[y, x] / np.maximum(smooth[y, x], 1e-5), kind="stable")[:MOST_EDGES]
    y, x = y[strongest], x[strongest]
    across = np.arange(-REACH_PX, REACH_PX + STEP_PX / 2, STEP_PX)
    nx, ny = gx[y, x] / slope[y, x], gy[y, x] / slope[y, x]
    at_x = x[:, None, None] + nx[:, None, None] * across[None, :, None] - ny[:, None, None] * ALONG[None, None]
    at_y = y[:, None, None] + ny[:, None, None] * across[None, :, None] + nx[:, None, None] * ALONG[None, None]
    seen = np.zeros((0, len(across)), np.float32)
    if len(y):
        to_x, to_y = (each.reshape(len(y), -1).astype(np.float32) for each in (at_x, at_y))
        seen = (
            cv2.remap(patch, to_x, to_y, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT).reshape(at_x.shape).mean(2)
        )
    return _steps(seen.astype(np.float64), across, noise)


def _steps(seen: Array, across: Array, noise: float) -> Array:
    """Spreads of the profiles that are lone steps."""
    if not len(seen):
        return np.zeros(0)
    sigma, models, heights = _models(tuple(across.tolist()))
    told = seen - seen.mean(axis=1, keepdims=True)
    # least squares of offset and height for each model
    best = np.argmax(np.abs(told.astype(np.float32) @ models.T.astype(np.float32)), axis=1)
    along = (told * models[best]).sum(axis=1)
    misfit = np.sqrt(np.maximum((told**2).sum(axis=1) - along**2, 0.0) / len(across))
    step = along * heights[best]
    light = np.maximum(seen.max(axis=1), 1e-6)
    own = noise * np.sqrt(0.18 * light)
    counts = (step > LEAST_STEP * light) & (step > LEAST_NOISE * own / np.sqrt(len(ALONG)))
    counts &= misfit < MOST_MISFIT * step + own / np.sqrt(len(ALONG))
    return np.asarray(sigma[best][counts])


@lru_cache(maxsize=2)
def _models(across: tuple[float, ...]) -> tuple[Array, Array, Array]:
    """Steps of every spread at every place: the spreads, the steps about their mean and of length 1, and how high the
    step of that length is."""
    sigma, shift = (each.ravel() for each in np.meshgrid(SIGMAS, SHIFTS, indexing="ij"))
    # a part of the program's start otherwise, and not wanted before something is measured
    from scipy.special import erf

    models = 0.5 + 0.5 * erf((np.array(across) - shift[:, None]) / (sigma[:, None] * np.sqrt(2.0)))
    models -= models.mean(axis=1, keepdims=True)
    length = np.linalg.norm(models, axis=1)
    return sigma, models / length[:, None], 1.0 / length
