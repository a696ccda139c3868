"""The network that finds subjects: ours, or one of the user's own.

Ours is an ISNet (Qin and others 2022, "Highly accurate dichotomous image segmentation", MIT), its weights those of
@imgly/background-removal-data 1.4.5 (AGPL-3.0-or-later), run by onnxruntime.
"""

import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..errors import FileError
from ..system.user_folders import data_folder
from . import runtime
from .cut import Picture, Share

if TYPE_CHECKING:
    from onnx import ModelProto, NodeProto

FINE, COARSE = 1024, 512
"""Sides of the squares that ours is shown: the one that it was trained on, and one that takes a fifth of the time."""


@dataclass(frozen=True)
class SubjectNetwork:
    """Told a square picture (n, n, 3), it gives where its subject is (n, n), 0..1."""

    answer: Callable[[Picture], Share]
    how: str
    """What it is called: "network", or "your own network"."""
    fine: int
    """Sides of the squares that it takes, px."""
    coarse: int


def own_model() -> Path:
    """Where a user's own network is looked for: input (1, 3, n, n) RGB, (value - 128) / 256 of 8-bit sRGB; first
    output 0..1 of the same size."""
    return data_folder() / "models/subject.onnx"


def subject_network() -> SubjectNetwork | None:
    """None where what runs it cannot be loaded.

    Raises:
        FileError: for a network of the user's own that cannot be read; its `answer` raises it for one that cannot be
            used.
    """
    try:
        import onnx  # noqa: F401
        import onnxruntime  # noqa: F401
    except ImportError:
        return None
    own = own_model()
    with _loading:
        return _own(own, own.stat().st_mtime_ns) if own.is_file() else _ours()


_loading = threading.Lock()


@lru_cache(maxsize=1)
def _own(path: Path, _: int) -> SubjectNetwork:
    try:
        session = runtime.session(str(path))
    except Exception as error:  # whatever a network that is not ours may raise
        raise FileError(f"{path}: no network that can be read ({_first_line(error)}); delete it") from error

    def answer(picture: Picture) -> Share:
        try:
            return _answer(session, picture)
        except Exception as error:  # as above
            raise FileError(f"{path}: this network cannot be used ({_first_line(error)}); delete it") from error

    wanted = session.get_inputs()[0].shape
    side = wanted[2] if len(wanted) == 4 and isinstance(wanted[2], int) else FINE
    if side < 1:
        raise FileError(f"{path}: this network cannot be used (it takes pictures of {side} px); delete it")
    return SubjectNetwork(answer, "your own network", side, side)


@lru_cache(maxsize=1)
def _ours() -> SubjectNetwork:
    folder = files("matiz") / "assets/models/subject"
    parts = sorted((p for p in folder.iterdir() if p.name.startswith("isnet.onnx.")), key=lambda p: p.name)
    network = in_floats(b"".join(part.read_bytes() for part in parts))
    try:
        # from a file it is loaded with no thread held up
        with tempfile.NamedTemporaryFile(suffix=".onnx") as file:
            file.write(network)
            file.flush()
            session = runtime.session(file.name, unpacks_once=True)
    except OSError:  # a full disk
        session = runtime.session(network, unpacks_once=True)
    return SubjectNetwork(lambda picture: _answer(session, picture), "network", FINE, COARSE)


def _answer(session: Any, picture: Picture) -> Share:
    values = ((picture.astype(np.float32) - 128.0) / 256.0).transpose(2, 0, 1)
    return np.clip(runtime.answer(session, values).reshape(picture.shape[:2]), 0.0, 1.0)


def _first_line(error: Exception) -> str:
    return str(error).strip().partition("\n")[0][:160]


