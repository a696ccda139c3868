"""Write src/matiz/assets/models/edges/edges.onnx: what makes masks exact along their edges.

Run by a developer, seldom, from the project's folder: ``python -m bench.photographs`` first, then, with a Python that
has `tensorflow-cpu` 2.21, `onnx`, OpenCV and Pillow, ``python -m tools.edges [FIRST SECOND]`` (steps; an hour and a
quarter on two cores; with a FIRST of 0 it goes on from the file). The file is committed; it was taught 4,400 and 2,000
steps, and then, with more kinds of pictures, 7,000 of the second. The photographs of packages
that benches and tests look at are not shown to it.
"""

import os
import sys
from collections.abc import Iterator
from multiprocessing import Process, Queue
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from bench.photographs import VERSIONS, photographs, pixels

from .pictures import CROP, Sample, samples

ROOT = Path(__file__).parents[2]
FILE = ROOT / "src/matiz/assets/models/edges/edges.onnx"
STEPS, WAITING = (4500, 2200), 60
FIRST_HELD, HELD = 300, 4000
"""Samples at hand, at first and at most: 1.3 MB each."""


def shown_photographs() -> list[Any]:
    """Those that front-end packages carry."""
    all_of_them = [pixels(each) for each in photographs() if each.package in VERSIONS]
    return [each for each in all_of_them if min(each.shape[:2]) >= CROP]


def _makes(queue: "Queue[Sample]", seed: int) -> None:
    os.nice(10)
    cv2.setNumThreads(1)
    for given, true in samples(seed, shown_photographs()):
        queue.put((given.astype(np.float16), true.astype(np.float16)))


def _mixed(queue: "Queue[Sample]") -> Iterator[Sample]:
    """Of many things at a time, not of one after the other; some are shown again while new ones are made."""
    random = np.random.default_rng(5)
    held = [queue.get() for _ in range(FIRST_HELD)]
    while True:
        given, true = held[random.integers(len(held))]
        yield given.astype(np.float32), true.astype(np.float32)
        while not queue.empty():
            if len(held) < HELD:
                held.append(queue.get())
            else:
                held[random.integers(HELD)] = queue.get()


def main() -> None:
    queue: Queue[Sample] = Queue(WAITING)
    makers = [Process(target=_makes, args=(queue, seed), daemon=True) for seed in (1, 2)]
    for maker in makers:
        maker.start()
    from .network import taught

    FILE.parent.mkdir(parents=True, exist_ok=True)
    first, second = (int(steps) for steps in sys.argv[1:3] or STEPS)
    shown = _mixed(queue)
    if first:
        taught(shown, first, FILE, goes_on=False)
    taught(shown, second, FILE, goes_on=True)


if __name__ == "__main__":
    main()
