"""Cutting a small picture in two by what is alike: shared by all that is found in pictures."""

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Share = NDArray[np.float32]

CUT_PX = 420
"""Long side of the picture that is cut."""


def smaller(picture: Picture) -> Picture:
    """At most `CUT_PX` long."""
    height, width = picture.shape[:2]
    scale = min(1.0, CUT_PX / max(height, width))
    size = max(8, round(width * scale)), max(8, round(height * scale))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)


def graph_cut(small: Picture, labels: NDArray[np.uint8], rounds: int) -> NDArray[np.bool_]:
    """What is inside, by labels of OpenCV (GC_FGD, ...) that say what is sure and what is likely; as the labels have it
    where they name one side only. Rother, Kolmogorov and Blake 2004, "GrabCut"."""
    cut = labels.copy()
    if inside(cut).any() and not inside(cut).all():
        # its mixtures of colours start at random: always from the same
        cv2.setRNGSeed(1)
        cv2.grabCut(small, cut, None, np.zeros((1, 65)), np.zeros((1, 65)), rounds, cv2.GC_INIT_WITH_MASK)
    return inside(cut)


def inside(labels: NDArray[np.uint8]) -> NDArray[np.bool_]:
    return np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD))


def softened(cut: NDArray[np.bool_], shape: tuple[int, ...] | None = None) -> Share:
    """A cut as a share with its steps smoothed, in another shape where one is given."""
    soft = cv2.GaussianBlur(cut.astype(np.float32), (0, 0), 0.7)
    return np.asarray(soft if shape is None else cv2.resize(soft, shape[1::-1], interpolation=cv2.INTER_LINEAR))
