"""Networks in ONNX as they are run, by onnxruntime; loaded only when one is asked."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

Planes = NDArray[np.float32]


def session(model: str | bytes, *, unpacks_once: bool = False) -> Any:
    """Of a network's file, or of its bytes. unpacks_once: weights that are packed to eight bits are unpacked while it
    is loaded and not whenever it is run, so that it takes more memory and less time."""
    import onnxruntime

    options = onnxruntime.SessionOptions()
    options.log_severity_level = 3
    if unpacks_once:
        options.add_session_config_entry("session.disable_quant_qdq", "1")
    return onnxruntime.InferenceSession(model, options, providers=["CPUExecutionProvider"])


def answer(session: Any, planes: Planes) -> Planes:
    """What its first output says of its one input (channels, rows, columns), of any shape."""
    import onnxruntime

    # it keeps what it worked in otherwise, half a gigabyte for a large picture
    options = onnxruntime.RunOptions()
    options.add_run_config_entry("memory.enable_memory_arena_shrinkage", "cpu:0")
    given = {session.get_inputs()[0].name: np.ascontiguousarray(planes)[None]}
    (found,) = session.run([session.get_outputs()[0].name], given, options)
    return np.asarray(found, np.float32)