def in_floats(model: bytes) -> bytes:
    """A network whose convolutions were packed to eight bits as they are run (ONNX: DynamicQuantizeLinear, ConvInteger)
    as one with the same weights that works in floats, on squares of any side that its own can be divided into; of its
    outputs the first is left.

    What runs through it is not rounded to 256 steps any more: measured once, a single look overlapped the animal of the
    demo's burst by 0.84 to 0.89 rather than by 0.17 to 0.26, and took two thirds of the time.
    """
    import onnx

    network = onnx.load_from_string(model)
    _unpack(network)
    _free_size(network)
    return _serialized(network)


def _serialized(network: "ModelProto") -> bytes:
    """What `SerializeToString` gives, weight by weight: all at once holds every thread up for a sixth of a second.
    Messages one after the other are read as one that holds what is in all (Protocol Buffers, "Encoding")."""
    from onnx import ModelProto

    parts = []
    for weight in network.graph.initializer:
        part = ModelProto()
        part.graph.initializer.append(weight)
        parts.append(part.SerializeToString())
    del network.graph.initializer[:]
    return b"".join([network.SerializeToString(), *parts])


def _unpack(network: "ModelProto") -> None:
    from onnx import helper

    graph = network.graph
    by_output = {name: node for node in graph.node for name in node.output}
    users: dict[str, list[NodeProto]] = {}
    for node in graph.node:
        for name in node.input:
            users.setdefault(name, []).append(node)
    instead: dict[str, list[NodeProto]] = {}
    gone: set[str] = set()
    for node in graph.node:
        if node.op_type != "ConvInteger":
            continue
        values, weights, _, zero = node.input
        packing = by_output[values]
        # the whole numbers as floats, times both scales
        (as_float,) = users[node.output[0]]
        (scaled,) = users[as_float.output[0]]
        both = by_output[next(name for name in scaled.input if name != as_float.output[0])]
        scale = next(name for name in both.input if name != packing.output[1])
        plain = f"{weights}_in_floats"
        convolution = helper.make_node("Conv", [packing.input[0], plain], list(scaled.output))
        convolution.attribute.extend(node.attribute)
        instead[scaled.output[0]] = [
            helper.make_node("DequantizeLinear", [weights, scale, zero], [plain]), convolution
        ]  # fmt: skip
        gone |= {each.output[0] for each in (packing, node, as_float, both)}
    kept = [each for node in graph.node if node.output[0] not in gone for each in instead.get(node.output[0], [node])]
    del graph.node[:]
    graph.node.extend(_in_order(kept))


def _in_order(nodes: "list[NodeProto]") -> "list[NodeProto]":
    """Each after those whose outputs it takes."""
    made = {name for node in nodes for name in node.output}
    out: list[NodeProto] = []
    there: set[str] = set()
    while nodes:
        ready = [node for node in nodes if all(name in there or name not in made for name in node.input)]
        out += ready
        there |= {name for node in ready for name in node.output}
        nodes = [node for node in nodes if node.output[0] not in there]
    return out


def _free_size(network: "ModelProto") -> None:
    """Planes are enlarged by factors rather than to sizes."""
    from onnx import helper, numpy_helper

    graph = network.graph
    told = [*graph.value_info, *graph.output]
    sizes = {each.name: [side.dim_value for side in each.type.tensor_type.shape.dim] for each in told}
    constants = {each.name: each for each in graph.initializer}
    for node in graph.node:
        if node.op_type == "Resize" and len(node.input) == 4:
            wanted = numpy_helper.to_array(constants[node.input[3]])
            factors = np.array([to / of for to, of in zip(wanted, sizes[node.input[0]], strict=True)], np.float32)
            name = f"{node.output[0]}_factors"
            graph.initializer.append(numpy_helper.from_array(factors, name))
            source = node.input[0]
            del node.input[:]
            node.input.extend([source, "", name])
    del graph.value_info[:]
    first = graph.output[0].name
    del graph.output[:]
    free = [1, 1, "rows", "columns"]
    graph.output.append(helper.make_tensor_value_info(first, 1, free))
    for side, called in zip(graph.input[0].type.tensor_type.shape.dim[2:], ("rows", "columns"), strict=True):
        side.dim_param = called
