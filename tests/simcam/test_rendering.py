"""Bodies, planes, grounds, light and blur of the simulated scenes: each against geometry worked out by hand."""

import numpy as np
import pytest

from matiz_simcam.bokeh import circle_px, defocused, shaken
from matiz_simcam.camera import Settings, circles_of, expose, light_spectrum
from matiz_simcam.ground import GroundPlane, Relief
from matiz_simcam.kernels.layers import cut_layer, fill_behind
from matiz_simcam.kernels.lighting import (
    bumped,
    gleam_of_lamps,
    ground_shadow,
    lamp_shadow,
    lit_by_lamps,
    sky_shadow,
)
from matiz_simcam.kernels.noise import fractal_noise_in_space
from matiz_simcam.planes import beam_surfaces, facet
from matiz_simcam.scene import Scene
from matiz_simcam.shading import fbm3, from_sky, from_sun, lay, shine, sun_shadow
from matiz_simcam.shoot import DEMO_SHOTS, scene_of
from matiz_simcam.solids import Solid, trace
from matiz_simcam.truth import truth_of
from matiz_simcam.view import SceneView

SIZE = (300, 200)
CAMERA = SceneView(SIZE, 1.0, (0.0, 0.0, 0.0))


def ball(radius=0.2, at=(0.0, 0.0, 2.0), **more) -> Solid:
    solid = Solid()
    solid.add(at, radius, **more)
    return solid


def flat_points(height=40, width=50, z=0.0):
    """A level square metre seen from above, and its normals."""
    y, x = np.mgrid[0 : 1 : height * 1j, 0 : 1 : width * 1j].astype(np.float32)
    points = np.dstack([x, np.full_like(x, z), y])
    normals = np.zeros_like(points)
    normals[..., 1] = 1.0
    return points, normals


# ---- where things are seen


def test_a_view_places_points_where_its_rays_go():
    view = SceneView(SIZE, 0.8, (0.3, 1.5, -0.2), pitch_degrees=9.0, yaw_degrees=-14.0)
    rays, table = view.rays(view.whole)
    points = np.array(view.position) + rays[::40, ::40] * 3.7
    placed = view.place(points)
    np.testing.assert_allclose(placed[..., 2], 3.7, rtol=1e-4)
    np.testing.assert_allclose(placed[0, 2, 0] * SIZE[0], 80.5, atol=0.01)
    np.testing.assert_allclose(placed[2, 0, 1] * SIZE[0], 80.5, atol=0.01)
    assert table.shape == (4, 3)


def test_a_ball_has_its_place_size_depth_and_normals():
    s = trace(CAMERA, ball())
    covered = s.cover.sum() * CAMERA.pixel**2 * 4.0
    seen_radius = 2.0 * np.tan(np.arcsin(0.1))
    assert covered == pytest.approx(np.pi * seen_radius**2, rel=0.012)
    inside = s.cover == 1.0
    # a pixel is 1/300 of the distance here; the surface lies half of one within
    off = np.linalg.norm(s.points - (0, 0, 2), axis=2)[inside] - 0.2
    assert np.quantile(np.abs(off), 0.99) < 2.0 * CAMERA.pixel
    truth = s.points - np.array((0, 0, 2.0))
    truth /= np.linalg.norm(truth, axis=2, keepdims=True)
    assert np.quantile((truth * s.normals).sum(axis=2)[inside], 0.01) > 0.99
    assert s.depth[inside].min() == pytest.approx(1.8, abs=0.005)


def test_edges_are_covered_in_part_and_bodies_flow_together():
    s = trace(CAMERA, ball())
    edge = (s.cover > 0) & (s.cover < 1)
    assert 60 < edge.sum() < 250
    pair = ball()
    pair.add((0.34, 0.0, 2.0), 0.2, blend=0.3)
    apart = ball()
    apart.add((0.34, 0.0, 2.0), 0.2)
    assert trace(CAMERA, pair).cover.sum() > 1.02 * trace(CAMERA, apart).cover.sum()
    thin = trace(CAMERA, ball(flat=((0.0, 1.0, 0.0), 4.0)))
    rows = np.flatnonzero((thin.cover > 0.5).any(axis=1))
    assert np.ptp(rows) + 1 == pytest.approx(2 * 0.2 / 4 / 2.0 * SIZE[0], abs=3.0)


