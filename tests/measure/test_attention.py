"""What draws the eye, and faces as they are metered."""

import cv2
import numpy as np
import pytest
import skimage.data

from matiz.develop.graph.engine import Engine
from matiz.findings.attention import lifted, pulls_the_eye, subject_not_held
from matiz.findings.find import fixed
from matiz.findings.people import uneven_faces
from matiz.masks.faces import Face, faces
from matiz.masks.subject import SubjectMap
from matiz.measure.picture import Meter, PictureReading
from matiz.measure.places.attention import read_attention
from matiz.measure.places.faces import FaceReading, FacesReading, read_faces
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe, plain_recipe
from matiz.recipe.paths import added


def lab_of(picture) -> np.ndarray:
    return cv2.cvtColor(np.asarray(picture, np.float32) / 255.0, cv2.COLOR_RGB2LAB)


def grey_with(*spots, shape=(200, 300)) -> np.ndarray:
    Lab = np.zeros((*shape, 3), np.float32)
    Lab[..., 0] = 50.0
    for x, y, r, colour in spots:
        cv2.circle(Lab, (x, y), r, colour, -1)
    return Lab


def test_the_odd_one_out_draws_the_eye():
    reading = read_attention(grey_with((220, 60, 10, (85.0, 0.0, 0.0))), None, [])
    assert reading.subject is None and reading.pulls
    first = reading.pulls[0]
    assert abs(first.x - 220) < 6 and abs(first.y - 60) < 6 and first.why == "lightness" and first.lighter_L > 5.0
    red = read_attention(grey_with((60, 140, 10, (50.0, 60.0, 30.0))), None, []).pulls[0]
    assert abs(red.x - 60) < 6 and red.why == "colour"
    alone, among = (
        max((pull.share for pull in read_attention(grey_with(*spots), None, []).pulls), default=0.0)
        for spots in (
            [(220, 60, 8, (85.0, 0.0, 0.0))],
            [(x, y, 8, (85.0, 0.0, 0.0)) for x in range(30, 300, 40) for y in range(30, 200, 40)],
        )
    )
    assert alone > 3.0 * among, "one counts for more than one of many"


def test_one_of_a_kind_counts_for_more_than_one_of_many():
    lights = [(x, y, 9, (75.0, 0.0, 0.0)) for x in (40, 115, 265) for y in (40, 100, 160)]
    pulls = read_attention(grey_with(*lights, (190, 110, 9, (50.0, 25.0, 0.0))), None, []).pulls
    assert abs(pulls[0].x - 190) < 8 and abs(pulls[0].y - 110) < 8 and pulls[0].why == "colour"


def test_an_even_picture_pulls_nowhere_much():
    assert all(pull.share < 0.2 for pull in read_attention(grey_with(), None, []).pulls)


def test_a_direction_that_differs_draws_the_eye():
    Lab = grey_with()
    for x in range(10, 300, 24):
        for y in range(10, 200, 24):
            ends = ((x - 7, y), (x + 7, y)) if (x, y) != (202, 106) else ((x, y - 7), (x, y + 7))
            cv2.line(Lab, *ends, (70.0, 0.0, 0.0), 2)
    pulls = read_attention(Lab, None, []).pulls
    # beside it only where the pattern ends
    assert len(pulls) <= 2 and [pull.share for pull in pulls] == sorted((pull.share for pull in pulls), reverse=True)
    assert any(abs(pull.x - 202) < 12 and abs(pull.y - 106) < 12 and pull.why == "direction" for pull in pulls)


def test_the_subject_holds_its_share_and_pulls_lie_outside():
    spots = (150, 100, 30, (80.0, 20.0, 20.0)), (40, 40, 8, (90.0, 0.0, 0.0))
    subject = np.zeros((200, 300), np.float32)
    cv2.circle(subject, (150, 100), 30, 1.0, -1)
    reading = read_attention(grey_with(*spots), subject, [])
    assert reading.subject_area == pytest.approx(0.047, abs=0.005)
    assert reading.subject is not None and reading.subject > 4.0 * 0.047
    assert abs(reading.pulls[0].x - 40) < 6
    assert all(np.hypot(pull.x - 150, pull.y - 100) > 30 for pull in reading.pulls)


