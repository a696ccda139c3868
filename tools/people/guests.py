"""Who sits at the table: eight people who do not exist, and how each of them sits."""

from dataclasses import dataclass

from .hair import Style
from .pose import Arm, Sitting
from .source import Shape

EXPRESSION = "expression/units/caucasian/"


@dataclass(frozen=True)
class Guest:
    """One person."""

    shape: Shape
    style: Style
    beard_m: float = 0.0
    sleeve: float = 1.0
    """How far sleeves reach from the shoulder (0) by the elbow (0.5) to the wrist (1)."""
    room: float = 1.05
    """How much longer the threads of the shirt are than the body is round."""
    sittings: tuple[Sitting, ...] = ()
    """The first at table, the second with the glass raised."""


def _smile(much: float) -> tuple[tuple[str, float], ...]:
    return (
        (EXPRESSION + "mouth-corner-puller", much),
        (EXPRESSION + "eye-?-slit", 0.10 * much),
        (EXPRESSION + "mouth-parling", 0.25 * max(0.0, much - 0.5)),
    )


REST = Arm((0.16, 0.795, 0.34), point=(-0.55, -0.05, 1.0), palm=(-0.25, -1.0, 0.0))
EDGE = Arm((0.20, 0.795, 0.27), point=(-0.75, 0.0, 0.7), palm=(-0.2, -1.0, 0.1))
REACH = Arm((0.08, 0.83, 0.50), point=(-0.15, 0.05, 1.0), palm=(-0.6, -0.8, 0.0), curl=35.0)
TALK = Arm((0.20, 0.98, 0.36), point=(-0.35, 0.55, 0.8), palm=(-0.5, 0.75, -0.4), curl=24.0)
CHIN = Arm((0.10, 1.02, 0.27), point=(-0.25, 1.0, -0.25), palm=(-0.3, 0.2, -1.0), curl=48.0, elbow=(0.35, -1.0, 0.35))
LAP = Arm((0.10, 0.62, 0.32), point=(-0.5, -0.15, 0.9), palm=(-0.2, -1.0, 0.0))
GLASS = Arm((0.15, 1.17, 0.46), point=(-0.75, 0.35, 0.45), palm=(-0.55, 0.0, -0.75), curl=50.0)

