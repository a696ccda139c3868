"""Blocks of 8x8 that noise is taken out of: their sizes, and the cosine transform of one row of them."""

import math

import numpy as np

SIDE = 8
MARGIN_PX = SIDE
CHANNELS = 3
TILE_X, TILE_Y = 28, 32
"""In pairs of px. With the blocks that reach into it a tile is 32 wide: whole vectors."""
_ANGLES = math.pi * np.outer(np.arange(SIDE), 2 * np.arange(SIDE) + 1) / (2 * SIDE)
BASIS = np.cos(_ANGLES) * np.sqrt(np.where(np.arange(SIDE) == 0, 1.0, 2.0) / SIDE)[:, None]
"""The cosine transform of length 8, orthonormal, (frequency, place)."""
