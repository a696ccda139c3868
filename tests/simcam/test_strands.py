"""Hair as strands: how many, how thin, which is before which, and the light that gets past them."""

from dataclasses import replace

import numpy as np
import pytest

from matiz_simcam.strands import NAMES, DrawnStrand, Strands, Thicket, grown, seen
from matiz_simcam.view import SceneView

VIEW = SceneView((120, 80), 1.0)
NOTHING_BEHIND = np.full((80, 120), np.inf, np.float32)


def upright(x, depth, low=1.48, high=1.52, points=5):
    """One strand that stands before the camera."""
    y = np.linspace(low, high, points, dtype=np.float32)
    return np.stack([np.full_like(y, x), y, np.full_like(y, depth)], axis=1)[None]


def drawn(lines, tone=0.0):
    n, points = lines.shape[:2]
    run = np.gradient(lines, axis=1)
    run /= np.linalg.norm(run, axis=2, keepdims=True)
    tip = np.linspace(0.0, 1.0, points)[None, :, None] * np.ones((n, 1, 1))
    rest = [np.full((n, points, 1), tone), tip, np.full((n, points, 2), 0.5)]
    return DrawnStrand(lines, np.concatenate([run, *rest], axis=2).astype(np.float32))


def tuft(n=300, random=None):
    """Strands 8 cm long that hang side by side, 4 cm wide and deep."""
    random = random or np.random.default_rng(4)
    roots = np.stack([random.uniform(-0.02, 0.02, n), np.full(n, 1.54), 1.0 + random.uniform(-0.02, 0.02, n)], axis=1)
    down = np.linspace(0.0, 0.08, 8)[None, :, None] * np.array([0.0, -1.0, 0.0])
    return (roots[:, None, :] + down).astype(np.float32)


def test_a_strand_covers_a_share_of_the_pixels_it_goes_through_and_knows_where_it_runs():
    s = seen(drawn(upright(0.0021, 1.0)), VIEW, NOTHING_BEHIND)
    covered = s.cover > 0
    rows, columns = np.nonzero(covered)
    assert set(columns + s.box[1].start) == {60} and 4 <= len(set(rows)) <= 6, "0.04 m high, 120 px to the metre"
    assert s.cover[covered].max() == pytest.approx(0.5), "one of two places across a pixel"
    assert np.allclose(s.depth[covered], 1.0, atol=1e-4) and np.isinf(s.depth[~covered]).all()
    assert np.abs(s.normals[covered] @ (0.0, 1.0, 0.0)).min() > 0.999
    assert s.more["tip"][covered].max() > 0.8 > 0.2 > s.more["tip"][covered].min()
    # the root is below
    assert s.more["tip"][rows.max(), columns[0]] < s.more["tip"][rows.min(), columns[0]]
    assert np.isfinite(s.points).all() and s.points[..., 2].min() > 0.9, "light is looked at beside strands too"


def test_where_pixels_are_wider_than_a_single_hair_what_lies_between_is_seen():
    lines = drawn(upright(0.0021, 1.0))
    whole = seen(lines, VIEW, NOTHING_BEHIND)
    # 8.3 mm a pixel, two places across; one hair stands for four
    thin = seen(replace(lines, width_m=1e-4, every=4), VIEW, NOTHING_BEHIND)
    assert thin.cover.sum() == pytest.approx(whole.cover.sum() * 4e-4 * 2 * 120, rel=0.01)


def test_the_nearest_strand_hides_those_behind_and_is_hidden_by_what_is_before_it():
    near, far = upright(0.0, 0.9), upright(0.0, 1.2)
    both = drawn(np.concatenate([far, near]))
    both.values[0, :, 3], both.values[1, :, 3] = -1.0, 1.0
    s = seen(both, VIEW, NOTHING_BEHIND)
    middle = (s.cover > 0) & (np.abs(s.depth - 0.9) < 0.01)
    assert middle.any() and (s.more["tone"][middle] == 1.0).all()
    wall = np.full_like(NOTHING_BEHIND, 1.0)
    assert (seen(both, VIEW, wall).depth[seen(both, VIEW, wall).cover > 0] < 1.0).all()
    assert seen(both, VIEW, np.full_like(wall, 0.5)) is None
    assert seen(drawn(upright(5.0, 1.0)), VIEW, NOTHING_BEHIND) is None, "out of sight"
    assert seen(drawn(upright(0.0, -1.0)), VIEW, NOTHING_BEHIND) is None, "behind the camera"


