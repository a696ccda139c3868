"""Rays among meshes, against what geometry says."""

import numpy as np
import pytest

from matiz_simcam import seen
from matiz_simcam.meshes import ball, box, moved, turned
from matiz_simcam.quads import border, edges_of, normals_of, part, smoother, triangles
from matiz_simcam.rays import NONE, World, lamp_shares
from matiz_simcam.view import SceneView

VIEW = SceneView((300, 200), 1.0, (0.0, 0.0, 0.0))


def grid(n: int = 160, height: float = 0.0, half: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    z, x = np.mgrid[-half : half : n * 1j, -half : half : n * 1j].astype(np.float32)
    points = np.ascontiguousarray(np.stack([x, np.full_like(x, height), z], axis=2))
    normals = np.zeros_like(points)
    normals[..., 1] = 1.0
    return points, normals


def test_a_ball_is_seen_as_large_and_as_far_as_it_is():
    world = World([moved(ball("clay", 0.5, steps=64, owner="a"), (0.2, 0.1, 4.0))])
    hits = world.hits(VIEW, VIEW.whole)
    there = hits.mesh != NONE
    # the outline of a ball of radius r at distance d is a cone of sine r / d
    assert np.sqrt(there.sum() / np.pi) == pytest.approx(300 * 0.5 / np.sqrt(4.0**2 - 0.5**2), rel=0.02)
    assert hits.depth[there].min() == pytest.approx(3.5, abs=0.01)
    y, x = np.nonzero(there)
    assert (x.mean(), y.mean()) == pytest.approx((150 + 300 * 0.2 / 4.0, 100 - 300 * 0.1 / 4.0), abs=1.5)


def test_a_surface_has_the_normals_and_places_of_its_thing():
    world = World([moved(ball("clay", 0.5, steps=64, owner="a"), (0.0, 0.0, 3.0))])
    [(name, s)] = seen.surfaces(world, VIEW)
    inside = s.cover == 1.0
    expected = (s.points - (0.0, 0.0, 3.0)) / 0.5
    assert name == "a" and np.abs(s.normals - expected)[inside].max() < 0.05
    own = np.stack([s.more[f"own {a}"] for a in "xyz"], axis=2)
    assert np.abs(own - (s.points - (0.0, 0.0, 3.0)))[inside].max() < 1e-3
    soft = (s.cover > 0.0) & (s.cover < 1.0)
    assert 0.3 < s.cover[soft].mean() < 0.7, "the outline is covered in part"
    assert s.cover.sum() == pytest.approx(np.pi * (300 * 0.5 / np.sqrt(9 - 0.25)) ** 2, rel=0.01)


def test_what_is_nearer_covers_what_is_behind_without_a_gap():
    far, near = (moved(box(s, (-0.5, -0.5, 0), (0.5, 0.5, 0.1), owner=s), (x, 0.0, z))
                 for s, x, z in (("far", 0.0, 4.0), ("near", 0.35, 3.0)))  # fmt: skip
    found = seen.surfaces(World([near, far]), VIEW)
    assert [name for name, _ in found] == ["far", "near"]
    total = np.zeros((200, 300))
    for _, s in found:
        total[s.box] = total[s.box] * (1.0 - s.cover) + s.cover
    meeting = total[90:110, 120:200]
    assert meeting.min() > 0.999, "no background shows through where they meet"


def test_two_stuffs_of_one_owner_share_the_pixels_between_them():
    left, right = (
        box(s, (a, -0.5, 3.0), (b, 0.5, 3.1), owner="o") for s, a, b in (("l", -0.6, 0.004), ("r", 0.004, 0.6))
    )
    [(_, s)] = seen.surfaces(World([left, right]), VIEW)
    both = s.more["share l"] + s.more["share r"]
    assert np.abs(both[s.cover > 0] - 1.0).max() < 1e-6
    middle = s.more["share l"][s.cover.shape[0] // 2]
    assert ((middle > 0.1) & (middle < 0.9)).sum() >= 1


def test_a_ball_before_a_lamp_shades_what_lies_in_its_cone():
    points, normals = grid()
    world = World([moved(ball("x", 0.2, steps=48), (0.0, 1.0, 0.0))])
    lamp = np.array([0.0, 2.0, 0.0, 0.05, 1.0, 0.0, 0.0], np.float32)
    share = lamp_shares(world, points, normals, lamp[None], step=1)[0]
    r = np.hypot(points[..., 0], points[..., 2])
    # the shadow of a ball at half the height is about twice as wide; the lamp's edge softens it
    assert share[r < 0.30].max() < 0.02 and share[r > 0.55].min() > 0.98
    assert 0.2 < share[(r > 0.38) & (r < 0.44)].mean() < 0.8
    assert lamp_shares(World([]), points, normals, lamp[None], step=2).min() == 1.0
    below = lamp_shares(world, points, -normals, lamp[None], step=1)[0]
    assert below.max() == 0.0, "a lamp behind the surface"
    assert lamp_shares(world, points, -normals, lamp[None], step=1, every_side=True)[0].max() > 0.9


def test_half_the_room_is_open_beside_a_wall():
    points, normals = grid(n=21, half=0.05)
    wall = box("w", (0.06, -1.0, -5.0), (0.08, 4.0, 5.0))
    open_ = World([wall]).openness(points, normals, samples=64)
    assert open_.mean() == pytest.approx(0.5, abs=0.06)
    assert World([moved(wall, (3.0, 0.0, 0.0))]).openness(points, normals).min() > 0.95, "out of reach"


def test_a_smoother_cube_is_rounder_and_closed():
    cube = box("c", (-1, -1, -1), (1, 1, 1))
    corners, index = np.unique(cube.vertices.round(6), axis=0, return_inverse=True)
    quads = index.reshape(6, 4)
    more, finer = smoother(quads, 8)
    out = more @ corners
    # Catmull and Clark: face points stay, edge points at 3/4, corners at 5/9 of a cube
    assert len(out) == 26 and len(finer) == 24
    assert np.unique(np.linalg.norm(out, axis=1).round(4)).tolist() == pytest.approx(
        sorted({1.0, round(0.75 * 2**0.5, 4), round(5 / 9 * 3**0.5, 4)}), abs=2e-4)  # fmt: skip
    assert (edges_of(finer)[1] == 2).all() and len(border(finer)) == 0
    assert ((normals_of(out, finer) * out).sum(axis=1) > 0).all() or (
        (normals_of(out, finer) * out).sum(axis=1) < 0
    ).all()
    flat = np.array([[0, 1, 4, 3], [1, 2, 5, 4]])
    assert len(border(flat)) == 6 and triangles(flat).shape == (4, 3)
    used, renumbered = part(flat + 7)
    assert used.min() == 7 and renumbered.max() == 5


def test_turned_things_have_the_size_they_should():
    cup = turned("clay", [(0.0, 0.0), (0.04, 0.0), (0.04, 0.1)], steps=32)
    assert np.ptp(cup.vertices, axis=0) == pytest.approx((0.08, 0.1, 0.08), abs=1e-3)
    outward = cup.vertices[-32:] * (1, 0, 1)
    assert ((outward / 0.04 * cup.normals[-32:]).sum(axis=1) > 0.5).all()
