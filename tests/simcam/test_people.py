"""Guests of the supper: bodies with faces, hands and clothes, in place and in the colours of skin."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.colour.illuminants import daylight
from matiz.colour.spaces import XYZ_TO_SRGB, encode_sRGB
from matiz.colour.tables import observer_bands
from matiz.masks.faces import faces
from matiz_simcam.meshes import ball, moved
from matiz_simcam.people import COUNT, SKIN, Seat, guest, sittings
from matiz_simcam.rays import World
from matiz_simcam.scenes.grain_hall import SEATS, STANDPOINTS, grain_hall
from matiz_simcam.scenes.hall_guests import PERSONS
from matiz_simcam.scenes.hall_light import HALL, LAMPS_AT, LANTERNS, HallLight
from matiz_simcam.scenes.hall_table import TABLE
from matiz_simcam.spectra import reflectance, skin_spectrum
from matiz_simcam.strands import Thicket, grown
from matiz_simcam.ware import napkin

SIZE = (360, 240)


@pytest.fixture(scope="module")
def supper():
    return grain_hall(SIZE, 1)


def mesh_of(person, stuff):
    return next(m for m in person.meshes if m.stuff == stuff)


@pytest.mark.parametrize("number", range(1, COUNT + 1))
def test_a_guest_sits_with_a_head_over_the_shoulders_and_hands_at_the_table(number):
    person = guest(number, Seat(0.0, 3.0, 0.0), fine=False)
    skin, shirt = (mesh_of(person, s) for s in ("skin", "shirt"))
    hair = person.strands[0]
    assert set(skin.values) == set(SKIN)
    assert hair.stuff == "hair" and [s.stuff for s in person.strands][1] == "brow"
    assert hair.lines[..., 1].max() > shirt.vertices[:, 1].max() + 0.12
    assert 1.05 < person.face[1] < 1.45, "the height of a seated person's eyes"
    nails = skin.vertices[skin.values["fingernails"] > 0.5]
    assert nails[:, 1].max() > 0.70 and nails[:, 2].max() < 3.0, "hands before the body"
    assert 0.055 < np.linalg.norm(person.eyes[0] - person.eyes[1]) < 0.075, "distance of the eyes"
    for mesh in person.meshes:
        assert mesh.faces.max() < len(mesh.vertices) and np.isfinite(mesh.vertices).all()
        assert np.abs(np.linalg.norm(mesh.normals, axis=1) - 1.0).max() < 1e-3


@pytest.mark.parametrize("number", range(1, COUNT + 1))
def test_lashes_stand_on_both_lids_of_each_eye_and_reach_outward(number):
    person = guest(number, Seat(0.0, 3.0, 0.0), fine=False)
    lashes = next(s for s in person.strands if s.stuff == "lash")
    drawn = grown(lashes, person.thicket, LAMPS_AT)
    assert len(drawn.lines) == len(lashes.lines) and np.abs(drawn.lines[:, ::2] - lashes.lines).max() < 1e-6, (
        "each is drawn where it stands"
    )
    for eye in person.eyes:
        away = np.linalg.norm(lashes.lines - eye, axis=2)
        own = away[:, 0] < 0.022
        upper = np.flatnonzero(own) < 68
        assert upper.sum() == 34 and (~upper).sum() == 16
        assert (away[own, -1] > away[own, 0] - 0.001).all(), "away from the ball of the eye"
        length = np.linalg.norm(lashes.lines[own, -1] - lashes.lines[own, 0], axis=1)
        assert length.min() > 0.002 and length.max() < 0.013
        tips = lashes.lines[own, -1]
        assert tips[upper][:, 1].mean() > tips[~upper][:, 1].mean() + 0.004


def test_lamps_over_the_lids_are_mirrored_in_both_eyes():
    """The lids stand before the balls of the eyes; what the eyes mirror is looked for before the lids."""
    size = (1500, 1000)
    stand = STANDPOINTS[3]
    scene = grain_hall(size, 3)
    camera = stand.camera(size)
    seat = replace(SEATS[5], head_turn=34.0, head_nod=-2.0)
    glow = scene.emission["outside"]
    for eye in guest(5, seat).eyes:
        x, y = (int(v * size[0]) for v in camera.place(eye)[:2])
        near = glow[y - 8 : y + 9, x - 11 : x + 12]
        assert near.max() > 0.05 and np.median(near) < 0.001


def test_faces_look_where_the_seat_says_and_heads_turn():
    for facing, ahead in ((0.0, (0, 0, -1)), (90.0, (1, 0, 0)), (-90.0, (-1, 0, 0))):
        person = guest(8, Seat(0.0, 3.0, facing, head_turn=-24.0), fine=False)
        assert person.ahead @ np.array(ahead) > 0.9
        lips = mesh_of(person, "skin").vertices[mesh_of(person, "skin").values["lips"] > 0.5].mean(axis=0)
        middle = person.strands[0].lines.reshape(-1, 3).mean(axis=0)
        assert (lips - middle) @ np.array(ahead) > 0.04, "the mouth is on the side that is looked to"
    straight, turned = (guest(1, Seat(0.0, 3.0, 0.0, head_turn=t), fine=False) for t in (0.0, 30.0))
    # the guest's left is the camera's right
    assert turned.ahead[0] > straight.ahead[0] + 0.3
    shirts = [mesh_of(p, "shirt").vertices for p in (straight, turned)]
    assert (shirts[0] == shirts[1]).all(), "the shoulders stay"
    down = guest(1, Seat(0.0, 3.0, 0.0, head_nod=20.0), fine=False)
    assert down.ahead[1] < straight.ahead[1] - 0.2


def test_a_raised_glass_is_a_sitting_of_its_own():
    assert 4 <= sum(sittings(n) > 1 for n in range(1, COUNT + 1)) < COUNT + 1
    rest, toast = (guest(2, Seat(0.0, 3.0, 0.0, sitting=n), fine=False) for n in (0, 1))
    assert toast.hand[1] > rest.hand[1] + 0.2


def test_fine_guests_have_the_same_form_with_more_faces():
    coarse, fine = (guest(3, Seat(0.0, 3.0, 0.0), fine=f) for f in (False, True))
    a, b = (mesh_of(p, "skin") for p in (coarse, fine))
    assert len(b.faces) == 4 * len(a.faces)
    assert np.abs(a.vertices.min(axis=0) - b.vertices.min(axis=0)).max() < 0.006


def lab_of(spectrum: np.ndarray) -> np.ndarray:
    """CIELAB under D65, CIE 15:2018."""
    light = daylight(6504.0)
    ratio = (spectrum * light) @ observer_bands() / (light @ observer_bands())
    f = np.where(ratio > 216 / 24389, np.cbrt(ratio), (24389 / 27 * ratio + 16) / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


@pytest.mark.parametrize("person", PERSONS)
def test_skin_of_each_guest_lies_among_measured_skins(person):
    """Ranges of 960 people of four origins, face and arm: Xiao and others 2017, "Characterising the variations
    in ethnic skin colours", Skin Research and Technology 23; L* 30..75, a* 4..18, b* 8..28, from memory."""
    red = 0.10
    mixed = sum(
        share * reflectance(name)
        for name, share in (
            ("skin_fair", (1 - person.melanin) * (1 - red)), ("skin_fair_red", (1 - person.melanin) * red),
            ("skin_dark", person.melanin * (1 - red)), ("skin_dark_red", person.melanin * red),
        )
    )  # fmt: skip
    L, a, b = lab_of(0.93 * mixed)
    assert 30 < L < 75 and 4 < a < 18 and 8 < b < 28
    assert 40 < np.degrees(np.arctan2(b, a)) < 75


