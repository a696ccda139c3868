"""Readings as JSON. The keys are stable: scripts depend on them."""

from dataclasses import asdict
from itertools import combinations
from typing import Any

import numpy as np

from ..develop.frame.tiles import Region, Size
from ..develop.graph.engine import Engine
from ..raw.frame import Frame
from ..recipe.model import Recipe
from .colour.colour import SkinReading
from .colour.pairs import PairReading, shown_pair
from .detail.noise import NoiseReading
from .light.area import read_area
from .light.card import GreyCard
from .mend.blemishes import Blemish
from .mend.dust import Speck
from .mend.mend import MendReading
from .mend.merged import MergedReading
from .mend.tilt import Angle
from .next_frame import next_frame
from .picture import PictureReading
from .places.attention import AttentionReading
from .places.faces import FaceReading
from .table.values import LightValue
from .tone.patches import ClippedPatch


def report(frame: Frame, size: Size, reading: PictureReading) -> dict[str, Any]:
    """All readings of a picture; size: (width, height) of it under its recipe."""
    shot, tone = frame.exposure, reading.tone
    return {
        "file": str(frame.path),
        "camera": frame.camera,
        "size": list(size),
        "exposure": {
            "iso": shot.iso,
            "time_s": shot.time_s,
            "f_number": shot.f_number,
            "time_utc": shot.time_utc,
        },
        "light": {
            "as_shot": _light(reading.light.as_shot),
            "measured": _measured(reading.light.measured),
            "lights": [
                {**_light(found.value), "share": round(found.share, 4), "certainty": round(found.value.certainty, 3)}
                for found in reading.light.lights.found
            ],
            "card": _card(reading.light.card),
        },
        "tone": {
            "headroom_EV": round(reading.range.headroom_EV, 4),
            "clipped": dict(zip("rgb", (round(v, 6) for v in reading.range.clipped), strict=True)),
            "patches": [_patch(patch) for patch in reading.full.patches],
            "zones": [round(v, 6) for v in tone.zones],
            "middle_EV": round(tone.middle_EV, 4),
            "rebuilt": round(reading.full.rebuilt, 6),
            "black": {"share": round(tone.black, 6), "patches": [asdict(patch) for patch in tone.black_patches]},
            "middle_L": [round(v, 2) for v in tone.middle_L],
            "uneven_EV": [round(v, 3) for v in tone.uneven_EV],
            "haze": {"seen": reading.haze.is_seen, "transmission": round(reading.haze.transmission, 3)},
            "snr_dB": None if reading.noise is None else [_two(v) for v in reading.noise.zones_dB],
        },
        "colour": {
            "hues": [
                {"from_deg": 30 * n, "share": round(hue.share, 5), "chroma": round(hue.chroma, 2)}
                for n, hue in enumerate(reading.colour.hues)
            ],
            "out_of_gamut": round(reading.colour.out_of_gamut.share, 6),
            "gamut_dE": round(reading.colour.out_of_gamut.mean_dE, 2),
            "skin": _skin(reading.skin),
            "spots_on_skin": [_blemish(spot) for spot in reading.blemishes.specks],
        },
        "places": {
            "faces": [_face(face) for face in reading.faces.faces],
            "faces_spread_EV": round(reading.faces.spread_EV, 3),
            "attention": _attention(reading.attention),
        },
        "detail": {
            "blur_px": _two(reading.blur.blur_px),
            "blur_is_sure": reading.blur.is_sure,
            "smear_px": None if reading.blur.smear is None else _two(reading.blur.smear.went_px),
            "smear_deg": None if reading.blur.smear is None else round(reading.blur.smear.along_deg, 1),
            "blur_after_px": _two(reading.blur_after.blur_px),
            "blur_places_px": [[_two(spread) for spread in row] for row in reading.blur.places_px],
            "noise_removed_dB": _two(reading.detail.noise_removed_dB),
            "texture_kept": _two(reading.detail.texture_kept),
            "halo_L": round(reading.detail.halo_L, 2),
        },
        "finish": {
            "fall_off_noticed": _two(reading.finish.fall_off_noticed),
            "fall_off_most": round(reading.finish.fall_off_most, 2),
            "black_lift_L": round(reading.finish.black_lift_L, 2),
            "signature_busy_L": _two(reading.finish.signature_busy_L),
        },
        "next_frame": asdict(next_frame(shot, reading.range, reading.full, reading.noise, reading.blur)),
        "stored": None if reading.stored is None else _rounded(asdict(reading.stored)),
        "noise": _noise(reading.noise),
        "merged": None if reading.merged is None else _merged(reading.merged),
        "mend": {
            **_mend(reading.mend),
            "tilt": _angle(reading.tilt.tilt),
            "vertical": _angle(reading.tilt.vertical),
            "dust": [_speck(speck) for speck in reading.dust.specks],
        },
    }


