"""The subject of a picture, by a small network, and what taps make of it.

The network is an ISNet (Qin and others 2022, "Highly accurate dichotomous image segmentation", MIT), its quantized
weights those of @imgly/background-removal-data 1.4.5 (AGPL-3.0-or-later), run by onnxruntime. Where that cannot be
loaded, contrast against the border and a graph cut give a rougher answer.
"""

import os
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Share = NDArray[np.float32]
Point = tuple[float, float]

SIDE = 1024
CUT_PX = 420
"""Long side of the picture that taps are worked out on."""
LEAST_SHARE = 0.0006
"""Of the frame: specks and holes under it are no subject."""
NEAR_LARGEST = 0.02
"""Specks are smaller than this share of the largest part, too."""
ROUGH = 0.02
"""Mean difference from its own median at which the finest answer is doubted."""
UNSURE = 0.15, 0.85
TAP = 0.012
"""Radius of what a tap surely means, of the long side."""


@dataclass(frozen=True)
class SubjectMap:
    """Where the subject is."""

    share: Share
    """(rows, columns) 0..1, over the whole picture."""
    how: str
    """What found it: "network", "your own network", or "contrast"."""


def own_model() -> Path:
    """Where a user's own network is looked for: input (1, 3, n, n) RGB, (value - 128) / 256 of 8-bit sRGB; first
    output 0..1 of the same size."""
    data = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share")
    return data / "matiz/models/subject.onnx"


def find_subject(picture: Picture) -> SubjectMap:
    """The subject of an sRGB picture (height, width, 3)."""
    network = _network(str(own_model()) if own_model().is_file() else "")
    if network is None:
        return SubjectMap(cleaned(by_contrast(picture)), "contrast")
    session, how = network
    wanted = session.get_inputs()[0]
    side = wanted.shape[2] if isinstance(wanted.shape[2], int) else SIDE
    square = cv2.resize(
        picture, (side, side), interpolation=cv2.INTER_AREA if max(picture.shape) > side else cv2.INTER_LINEAR
    )
    values = ((square.astype(np.float32) - 128.0) / 256.0).transpose(2, 0, 1)[None]
    outputs = session.get_outputs()
    sides = [o.name for o in outputs if list(o.shape) == list(outputs[0].shape)][:3]
    found = [np.asarray(each, np.float32).reshape(side, side) for each in session.run(sides, {wanted.name: values})]
    return SubjectMap(cleaned(decided(picture, np.clip(_agreed(found), 0.0, 1.0))), how)


def _agreed(found: list[Share]) -> Share:
    """The answers of a network at three depths as one: the first is the finest, but in smooth, noisy surroundings
    its eight-bit weights make it rough; there the third, the coarsest, is believed."""
    if len(found) < 3:
        return found[0]
    fine, _, coarse = found
    rough = cv2.blur(np.abs(fine - cv2.medianBlur(fine, 5)), (31, 31))
    doubt = np.clip((rough - ROUGH) / ROUGH, 0.0, 1.0)
    return np.asarray(fine + doubt * (coarse - fine), np.float32)


