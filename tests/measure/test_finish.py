"""The last touches judged, and what is found of them."""

import numpy as np
import pytest

from matiz.colour.spaces import decode_sRGB
from matiz.findings.finish import fall_off_noticed, glow_greys, signature_lost
from matiz.measure.finish.finish import FinishReading, read_finish
from matiz.recipe.finish import FallOff, Finish, Glow, Signature
from matiz.recipe.model import Recipe

SIZE = (300, 450)


def fading(depth_EV: float) -> np.ndarray:
    """How much darker, (300, 450, 1), from the middle outward."""
    y, x = np.mgrid[-1 : 1 : SIZE[0] * 1j, -1 : 1 : SIZE[1] * 1j]
    t = np.clip((np.hypot(x, y) / np.sqrt(2.0) - 0.3) / 0.7, 0.0, 1.0)
    return (2.0 ** (-depth_EV * t * t * (3 - 2 * t)))[..., None]


@pytest.fixture(scope="module")
def sky():
    return np.full((*SIZE, 3), 0.3, np.float32)


def test_a_deep_fall_off_over_an_even_sky_is_noticed_a_slight_one_is_not(sky):
    own = Finish(fall_off=FallOff(depth_EV=2.0))
    deep, slight = (read_finish((sky * fading(d)).astype(np.float32), sky, sky, own) for d in (2.0, 0.3))
    assert deep.fall_off_noticed > 0.6 and deep.fall_off_most < 0.7
    assert slight.fall_off_noticed == 0.0 and slight.fall_off_most > 1.5
    # as deep as it says, it is just noticed
    just = read_finish((sky * fading(2.0 * deep.fall_off_most)).astype(np.float32), sky, sky, own)
    assert just.fall_off_noticed == pytest.approx(0.25, abs=0.15)


def test_it_is_not_noticed_where_the_picture_itself_changes_more(sky):
    own = Finish(fall_off=FallOff(depth_EV=1.2))
    even = read_finish((sky * fading(1.2)).astype(np.float32), sky, sky, own)
    steep = (sky * np.linspace(0.1, 2.0, SIZE[1])[None, :, None]).astype(np.float32)
    own_shade = read_finish((steep * fading(1.2)).astype(np.float32), steep, steep, own)
    assert own_shade.fall_off_noticed < 0.6 * even.fall_off_noticed
    noise = decode_sRGB(np.random.default_rng(1).uniform(0.1, 0.9, (*SIZE, 1))).repeat(3, axis=2).astype(np.float32)
    assert read_finish((noise * fading(1.2)).astype(np.float32), noise, noise, own).fall_off_noticed is None
    assert read_finish(sky, sky, sky, Finish()).fall_off_noticed is None


def test_blacks_that_the_glow_lifts_are_told(sky):
    dark = sky.copy()
    dark[:100] = 0.0005
    lifted = dark + np.float32(0.002)
    told = read_finish(lifted, lifted, dark, Finish(glow=Glow(amount_percent=50.0)))
    assert told.black_lift_L == pytest.approx(1.8, abs=0.2)
    assert read_finish(lifted, lifted, dark, Finish()).black_lift_L == 0.0


def test_a_signature_on_a_busy_spot_is_sent_to_a_calm_one(sky):
    busy = sky.copy()
    stripes = (np.arange(SIZE[1]) // 8 % 2)[None, :, None]
    busy[200:] = np.where(stripes, 0.9, 0.02)
    busy[:100, :200] = 0.85
    own = Finish(signature=Signature("Ana Corva", 5.0))
    told = read_finish(busy, busy, busy, own)
    assert told.signature_busy_L > 20 and told.calm_corner.startswith("upper")
    assert told.calm_tone == ("dark" if told.calm_corner == "upper_left" else "light")
    calm = read_finish(busy, busy, busy, Finish(signature=Signature("Ana Corva", 5.0, corner="upper_left")))
    assert calm.signature_busy_L < 1 and calm.signature_contrast_L < 10
    assert read_finish(busy, busy, busy, Finish()).signature_busy_L is None


class Told:
    def __init__(self, **values):
        plain = dict(fall_off_noticed=None, fall_off_most=1.0, black_lift_L=0.0, signature_busy_L=None,
                     signature_contrast_L=None, calm_corner="upper_left", calm_tone="dark")  # fmt: skip
        self.finish = FinishReading(**(plain | values))


def with_(*pairs) -> Recipe:
    return Recipe().change_all(list(pairs), label="x")[0]


def test_findings_say_what_and_offer_what_mends_it():
    recipe = with_(("finish.fall_off.depth_EV", 2.0), ("finish.glow.amount_percent", 60.0),
                   ("finish.signature.text", "Ana"))  # fmt: skip
    assert not [*fall_off_noticed(Told(), recipe), *glow_greys(Told(), recipe), *signature_lost(Told(), recipe)]
    (told,) = fall_off_noticed(Told(fall_off_noticed=0.5, fall_off_most=0.61), recipe)
    assert told.fix == (("finish.fall_off.depth_EV", 1.2),)
    (hopeless,) = fall_off_noticed(Told(fall_off_noticed=0.9, fall_off_most=0.01), recipe)
    assert not hopeless.has_fix
    (grey,) = glow_greys(Told(black_lift_L=1.0), recipe)
    assert grey.fix == (("finish.glow.amount_percent", 30.0),)
    (lost,) = signature_lost(Told(signature_busy_L=20.0, signature_contrast_L=50.0), recipe)
    assert lost.fix == (("finish.signature.corner", "upper_left"), ("finish.signature.tone", "dark"))
    (faint,) = signature_lost(Told(signature_busy_L=1.0, signature_contrast_L=9.0), recipe)
    assert "stands out" in faint.claim
    there = with_(("finish.signature.text", "Ana"), ("finish.signature.corner", "upper_left"),
                  ("finish.signature.tone", "dark"))  # fmt: skip
    (left,) = signature_lost(Told(signature_busy_L=20.0, signature_contrast_L=50.0), there)
    assert not left.has_fix


def test_edges_are_told_at_the_size_of_shapes(sky):
    """Detail that is finer than a fiftieth of the long side counts as busy, not as a slope of its own."""
    fine = sky * (1 + 0.02 * np.random.default_rng(1).normal(size=(*SIZE, 1)))
    own = Finish(fall_off=FallOff(depth_EV=2.0))
    told = read_finish((fine * fading(2.0)).astype(np.float32), fine.astype(np.float32), fine.astype(np.float32), own)
    assert told.fall_off_noticed > 0.5