def area_report(engine: Engine, recipe: Recipe, area: Region) -> dict[str, Any]:
    """The reading of an area in px of the upright full-size picture."""
    camera = engine.render(recipe, 0, area, result="camera")
    working = engine.render(recipe, 0, area, result="working")
    reading = read_area(engine.frame, camera, working, recipe.in_force().tone.exposure_EV)
    light = _light(reading.light) if reading.light else {"cct_K": None, "duv": None}
    return {
        "XYZ": reading.XYZ.tolist(),
        "Lab": reading.Lab.tolist(),
        "LCh": reading.LCh.tolist(),
        **light,
        "raw": reading.raw.tolist(),
    }


def pair_reports(engine: Engine, recipe: Recipe, areas: list[Region], reports: list[dict[str, Any]]) -> list[Any]:
    """Each two areas compared, by the colours that `area_report` says, and by those that are shown."""
    out = []
    for first, second in combinations(range(len(areas)), 2):
        of_scene = PairReading.of(np.array(reports[first]["Lab"]), np.array(reports[second]["Lab"]))
        shown = shown_pair(engine, recipe, areas[first], areas[second])
        out.append({"areas": [first, second], **_pair(of_scene), "shown": {**_pair(shown), "error": shown.error}})
    return out


def _pair(pair: PairReading) -> dict[str, float]:
    return {name: round(getattr(pair, name), 4) for name in ("dE00", "dh", "dC", "dL")}


def _card(card: GreyCard | None) -> dict[str, Any] | None:
    if card is None:
        return None
    return {"x": card.x, "y": card.y, "w": card.w, "h": card.h, "share": round(card.share, 6), **_measured(card.light)}


def _mend(reading: MendReading) -> dict[str, Any]:
    found, known = reading.fringes, reading.lens
    names = ("red_px", "blue_px", "certainty")
    return {
        "fringes": None if found is None else {name: round(getattr(found, name), 3) for name in names},
        "lens": None
        if known is None
        else {
            "name": known.name,
            "distortion_percent": round(100.0 * float(known.stretch[-1] - 1.0), 3),
            "fall_off_EV": round(float(known.fall_off_EV[-1]), 3),
        },
    }


def _angle(angle: Angle) -> dict[str, float]:
    return {"deg": round(angle.deg, 3), "certainty": round(angle.certainty, 3)}


def _speck(speck: Speck) -> dict[str, float]:
    """x, y, r in px of the upright full-size frame."""
    place = {name: round(getattr(speck, name), 1) for name in ("x", "y", "r")}
    return {**place, "depth": round(speck.depth, 4), "certainty": round(speck.certainty, 3), "frames": speck.frames}


def _noise(reading: NoiseReading | None) -> dict[str, Any] | None:
    if reading is None:
        return None
    noise = reading.noise
    return {
        "shot": noise.shot,
        "read": noise.read,
        "source": noise.source,
        "zones_dB": [_two(v) for v in reading.zones_dB],
    }


def _rounded(values: dict[str, float]) -> dict[str, float]:
    return {name: round(value, 4) for name, value in values.items()}


def _skin(skin: SkinReading | None) -> dict[str, float] | None:
    if skin is None:
        return None
    return _rounded({name: value for name, value in asdict(skin).items() if name != "cloud"})


def _blemish(spot: Blemish) -> dict[str, Any]:
    """x, y, r in px of the upright full-size frame."""
    place = {name: round(getattr(spot, name), 1) for name in ("x", "y", "r")}
    kind = "red" if spot.is_red else "dark"
    return {**place, "face": spot.face, "dE": round(spot.dE, 2), "kind": kind, "certainty": round(spot.certainty, 3)}


def _two(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


def _face(face: FaceReading) -> dict[str, Any]:
    places = {name: round(getattr(face, name), 1) for name in ("x", "y", "w", "h")}
    return {"n": face.n, **places, "zone": round(face.zone, 2), "sides_EV": round(face.sides_EV, 2),
            "lighter": face.lighter, "certainty": round(face.certainty, 3)}  # fmt: skip


def _attention(reading: AttentionReading) -> dict[str, Any]:
    pulls = [
        {**{name: round(getattr(pull, name), 1) for name in ("x", "y", "r")}, "share": round(pull.share, 4),
         "why": pull.why}
        for pull in reading.pulls
    ]  # fmt: skip
    subject, area = (None if v is None else round(v, 4) for v in (reading.subject, reading.subject_area))
    return {"subject": subject, "subject_area": area, "pulls": pulls}


def _light(value: LightValue) -> dict[str, float]:
    return {"cct_K": round(value.cct_K, 2), "duv": round(value.duv, 6)}


def _measured(value: LightValue | None) -> dict[str, float | None]:
    if value is None:
        return {"cct_K": None, "duv": None, "certainty": 0.0}
    return {**_light(value), "certainty": round(value.certainty, 3)}


def _patch(patch: ClippedPatch) -> dict[str, Any]:
    names = ("x", "y", "w", "h", "channels", "kind", "rebuildable")
    return {**{name: getattr(patch, name) for name in names}, "share": round(patch.share, 7)}


def _merged(merged: MergedReading) -> dict[str, Any]:
    return {"kind": merged.kind, "frames": merged.frames, "moved_share": round(merged.moved_share, 4)}