def test_melanin_darkens_and_blood_reddens():
    bare, tanned, flushed = skin_spectrum(0.03, 0.014), skin_spectrum(0.2, 0.014), skin_spectrum(0.03, 0.06)
    assert (tanned <= bare).all() and lab_of(tanned)[0] < lab_of(bare)[0] - 15
    assert lab_of(flushed)[1] > lab_of(bare)[1] + 6
    # the dips of oxyhaemoglobin at 542 and 577 nm, and none in the red
    nm = np.arange(380, 731, 10)
    loss = flushed / bare
    assert loss[nm == 540] < loss[nm == 560] > loss[nm == 580] and loss[nm == 650] > 0.95


def test_guests_sit_in_the_hall_and_before_the_table():
    for seat in SEATS.values():
        assert HALL["left"] < seat.x < HALL["right"] and 0 < seat.z < HALL["back"]
        beside = abs(seat.x) > TABLE["right"]
        assert beside == (seat.facing != 0.0) and (not beside or np.sign(seat.facing) == -np.sign(seat.x))
    empty = grain_hall(SIZE, 0)
    assert not [name for name in empty.masks if name.startswith("guest")]
    assert "grey card" in empty.masks


def test_the_truth_knows_each_guest_and_what_of_them_is_skin_hair_and_cloth(supper):
    named = [name for name in supper.masks if name.startswith("guest")]
    assert len(named) == len(STANDPOINTS[1].guests) and "grey card" not in supper.masks
    everyone = sum(supper.masks[name] for name in named)
    parts = sum(supper.masks[name] for name in ("skin", "hair", "clothes"))
    assert everyone.max() < 1.01 and parts.max() < 1.01
    assert np.abs(parts - everyone).mean() < 0.05 * everyone.mean(), "eyes and teeth are the rest"
    face = supper.masks["face"]
    assert 0 < face.sum() < supper.masks["skin"].sum() and (face <= supper.masks["skin"] + 1e-5).all()
    rows = [np.flatnonzero((supper.masks[p] > 0.5).any(axis=1))[0] for p in ("hair", "face", "clothes")]
    assert rows[0] < rows[1] < rows[2]
    near = supper.depth_m[supper.masks["guest 1"] > 0.9].mean()
    assert near < supper.depth_m[supper.masks["guest 8"] > 0.9].mean()


