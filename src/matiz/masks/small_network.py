"""The small networks that ship with Matiz, asked one at a time by OpenCV."""

from collections.abc import Sequence
from functools import cache
from importlib.resources import as_file, files
from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

_ONE_AT_A_TIME = Lock()
"""A network holds what goes through it."""


def answers(name: str, picture: NDArray[np.float32], outputs: Sequence[str] = ()) -> list[NDArray[np.float32]]:
    """What a network says of a picture (height, width, 3) in the values that it wants: outputs by name, all of them
    when none are named."""
    with _ONE_AT_A_TIME:
        network = _network(name)
        network.setInput(np.ascontiguousarray(picture.transpose(2, 0, 1))[None])
        return [np.array(each) for each in network.forward(list(outputs or network.getUnconnectedOutLayersNames()))]


@cache
def _network(name: str) -> cv2.dnn.Net:
    with as_file(files("matiz") / "assets/models" / name) as path:
        # the newer of the two engines gives one output only
        return cv2.dnn.readNetFromTFLite(str(path), cv2.dnn.ENGINE_CLASSIC)
