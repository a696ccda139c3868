"""What is said of a whole shoot, and the lights that it was taken in."""

import json
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import skimage.data

from matiz.cli import main
from matiz.measure.sort.brief import Brief
from matiz.measure.sort.look import look_of
from matiz.measure.table.values import LightValue
from matiz.raw.frame import Exposure
from matiz.recipe.model import Light, Recipe
from matiz.shoot.looked_through import looked_through
from matiz.shoot.of_shoot import found
from matiz.shoot.one_light import PictureFacts, balance_of, in_one_light
from matiz.shoot.sets import Proposed, proposed_sets
from matiz_simcam.shoot import DEMO_SHOTS

SHOT = Exposure(iso=100.0, time_s=0.01, f_number=8.0, lens="a", focal_mm=50.0)
PLAIN = Brief(0.8, 0.0, 0.5, 30.0)
CAMERA = LightValue(5500.0, 0.0)


def light(mired: float, certainty: float = 0.4) -> LightValue:
    return LightValue(1e6 / mired, 0.0, certainty)


def taken(
    n: int, seconds: float, *, brief: Brief | None = PLAIN, balance: LightValue | None = CAMERA, **how
) -> PictureFacts:
    minutes, rest = divmod(seconds, 60.0)
    stamp = f"2026-05-09T{6 + int(minutes) // 60:02d}:{int(minutes) % 60:02d}:{int(rest):02d}Z"
    return PictureFacts(Path(f"P_{n:04d}.dng"), replace(SHOT, time_utc=stamp, **how), brief, balance)


def row_of(mireds, balances=None, minutes: float = 3.0) -> list[PictureFacts]:
    """Pictures some minutes apart whose lights measure so."""
    balances = balances if balances is not None else [182.0] * len(mireds)
    return [taken(n, 60.0 * minutes * n, brief=replace(PLAIN, light=light(m)), balance=light(b))
            for n, (m, b) in enumerate(zip(mireds, balances, strict=True))]  # fmt: skip


def told(known, sets=(), **more) -> dict:
    return {each.id: each for each in found(known, sets, in_one_light(known), **more)}


# ---- one light


def test_a_break_parts_lights_and_a_step_of_what_is_measured_or_exposed_does():
    row = row_of([190, 195, 188, 192, 300, 310, 305])
    assert [len(each.pictures) for each in in_one_light(row)] == [4, 3]
    assert [len(each.pictures) for each in in_one_light(row_of([190, 195, 188, 192, 300]))] == [5], "one tells nothing"
    assert [len(each.pictures) for each in in_one_light(row_of([190, 240, 170, 260, 180, 250]))] == [6], "scattered"
    late = [*row[:4], *(taken(n, 3 * 3600.0 + 60 * n, brief=row[0].brief) for n in range(10, 12))]
    assert [len(each.pictures) for each in in_one_light(late)] == [4, 2]
    inside = [taken(n, 60.0 * n, iso=100.0 if n < 3 else 3200.0) for n in range(6)]
    assert [len(each.pictures) for each in in_one_light(inside)] == [3, 3]
    assert in_one_light([PictureFacts(Path("a"), Exposure())]) == [], "without a time"


def test_the_lights_of_the_demo_are_its_three_places():
    known = [PictureFacts(Path(shot.name), Exposure(shot.settings.iso, shot.settings.time_s, shot.settings.f_number,
                                             shot.settings.time_utc)) for shot in DEMO_SHOTS]  # fmt: skip
    assert [len(each.pictures) for each in in_one_light(reversed(known))] == [10, 6, 7]


def test_a_trend_is_calmed_and_where_it_is_unsure_nothing_is_known():
    [own] = in_one_light(row_of([190, 192, 400, 194, 196, 198]))
    trend = own.trend_mired()
    assert trend is not None and np.abs(trend - [190, 192, 193, 194, 196, 198]).max() < 2.0, "one that is off is let be"
    assert own.mired == pytest.approx(195.0)
    unsure = [replace(each, brief=replace(PLAIN, light=light(190, 0.1))) for each in row_of([190] * 6)]
    [own] = in_one_light(unsure)
    assert own.trend_mired() is None and np.isnan(own.mired)