def test_hair_takes_light_from_the_face_that_it_hangs_before(supper, monkeypatch):
    monkeypatch.setattr(Thicket, "past", lambda _, points, toward: np.ones(points.shape[:-1], np.float32))
    bare = grain_hall(SIZE, 1)
    face = (supper.masks["face"] > 0.5) & (supper.masks["guest 1"] > 0.5)
    table = supper.masks["cloth"] > 0.9
    for name, least in (("lanterns", 0.90), ("window", 0.96)):
        share = supper.irradiance[name][face] / bare.irradiance[name][face]
        assert share.min() < least and share.mean() < 0.998 and share.max() <= 1.0 + 1e-5, name
        assert np.abs(supper.irradiance[name][table] - bare.irradiance[name][table]).max() < 1e-5


def test_guests_take_light_from_the_table_and_lanterns_give_it():
    y, x = np.mgrid[0.0:1.0:20j, 0.0:1.0:20j].astype(np.float32)
    points = np.dstack([x - 0.5, np.full_like(x, TABLE["top"]), 3.0 + y])
    normals = np.zeros_like(points)
    normals[..., 1] = 1.0
    screen = moved(ball("x", 0.25), np.array(LANTERNS[0]) - (0.0, 0.5, 0.0))
    open_, shaded = HallLight(step=2), HallLight(World([screen]), 2)
    warm, less = (room.on(points, normals)["lanterns"] for room in (open_, shaded))
    assert warm.min() > 0.05 and less.mean() < 0.9 * warm.mean()
    down = open_.on(points, -normals)["lanterns"]
    assert down.max() < warm.min(), "from below only what the walls send back"


def test_the_supper_is_lit_warm_over_the_table_and_blue_at_the_windows(supper):
    share = supper.light_shares()["window"]
    assert np.median(share[supper.masks["cloth"] > 0.9]) < 0.45
    assert supper.masks["window"].sum() > 0 and supper.masks["lanterns"].sum() > 0


def test_a_detector_that_was_not_trained_here_finds_the_faces():
    """Two views in which faces are turned to the camera; all are measured by `./dev bench faces`."""
    wanted = found = 0
    for view in (3, 4):
        scene = grain_hall((1200, 800), view)
        light = np.maximum(scene.XYZ() @ XYZ_TO_SRGB.T, 0.0)
        picture = np.round(255 * encode_sRGB(np.clip(light * 1.6, 0, 1))).astype(np.uint8)
        boxes = faces(picture)
        for name, (x, y, w, h) in scene.areas.items():
            if name.startswith("face") and h >= 24:
                wanted += 1
                found += any(x < f.x + f.w / 2 < x + w and y < f.y + f.h / 2 < y + h for f in boxes)
    assert wanted >= 3 and found >= 0.9 * wanted


def test_napkins_lie_on_the_table_like_cloth():
    cloth = napkin(3)
    assert (cloth.normals[:, 1] > 0).mean() > 0.97, "they face up"
    assert cloth.vertices[:, 1].min() > -0.0005 and 0.003 < cloth.vertices[:, 1].max() < 0.012
    middle = np.hypot(*cloth.vertices[:, [0, 2]].T) < 0.03
    assert cloth.normals[middle, 1].min() < 0.998, "and are not flat"