def test_a_face_draws_the_eye():
    picture = skimage.data.astronaut()
    own = faces(picture)
    about = cv2.circle(np.zeros((512, 512), np.float32), (225, 115), 60, 1.0, -1)
    share = [read_attention(lab_of(picture), about, found).subject for found in ([], own)]
    assert share[1] > 1.2 * share[0]


# ---- faces


def test_faces_are_metered_by_their_skin_and_their_lighter_side():
    picture = skimage.data.astronaut()
    [face] = faces(picture)
    EV = np.full((512, 512), -3.0)
    EV[:, :225] = 0.5
    EV[:, 225:] = -0.5
    cv2.fillPoly(EV, [np.rint(face.features.lips).astype(np.int32)], -9.0)
    [read] = read_faces(EV, [face]).faces
    assert read.sides_EV == pytest.approx(1.0, abs=0.05) and read.lighter == "left"
    assert 4.4 < read.zone < 5.6 and read.n == 1
    two = read_faces(np.where(np.arange(512) < 512, EV, EV), [face, face.moved(lambda p: p + 0.0)])
    assert two.spread_EV == pytest.approx(0.0, abs=1e-6)


def test_faces_far_apart_are_evened_out(tmp_path):
    """Two of one face, one of them a stop and a half darker."""
    picture = skimage.data.astronaut().astype(np.float32)
    dark = 255.0 * (picture / 255.0) ** 1.0 * (2.0**-1.5) ** (1.0 / 2.2)
    path = tmp_path / "two.png"
    cv2.imwrite(str(path), np.concatenate([picture, dark], axis=1)[..., ::-1])
    engine = Engine(read_frame(path))
    meter, recipe = Meter(engine), plain_recipe(engine.frame.start)
    before = meter.take(recipe, "faces")
    assert len(before.faces) == 2 and before.spread_EV == pytest.approx(1.5, abs=0.25)
    [finding] = uneven_faces(meter.picture(recipe), recipe)
    assert "apart" in finding.claim and finding.has_fix
    assert finding.certainty <= 0.3 and "Skin differs" in finding.then, "luminance does not tell light from skin"
    better = fixed(recipe, finding)
    after = meter.take(better, "faces")
    assert after.spread_EV < 0.55 * before.spread_EV
    assert uneven_faces(meter.picture(better), better) == []


def test_what_may_be_no_face_is_not_compared_with_faces():
    def face(n, zone, certainty):
        return FaceReading(n, 10.0 * n, 0.0, 8.0, 10.0, zone, 0.0, "left", certainty)

    told = FacesReading((face(1, 5.0, 1.0), face(2, 4.4, 0.9), face(3, 1.0, 0.3)))
    assert told.spread_EV == pytest.approx(0.6) and told.middle_zone == pytest.approx(4.7)
    assert uneven_faces(PictureReading({"faces": told}), Recipe()) == []
    apart = FacesReading((*told.faces, face(4, 6.5, 0.8)))
    [finding] = uneven_faces(PictureReading({"faces": apart}), Recipe())
    assert finding.claim.startswith("3 faces lie 2.10") and finding.evidence["faces"] == 3
    assert finding.certainty == pytest.approx(0.3 * 0.8)
    assert len(finding.adds) == 2 and [outline[0][0] for outline in finding.outlines] == [20.0, 40.0]
    assert FacesReading((face(1, 1.0, 0.2),)).spread_EV == 0.0


# ---- findings


@pytest.fixture
def spotted(tmp_path):
    return engine_of(tmp_path, grey_with((150, 100, 40, (46.0, 4.0, 4.0)), (250, 40, 12, (92.0, 0.0, 0.0))))


