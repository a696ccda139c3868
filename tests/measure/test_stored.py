"""Pictures in 8 bits: blocks, gaps and the lift they bear, on photographs that scikit-image ships."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from skimage import data

from matiz.develop.graph.engine import Engine
from matiz.findings.find import find, fixed
from matiz.measure.picture import Meter
from matiz.measure.tone.stored import read_stored
from matiz.raw.frame import CameraColour, Frame
from matiz.raw.picture_file import read_picture
from matiz.recipe.model import Recipe, Tone


def stored(pixels: np.ndarray, kind: str, quality: int = 95) -> Frame:
    """A frame of what is left of pixels after they were a file of that kind."""
    out = io.BytesIO()
    Pillow.fromarray(pixels).save(out, kind, quality=quality)
    linear, _ = read_picture(out.getvalue(), 10**8)
    return Frame(Path(f"a.{'jpg' if kind == 'JPEG' else 'png'}"), CameraColour(), linear=linear)


@pytest.mark.parametrize("name", ["astronaut", "chelsea", "coffee"])
def test_blocks_grow_with_compression(name):
    photograph = getattr(data, name)()
    found = [read_stored(stored(photograph, "JPEG", quality)).blockiness for quality in (95, 85, 60, 30)]
    assert found == sorted(found) and found[0] < 0.1 and found[-1] > 0.25


def test_a_cropped_picture_shows_its_blocks_too():
    photograph = data.coffee()
    out = io.BytesIO()
    Pillow.fromarray(photograph).save(out, "JPEG", quality=30)
    again = np.asarray(Pillow.open(out))[3:, 5:]
    whole = read_stored(stored(photograph, "JPEG", 30)).blockiness
    assert read_stored(stored(np.ascontiguousarray(again), "JPEG", 100)).blockiness == pytest.approx(whole, rel=0.15)


def test_a_picture_that_was_stretched_has_gaps():
    photograph = data.chelsea()
    stretched = np.clip((photograph.astype(float) - 40.0) * 1.6, 0, 255).astype(np.uint8)
    assert read_stored(stored(photograph, "PNG")).gaps < 0.02
    assert read_stored(stored(stretched, "PNG")).gaps == pytest.approx(1 - 1 / 1.6, abs=0.03)


def test_the_lift_is_that_at_which_one_step_is_seen():
    """The darkest tenth lies at code 20: lifted so, codes 20 and 21 are one L* apart (CIE 1976, worked out here)."""
    codes = np.tile(np.arange(256, dtype=np.uint8), (64, 1))
    codes[:, :60] = 20
    reading = read_stored(stored(np.repeat(codes[..., None], 3, axis=2), "PNG"))

    def L(code: float) -> float:
        linear = ((code / 255 + 0.055) / 1.055) ** 2.4 * 2.0**reading.safe_lift_EV
        return 116.0 * linear ** (1 / 3) - 16.0

    assert 0.95 < L(21) - L(20) <= 1.0


def test_raw_and_16_bit_pictures_have_no_such_limit(scene_engine):
    assert read_stored(scene_engine.frame) is None
    linear = np.random.default_rng(1).random((64, 64, 3)).astype(np.float32)
    assert read_stored(Frame(Path("a.tif"), CameraColour(), linear=linear)) is None


def test_a_lift_beyond_the_steps_is_found_and_taken_back():
    engine = Engine(stored(data.coffee(), "JPEG", 75))
    meter = Meter(engine)
    assert "tone.lifted_past_steps" not in {f.id for f in find(engine, meter.picture(Recipe()), Recipe())}
    lifted = Recipe(tone=Tone(exposure_EV=1.5, zones_EV=(2.5, 2.5, 2.5, 2.0, 1.0) + (0.0,) * 6))
    finding = next(f for f in find(engine, meter.picture(lifted), lifted) if f.id == "tone.lifted_past_steps")
    assert finding.evidence["lift_EV"] > finding.evidence["safe_EV"]
    held = fixed(lifted, finding)
    assert "tone.lifted_past_steps" not in {f.id for f in find(engine, meter.picture(held), held)}
    assert held.tone.exposure_EV > 0.3, "no more is taken back than must be"
