"""Lights measured against what the simulated camera knows, and on real photographs under known casts."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from bench.casts import scene_and_shot, simulated

from matiz.colour.illuminants import black_body, daylight
from matiz.colour.spaces import D65_XY, SRGB_TO_REC2020, decode_sRGB
from matiz.colour.temperature import cct_to_xy, xy_to_cct
from matiz.develop.frame.camera_colour import as_shot_xy, xy_to_neutral
from matiz.develop.graph.engine import Engine
from matiz.measure.light.evidence import gather
from matiz.measure.light.light import light_at, measured_light
from matiz.measure.light.lights import FoundLight, KnownLight, Lights, known_lights, read_lights, territories
from matiz.measure.picture import Meter
from matiz.measure.table.values import LightValue, value_of
from matiz.measure.tone.patches import clipped_patches
from matiz.raw.frame import CameraColour
from matiz.recipe.model import Recipe
from matiz_simcam import targets
from matiz_simcam.camera import Settings, expose, light_spectrum, light_xy_of

SIZE = (600, 400)
ROOMS = ("CORVA_0052", "CORVA_0057", "CORVA_0053")


def usable(camera: np.ndarray) -> np.ndarray:
    flat = camera.reshape(-1, 3).astype(np.float64)
    return flat[(flat.max(axis=1) < 0.9) & (flat.min(axis=1) > 0.004)]


def angle(a, b) -> float:
    """Degrees between two camera neutrals, as the literature counts it (Finlayson and Zakizadeh 2014)."""
    a, b = np.asarray(a), np.asarray(b)
    return float(np.degrees(np.arccos(np.clip(a @ b / np.linalg.norm(a) / np.linalg.norm(b), -1.0, 1.0))))


def test_the_light_of_simulated_scenes():
    """Median angular error under 3 degrees, and less than grey-world's and white patch's, under eight lights.

    The camera's own choice is off by 40 mired, as a standard deviation.
    """
    rng = np.random.default_rng(0)
    ours, grey, white = [], [], []
    for name in ("CORVA_0031", *ROOMS):
        for light in ("planck:2800", "planck:4500", "daylight:5500", "daylight:8000", "LED-B3"):
            spectrum = light_spectrum(light)
            xy = light_xy_of(spectrum)
            wrong = cct_to_xy(1e6 / np.clip(1e6 / xy_to_cct(xy)[0] + rng.normal(0, 40), 60, 450))
            _, frame, camera = simulated(name, {"all": spectrum}, wrong)
            truth, samples = xy_to_neutral(frame.colour, xy), usable(camera)
            found = measured_light(gather(frame.colour, camera), value_of(as_shot_xy(frame.colour)))
            ours.append(angle(xy_to_neutral(frame.colour, found.xy), truth))
            grey.append(angle(samples.mean(axis=0), truth))
            white.append(angle(np.quantile(samples, 0.99, axis=0), truth))
    assert np.median(ours) < 3.0
    assert np.median(ours) < np.median(grey) and np.median(ours) < np.median(white)


def test_casts_on_real_photographs():
    """Photographs of scikit-image and scikit-learn under known casts: the change is seen within 2 degrees."""
    data = pytest.importorskip("skimage.data")
    samples = pytest.importorskip("sklearn.datasets").load_sample_images().images
    colour, none = CameraColour(), LightValue(6504.0, 0.0, 0.0)
    errors = []
    for photograph in (data.astronaut(), data.chelsea(), data.coffee(), *samples):
        linear = (decode_sRGB(photograph[..., :3] / 255.0) @ SRGB_TO_REC2020.T).astype(np.float32)
        linear = cv2.resize(linear, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        plain = measured_light(gather(colour, linear), none)
        for cct_K in (3000.0, 4000.0, 8000.0):
            gain = xy_to_neutral(colour, cct_to_xy(cct_K)) / xy_to_neutral(colour, D65_XY)
            cast = linear * gain.astype(np.float32)
            found = measured_light(gather(colour, cast / max(1.0, np.quantile(cast, 0.999))), none)
            change = xy_to_neutral(colour, found.xy) / xy_to_neutral(colour, plain.xy)
            errors.append(angle(change, gain))
    assert np.median(errors) < 2.0


PAIRS = [
    (2103, 5947, 1.4),
    (2575, 5639, 1.2),
    (2517, 7347, 1.0),
    (2449, 5363, 0.8),
    (2835, 6800, 1.0),
    (2358, 7967, 0.9),
]


def two_lights(name: str, warm_K: float, cool_K: float, gain: float):
    spectra = {"lanterns": black_body(warm_K), "flame": black_body(warm_K), "all": daylight(cool_K)}
    gains = {"lanterns": gain, "window": 1.0 / gain}
    scene, frame, camera = simulated(name, spectra, cct_to_xy(4000.0), gains)
    return read_lights(frame.colour, camera, None), scene, camera


def _truth(scene, camera) -> tuple[np.ndarray, float]:
    """Share of the warm light in every pixel, and of the whole exposure."""
    share = cv2.resize(scene.light_shares()["lanterns"], camera.shape[1::-1], interpolation=cv2.INTER_AREA)
    weight = np.minimum(camera[..., 1], 1.0)
    return share, float((share * weight).sum() / weight.sum())


def _warm_map(lights: Lights, camera: np.ndarray) -> np.ndarray:
    """Share of the warm light in every pixel, as it was found."""
    warm_first = lights.found[0].value.cct_K < lights.found[1].value.cct_K
    warm = 1.0 - lights.second if warm_first else lights.second
    return cv2.resize(warm, camera.shape[1::-1], interpolation=cv2.INTER_LINEAR)


def test_two_lights_in_simulated_rooms():
    """About half are found as two, and nothing is said of the others; both within 15 % always (light that wood and
    skin send on is warmer than it came); their shares of the exposure off by a fifth of it at most, so which is the
    greater is right unless they are nearly even; the map right for 85 % of pixels on the mean."""
    found, cool_right, warm_right, off, maps = 0, 0, 0, [], []
    for name in ROOMS:
        for warm_K, cool_K, gain in PAIRS:
            lights, scene, camera = two_lights(name, warm_K, cool_K, gain)
            if len(lights.found) < 2:
                continue
            found += 1
            values = sorted(light.value.cct_K for light in lights.found)
            warm_right += abs(values[0] / warm_K - 1.0) < 0.15
            cool_right += abs(values[1] / cool_K - 1.0) < 0.15
            truth, warm_share = _truth(scene, camera)
            warm_is_first = lights.found[0].value.cct_K < lights.found[1].value.cct_K
            told = lights.found[0].share if warm_is_first else lights.found[1].share
            off.append(abs(told - warm_share))
            assert warm_is_first == (warm_share > 0.5) or abs(told - 0.5) < 0.05 or abs(warm_share - 0.5) < 0.05
            maps.append(((_warm_map(lights, camera) > 0.5) == (truth > 0.5)).mean())
            assert sum(light.share for light in lights.found) == pytest.approx(1.0)
            assert lights.found[0].share >= 0.5 and lights.apart_mired > 100
            assert lights.second.min() >= 0.0 and lights.second.max() <= 1.0
    assert found >= 8, f"of {len(ROOMS) * len(PAIRS)}"
    assert cool_right == warm_right == found
    assert max(off) < 0.20 and np.median(off) < 0.15
    assert np.mean(maps) >= 0.85


def clearest(warm: np.ndarray) -> tuple[tuple[float, float], tuple[float, float]]:
    """Places, of width and height, where a share (height, width) is greatest and least, a little inside the border."""
    calm = cv2.GaussianBlur(warm.astype(np.float32), (0, 0), 0.05 * max(warm.shape))
    rows, columns = calm.shape
    inner = calm[rows // 10 : -rows // 10, columns // 10 : -columns // 10]
    places = (np.unravel_index(int(at), inner.shape) for at in (inner.argmax(), inner.argmin()))
    return tuple(((x + columns // 10) / columns, (y + rows // 10) / rows) for y, x in places)


def test_lights_that_are_known_part_a_photograph():
    """Halves of real photographs: as soon as a place of each light is named, the map is right for 85 % of the pixels
    on the mean, also where of itself nothing would be said."""
    maps = []
    for linear in photographs():
        for warm_K, cool_K, border in ((2700.0, 6500.0, 0.5), (3000.0, 8500.0, 0.4)):
            x = np.linspace(0.0, 1.0, linear.shape[1])
            warm = np.broadcast_to(1.0 / (1.0 + np.exp((x - border) * 80.0)), linear.shape[:2])
            cast = linear * (warm[..., None] * cast_for(warm_K) + (1.0 - warm[..., None]) * cast_for(cool_K))
            camera = (cast / max(1.0, np.quantile(cast, 0.995))).astype(np.float32)
            there = clearest(warm)
            values = (LightValue(warm_K, 0.0), LightValue(cool_K, 0.0))
            picked = [KnownLight(value, at) for value, at in zip(values, there, strict=True)]
            lights = known_lights(CameraColour(), camera, *picked)
            assert {light.value for light in lights.found} == set(values)
            maps.append(((_warm_map(lights, camera) > 0.5) == (warm > 0.5)).mean())
    assert np.mean(maps) > 0.85


def test_greys_of_a_recipe_are_read_as_lights():
    """A chart under two lights: two of its greys named, and both lights are found, the map with them."""
    scene = targets.chart((600, 400), "planck:2700")
    warm = 1.0 / (1.0 + np.exp((np.linspace(0.0, 1.0, 600) - 0.5) * 60.0))
    warm = np.broadcast_to(warm, (400, 600)).astype(np.float32)
    scene.lights["cool"] = light_spectrum("daylight:6500")
    scene.irradiance["cool"] = 1.0 - warm
    scene.irradiance["planck:2700"] *= warm
    meter = Meter(Engine(expose(scene, Settings())))
    # the lowest row of the chart is grey, of many lightnesses
    first, second = (100 / 600, 340 / 600), (500 / 600, 340 / 600)
    recipe = Recipe().change("light.greys", (first, second))[0]
    runs = dict(meter.runs)
    lights = meter.picture(recipe).light.lights
    values = sorted((light.value.cct_K for light in lights.found), reverse=True)
    np.testing.assert_allclose(values, (6500.0, 2700.0), rtol=0.05)
    assert min(light.value.certainty for light in lights.found) == 1.0
    assert ((_warm_map(lights, np.empty((400, 600, 3))) > 0.5) == (warm > 0.5)).mean() > 0.93
    meter.picture(recipe.change("tone.exposure_EV", 1.0)[0])
    assert meter.runs["light"] == runs.get("light", 0) + 1, "nothing but the greys touches it"
    turned = meter.picture(recipe.change("light.greys", (second, first))[0]).light.lights
    assert turned.found == lights.found and np.array_equal(turned.second, lights.second)
    one = recipe.change("light.greys", (first, (120 / 600, 345 / 600)))[0]
    assert len(meter.picture(one).light.lights.found) == 1, "twice the same light"


def test_a_grey_place_is_where_it_was_named():
    camera = np.full((40, 80, 3), 0.3, np.float32)
    camera[:, 40:] = 1.0
    found = light_at(CameraColour(), camera, (30 / 80, 10 / 80))
    assert found.at == (30 / 80, 10 / 40) and found.value.duv == pytest.approx(0.003, abs=0.003)
    assert light_at(CameraColour(), camera, (60 / 80, 10 / 80)) is None, "clipped"
    assert light_at(CameraColour(), 0.0 * camera, (20 / 80, 10 / 80)) is None, "black"


def test_the_map_follows_the_lights():
    """Where lanterns or the window give nearly all the light, nearly every pixel agrees with the truth."""
    lights, scene, camera = two_lights("CORVA_0057", 2300.0, 6500.0, 1.0)
    truth, _ = _truth(scene, camera)
    clear = np.abs(truth - 0.5) > 0.25
    assert ((_warm_map(lights, camera) > 0.5) == (truth > 0.5))[clear].mean() > 0.93


def photographs() -> list[np.ndarray]:
    """Linear Rec.2020, from scikit-image and scikit-learn."""
    data = pytest.importorskip("skimage.data")
    samples = pytest.importorskip("sklearn.datasets").load_sample_images().images
    pictures = (data.astronaut(), data.chelsea(), data.coffee(), data.rocket(), data.stereo_motorcycle()[0], *samples)
    return [(decode_sRGB(each[..., :3] / 255.0) @ SRGB_TO_REC2020.T).astype(np.float32) for each in pictures]


def cast_for(cct_K: float) -> np.ndarray:
    colour = CameraColour()
    gain = xy_to_neutral(colour, cct_to_xy(cct_K)) / xy_to_neutral(colour, D65_XY)
    return (gain / gain[1]).astype(np.float32)


def test_photographs_under_one_light_are_not_split():
    """Brown wood, fur, sand and a blue sky beside warm roofs are materials, not lights. What was learned was learned
    from these among others; `./dev bench readings` tests it on photographs that were left out."""
    for linear in photographs():
        for cct_K in (2700.0, 4000.0, 5500.0, 8000.0):
            cast = linear * cast_for(cct_K)
            camera = cast / np.float32(max(1.0, np.quantile(cast, 0.995)))
            assert len(read_lights(CameraColour(), camera, LightValue(5000.0, 0.0)).found) == 1


def test_halves_of_real_photographs():
    """Photographs cast warm on one side and cool on the other: where two lights are claimed with a certainty over 40 %,
    the map is right for nine in ten pixels on the mean and both are within 40 mired. Of half nothing is said."""
    maps = []
    for linear in photographs():
        for warm_K, cool_K, border in ((2700.0, 6500.0, 0.5), (2400.0, 7500.0, 0.65), (3000.0, 8500.0, 0.4)):
            x = np.linspace(0.0, 1.0, linear.shape[1])
            warm = np.broadcast_to(1.0 / (1.0 + np.exp((x - border) * 80.0)), linear.shape[:2])[..., None]
            cast = linear * (warm * cast_for(warm_K) + (1.0 - warm) * cast_for(cool_K))
            camera = (cast / max(1.0, np.quantile(cast, 0.995))).astype(np.float32)
            lights = read_lights(CameraColour(), camera, LightValue(5000.0, 0.0))
            if len(lights.found) < 2 or lights.found[0].value.certainty < 0.4:
                continue
            maps.append(((_warm_map(lights, camera) > 0.5) == (warm[..., 0] > 0.5)).mean())
            found = sorted(light.value.cct_K for light in lights.found)
            np.testing.assert_allclose(1e6 / np.array(found), 1e6 / np.array((warm_K, cool_K)), atol=40.0)
    assert len(maps) >= 5 and np.mean(maps) > 0.9 and min(maps) > 0.75


@pytest.mark.parametrize("name", ["CORVA_0031", *ROOMS])
@pytest.mark.parametrize("light", ["planck:2800", "planck:4500", "daylight:6500"])
def test_one_light_is_not_split(name, light):
    spectrum = light_spectrum(light)
    _, frame, camera = simulated(name, {"all": spectrum}, light_xy_of(spectrum))
    assert len(read_lights(frame.colour, camera, LightValue(5000.0, 0.0)).found) == 1


def test_a_picture_without_neutrals_has_no_lights():
    green = np.zeros((200, 300, 3), np.float32)
    green[..., 1] = 0.5
    assert read_lights(CameraColour(), green, None).found == ()


def test_sources_and_things_are_told_apart():
    """Windows and lanterns are sources; a white cloth that is over-exposed is a thing: 19 of 20."""
    right = total = 0
    for name in ("CORVA_0051", *ROOMS[::2]):
        for ev in (-1.0, 0.0, 1.0, 2.0):
            base, shot = scene_and_shot(name)
            frame = expose(base, replace(shot.settings, ev=shot.settings.ev + ev))
            engine = Engine(frame)
            source = np.maximum(base.masks["window"], base.masks["lanterns"])
            for patch in clipped_patches(engine.render(Recipe(), 0, result="camera"), 1):
                box = np.s_[patch.y : patch.y + patch.h, patch.x : patch.x + patch.w]
                cover = float(source[box].mean())
                if patch.share < 6e-4 or 0.15 < cover < 0.5:
                    continue  # specks, and boxes that hold both
                total += 1
                right += (patch.kind == "source") == (cover >= 0.5)
    assert total >= 60 and right >= 0.95 * total


def test_territories_are_lines_inside_the_picture_with_a_label_inside_each():
    """Left half one light, right half the other, and an island."""
    second = np.zeros((20, 30), np.float32)
    second[:, 15:] = 1.0
    second[5:10, 4:9] = 1.0
    value = LightValue(5000.0, 0.0)
    lights = Lights((FoundLight(value, 0.6), FoundLight(value, 0.4)), second)
    first, other = territories(lights, (3000, 2000))
    assert first.light.share == 0.6 and first.centre[0] < 1500 < other.centre[0]
    assert sorted(len(t.outlines) for t in (first, other)) == [2, 2]
    line = max(other.outlines, key=lambda o: np.ptp(o[:, 1]))
    assert np.abs(line[:, 0] - 1500).max() < 60 and np.ptp(line[:, 1]) > 1800
    island = min(other.outlines, key=lambda o: np.ptp(o[:, 1]))
    assert np.ptp(island[:, 0]) == pytest.approx(500, abs=80)
    assert territories(Lights((FoundLight(value, 1.0),), None), (3000, 2000)) == ()