def test_what_is_out_of_sight_is_none():
    assert trace(CAMERA, ball(at=(9.0, 0.0, 2.0))) is None
    assert facet(CAMERA, [(-1, 0, -3), (1, 0, -3), (1, 1, -3), (-1, 1, -3)]) is None


def test_balls_that_stand_for_bodies_lie_within_them():
    solid = ball()
    solid.add((0, 0, 2), 0.05, (0.5, 0, 2), 0.02)
    balls = solid.spheres()
    assert balls[0, 3] == pytest.approx(0.188) and (np.diff(balls[:, 3]) <= 0).all()
    assert len(solid.spheres(least_m=0.1)) == 2, "one, given twice"


def test_a_facet_has_its_outline_depth_and_normal():
    s = facet(CAMERA, [(-0.5, -0.3, 2.0), (0.5, -0.3, 2.0), (0.5, 0.3, 2.0), (-0.5, 0.3, 2.0)])
    # up to a pixel wider all round, so that faces that meet leave no gap
    assert 150 * 90 < s.cover.sum() < 152 * 92 + 100
    np.testing.assert_allclose(s.depth[s.cover > 0], 2.0, rtol=1e-4)
    np.testing.assert_allclose(s.normals[0, 0], (0, 0, -1))
    sides = beam_surfaces(CAMERA, (0.2, -0.1, 2.0), (0.4, 0.1, 2.5))
    assert len(sides) == 2, "the front and the side turned to the camera"


# ---- the ground


def test_a_hill_hides_what_lies_behind_it():
    view = SceneView(SIZE, 1.0, (0.0, 1.0, 0.0), horizon=0.1)
    plane = GroundPlane(view, 0.01, 0.75)
    height = np.where(np.abs(plane.Z - 4.0) < 0.1, 0.6, 0.0).astype(np.float32)
    relief = Relief(plane, height)
    seen = relief.seen(plane.Z)
    # the crest at 4 m and 0.6 m looks like the flat ground at 10 m
    between = (seen > 4.2) & (seen < 9.5)
    assert between[:, 150].sum() <= 2, "only the crest itself, where both are seen in one pixel"
    row = round((0.1 + 1.0 * 0.4 / 4.0) * SIZE[0])
    assert seen[row + 2, 150] == pytest.approx(4.0, abs=0.15)
    assert relief.cover[5].max() == 0.0 and relief.cover[-1].min() == 1.0
    assert relief.height_at(0.0, 4.0) == pytest.approx(0.6)


def test_slopes_and_shadows_of_a_ridge():
    view = SceneView(SIZE, 1.0, (0.0, 1.0, 0.0), horizon=0.1)
    plane = GroundPlane(view, 0.02, 0.6)
    sloped = Relief(plane, (0.1 * plane.X + 0.05 * plane.Z).astype(np.float32))
    expected = np.array([-0.1, 1.0, -0.05]) / np.linalg.norm([0.1, 1.0, 0.05])
    np.testing.assert_allclose(sloped.normals[5:-5, 5:-5].reshape(-1, 3).mean(axis=0), expected, atol=2e-3)
    ridge = Relief(plane, np.where(np.abs(plane.X) < 0.1, 0.2, 0.0).astype(np.float32))
    lit = ridge.sun((1.0, 0.5, 0.0), width=0.01, first_step=0.01)
    near = np.abs(plane.Z - 3.0) < 0.1
    # the sun is at the right: the shadow reaches 0.4 m to the left of the ridge
    assert lit[near & (plane.X < -0.15) & (plane.X > -0.35)].max() < 0.1
    assert lit[near & (plane.X < -0.6)].min() > 0.4 and lit[near & (plane.X > 0.2)].min() > 0.4
    assert 0.15 <= ridge.hollows(9, 0.1).min() <= 1.0


