"""What the simulated camera keeps from one picture for the next."""

import weakref

import pytest

from matiz_simcam.kept import keep_last
from matiz_simcam.scenes.grain_hall import STANDPOINTS
from matiz_simcam.scenes.hall_room import empty_hall


class Thing:
    pass


def test_the_last_is_kept_and_let_go_before_the_next_is_made():
    made, alive = [], []

    @keep_last
    def make(name: str) -> Thing:
        alive.append([ref() is not None for ref in made])
        thing = Thing()
        made.append(weakref.ref(thing))
        return thing

    assert make("a") is make("a")
    make("b")
    make("a")
    assert alive == [[], [False], [False, False]]


def test_what_fails_keeps_nothing():
    @keep_last
    def make(name: str) -> str:
        if name == "bad":
            raise ValueError(name)
        return name

    for _ in range(2):
        with pytest.raises(ValueError, match="bad"):
            make("bad")
    assert make("good") == "good"


@pytest.mark.parametrize("blurred", [False, True])
def test_who_furnishes_a_hall_leaves_it_empty_for_the_next(blurred):
    camera = STANDPOINTS[4].camera((960, 640))
    first = empty_hall(camera, 37, blurred)
    before = {name: amount.copy() for name, amount in first.materials.items()}
    for maps in (first.materials, first.irradiance, first.masks):
        for amount in maps.values():
            amount += 1.0
    again = empty_hall(camera, 37, blurred)
    assert all((again.materials[name] == amount).all() for name, amount in before.items())
    assert all(not (again.irradiance[name] == amount).any() for name, amount in first.irradiance.items())