GUESTS = (
    Guest(
        Shape(1.0, 0.10, (0.05, 0.15, 0.80), 0.45, 0.42, (
            ("nose/nose-scale-depth-incr", 0.25), ("nose/nose-hump-incr", 0.35), ("head/head-oval", 0.6),
            ("chin/chin-prominent-incr", 0.2), ("mouth/mouth-scale-horiz-incr", 0.3), *_smile(0.75),
        )),
        Style(0.30, 2600, combed=(1.0, 0.1, -0.7), weight=0.62, lift=0.20, parting_m=0.02),
        sittings=(Sitting(REST, TALK, lean=9.0, twist=-6.0, head_turn=-14.0),
                  Sitting(REST, GLASS, lean=6.0, head_turn=-8.0, head_nod=-3.0)),
    ),
    Guest(
        Shape(0.0, 0.45, (0.75, 0.0, 0.25), 0.62, 0.55, (
            ("head/head-square", 0.5), ("nose/nose-scale-horiz-incr", 0.3), ("chin/chin-width-incr", 0.3),
            ("forehead/forehead-nubian-incr", 0.2), *_smile(0.8),
        )),
        Style(0.020, 4200, combed=(0.2, 0.6, -0.4), weight=0.05, lift=0.32, curl_m=0.0022, clump=0.35),
        beard_m=0.006, room=1.06,
        sittings=(Sitting(EDGE, REACH, lean=15.0, twist=8.0, head_turn=12.0),
                  Sitting(EDGE, GLASS, lean=7.0, head_turn=6.0, head_nod=-4.0)),
    ),
    Guest(
        Shape(1.0, 0.85, (0.0, 0.10, 0.90), 0.35, 0.60, (
            ("head/head-round", 0.4), ("nose/nose-point-down", 0.3), ("head/head-age-incr", 0.6),
            ("cheek/?-cheek-volume-incr", 0.3), *_smile(0.6),
        )),
        Style(0.16, 2800, combed=(0.5, 0.5, -1.0), weight=0.05, lift=0.10, clump=0.15, knot=True),
        room=1.07,
        sittings=(Sitting(REST, LAP, lean=5.0, head_turn=4.0, head_tilt=-6.0),),
    ),
    Guest(
        Shape(0.0, 0.05, (0.0, 0.75, 0.25), 0.52, 0.40, (
            ("head/head-diamond", 0.4), ("chin/chin-height-incr", 0.2), ("mouth/mouth-upperlip-volume-incr", 0.3),
            *_smile(0.5), (EXPRESSION + "eyebrows-?-up", 0.3),
        )),
        Style(0.055, 4200, combed=(0.7, 0.2, 0.15), weight=0.30, lift=0.12, clump=0.25, parting_m=-0.03),
        sleeve=0.42,
        sittings=(Sitting(TALK, EDGE, lean=11.0, twist=-5.0, head_turn=-10.0, head_nod=2.0),
                  Sitting(EDGE, GLASS, lean=5.0, head_turn=-5.0, head_nod=-5.0)),
    ),
    Guest(
        Shape(1.0, 0.40, (0.55, 0.05, 0.40), 0.50, 0.55, (
            ("head/head-invertedtriangular", 0.4), ("mouth/mouth-lowerlip-volume-incr", 0.4),
            ("nose/nose-width2-incr", 0.3), *_smile(0.6),
        )),
        Style(0.105, 2800, combed=(0.8, 0.3, -0.4), weight=0.25, lift=0.45, curl_m=0.004, clump=0.3, parting_m=0.0),
        sleeve=0.95,
        sittings=(Sitting(CHIN, REST, lean=14.0, twist=5.0, head_turn=8.0, head_tilt=5.0),
                  Sitting(REST, GLASS, lean=6.0, head_turn=6.0, head_nod=-3.0)),
    ),
    Guest(
        Shape(0.0, 0.90, (0.0, 0.0, 1.0), 0.45, 0.55, (
            ("nose/nose-volume-incr", 0.5), ("nose/nose-hump-incr", 0.4), ("head/head-rectangular", 0.5),
            ("head/head-age-incr", 0.4), ("ears/?-ear-scale-incr", 0.3), *_smile(0.5),
        )),
        Style(0.035, 3400, combed=(0.7, 0.2, -0.8), weight=0.35, lift=0.10, clump=0.2, bald=0.8),
        beard_m=0.018, room=1.07,
        sittings=(Sitting(REST, EDGE, lean=6.0, head_turn=-6.0),
                  Sitting(REST, GLASS, lean=4.0, head_turn=-4.0, head_nod=-6.0)),
    ),
    Guest(
        Shape(1.0, 0.05, (0.10, 0.55, 0.35), 0.45, 0.35, (
            ("head/head-oval", 0.5), ("eyes/?-eye-scale-incr", 0.25), ("nose/nose-scale-vert-decr", 0.2),
            *_smile(0.85), (EXPRESSION + "mouth-open", 0.15),
        )),
        Style(0.24, 2600, combed=(0.9, 0.1, -0.5), weight=0.70, lift=0.15, clump=0.22, parting_m=0.035),
        sleeve=0.38,
        sittings=(Sitting(REST, REST, lean=10.0, head_nod=0.0, head_tilt=4.0),),
    ),
    Guest(
        Shape(0.0, 0.30, (0.20, 0.10, 0.70), 0.60, 0.65, (
            ("head/head-fat-incr", 0.3), ("chin/chin-prominent-incr", 0.3), *_smile(0.7),
        )),
        Style(0.045, 4200, combed=(0.3, 0.4, -0.8), weight=0.25, lift=0.30, clump=0.4),
        beard_m=0.004, room=1.06,
        sittings=(Sitting(EDGE, REST, lean=8.0, twist=10.0, head_turn=24.0),),
    ),
)  # fmt: skip