@pytest.fixture
def hidden(tmp_path):
    """A subject that is hardly told from its ground, among things that are."""
    others = [(x, y, 12, (80.0, 20.0, 0.0)) for x in (40, 250) for y in (40, 160)]
    return engine_of(tmp_path, grey_with((150, 100, 40, (51.0, 0.0, 0.0)), *others))


def engine_of(tmp_path, Lab) -> Engine:
    """An engine on a picture whose middle is the subject, once it is asked for."""
    noisy = Lab + np.random.default_rng(1).normal(0, 0.4, Lab.shape).astype(np.float32)
    path = tmp_path / "spot.png"
    cv2.imwrite(str(path), np.clip(cv2.cvtColor(noisy, cv2.COLOR_LAB2BGR) * 255.0, 0, 255).astype(np.uint8))
    engine = Engine(read_frame(path))
    share = cv2.resize(cv2.circle(np.zeros((200, 300), np.float32), (150, 100), 40, 1.0, -1), (96, 96))
    engine.found._subject = lambda _: SubjectMap(share, "network")
    return engine


def test_nothing_is_said_of_a_subject_that_is_not_known(spotted):
    recipe = plain_recipe(spotted.frame.start)
    reading = Meter(spotted).picture(recipe)
    assert reading.attention.subject is None
    assert pulls_the_eye(reading, recipe) == [] == subject_not_held(reading, recipe)


def test_a_pull_is_darkened_and_then_pulls_less(spotted):
    recipe, meter = plain_recipe(spotted.frame.start), Meter(spotted)
    unknown = meter.take(recipe, "attention")
    spotted.found.subject_map()
    reading = meter.picture(recipe)
    assert unknown.subject is None and reading.attention.subject is not None, "read anew once it is known"
    [finding] = pulls_the_eye(reading, recipe)
    x, y, w, h = finding.area
    assert x < 250 < x + w and y < 40 < y + h
    better = fixed(recipe, finding)
    after = meter.take(better, "attention")
    assert after.subject > reading.attention.subject and meter.take(
        better, "attention_before"
    ).subject == pytest.approx(reading.attention.subject)
    assert max(pull.lighter_L for pull in after.pulls) < reading.attention.pulls[0].lighter_L


def test_a_subject_that_does_not_hold_is_lifted(hidden):
    recipe, meter = plain_recipe(hidden.frame.start), Meter(hidden)
    hidden.found.subject_map()
    reading = meter.picture(recipe)
    [finding] = subject_not_held(reading, recipe)
    better = fixed(recipe, finding)
    assert [place.name for place in better.places.values()] == ["Subject lifted", "Background held back"]
    assert subject_not_held(meter.picture(better), better) == []
    own = Recipe().change_all(added(Recipe(), lifted()), label="x")[0]
    first, second = own.places.values()
    assert first.exposure_EV == -second.exposure_EV > 0 and first.warmer_mired == -second.warmer_mired > 0


def test_the_subjects_own_face_is_no_pull_beside_it():
    """It draws the eye to the subject; another one draws it away."""
    grey = np.dstack([np.full((200, 300), 50.0), np.zeros((200, 300)), np.zeros((200, 300))]).astype(np.float32)
    subject = np.zeros((200, 300), np.float32)
    subject[60:140, 40:100] = 1.0
    # its face is at the edge of the mask, so that some of what it draws lies beyond
    own = Face(70.0, 60.0, 50.0, 60.0, 0.9, np.zeros((5, 2)), {})
    other = Face(230.0, 90.0, 30.0, 30.0, 0.9, np.zeros((5, 2)), {})
    with_own = read_attention(grey, subject, [own])
    assert not [pull for pull in with_own.pulls if pull.why == "face"]
    pulls = read_attention(grey, subject, [own, other]).pulls
    assert pulls and all(pull.x > 200 for pull in pulls)