def test_balances_follow_a_light_that_goes():
    mireds = [180, 186, 191, 199, 206, 211, 220]
    finding = told(row_of(mireds))["sort.drift"]
    assert finding.evidence["drift_mired"] == pytest.approx(40, abs=3) and "7 pictures" in finding.claim
    given = [1e6 / dict(settings)["light.cct_K"] for _, settings in finding.gives]
    assert given == sorted(given) and np.median(given) == pytest.approx(182.0, abs=2.0), "the mood that it had stays"
    assert given[-1] - given[0] == pytest.approx(finding.evidence["drift_mired"], abs=1.0)
    after = row_of(mireds, given)
    assert "sort.drift" not in told(after) and "sort.wander" not in told(after)
    for _, settings in finding.gives:
        Recipe().change_all(list(settings), label="x")
    assert finding.certainty <= 0.5, "what is in the pictures may have changed instead"
    rough = [141, 199, 187, 173, 202, 203, 208, 245]
    assert "sort.drift" not in told(row_of(rough)), "it scatters as much"
    assert "sort.drift" not in told(row_of([180, 212, 185, 209, 183, 211, 214])), "up and down is no way"
    scattered = row_of([152, 219, 221, 215, 209, 203, 248, 265])
    [own] = in_one_light(scattered)
    assert np.ptp(own.trend_mired()) > 40.0 and "sort.drift" not in told(scattered), "its ends alone are no way"
    assert "sort.drift" not in told(row_of([180, 181, 183, 184, 186, 187, 189])), "too little"
    assert "sort.drift" not in told(row_of(mireds[:4])), "too few"


def test_balances_that_differ_in_one_light_are_made_one():
    balances = [182, 205, 178, 214, 190, 199]
    finding = told(row_of([190, 192, 189, 191, 190, 193], balances))["sort.wander"]
    assert {dict(settings)["light.cct_K"] for _, settings in finding.gives} == {round(1e6 / 194.5)}
    assert "sort.wander" not in told(row_of([190] * 6, [182, 184, 181, 183, 185, 182])), "too little"
    assert "sort.wander" not in told(row_of(balances, balances)), "the light itself differs as much"
    assert "sort.wander" not in told([replace(each, balance=None) for each in row_of([190] * 6, balances)])


def test_a_grey_card_balances_what_was_taken_in_its_light():
    row = row_of([300, 310, 305])
    card = LightValue(3010.0, 0.002, 0.8)
    row[0] = replace(row[0], brief=replace(row[0].brief, card=card))
    finding = told(row)["sort.card"]
    assert len(finding.gives) == 3 and "3\u202f010\u202fK" in finding.claim and "3 pictures" in finding.fix_label
    settings = finding.gives[2][1]
    own = Recipe().change_all(list(settings), label="x")[0].light
    assert (own.source, own.cct_K, own.duv) == ("manual", 3010.0, 0.002)
    done = [replace(each, balance=LightValue(own.cct_K, own.duv)) for each in row]
    assert "sort.card" not in told(done)
    far = replace(row[0].brief, card=LightValue(7300.0, 0.0, 0.9))
    assert "sort.card" not in told([replace(row[0], brief=far), *row[1:]]), "a light that nothing else speaks of"
    row[0] = replace(row[0], brief=replace(row[0].brief, card=replace(card, certainty=0.5)))
    assert "sort.card" not in told(row), "it may be something else"


# ---- sets


def test_the_sharpest_of_a_burst_is_named_where_it_is_sharper():
    row = [taken(n, 0.0, brief=replace(PLAIN, edges_px=px)) for n, px in enumerate((2.1, 1.4, 2.6, None))]
    burst = Proposed("burst", tuple(each.path for each in row))
    finding = told(row, [burst])["sort.sharpest"]
    assert "P_0001" in finding.claim and "1.4" in finding.claim and "2.1" in finding.claim
    assert dict(finding.sorts) == {each.path: "keep" if n == 1 else "hold" for n, each in enumerate(row)}
    near = [replace(row[0], brief=replace(PLAIN, edges_px=1.5)), *row[1:]]
    assert "sort.sharpest" not in told(near, [burst]), "the eye decides"
    assert "sort.sharpest" not in told([replace(row[0], sorted_as="drop"), *row[1:]], [burst]), "sorted already"


def test_a_bracket_is_whole_or_has_a_gap():
    row = [taken(n, 2.0 * n, time_s=0.01 * 2.0**step) for n, step in enumerate((0.0, -2.0, 2.0))]
    [bracket] = proposed_sets({each.path: each.exposure for each in row})
    finding = told(row, [bracket])["sort.bracket"]
    assert finding.merges == bracket.pictures and finding.has_fix
    assert "sort.bracket" not in told(row, [bracket], merged=[bracket.pictures[1]]), "merged already"
    row = [taken(n, 2.0 * n, time_s=0.01 * 2.0**step) for n, step in enumerate((0.0, -1.0, -4.0))]
    [bracket] = proposed_sets({each.path: each.exposure for each in row})
    gap = told(row, [bracket])["sort.bracket_gap"]
    assert gap.evidence == {"widest_EV": 3.0, "narrowest_EV": 1.0} and not gap.has_fix
    assert "\u22123.0 and +0.0" in gap.claim or "\u22123.0 and 0.0" in gap.claim


