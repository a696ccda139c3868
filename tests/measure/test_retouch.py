"""What gives repairs away: a thing seen twice, noise that differs; and that good repairs are left in peace."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from matiz.develop.graph.engine import Engine
from matiz.findings.find import find, fixed
from matiz.measure.mend.retouch import SEEN_TWICE, read_retouch
from matiz.measure.picture import Meter
from matiz.mend.heal import Area, healed
from matiz.raw.frame import CameraColour, Frame
from matiz.recipe.mending import Clone, Fill, Heal
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added

SIZE = (600, 400)


def grass(seed=0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    texture = cv2.GaussianBlur(rng.normal(0, 1, (400, 600, 3)).astype(np.float32), (0, 0), 2.0)
    noise = rng.normal(0, 0.02, texture.shape)
    return (0.25 * (1.0 + 0.5 * texture + noise)).clip(0.01, 1.0).astype(np.float32)


def with_stone() -> np.ndarray:
    picture = grass()
    cv2.circle(picture, (260, 200), 9, (0.9, 0.9, 0.9), -1, cv2.LINE_AA)
    return picture


def read(picture, area, offset):
    def take(box):
        return np.ascontiguousarray(picture[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])

    x, y, w, h = box = area.box(SIZE, 8)
    picture = picture.copy()
    picture[y : y + h, x : x + w] = healed(take, SIZE, area, offset, box)
    (found,) = read_retouch({"a": (area, offset)}, take, SIZE)
    return found


def test_a_stone_that_is_copied_is_seen_twice_and_grass_is_not():
    area = Area(((180.0, 200.0),), 18.0, 4.0)
    twice = read(with_stone(), area, (80, 0))
    assert twice.repeated > SEEN_TWICE and twice.away_px == 80.0
    assert twice.other is not None
    dx, dy = (value * 600 for value in twice.other)
    assert np.hypot(dx - 80, dy) > 30, "another source"
    assert read(with_stone(), area, (-90, 40)).repeated < SEEN_TWICE
    # a thing at the source that is not at the repair, where another one lies over it
    picture = with_stone()

    def take(box):
        return np.ascontiguousarray(picture[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])

    assert read_retouch({"a": (area, (80, 0))}, take, SIZE)[0].repeated == 0.0
    far = Area(((580.0, 380.0),), 10.0, 2.0)
    assert read(with_stone(), far, (-320, -180)).repeated == 0.0, "far away nobody sees it"


def test_smoothed_places_have_less_noise():
    smooth = grass()
    smooth[100:300, 350:550] = cv2.GaussianBlur(smooth[100:300, 350:550], (0, 0), 3.0)
    area = Area(((180.0, 200.0),), 18.0, 4.0)
    calm, alike = read(smooth, area, (260, 0)), read(grass(), area, (-90, 40))
    assert calm.noise < 0.45 and alike.noise == pytest.approx(1.0, abs=0.35)
    small = read(grass(), Area(((180.0, 200.0),), 3.0, 1.0), (60, 0))
    assert small.noise is None, "too small to tell"


def test_the_findings_name_the_repair_and_another_source_ends_them():
    engine = Engine(Frame(Path("a.tif"), CameraColour(), linear=with_stone()))
    place = ((180.5 / 600, 200.5 / 600),)
    items = [
        Heal(((0.9, 0.1),), radius_px=8.0, dx=-0.1),
        Clone(place, radius_px=18.0, dx=80 / 600),
        Fill(((0.1, 0.5), (0.15, 0.5), (0.15, 0.55)), outline="on", radius_px=1.0),
    ]
    recipe = Recipe()
    recipe = recipe.change_all(added(recipe, [("mend.repairs", item) for item in items]), label="x")[0]
    findings = {finding.id: finding for finding in find(engine, Meter(engine).picture(recipe), recipe)}
    finding = findings["mend.seen_twice"]
    assert "Repair 2" in finding.claim and finding.subject == recipe.mend.repairs.order[1]
    assert np.array(finding.outlines[0]).mean(axis=0) == pytest.approx((180, 200), abs=3)
    after = fixed(recipe, finding)
    assert "mend.seen_twice" not in {f.id for f in find(engine, Meter(engine).picture(after), after)}
    assert Meter(engine).picture(Recipe()).retouch == ()