def decided(picture: Picture, share: Share) -> Share:
    """Places at which the network was of two minds, decided by what is like the rest of either side (graph cut after
    Rother, Kolmogorov and Blake 2004, "GrabCut")."""
    unsure = (share > UNSURE[0]) & (share < UNSURE[1])
    if unsure.mean() < 0.01 or not ((share >= UNSURE[1]).any() and (share <= UNSURE[0]).any()):
        return share
    height, width = picture.shape[:2]
    scale = min(1.0, CUT_PX / max(height, width))
    size = max(8, round(width * scale)), max(8, round(height * scale))
    small, prior = (cv2.resize(m, size, interpolation=cv2.INTER_AREA) for m in (picture, share))
    labels = np.where(prior > 0.5, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[prior >= UNSURE[1]], labels[prior <= UNSURE[0]] = cv2.GC_FGD, cv2.GC_BGD
    cv2.grabCut(small, labels, None, np.zeros((1, 65)), np.zeros((1, 65)), 3, cv2.GC_INIT_WITH_MASK)
    inside = np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.float32)
    cut = cv2.resize(cv2.GaussianBlur(inside, (0, 0), 0.7), share.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return np.asarray(np.where(unsure, cut, share), np.float32)


def cleaned(share: Share) -> Share:
    """Without specks and holes that are too small to be meant."""
    out = share.copy()
    for sign in (1, -1):
        solid = (out > 0.5) if sign > 0 else (out <= 0.5)
        count, labels, found, _ = cv2.connectedComponentsWithStats(solid.astype(np.uint8))
        if count < 2:
            continue
        areas = found[1:, cv2.CC_STAT_AREA]
        limit = LEAST_SHARE * share.size
        small = (areas < limit) if sign < 0 else ((areas < limit) | (areas < NEAR_LARGEST * areas.max()))
        if sign > 0 and small.all():
            small[np.argmax(areas)] = areas.max() < 0.1 * limit
        drop = np.concatenate([[False], small])[labels]
        # with their soft rims
        drop = cv2.dilate(drop.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        keep = cv2.dilate((np.concatenate([[False], ~small])[labels]).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        out[drop & ~keep] = 0.0 if sign > 0 else 1.0
    return out


def tapped(picture: Picture, share: Share, yes: Sequence[Point], no: Sequence[Point]) -> Share:
    """The subject once taps have said what it is and what not; points in units of the long side."""
    height, width = picture.shape[:2]
    scale = min(1.0, CUT_PX / max(height, width))
    size = max(8, round(width * scale)), max(8, round(height * scale))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    prior = cv2.resize(share, size, interpolation=cv2.INTER_AREA)
    labels = np.where(prior > 0.5, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[prior > 0.97], labels[prior < 0.03] = cv2.GC_PR_FGD, cv2.GC_PR_BGD
    radius = max(2, round(TAP * max(size)))
    reach = _alike(small, [*yes, *no], size)
    for points, label, probable in ((no, cv2.GC_BGD, cv2.GC_PR_BGD), (yes, cv2.GC_FGD, cv2.GC_PR_FGD)):
        for point in points:
            labels[reach[point]] = probable
            at = round(point[0] * max(size)), round(point[1] * max(size))
            cv2.circle(labels, at, radius, int(label), -1)
    if not np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)).any() or not np.isin(labels, (cv2.GC_BGD, cv2.GC_PR_BGD)).any():
        return share
    cut = labels.copy()
    cv2.grabCut(small, cut, None, np.zeros((1, 65)), np.zeros((1, 65)), 3, cv2.GC_INIT_WITH_MASK)
    inside = np.isin(cut, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.float32)
    # what the network was sure of stays, but where a tap reaches
    touched = np.zeros(inside.shape, bool)
    for each in reach.values():
        touched |= each
    for point in (*yes, *no):
        at = round(point[0] * max(size)), round(point[1] * max(size))
        disc = np.zeros(inside.shape, np.uint8)
        cv2.circle(disc, at, 3 * radius, 1, -1)
        touched |= disc > 0
    changed = np.where(touched, cv2.GaussianBlur(inside, (0, 0), 0.8), prior)
    grown = cv2.resize(changed.astype(np.float32), share.shape[::-1], interpolation=cv2.INTER_LINEAR)
    where = cv2.resize(touched.astype(np.float32), share.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return cleaned(np.asarray(share * (1.0 - where) + grown * where, np.float32))


def _alike(small: Picture, points: Sequence[Point], size: tuple[int, int]) -> dict[Point, NDArray[np.bool_]]:
    """What hangs together with each point and is coloured like it."""
    out = {}
    soft = cv2.bilateralFilter(small, 7, 30.0, 5.0)
    for point in points:
        mask = np.zeros((size[1] + 2, size[0] + 2), np.uint8)
        at = (
            min(max(round(point[0] * max(size)), 0), size[0] - 1),
            min(max(round(point[1] * max(size)), 0), size[1] - 1),
        )
        cv2.floodFill(soft.copy(), mask, at, 0, (6,) * 3, (6,) * 3, 4 | cv2.FLOODFILL_MASK_ONLY | (1 << 8))
        out[point] = mask[1:-1, 1:-1] > 0
    return out


def by_contrast(picture: Picture) -> Share:
    """What differs from the border of the picture, by a graph cut: the answer where there is no network.

    Boundary prior after Zhu and others 2014, "Saliency optimization from robust background detection", simplified.
    """
    height, width = picture.shape[:2]
    scale = min(1.0, CUT_PX / max(height, width))
    size = max(8, round(width * scale)), max(8, round(height * scale))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    Lab = cv2.cvtColor(small, cv2.COLOR_RGB2LAB).astype(np.float32)
    rim = max(2, size[1] // 20)
    edge = np.concatenate([Lab[:rim].reshape(-1, 3), Lab[-rim:].reshape(-1, 3), Lab[:, :rim].reshape(-1, 3),
                           Lab[:, -rim:].reshape(-1, 3)])  # fmt: skip
    _, _, centres = cv2.kmeans(edge, 6, None, (cv2.TERM_CRITERIA_MAX_ITER, 12, 1.0), 1, cv2.KMEANS_PP_CENTERS)
    off = np.sqrt(((Lab[:, :, None] - centres) ** 2).sum(axis=3)).min(axis=2)
    y, x = np.mgrid[0 : size[1], 0 : size[0]]
    middle = np.exp(-(((x / size[0] - 0.5) / 0.35) ** 2 + ((y / size[1] - 0.55) / 0.35) ** 2))
    salient = cv2.GaussianBlur(off * (0.35 + middle), (0, 0), 3.0)
    level = np.quantile(salient, 0.80)
    labels = np.where(salient > level, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[:rim], labels[:, :rim], labels[:, -rim:] = cv2.GC_BGD, cv2.GC_BGD, cv2.GC_BGD
    if salient.max() < 1.0:
        return np.zeros((SIDE, SIDE), np.float32)
    cv2.grabCut(small, labels, None, np.zeros((1, 65)), np.zeros((1, 65)), 4, cv2.GC_INIT_WITH_MASK)
    inside = np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.float32)
    return np.asarray(cv2.resize(cv2.GaussianBlur(inside, (0, 0), 0.8), (SIDE, SIDE)), np.float32)


@lru_cache(maxsize=2)
def _network(own: str) -> tuple[Any, str] | None:
    """The session and what it is called; None where onnxruntime cannot be loaded."""
    try:
        import onnxruntime
    except ImportError:
        return None
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = max(1, (os.cpu_count() or 1))
    options.log_severity_level = 3
    # without it, sums of eight-bit products overflow on processors that lack the newer instructions
    options.add_session_config_entry("session.x64quantprecision", "1")
    if own:
        return onnxruntime.InferenceSession(own, options, providers=["CPUExecutionProvider"]), "your own network"
    folder = files("matiz") / "assets/models/subject"
    parts = sorted((p for p in folder.iterdir() if p.name.startswith("isnet.onnx.")), key=lambda p: p.name)
    data = b"".join(part.read_bytes() for part in parts)
    return onnxruntime.InferenceSession(data, options, providers=["CPUExecutionProvider"]), "network"
