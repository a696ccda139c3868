"""Small square patches of a picture compared with each other, and laid over each other."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import require
from .loader import kernel

CHANNELS = 4
REACH = 3
"""Of a patch about its middle, px."""
PLACES_PER_TASK = 256


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_distances(), _define_voted()]


def _define_distances() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image

    k, n = hl.Var("k"), hl.Var("n")
    picture = image("picture", CHANNELS)
    places, candidates = hl.ImageParam(hl.Int(32), 2, "places"), hl.ImageParam(hl.Int(32), 3, "candidates")
    patch = hl.RDom([(0, CHANNELS), (-REACH, 2 * REACH + 1), (-REACH, 2 * REACH + 1)])

    def seen(column: Any, row: Any) -> Any:
        # what lies beyond the border is taken for what lies there
        width, height = picture.dim(1).extent(), picture.dim(2).extent()
        x = hl.clamp(column, REACH, width - 1 - REACH) + patch.y
        y = hl.clamp(row, REACH, height - 1 - REACH) + patch.z
        return picture[patch.x, x, y]

    off = seen(places[0, n], places[1, n]) - seen(candidates[0, k, n], candidates[1, k, n])
    out = hl.Func("patch_distances")
    out[k, n] = hl.f32(0.0)
    out[k, n] += off * off
    out.update(0).reorder(patch.x, patch.y, patch.z, k, n).unroll(patch.x).unroll(patch.y)
    out.update(0).parallel(n, PLACES_PER_TASK, hl.TailStrategy.GuardWithIf)
    return "patch_distances", out, [picture, places, candidates]


def _define_voted() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image

    c, n = hl.Var("c"), hl.Var("n")
    picture = image("picture", CHANNELS)
    places, sources = hl.ImageParam(hl.Int(32), 2, "places"), hl.ImageParam(hl.Int(32), 3, "sources")
    weights = hl.ImageParam(hl.Float(32), 2, "weights")
    patch = hl.RDom([(-REACH, 2 * REACH + 1), (-REACH, 2 * REACH + 1)])
    width, height = picture.dim(1).extent(), picture.dim(2).extent()
    # the patch whose middle lies `patch` from here
    x = hl.clamp(places[0, n] + patch.x, 0, width - 1)
    y = hl.clamp(places[1, n] + patch.y, 0, height - 1)
    from_x = hl.clamp(sources[0, x, y] - patch.x, 0, width - 1)
    from_y = hl.clamp(sources[1, x, y] - patch.y, 0, height - 1)
    total, weight, out = hl.Func("total"), hl.Func("weight"), hl.Func("patch_votes")
    total[c, n] = hl.f32(0.0)
    total[c, n] += weights[x, y] * picture[c, from_x, from_y]
    weight[n] = hl.f32(1e-20)
    weight[n] += weights[x, y]
    out[c, n] = total[c, n] / weight[n]
    out.bound(c, 0, CHANNELS).output_buffer().dim(0).set_bounds(0, CHANNELS).set_stride(1)
    task, place = hl.Var("task"), hl.Var("place")
    out.split(n, task, place, PLACES_PER_TASK, hl.TailStrategy.GuardWithIf).parallel(task)
    total.compute_at(out, place).bound(c, 0, CHANNELS).vectorize(c)
    total.update(0).reorder(c, patch.x, patch.y, n).vectorize(c)
    weight.compute_at(out, place)
    return "patch_votes", out, [picture, places, sources, weights]


def patch_distances(
    picture: NDArray[np.float32], places: NDArray[np.int32], candidates: NDArray[np.int32]
) -> NDArray[np.float32]:
    """How unlike the patch at each place is to those at its candidates: sums of squared differences, (n, k).

    picture: (height, width, CHANNELS), each side above 2 * REACH. places: (n, 2), candidates: (n, k, 2), middles of
    patches as (x, y) px; one nearer than REACH to the border is taken for the nearest that is not.
    """
    picture = require("picture", picture, np.float32, (None, None, CHANNELS))
    places = require("places", places, np.int32, (None, 2))
    candidates = require("candidates", candidates, np.int32, (len(places), None, 2))
    result = np.empty(candidates.shape[:2], np.float32)
    kernel("patch_distances")(picture, places, candidates, result)
    return result


def patch_votes(
    picture: NDArray[np.float32],
    places: NDArray[np.int32],
    sources: NDArray[np.int32],
    weights: NDArray[np.float32],
) -> NDArray[np.float32]:
    """The weighted mean at each place (n, 2) of all patches that lie over it, (n, CHANNELS).

    sources: (height, width, 2), where the patch about each px of the picture comes from; weights: (height, width), what
    each counts for; 0 for none.
    """
    picture = require("picture", picture, np.float32, (None, None, CHANNELS))
    places = require("places", places, np.int32, (None, 2))
    sources = require("sources", sources, np.int32, (*picture.shape[:2], 2))
    weights = require("weights", weights, np.float32, picture.shape[:2])
    result = np.empty((len(places), CHANNELS), np.float32)
    kernel("patch_votes")(picture, places, sources, weights, result)
    return result
