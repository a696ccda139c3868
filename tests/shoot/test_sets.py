"""Sets that are proposed by what files say of themselves."""

from pathlib import Path

import pytest

from matiz.raw.frame import Exposure
from matiz.shoot.sets import Proposed, proposed_sets
from matiz_simcam.shoot import DEMO_SHOTS


def shot(second: float, ev: float = 0.0, **more) -> Exposure:
    minute, rest = divmod(second, 60)
    stamp = f"2026-03-14T06:{int(minute):02d}:{rest:06.3f}Z"
    return Exposure(100.0, 2.0**ev / 60, 8.0, stamp, 24.0, "Corva", more.pop("focus_m", None), **more)


def named(exposures: list[Exposure]) -> dict[Path, Exposure]:
    return {Path(f"{n:03d}.dng"): each for n, each in enumerate(exposures)}


def kinds(exposures: list[Exposure]) -> list[tuple[str, list[str]]]:
    return [(each.kind, [path.stem for path in each.pictures]) for each in proposed_sets(named(exposures))]


def test_the_demo_shoot_falls_into_the_sets_that_it_was_made_of():
    exposures = {}
    for each in DEMO_SHOTS:
        s = each.settings
        exposures[Path(each.name)] = Exposure(s.iso, s.time_s, s.f_number, s.time_utc, s.focal_mm, "", s.focus_m)
    found = proposed_sets(exposures)
    assert [(each.kind, [int(path.stem[-2:]) for path in each.pictures]) for each in found] == [
        ("bracket", [16, 17, 18]), ("focus pair", [19, 20]), ("burst", [31, 32, 33, 34, 35, 36]),
    ]  # fmt: skip
    assert found[0].steps_EV == pytest.approx((0.0, -2.0, 2.0), abs=0.05)
    assert found[0].name == "bracket 0 \u22122 +2 EV" and found[2].name == "burst of 6"


def test_bursts_end_with_a_gap_another_lens_or_light():
    assert kinds([shot(0), shot(0.4), shot(0.9), shot(5)]) == [("burst", ["000", "001", "002"])]
    assert kinds([shot(0), shot(0.4)]) == [], "two are none"
    assert kinds([shot(0), shot(0.3), shot(0.6), shot(0.9, 1.0)]) == [("burst", ["000", "001", "002"])]
    assert kinds([shot(0), shot(0.5), shot(1.0), shot(2.5), shot(3.0), shot(3.5)]) == [
        ("burst", ["000", "001", "002"]), ("burst", ["003", "004", "005"]),
    ]  # fmt: skip


def test_brackets_differ_in_every_frame():
    five = [shot(n, ev) for n, ev in enumerate((0, -1, 1, -2, 2))]
    assert kinds(five) == [("bracket", ["000", "001", "002", "003", "004"])]
    assert kinds([*five, *(shot(10 + n, ev) for n, ev in enumerate((0, -1, 1)))])[1] == (
        "bracket",
        ["005", "006", "007"],
    )
    two_in_a_row = [shot(n, ev) for n, ev in enumerate((0, -2, 2, 0, -2, 2))]
    assert [len(each) for _, each in kinds(two_in_a_row)] == [3, 3]
    apart = [shot(10 * n, ev) for n, ev in enumerate((0, -2, 2))]
    assert kinds(apart) == []


def test_a_focus_pair_is_the_same_but_for_its_focus():
    pair = [shot(0, focus_m=2.0), shot(10, focus_m=14.0)]
    assert kinds(pair) == [("focus pair", ["000", "001"])]
    assert kinds([shot(0, focus_m=2.0), shot(10, focus_m=2.02)]) == []
    assert kinds([shot(0, focus_m=2.0), shot(50, focus_m=14.0)]) == []
    assert kinds([shot(0), shot(10)]) == []


def test_files_that_say_little_belong_to_none():
    silent = [Exposure(), Exposure(time_utc="nonsense"), Exposure(time_utc="2026-03-14T06:00:00Z")]
    assert kinds(silent) == []
    assert Proposed("focus pair", ()).name == "focus pair"


def test_a_burst_goes_on_as_long_as_each_frame_follows_the_one_before():
    """Ten seconds of it, no frame later than the gap after its neighbour."""
    assert kinds([shot(0.8 * n) for n in range(12)]) == [("burst", [f"{n:03d}" for n in range(12)])]
    assert kinds([shot(4.0 * n, 2.0 * n) for n in range(4)]) == [("bracket", [f"{n:03d}" for n in range(4)])]
