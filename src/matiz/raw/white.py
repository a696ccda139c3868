"""The white level found in the data: the count at which photosites really pile up.

Files name a white level that holds for every camera of a kind and every ISO; the sensor often fills
a few percent before it, and channels that look unclipped then colour the highlights. Full photosites
all give the same count, whatever their colour, with nothing above it: no evenly lit thing does that.
"""

import numpy as np

from .frame import Mosaic

MOST_ROWS = 300
"""Rows of the mosaic's periods that are looked at: a sky or a lamp covers more than one."""
LEAST_SHARE = 2e-4
"""Of a channel's photosites that must be full."""
BAND = 0.01
"""Of the range: how wide a pile may be, and the stretch below it that it is weighed against."""
MARGIN = 0.004
"""Of the range, put below the pile: its photosites differ by a few counts."""
PILED = 5.0
"""Times as many photosites in the pile as in the stretch below it."""
NARROW, MOSTLY = 0.0015, 0.8
"""Of the range, and of the pile: a single colour that piles up, such as green in a sky, must do so within a few
counts. The noise of what is merely bright spreads over several times that."""
LOWEST = 0.7
"""Of the range: less is no sensor's white level."""


def found_white(mosaic: Mosaic) -> float:
    """The level at which photosites pile up, of two colours or more, or of one within a few counts; the file's own
    where none do."""
    black = float(mosaic.black.max())
    reach = mosaic.white - black
    piles: list[float] = []
    narrow: list[bool] = []
    for channel in range(3):
        counts = _sample(mosaic, channel)
        if counts.size == 0:
            continue
        # a few hot photosites may lie above
        few = max(1, int(LEAST_SHARE * counts.size / 2))
        top = int(np.partition(counts, -few)[-few])
        pile = counts[counts >= top - BAND * reach]
        below = np.count_nonzero((counts < top - BAND * reach) & (counts >= top - 2 * BAND * reach))
        if pile.size >= max(30, LEAST_SHARE * counts.size, PILED * below):
            piles.append(float(np.median(pile)))
            narrow.append(bool((np.abs(pile - piles[-1]) <= NARROW * reach).mean() > MOSTLY))
    if not piles or np.ptp(piles) > BAND * reach or (len(piles) == 1 and not narrow[0]):
        return mosaic.white
    level = min(piles)
    if not black + LOWEST * reach <= level < mosaic.white - BAND * reach:
        return mosaic.white
    return level - MARGIN * reach


def _sample(mosaic: Mosaic, channel: int) -> np.ndarray:
    """Counts of a colour from some of the rows."""
    rows, columns = mosaic.pattern.shape
    step = rows * max(1, mosaic.values.shape[0] // (rows * MOST_ROWS))
    parts = []
    for row, column in np.argwhere(mosaic.pattern == channel):
        parts.append(mosaic.values[row::step, column::columns].ravel())
    return np.concatenate(parts) if parts else np.empty(0, np.uint16)