# ---- light


def test_light_falls_by_cosine_and_by_the_square_of_distance():
    points, normals = flat_points()
    lamps = np.array([[0.5, 2.0, 0.5, 0.01, 3.0, 0.0, 0.0], [0.5, 1.0, 0.5, 0.01, 1.0, 0.0, 1.0]], np.float32)
    light = lit_by_lamps(points, normals, lamps, np.ones((2, 2, 2), np.float32), 6)
    ray = np.array([0.5, 2.0, 0.5]) - points
    distance = np.linalg.norm(ray, axis=2)
    np.testing.assert_allclose(light[..., 0], 3.0 * 2.0 / distance**3, rtol=1e-4)
    assert light[20, 25, 1] == pytest.approx(1.0, rel=0.01)
    np.testing.assert_allclose(from_sun(points, normals, (0.0, 1.0, 1.0), None), np.sqrt(0.5), rtol=1e-5)


@pytest.mark.parametrize("strands", [False, True])
def test_highlights_of_lamps_follow_their_formulas(strands):
    points, normals = flat_points()
    if strands:
        normals = np.broadcast_to(np.array([0.6, 0.0, 0.8], np.float32), normals.shape).copy()
    lamps = np.array([[0.5, 2.0, 0.5, 0.01, 3.0, 0.0, 0.0], [1.5, 1.0, 0.5, 0.01, 1.0, 0.0, 1.0]], np.float32)
    shares = np.stack([np.full((2, 2), 1.0), np.full((2, 2), 0.25)]).astype(np.float32)
    eye, hardness = (0.2, 1.1, -0.7), 20.0
    got = gleam_of_lamps(points, normals, lamps, shares, 64, eye=eye, hardness=hardness, strands=strands)
    back = np.array(eye) - points
    back = back / np.linalg.norm(back, axis=2, keepdims=True)
    for group, share in ((0, 1.0), (1, 0.25)):
        ray = lamps[group, :3] - points
        distance2 = (ray**2).sum(axis=2)
        half = ray / np.sqrt(distance2)[..., None] + back
        cosine = (half * normals).sum(axis=2) / np.linalg.norm(half, axis=2)
        facing = np.sqrt(1.0 - cosine**2) if strands else np.maximum(cosine, 0.0)
        expected = share * lamps[group, 4] / distance2 * facing**hardness
        np.testing.assert_allclose(got[..., group], expected, rtol=2e-3, atol=1e-6)


def test_a_ball_casts_a_round_shadow_where_geometry_says():
    points, normals = flat_points(400, 400)
    balls = np.array([[0.5, 0.3, 0.5, 0.1]] * 2, np.float32)
    shadow = sun_shadow(points, (0.0, 1.0, 0.0), balls, width=0.02)
    distance = np.hypot(points[..., 0] - 0.5, points[..., 2] - 0.5)
    assert shadow[distance < 0.09].max() < 0.05 and shadow[distance > 0.115].min() > 0.95
    sky = from_sky(points, normals, balls)
    assert sky[200, 200] < 0.95 * sky[0, 0] <= 1.0
    openness = sky_shadow(points, normals, balls)
    assert openness.min() >= 0 and openness.max() <= 1


def test_bumps_turn_normals_by_their_slope():
    points, normals = flat_points(60, 60)
    turned = bumped(points, normals, (0.1 * points[..., 0]).astype(np.float32))
    expected = np.array([-0.1, 1.0, 0.0]) / np.hypot(0.1, 1.0)
    np.testing.assert_allclose(turned[10:-10, 10:-10].reshape(-1, 3), np.broadcast_to(expected, (1600, 3)), atol=1e-4)


