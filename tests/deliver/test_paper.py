"""Pictures as a paper shows them. littleCMS itself, called once for each colour, is what they are checked against."""

import imagecodecs
import numpy as np
import pytest
from PIL import ImageCms

from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import decode_sRGB, sRGB_to_Lab
from matiz.deliver.paper import PAPERS, Paper, on_paper, read_paper
from matiz.deliver.profiles import profile_of
from matiz.errors import FormatError

MATTE, GLOSSY = (Paper(PAPERS[name]) for name in ("matte", "glossy"))
EXACT, BLACK_POINT = 0x0100, 0x2000


def colours() -> np.ndarray:
    return np.random.default_rng(4).integers(0, 256, (40, 50, 3)).astype(np.uint8)


def by_cms(codes: np.ndarray, paper: Paper, intent: int, back: int) -> np.ndarray:
    data, screen = paper.profile.read_bytes(), profile_of("sRGB")
    how = {"colorspace": "rgb", "outcolorspace": "rgb", "outdtype": np.uint16}
    wide = codes.astype(np.uint16) * 257
    inks = imagecodecs.cms_transform(wide, screen, data, intent=intent, flags=EXACT | BLACK_POINT, **how)
    return imagecodecs.cms_transform(inks, data, screen, intent=back, flags=EXACT, **how) / 65_535.0


def Lab(encoded: np.ndarray) -> np.ndarray:
    return sRGB_to_Lab(decode_sRGB(encoded))


@pytest.mark.parametrize("paper", [MATTE, GLOSSY], ids=PAPERS)
@pytest.mark.parametrize("intent, number", [("perceptual", 0), ("relative", 1)])
@pytest.mark.parametrize("with_white, back", [(False, 1), (True, 3)])
def test_the_paper_view_is_what_a_colour_engine_makes_of_it(paper, intent, number, with_white, back):
    codes = colours()
    seen = on_paper(codes, Paper(paper.profile, intent), with_white=with_white) / 255.0
    away = delta_E_2000(Lab(seen), Lab(by_cms(codes, paper, number, back)))
    assert np.median(away) < 0.3 and np.quantile(away, 0.99) < 1.5, "rounding to 8 bits, and the table's steps"


@pytest.mark.parametrize("name, darkest, white_L", [("matte", 19.0, 96.0), ("glossy", 5.5, 95.0)])
def test_papers_that_ship_are_profiles_with_their_own_white_black_and_neutral_greys(name, darkest, white_L):
    opened = ImageCms.ImageCmsProfile(str(PAPERS[name]))
    assert opened.profile.device_class == "prtr" and name in ImageCms.getProfileDescription(opened)
    greys = np.repeat(np.arange(0, 256, 5, dtype=np.uint8)[None, :, None], 3, axis=2)
    shown = Lab(on_paper(greys, Paper(PAPERS[name]), with_white=False) / 255.0)[0]
    assert shown[0, 0] == pytest.approx(darkest, abs=1.0) and shown[-1, 0] == pytest.approx(100.0, abs=0.2)
    assert np.abs(shown[:, 1:]).max() < 1.0
    assert np.all(np.diff(shown[:, 0]) > -0.3)
    white = Lab(on_paper(np.full((1, 1, 3), 255, np.uint8), Paper(PAPERS[name]), with_white=True) / 255.0)
    assert white[0, 0, 0] == pytest.approx(white_L, abs=0.5)


def test_what_a_paper_holds_comes_back_and_what_it_does_not_keeps_its_hue():
    held = np.array([[[128, 110, 100], [180, 190, 170], [200, 170, 150]]], np.uint8)
    assert delta_E_2000(Lab(held / 255.0), Lab(on_paper(held, GLOSSY, with_white=False) / 255.0)).max() < 2.5
    loud = np.array([[[255, 0, 0], [255, 200, 0], [0, 90, 255]]], np.uint8)
    before, after = (Lab(each / 255.0)[0] for each in (loud, on_paper(loud, MATTE, with_white=False)))
    turned = np.degrees(np.angle(np.exp(1j * (np.arctan2(*after.T[:0:-1]) - np.arctan2(*before.T[:0:-1])))))
    assert np.all(np.hypot(*after.T[1:]) < np.hypot(*before.T[1:])) and np.abs(turned).max() < 15.0


def test_a_reading_of_paper_says_more_of_a_loud_picture_and_of_matte_paper():
    calm = np.random.default_rng(1).integers(90, 140, (30, 30, 3)).astype(np.uint8)
    told = {(paper, what): read_paper(picture, paper) for paper in (MATTE, GLOSSY)
            for what, picture in (("calm", calm), ("loud", colours()))}  # fmt: skip
    assert told[GLOSSY, "calm"].high_dE < 2.5 < told[GLOSSY, "loud"].high_dE
    assert told[GLOSSY, "loud"].median_dE < told[MATTE, "loud"].median_dE
    assert told[GLOSSY, "loud"].seen < told[MATTE, "loud"].seen
    assert told[MATTE, "calm"].black_L == pytest.approx(18.8, abs=1.0)


def test_the_tool_that_made_the_papers_makes_them_again(tmp_path, monkeypatch):
    import runpy

    made = runpy.run_path("tools/make_papers.py")
    monkeypatch.setitem(made["main"].__globals__, "FOLDER", tmp_path)
    made["main"]()
    codes = colours()
    for name, path in PAPERS.items():
        ours, again = (on_paper(codes, Paper(each), with_white=True) for each in (path, tmp_path / f"{name}.icc"))
        # another machine's arithmetic may round otherwise
        assert np.abs(ours.astype(int) - again).max() <= 2


def test_a_file_that_is_no_profile_is_told(tmp_path):
    broken = tmp_path / "broken.icc"
    broken.write_bytes(b"x" * 300)
    with pytest.raises(FormatError, match="choose another"):
        on_paper(colours(), Paper(broken), with_white=False)