def test_many_strands_grow_near_those_that_were_combed_and_fewer_where_pixels_are_large():
    lines = tuft()
    lights = (np.array([0.0, 3.0, 1.0], np.float32), np.array([-3.0, 1.5, 1.0], np.float32))
    hair = Strands("hair", lines, 9, 0.0015, seed=2)
    out = grown(hair, Thicket(lines), lights)
    assert len(out.lines) == 9 * len(lines) and out.values.shape[2] == 3 + len(NAMES)
    assert np.abs(np.linalg.norm(out.values[..., :3], axis=2) - 1.0).max() < 1e-3
    middle = np.abs(out.lines.reshape(-1, 3).mean(axis=0) - lines.reshape(-1, 3).mean(axis=0))
    assert middle.max() < 0.001
    spread = np.linalg.norm(out.lines[:, 0] - np.repeat(lines[:, 0], 9, axis=0), axis=1)
    assert 0.0005 < np.median(spread) < 0.004
    assert out.values[..., 4].min() == 0.0 and out.values[..., 4].max() == 1.0
    few = grown(hair, Thicket(lines), lights, pixel_m=0.001)
    assert len(few.lines) == -(-9 * len(lines) // 3) and few.every == 3
    again = grown(hair, Thicket(lines), lights)
    assert (again.lines == out.lines).all(), "the same hair each time"


def test_long_hair_waves_and_short_hair_is_too_stiff_to():
    def bends(lines):
        """The median angle by which strands turn from one point to the next, for their lengths, rad per m."""
        out = grown(Strands("hair", lines, 6, 0.001, seed=3), Thicket(lines), (np.ones(3, np.float32),) * 2).lines
        ways = np.diff(out, axis=1)
        steps = np.linalg.norm(ways, axis=2)
        turns = np.arccos(np.clip((ways[:, 1:] * ways[:, :-1]).sum(axis=2) / (steps[:, 1:] * steps[:, :-1]), -1.0, 1.0))
        return float(np.median(turns))

    long = tuft(120)
    short = long.copy()
    short[..., 1] = 1.54 + 0.09 * (long[..., 1] - 1.54)
    # a wave of the same size would turn what is a tenth as long ten times as far
    assert bends(short) < 2.0 * bends(long)


def test_no_strands_grow_between_the_two_sides_of_a_parting():
    left, right = tuft(60), tuft(60)
    run = np.linspace(0.0, 0.08, 8, dtype=np.float32)
    for side, lines in ((-1.0, left), (1.0, right)):
        lines[..., 0] = side * (0.001 + run)
    lines = np.concatenate([left, right])
    out = grown(Strands("hair", lines, 5, 1e-5, seed=1), Thicket(lines), (np.zeros(3, np.float32),) * 2)
    assert np.abs(out.lines[:, -1, 0]).min() > 0.07, "tips lie on one side or the other"


def test_light_gets_past_hair_the_less_the_more_of_it_there_is():
    lines = tuft(2000)
    thicket = Thicket(lines)
    above = np.array([0.0, 4.0, 1.0], np.float32)
    outside, under, aside = np.array([[[0.0, 1.60, 1.0], [0.0, 1.46, 1.0], [0.3, 1.46, 1.0]]], np.float32)[0]
    shares = thicket.past(np.stack([outside, under, aside]), above)
    assert shares[0] == pytest.approx(1.0) and shares[2] == pytest.approx(1.0)
    assert shares[1] < 0.08
    # and less for those inside than for those at the side of the light
    from_left = thicket.past(lines, np.array([-4.0, 1.5, 1.0], np.float32))
    left, right = lines[:, 0, 0] < -0.012, lines[:, 0, 0] > 0.012
    assert from_left[left].mean() > 2.0 * from_left[right].mean()
    thin = Thicket(lines[::20]).past(under[None], above)
    assert thin[0] > shares[1]