def test_a_highlight_is_brightest_in_the_mirror_direction():
    points, normals = flat_points()
    gloss = shine(points, normals, (0.5, 1.0, -0.5), (0.0, 1.0, 1.0), 60.0)
    row, column = np.unravel_index(np.argmax(gloss), gloss.shape)
    assert abs(points[row, column, 0] - 0.5) < 0.03 and abs(points[row, column, 2] - 0.5) < 0.05


def test_surfaces_laid_in_strips_meet_without_a_seam():
    ones = np.ones((SIZE[1], SIZE[0]), np.float32)
    view = SceneView(SIZE, 1.0, (0.0, 1.0, 0.0))
    floor = facet(view, [(-3, 0, 0.5), (3, 0, 0.5), (3, 0, 9), (-3, 0, 9)])
    balls = np.array([[0.0, 0.5, 3.0, 0.3]] * 2, np.float32)
    scene = Scene(SIZE, {"d": light_spectrum("daylight:5000")}, {"d": 0 * ones})

    def shade(s):
        return {"white": np.float32(1.0)}, {"d": from_sun(s.points, s.normals, (0.2, 1.0, -0.1), balls, width=0.1)}

    lay(scene, floor, shade, mask="floor")
    whole = from_sun(floor.points, floor.normals, (0.2, 1.0, -0.1), balls, width=0.1)
    inside = floor.cover == 1.0
    laid = scene.irradiance["d"][floor.box]
    np.testing.assert_allclose(laid[inside], whole[inside], atol=0.02)
    assert scene.masks["floor"].max() == 1.0 and scene.depth_m[-1].max() < 3.1


# ---- blur


def test_the_circle_of_confusion_is_that_of_a_thin_lens():
    depth = np.array([[1.0, 2.0, 4.0, 1e5]], np.float32)
    radius = circle_px(depth, focal_mm=50.0, f_number=2.0, focus_m=2.0, width_px=3600)
    # diameter on the sensor f^2 (z - s) / (N z (s - f)); 3600 px are 36 mm
    truth = 0.05**2 * (depth - 2.0) / (2.0 * depth * (2.0 - 0.05)) / 2 * 1e5
    np.testing.assert_allclose(radius, truth, rtol=1e-5)
    assert radius[0, 0] < 0 == radius[0, 1]
    assert circles_of(depth, Settings()).max() == 0.0


@pytest.mark.parametrize("radius", [2.0, 6.0, 15.0])
def test_a_point_becomes_a_disc_and_no_light_is_lost(radius):
    light = np.zeros((120, 120, 3), np.float32)
    light[60, 60] = 100.0
    spread = defocused(light, np.full((120, 120), radius, np.float32))
    assert spread.sum() == pytest.approx(light.sum(), rel=0.02)
    y, x = np.mgrid[0:120, 0:120]
    moment = (spread[..., 0] * ((x - 60) ** 2 + (y - 60) ** 2)).sum() / spread[..., 0].sum()
    # a disc has a mean squared distance of half its radius squared
    assert np.sqrt(2 * moment) == pytest.approx(radius, rel=0.15)


def test_a_sharp_thing_stays_sharp_before_a_blurred_distance():
    light = np.zeros((80, 80, 3), np.float32)
    light[:, :40] = 1.0
    radius = np.where(np.arange(80) < 40, 0.0, 8.0).astype(np.float32)[None].repeat(80, axis=0)
    out = defocused(light, radius)
    assert out[40, 38, 0] > 0.95 and out[40, 41, 0] < 0.25
    assert (defocused(light, np.zeros((80, 80), np.float32)) == light).all()


def test_a_shaken_point_is_a_line_of_that_length():
    light = np.zeros((60, 60, 3), np.float32)
    light[30, 30] = 1.0
    line = shaken(light, 12.0)[..., 0]
    y, x = np.mgrid[0:60, 0:60]
    spread = np.array([(line * (x - 30) ** 2).sum(), (line * (y - 30) ** 2).sum()]) / line.sum()
    assert line.sum() == pytest.approx(1.0, rel=1e-4)
    assert np.sqrt(spread.sum() * 12) == pytest.approx(12.0, rel=0.1) and spread[0] > 3 * spread[1]


