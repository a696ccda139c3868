"""Subjects of photographs against outlines drawn by hand."""

import cv2
import numpy as np
import pytest
from bench.outlines import OUTLINED

from matiz.develop.graph.engine import Engine
from matiz.masks.subject import find_subject, tapped
from matiz.recipe.model import Recipe
from matiz_simcam.camera import expose
from matiz_simcam.shoot import DEMO_SHOTS, scene_of
from matiz_simcam.truth import truth_of


def judged(photograph, share):
    pixels = photograph.pixels()
    return photograph.overlap(cv2.resize(share, pixels.shape[1::-1], interpolation=cv2.INTER_LINEAR))


@pytest.fixture(scope="module", params=["cat", "cameraman"])
def seen(request):
    photograph = OUTLINED[request.param]
    return photograph, find_subject(photograph.pixels()).share


def after(photograph, share, taps):
    pixels = photograph.pixels()
    long_side = max(pixels.shape[:2])
    sides = [[(x / long_side, y / long_side) for x, y, it in taps if it == is_it] for is_it in (True, False)]
    return judged(photograph, tapped(pixels, share, *sides))


def test_what_a_picture_is_of_is_found(seen):
    assert judged(*seen) > 0.95


def test_no_tap_makes_it_worse_and_two_at_most_mend_it(seen):
    """On soft fur, where colours run into each other, a tap once took the whole picture."""
    photograph, share = seen
    plain = judged(photograph, share)
    for tap in photograph.taps:
        assert after(photograph, share, [tap]) > plain - 0.001
    assert after(photograph, share, photograph.taps) > 0.97


def test_a_tap_on_what_is_told_right_changes_nothing_far_away(seen):
    photograph, share = seen
    height, width = photograph.pixels().shape[:2]
    on_it = after(photograph, share, [(width // 3, height * 2 // 3, True)])
    assert abs(on_it - judged(photograph, share)) < 0.005


def test_a_leg_is_not_taken_for_the_rock_that_it_stands_on():
    """The animal of the demo, as it is found: a tap on the shadow under its tail leaves its leg, one on its tail leaves
    the rock."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0036.dng")
    scene = scene_of(shot.scene, (900, 600), view=shot.view)
    masks = truth_of(scene, shot.settings).masks
    truth = masks["subject"] + masks["eye"] > 0.5
    shown = Engine(expose(scene, shot.settings)).render(Recipe(), 0)
    picture = np.ascontiguousarray(np.asarray(shown)[..., 2::-1])

    def overlap(of):
        found = cv2.resize(of, (900, 600)) > 0.5
        return (found & truth).sum() / (found | truth).sum()

    assert overlap(find_subject(picture).share) > 0.9
    # as one that sees no ground between its legs
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (91, 91))
    share = cv2.morphologyEx(truth.astype(np.float32), cv2.MORPH_CLOSE, disc)
    plain = overlap(share)
    assert overlap(tapped(picture, share, [], [(0.600, 0.3875)])) > plain
    assert overlap(tapped(picture, share, [(0.958, 0.464)], [])) > plain - 0.01
    assert overlap(tapped(picture, share, [], [(0.433, 0.371)])) > plain + 0.02


def test_a_tap_speaks_for_what_hangs_together_with_it():
    """Two holes through which the ground is seen lie near each other: one tap opens one."""
    picture = np.full((400, 600, 3), (60, 110, 60), np.uint8)
    picture[100:300, 150:450] = (170, 60, 50)
    share = np.zeros((400, 600), np.float32)
    share[100:300, 150:450] = 1.0
    for left in (280, 305):
        picture[190:210, left : left + 15] = (60, 110, 60)
    less = tapped(picture, share, [], [(287 / 600, 200 / 600)])
    assert less[193:207, 283:292].mean() < 0.1 and less[193:207, 308:317].mean() > 0.9
    assert less[120:180, 170:430].mean() > 0.99