def test_what_was_taken_twice_is_named_and_the_sharper_kept():
    def look(picture):
        return look_of((picture / 255.0).astype(np.float32) ** 2.2)

    cat, cup = skimage.data.chelsea(), skimage.data.coffee()
    looks = [look(cat[:290, :440]), look(cat[4:294, 8:448]), look(cup)]
    row = [taken(n, 20.0 * n, brief=replace(PLAIN, look=own, edges_px=1.0 - 0.2 * n)) for n, own in enumerate(looks)]
    finding = told(row)["sort.twice"]
    assert finding.pictures == (row[0].path, row[1].path) and "P_0000 and P_0001" in finding.claim
    assert dict(finding.sorts) == {row[0].path: "hold", row[1].path: "keep"}
    later = [row[0], replace(row[1], exposure=replace(row[1].exposure, time_utc="2026-05-09T06:05:00Z"))]
    assert "sort.twice" not in told(later), "minutes apart"
    in_set = [Proposed("focus pair", (row[0].path, row[1].path))]
    assert "sort.twice" not in told(row, in_set), "a set says what they are"
    unsure = [replace(row[0], brief=replace(row[0].brief, edges_px=None)), row[1]]
    assert told(unsure)["sort.twice"].sorts == () and not told(unsure)["sort.twice"].has_fix


def test_a_streak_that_the_others_of_a_night_have_not_is_pointed_out():
    def night(*shares):
        return [taken(n, 60.0 * n, brief=replace(PLAIN, streak=share), time_s=8.0) for n, share in enumerate(shares)]

    finding = told(night(0.0, 0.4, 0.0, 0.0))["sort.streak"]
    assert "P_0001" in finding.claim and "3 others" in finding.claim and finding.evidence == {"length_%": 40}
    assert finding.sorts == ((Path("P_0001.dng"), "hold"),)
    assert "sort.streak" not in told(night(0.0, 0.4, 0.0)), "too few say what the night is like"
    assert "sort.streak" not in told(night(0.3, 0.4, 0.0, 0.3, 0.0)), "a wire, or a beam"
    assert "sort.streak" not in told(night(None, 0.4, None, None, None)), "no night"
    held = night(0.0, 0.4, 0.0, 0.0)
    held[1] = replace(held[1], sorted_as="keep")
    assert "sort.streak" not in told(held)


def test_what_a_picture_is_balanced_for():
    brief = Brief(0.8, 0.0, 0.0, 30.0, as_shot=LightValue(5200.0, 0.001))
    assert balance_of(Light(), brief) == brief.as_shot and balance_of(Light(), None) is None
    assert balance_of(Light("manual", 4000.0, 0.002), None) == LightValue(4000.0, 0.002)
    named = balance_of(Light("A"), None)
    assert named is not None and named.cct_K == pytest.approx(2856.0, abs=3.0)


def test_a_folder_is_looked_through_and_what_is_measured_kept(small_shoot, tmp_path, capsys):
    folder = tmp_path / "shoot"
    shutil.copytree(small_shoot, folder)
    (folder / "damaged.dng").write_bytes(b"nothing")
    said: list[str] = []
    lights, _ = looked_through(folder, said.append)
    assert [len(light.pictures) for light in lights] == [1, 1, 1] and np.isfinite(lights[0].mired)
    assert len(said) == 1 and "damaged.dng" in said[0]
    assert (folder / ".matiz" / "readings.sqlite").exists()
    assert main(["shoot", str(folder), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert [each["pictures"] for each in told["lights"]] == [[f"CORVA_{n}.dng"] for n in ("0011", "0031", "0052")]
    assert told["lights"][0]["light_K"] == pytest.approx(1e6 / lights[0].mired, abs=1.0) and told["found"] == []
    assert main(["shoot", str(folder)]) == 0
    assert "1 picture in one light" in capsys.readouterr().out


def test_nothing_is_said_of_what_was_taken_twice_and_is_sorted():
    cat = skimage.data.chelsea()
    looks = [look_of((cut / 255.0).astype(np.float32) ** 2.2) for cut in (cat[:290, :440], cat[4:294, 8:448])]
    row = [taken(n, 20.0 * n, brief=replace(PLAIN, look=own, edges_px=1.0)) for n, own in enumerate(looks)]
    assert "sort.twice" in told(row)
    for sorted_as in ("keep", "hold", "drop"):
        assert "sort.twice" not in told([row[0], replace(row[1], sorted_as=sorted_as)]), sorted_as