def test_layers_are_cut_and_filled():
    random = np.random.default_rng(2)
    light, place = random.random((9, 11, 3), np.float32), np.full((9, 11), 1.25, np.float32)
    parts = [cut_layer(light, place, n) for n in (1, 2)]
    np.testing.assert_allclose(sum(parts)[..., :3], light, rtol=1e-5)
    np.testing.assert_allclose(parts[0][..., 3], 0.75, rtol=1e-6)
    whole = fill_behind(fill_behind(np.zeros((9, 11, 4), np.float32), parts[0]), parts[1] * 4)
    np.testing.assert_allclose(whole[..., 3], 1.0, rtol=1e-5)
    np.testing.assert_allclose(whole[..., :3], light, rtol=1e-5)


# ---- scenes


def test_noise_in_space_is_the_same_every_time_and_has_no_bias():
    points = np.random.default_rng(3).random((60, 70, 3)).astype(np.float32) * 40
    first, again = (fbm3(points, 1.0, seed=4, octaves=3) for _ in range(2))
    assert (first == again).all() and abs(first.mean()) < 0.05 and 0.1 < first.std() < 0.5
    fine = fractal_noise_in_space(points, np.full((60, 70), 9.0, np.float32), seed=4, octaves=3, roughness=0.5)
    assert not fine.any(), "finer than the pixels: nothing is left"


def test_the_sets_of_the_demo_are_as_planned():
    names = {scene: [s for s in DEMO_SHOTS if s.scene == scene] for scene in ("salt-pans", "lava-lizard", "grain-hall")}
    assert [len(v) for v in names.values()] == [10, 6, 7]
    pair = [s.settings.focus_m for s in names["salt-pans"] if s.view == 6]
    assert len(pair) == 2 and pair[0] < 1.5 < pair[1]
    assert {s.settings.iso for s in names["lava-lizard"]} == {1600.0, 3200.0, 6400.0}
    assert [s.settings.shake > 0 for s in names["lava-lizard"]].count(True) == 1
    assert names["grain-hall"][0].view == 0


def test_truth_has_depth_and_blur_and_parts_by_name():
    shot = next(s for s in DEMO_SHOTS if s.scene == "lava-lizard" and s.settings.focus_m > 1.22)
    scene = scene_of(shot.scene, SIZE, view=shot.view)
    truth = truth_of(scene, shot.settings)
    subject = truth.masks["subject"] > 0.9
    assert 1.1 < truth.depth_m[subject].min() < truth.depth_m[subject].max() < 1.3
    assert np.median(truth.blur_px[subject]) < 0 < np.median(truth.blur_px[truth.depth_m > 5])
    whole = truth.masks["subject"] + truth.masks["rock"] + truth.masks["eye"]
    assert whole.max() < 1.06
    assert expose(scene, shot.settings).exposure.focus_m == shot.settings.focus_m


def test_ground_shadows_are_shares():
    ground = np.zeros((40, 60), np.float32)
    ground[10] = 0.3
    share = ground_shadow(ground, (29.5, 60.0, 60.0, 5.5), (0.3, 0.4, 0.8), width=0.05, first_step=0.01)
    assert share.min() >= 0 and share.max() == 1.0
    points, normals = flat_points(8, 8)
    spheres = np.array([[9, 9, 9, 0.1]] * 2, np.float32)
    lamp = np.array([0, 5, 0, 0.1], np.float32)
    assert lamp_shadow(points, spheres, lamp).min() == 1.0
    lamps = np.array([[*lamp, 1.0, 0.0, 0.0]] * 2, np.float32)
    assert lit_by_lamps(points, normals, lamps, np.ones((2, 2, 2), np.float32), 6).shape == (8, 8, 2)
