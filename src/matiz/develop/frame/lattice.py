"""Where the px of a region lie, asked at a few nodes and laid between them: how a picture lies bends little."""

import numpy as np

from ...colour.types import Array
from ...masks.view import Mask
from .mapping import Mapping
from .tiles import Region

NODES = 97
"""To a side."""


def between(count: int, nodes: int = NODES) -> Array:
    """The matrix (count, nodes) from values at evenly spaced nodes to those at `count` places from the first to the
    last."""
    at = np.linspace(0.0, nodes - 1.0, count)
    return np.asarray(np.maximum(0.0, 1.0 - np.abs(at[:, None] - np.arange(nodes))))


def frame_places(mapping: Mapping, level: int, region: Region) -> tuple[Mask, Mask]:
    """Where each px of a region of a picture at a level lies in the frame: x and y, each (height, width), in units of
    its long side from its upper left corner."""
    left, top, width, height = region
    step = 2.0**level
    # a straight way needs its ends alone
    count = NODES if mapping.moves else 2
    across, down = np.linspace(left, left + width - 1.0, count), np.linspace(top, top + height - 1.0, count)
    nodes = (np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2) + 0.5) * step - 0.5
    places = ((mapping.to_frame(nodes) + 0.5) / max(mapping.frame_size)).reshape(count, count, 2)
    wide, high = (between(n, count).astype(np.float32) for n in (width, height))
    # from the middle, so that single precision is enough
    start = places.mean(axis=(0, 1))
    x, y = (high @ (places[..., n] - start[n]).astype(np.float32) @ wide.T + np.float32(start[n]) for n in range(2))
    return x, y
