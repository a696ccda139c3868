"""Files of one view become a file."""

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..develop.frame.alignment import Alignment
from ..develop.graph.as_file import write_frame
from ..errors import ArgumentError
from ..raw.frame import Exposure, Frame
from ..system.files import TakenError
from ..wording import EV, counted, degrees, number, percent
from .bracket import merge_bracket
from .focus import merge_focus
from .mean import merge_mean
from .together import MOST, OnProgress, report_progress

KINDS = ("bracket", "focus", "mean")
LEAST_EV, LEAST_NEARER = 0.3, 0.05
"""By which frames of a bracket differ in exposure at least, and focused ones in distance, of the distance."""
READ = 0.3
"""Share of the work that reading is."""


@dataclass(frozen=True, eq=False)
class MergedFile:
    """What was made."""

    path: Path
    reference: Path
    """Whose view it has."""
    words: str
    """What was done, in a line."""


def kind_of(exposures: Sequence[Exposure]) -> str:
    """What frames are merged as, by what they say of themselves."""
    light = [each.light_EV for each in exposures]
    known = [value for value in light if value is not None]
    if len(known) == len(light) and max(known) - min(known) >= LEAST_EV:
        return "bracket"
    away = [each.focus_m for each in exposures if each.focus_m]
    if len(away) == len(exposures) and max(away) - min(away) > LEAST_NEARER * max(away):
        return "focus"
    return "mean"


def merge_files(
    paths: Sequence[Path],
    read: Callable[[Path], Frame],
    *,
    kind: str = "",
    hold: str = "both",
    out: Path | None = None,
    on_progress: OnProgress = lambda _share, _text: True,
) -> MergedFile:
    """Merge raw files into a linear DNG beside the first one, or at `out`, which is not to be there yet.

    kind: one of KINDS, or by what the files say. hold: see `mean.merge_mean`. on_progress: hears the share done and
    what is being done, and returns False to stop, which raises Cancelled. Raises ArgumentError for files that do not go
    together, AlignError where they show different things, FileError and FormatError as reading and writing do.
    """
    if kind not in ("", *KINDS):
        raise ArgumentError(f"kind: one of {', '.join(KINDS)}, got {kind!r}")
    if not 2 <= len(paths) <= MOST:
        raise ArgumentError(f"from 2 to {MOST} files can be merged, not {len(paths)}")
    if out is not None and os.path.lexists(out):
        raise TakenError(f"{out}: there is a file of that name already")
    frames = []
    for n, path in enumerate(paths):
        report_progress(on_progress, READ * n / len(paths), f"Reading {path.name}")
        frames.append(read(path))
    kind = kind or kind_of([frame.exposure for frame in frames])

    def later(share: float, text: str) -> bool:
        return on_progress(READ + (0.95 - READ) * share, text)

    if kind == "bracket":
        bracket = merge_bracket(frames, later)
        frame, words = bracket.frame, f"{_exposures(bracket.gains)}; {_laid(bracket.alignments)}"
        if bracket.moved.share:
            words += f"; {percent(bracket.moved.share, 1)} of the picture moved and comes from a single frame"
    elif kind == "focus":
        focus = merge_focus(frames, later)
        shares = ", ".join(
            f"{each.path.stem} {percent(share, 0)}" for each, share in zip(frames, focus.shares, strict=True)
        )
        frame, words = focus.frame, f"sharpest: {shares}; {_laid(focus.alignments)}"
    else:
        mean = merge_mean(frames, hold, later)
        frame = mean.frame
        words = f"{percent(mean.noise_left, 0)} of the noise is left"
        words += f"; {percent(mean.sky_share, 0)} aligned on the stars" if mean.sky else ""
        words += f"; {_laid([each for each in (*mean.sky, *mean.ground) if each is not None])}"
    report_progress(on_progress, 0.95, "Writing")
    path = out or _free_name(paths, kind)
    write_frame(frame, path, exclusive=True)
    report_progress(on_progress, 1.0, "Merged")
    assert frame.merged is not None
    reference = next(each.path for each in frames if each.path.name == frame.merged.names[0])
    return MergedFile(path, reference, f"{counted(len(frames), 'frame')} merged into {path.name}: {words}")


def _free_name(paths: Sequence[Path], kind: str) -> Path:
    first, last = min(paths), max(paths)
    stem = f"{first.stem}-{_differing(first.stem, last.stem)} {kind}"
    names = [first.with_name(f"{stem}{'' if n == 1 else f' {n}'}.dng") for n in range(1, 1000)]
    return next(name for name in names if not os.path.lexists(name))


def _differing(first: str, last: str) -> str:
    """The end of a name, from its first digit that differs on."""
    if len(first) != len(last):
        return last
    same = next((n for n, (a, b) in enumerate(zip(first, last, strict=True)) if a != b), len(last))
    while same > 0 and last[same - 1].isdigit():
        same -= 1
    return last[same:] or last


def _exposures(gains: Sequence[float]) -> str:
    return ", ".join(EV(float(np.log2(gain))) for gain in sorted(gains))


def _laid(alignments: Sequence[Alignment]) -> str:
    if not alignments:
        return "no alignment was needed"
    furthest = max(each.shift_px for each in alignments)
    turned = max(abs(each.turn_deg) for each in alignments)
    rest = max(each.rest_px for each in alignments)
    return f"aligned within {number(rest, 2, 'px')}, shifted by up to {number(furthest, 0, 'px')} and {degrees(turned)}"
