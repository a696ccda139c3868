"""Frames laid on the first of them, and how much more light each got."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

from ..develop.frame.alignment import Alignment
from ..develop.frame.laid import Laid
from ..develop.frame.sensor import Sensor
from ..raw.frame import Frame
from .align import aligned
from .light import measured_light
from .together import OnProgress, report_progress


def laid_together(
    frames: Sequence[Frame], expected: Sequence[float], on_progress: OnProgress
) -> tuple[list[Laid], list[float], tuple[Alignment, ...]]:
    """The frames as they lie on the first, how much more light each got than it, and how the others lie.

    expected: the light of each, as the files have it. AlignError where they show different things.
    """
    first = Sensor(frames[0])

    def one(n: int) -> tuple[Alignment, float]:
        # levels that are looked at here go with it: of many frames they would fill the memory
        ratio, sensor = expected[n] / expected[0], Sensor(frames[n])
        alignment = aligned(first, sensor, ratio)
        return alignment, measured_light(first, sensor, alignment, ratio)

    laid, gains, alignments = [Laid(Sensor(frames[0]))], [1.0], []
    with ThreadPoolExecutor(2) as pool:
        try:
            for n, (alignment, gain) in enumerate(pool.map(one, range(1, len(frames))), 1):
                # what did not move is not resampled
                laid.append(Laid(Sensor(frames[n]), None if alignment.is_still else alignment))
                gains.append(gain)
                alignments.append(alignment)
                report_progress(on_progress, n / (len(frames) - 1), f"Aligning the frames with {frames[0].path.name}")
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return laid, gains, tuple(alignments)
