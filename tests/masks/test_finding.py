"""What is found in a picture by itself: subject, sky, faces; and masks fitted to the picture's edges."""

import builtins
import struct

import cv2
import numpy as np
import pytest
import skimage.data

from matiz.errors import FileError
from matiz.masks.faces import faces
from matiz.masks.sky import find_sky
from matiz.masks.subject import apart, by_contrast, cleaned, find_subject, tapped
from matiz.masks.subject_network import own_model


@pytest.fixture(scope="module")
def astronaut():
    return skimage.data.astronaut()


@pytest.fixture(scope="module")
def astronaut_map(astronaut):
    return find_subject(astronaut)


@pytest.fixture(autouse=True)
def own_folder(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


# ---- subject


def test_the_network_finds_a_person_and_leaves_the_flag(astronaut_map):
    share = astronaut_map.share
    assert astronaut_map.how == "network" and share.min() >= 0.0 and share.max() <= 1.0

    def at(x: int, y: int) -> float:
        return float(share[y * share.shape[0] // 512, x * share.shape[1] // 512])

    for x, y in ((224, 110), (200, 300), (150, 400), (400, 430)):
        assert at(x, y) > 0.9, (x, y)
    for x, y in ((20, 60), (330, 60), (60, 150), (500, 250), (420, 250)):
        assert at(x, y) < 0.1, (x, y)
    assert 0.45 < (share > 0.5).mean() < 0.60


def test_specks_and_holes_go_and_parts_stay():
    share = np.zeros((400, 400), np.float32)
    share[100:300, 100:250] = 1.0
    share[150:155, 150:155] = 0.0
    share[20:25, 20:25] = 0.9
    share[100:200, 300:340] = 1.0
    out = cleaned(share)
    assert out[22, 22] == 0.0 and out[152, 152] == 1.0 and out[150, 320] == 1.0 and out[200, 200] == 1.0
    assert cleaned(np.zeros((50, 50), np.float32)).max() == 0.0


def test_subjects_apart_are_told_apart_the_largest_first():
    share = np.zeros((200, 300), np.float32)
    cv2.circle(share, (80, 100), 30, 1.0, -1)
    cv2.circle(share, (220, 100), 40, 1.0, -1)
    share = cv2.GaussianBlur(share, (0, 0), 3.0)
    first, second = apart(share, 1), apart(share, 2)
    assert first[100, 220] > 0.9 and first[100, 80] == 0.0
    assert second[100, 80] > 0.9 and second[100, 220] == 0.0
    assert np.abs(first + second - share).max() < 1e-6, "with their soft rims"
    assert apart(share, 3).max() == 0.0 and apart(np.zeros((50, 50), np.float32), 1).max() == 0.0


def test_taps_take_in_what_is_missing_and_leave_out_what_is_not_meant(astronaut, astronaut_map):
    share = astronaut_map.share
    # the model of a rocket beside her, and then her helmet
    more = tapped(astronaut, share, [(325 / 512, 100 / 512), (325 / 512, 40 / 512)], [])
    at = (int(100 / 512 * share.shape[0]), int(325 / 512 * share.shape[1]))
    assert share[at] < 0.1 and more[at] > 0.9
    less = tapped(astronaut, share, [], [(330 / 512, 400 / 512)])
    at = (int(400 / 512 * share.shape[0]), int(330 / 512 * share.shape[1]))
    assert share[at] > 0.9 and less[at] < 0.1
    face = (int(110 / 512 * share.shape[0]), int(224 / 512 * share.shape[1]))
    assert more[face] > 0.9 and less[face] > 0.9, "what is far from a tap stays"


def test_without_the_network_contrast_gives_something(monkeypatch):
    real = builtins.__import__

    def refused(name, *more, **named):
        if name == "onnxruntime":
            raise ImportError(name)
        return real(name, *more, **named)

    monkeypatch.setattr(builtins, "__import__", refused)
    picture = np.full((240, 320, 3), (90, 140, 200), np.uint8)
    cv2.circle(picture, (160, 130), 60, (200, 60, 30), -1)
    seen = find_subject(picture)
    truth = np.zeros((240, 320), np.uint8)
    cv2.circle(truth, (160, 130), 60, 1, -1)
    out = cv2.resize(seen.share, (320, 240)) > 0.5
    assert seen.how == "contrast"
    assert (out & (truth > 0)).sum() / (out | (truth > 0)).sum() > 0.9
    assert by_contrast(np.full((100, 100, 3), 127, np.uint8)).max() == 0.0, "nothing stands out"


def field(number: int, value: bytes | int) -> bytes:
    """One field of a protocol buffer."""

    def varint(n: int) -> bytes:
        out = b""
        while n > 127:
            out, n = out + bytes([n & 127 | 128]), n >> 7
        return out + bytes([n])

    if isinstance(value, int):
        return varint(number << 3) + varint(value)
    return varint(number << 3 | 2) + varint(len(value)) + value


def tiny_model(side: int) -> bytes:
    """An ONNX model: the mean of the three colours plus a half, of a picture of side x side px."""

    def tensor(name: str, channels: int) -> bytes:
        dims = b"".join(field(1, field(1, n)) for n in (1, channels, side, side))
        return field(1, name.encode()) + field(2, field(1, field(1, 1) + field(2, dims)))

    axes = field(5, field(1, b"axes") + field(8, 1) + field(20, 7))
    keep = field(5, field(1, b"keepdims") + field(3, 1) + field(20, 2))
    mean = field(1, b"in") + field(2, b"m") + field(4, b"ReduceMean") + axes + keep
    add = field(1, b"m") + field(1, b"half") + field(2, b"out") + field(4, b"Add")
    half = field(1, 1) + field(2, 1) + field(9, struct.pack("<f", 0.5)) + field(8, b"half")
    graph = field(1, mean) + field(1, add) + field(2, b"g") + field(5, half)
    graph += field(11, tensor("in", 3)) + field(12, tensor("out", 1))
    return field(1, 8) + field(7, graph) + field(8, field(1, b"") + field(2, 13))


@pytest.mark.parametrize("data", [b"no network", tiny_model(0)])
def test_a_network_of_ones_own_that_is_none_is_named(data):
    path = own_model()
    path.parent.mkdir(parents=True)
    path.write_bytes(data)
    with pytest.raises(FileError, match=r"subject\.onnx.*delete it"):
        find_subject(np.zeros((40, 60, 3), np.uint8))


def test_a_network_of_ones_own_is_used_instead():
    path = own_model()
    path.parent.mkdir(parents=True)
    path.write_bytes(tiny_model(64))
    picture = np.zeros((100, 200, 3), np.uint8)
    picture[:, :100] = 255
    seen = find_subject(picture)
    assert seen.how == "your own network" and seen.share.shape == (64, 64)
    assert seen.share[:, :20].min() > 0.9 and seen.share[:, 44:].max() < 0.1


# ---- sky


def test_a_sky_over_hills_is_found_and_a_wall_is_none():
    y, x = np.mgrid[0:400, 0:600].astype(np.float32)
    random = np.random.default_rng(2)
    line = 180 + 30 * np.sin(x / 60.0) + 10 * np.sin(x / 17.0)
    sky = y < line
    picture = np.where(sky[..., None], np.array([120, 160, 220]) + (y / 8.0)[..., None], np.array([70, 75, 40]))
    picture = np.clip(
        picture + random.normal(0, 2, picture.shape) + (~sky * random.normal(0, 18, sky.shape))[..., None], 0, 255
    )
    found = cv2.resize(find_sky(picture.astype(np.uint8)), (600, 400)) > 0.5
    assert (found & sky).sum() / (found | sky).sum() > 0.97
    wall = np.clip(np.array([170, 140, 120]) + random.normal(0, 3, (400, 600, 3)), 0, 255).astype(np.uint8)
    wall[250:] = (60, 30, 40)
    assert find_sky(wall).max() == 0.0


def evening(*, clouds: float = 0.0, ground: float = 14.0):
    """A sky from blue to orange over a dark ridge, with a tower; and which px are sky."""
    random = np.random.default_rng(2)
    y, x = np.mgrid[0:400, 0:600].astype(np.float32)
    ridge = 230.0 + 25.0 * np.sin(x / 70.0) - 90.0 * (np.abs(x - 420.0) < 9.0)
    sky, down = y < ridge, np.clip(y / 240.0, 0.0, 1.0)[..., None]
    picture = (1.0 - down) * (70.0, 110.0, 190.0) + down**2 * (250.0, 170.0, 90.0)
    cloud = cv2.GaussianBlur(random.normal(size=(400, 600)).astype(np.float32), (0, 0), 14.0)
    picture = picture + clouds * 40.0 * np.clip(cloud / cloud.std(), 0.0, 2.0)[..., None]
    rough = ground * cv2.GaussianBlur(random.normal(size=(400, 600)).astype(np.float32), (0, 0), 0.8)[..., None]
    picture = np.where(sky[..., None], picture, np.array([60.0, 55.0, 45.0]) + 3.0 * rough)
    return np.clip(picture + random.normal(0.0, 1.0, picture.shape), 0, 255).astype(np.uint8), sky


@pytest.mark.parametrize("clouds", [0.0, 1.0])
def test_a_sky_whose_colour_turns_is_found_to_the_ridge_and_up_to_a_tower(clouds):
    picture, sky = evening(clouds=clouds)
    found = cv2.resize(find_sky(picture), (600, 400)) > 0.5
    assert (found & sky).sum() / (found | sky).sum() > 0.97
    tower = np.s_[150:220, 415:426]
    assert found[tower].mean() < 0.3


def test_still_water_under_a_ridge_is_no_sky():
    """As bright and as calm as it, with a shore between."""
    picture, sky = evening()
    picture[310:] = np.array([200, 160, 120]) + np.random.default_rng(3).normal(0.0, 1.0, (90, 600, 3))
    found = cv2.resize(find_sky(picture), (600, 400)) > 0.5
    assert not found[315:].any() and (found & sky).sum() / (found | sky).sum() > 0.97


@pytest.mark.parametrize("name", ["coffee", "chelsea", "cat"])
def test_no_sky_indoors(name):
    assert find_sky(getattr(skimage.data, name)()).max() == 0.0


# ---- faces


def test_a_face_is_found_where_it_is_with_its_points(astronaut):
    [face] = faces(astronaut)
    assert abs(face.x + face.w / 2 - 224) < 15 and abs(face.y + face.h / 2 - 120) < 25 and 80 < face.h < 140
    right, left, nose, mouth = face.points[:4]
    assert right[0] < nose[0] < left[0] and right[1] < nose[1] < mouth[1]


def test_a_small_face_in_a_large_picture_is_found_too(astronaut):
    wide = np.full((900, 1600, 3), 120, np.uint8)
    small = cv2.resize(astronaut[40:240, 120:330], None, fx=0.30, fy=0.30, interpolation=cv2.INTER_AREA)
    wide[700 : 700 + small.shape[0], 1300 : 1300 + small.shape[1]] = small
    found = faces(wide)
    assert any(1300 < f.x + f.w / 2 < 1365 and 700 < f.y + f.h / 2 < 760 for f in found)
    assert not [f for f in found if f.x < 1200]


@pytest.mark.parametrize("name", ["coffee", "chelsea", "rocket", "immunohistochemistry", "retina", "colorwheel"])
def test_no_face_where_nobody_is(name):
    assert faces(np.ascontiguousarray(getattr(skimage.data, name)()[..., :3])) == []
