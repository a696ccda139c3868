"""The network that finds subjects, worked out in floats; and what is looked at closer."""

import threading
import time
from functools import lru_cache

import cv2
import numpy as np
import onnxruntime
import pytest
from onnx import TensorProto, checker, helper, load, load_from_string, numpy_helper

from matiz.errors import Cancelled, FileError
from matiz.masks import runtime
from matiz.masks import subject as subject_module
from matiz.masks import subject_network as subject_network_module
from matiz.masks.subject import find_subject
from matiz.masks.subject_network import SubjectNetwork, _ours, in_floats, own_model


def packed(side: int) -> tuple[bytes, np.ndarray]:
    """A convolution of three colours packed to eight bits as it is run, halved and enlarged again, with two outputs;
    and the weights that it means (1, 3, 3, 3)."""
    random = np.random.default_rng(3)
    whole, zero, scale = random.integers(0, 256, (1, 3, 3, 3), dtype=np.uint8), np.uint8(120), np.float32(0.004)
    constants = {"w": whole, "wz": zero, "ws": scale, "sizes": np.array([1, 1, side, side], np.int64)}
    nodes = [
        helper.make_node("DynamicQuantizeLinear", ["in"], ["q", "qs", "qz"]),
        helper.make_node("Mul", ["qs", "ws"], ["both"]),
        helper.make_node("ConvInteger", ["q", "w", "qz", "wz"], ["n"], pads=[1, 1, 1, 1]),
        helper.make_node("Cast", ["n"], ["f"], to=TensorProto.FLOAT),
        helper.make_node("Mul", ["f", "both"], ["found"]),
        helper.make_node("MaxPool", ["found"], ["half"], kernel_shape=[2, 2], strides=[2, 2]),
        helper.make_node("Resize", ["half", "", "", "sizes"], ["out"], mode="linear"),
    ]

    def plane(name: str, channels: int, length: int) -> object:
        return helper.make_tensor_value_info(name, TensorProto.FLOAT, [1, channels, length, length])

    graph = helper.make_graph(
        nodes, "g", [plane("in", 3, side)], [plane("out", 1, side), plane("found", 1, side)],
        [numpy_helper.from_array(np.asarray(value), name) for name, value in constants.items()],
        value_info=[plane("half", 1, side // 2)],
    )  # fmt: skip
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 15)], ir_version=8)
    return model.SerializeToString(), (whole.astype(np.float32) - 120.0) * scale


def test_a_packed_network_works_in_floats_on_squares_of_any_side():
    model, weights = packed(16)
    plain = in_floats(model)
    checker.check_model(load_from_string(plain))
    assert {node.op_type for node in load_from_string(plain).graph.node} == {
        "DequantizeLinear", "Conv", "MaxPool", "Resize"
    }  # fmt: skip
    session = onnxruntime.InferenceSession(plain, providers=["CPUExecutionProvider"])
    assert [each.name for each in session.get_outputs()] == ["out"]
    for side in (16, 24):
        picture = np.random.default_rng(side).normal(size=(1, 3, side, side)).astype(np.float32)
        # one value far off makes steps of 256 coarse
        picture[0, 0, 3, 3] = 60.0
        by_hand = sum(
            cv2.filter2D(picture[0, k], cv2.CV_32F, weights[0, k], borderType=cv2.BORDER_CONSTANT) for k in range(3)
        )
        half = by_hand.reshape(side // 2, 2, side // 2, 2).max(axis=(1, 3))
        expected = cv2.resize(half, (side, side), interpolation=cv2.INTER_LINEAR)
        assert np.abs(session.run(None, {"in": picture})[0][0, 0] - expected).max() < 1e-4


class Eyes:
    """Stands for the network: finds what is red, and notes what it was shown."""

    def __init__(self, monkeypatch, misses: int = 0) -> None:
        self.seen: list[np.ndarray] = []
        self.misses = misses
        network = SubjectNetwork(self, "network", fine=128, coarse=64)
        monkeypatch.setattr(subject_module, "subject_network", lambda: network)

    def __call__(self, picture):
        self.seen.append(picture)
        found = (picture[..., 0] > 150).astype(np.float32)
        return np.zeros_like(found) if len(self.seen) == self.misses else found


def with_red(left: int, top: int, right: int, bottom: int) -> np.ndarray:
    picture = np.full((200, 300, 3), 60, np.uint8)
    picture[top:bottom, left:right] = (220, 40, 40)
    return picture


def overlap(share: np.ndarray, picture: np.ndarray) -> float:
    found, truth = cv2.resize(share, picture.shape[1::-1]) > 0.5, picture[..., 0] > 150
    return float((found & truth).sum() / (found | truth).sum())


def test_weights_of_ours_are_unpacked_while_it_is_loaded(monkeypatch, tmp_path):
    make = onnxruntime.InferenceSession

    def kept(model, options, **rest):
        options.optimized_model_filepath = str(tmp_path / "as it is run.onnx")
        return make(model, options, **rest)

    monkeypatch.setattr(onnxruntime, "InferenceSession", kept)
    plain = in_floats(packed(16)[0])
    for once in (False, True):
        runtime.session(plain, unpacks_once=once)
        kinds = {node.op_type for node in load(tmp_path / "as it is run.onnx").graph.node}
        assert ("DequantizeLinear" in kinds) != once
    told = []
    monkeypatch.setattr(runtime, "session", lambda model, **how: told.append((type(model), how)))
    _ours.__wrapped__()

    def full(**_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(subject_network_module.tempfile, "NamedTemporaryFile", full)
    _ours.__wrapped__()
    assert told == [(str, {"unpacks_once": True}), (bytes, {"unpacks_once": True})], "a full disk"


def test_it_is_loaded_once_however_many_ask(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    loads = []

    def slow():
        loads.append(threading.current_thread().name)
        time.sleep(0.05)
        return Eyes

    monkeypatch.setattr(subject_network_module, "_ours", lru_cache(maxsize=1)(slow))
    askers = [threading.Thread(target=subject_network_module.subject_network) for _ in range(4)]
    for each in askers:
        each.start()
    for each in askers:
        each.join()
    assert len(loads) == 1
    own_model().parent.mkdir(parents=True)
    own_model().write_bytes(b"no network")
    with pytest.raises(FileError):
        subject_network_module.subject_network()


@pytest.mark.parametrize("box", [(120, 60, 180, 140), (0, 0, 70, 60), (200, 40, 300, 200), (30, 90, 290, 120)])
def test_what_an_overview_finds_is_looked_at_closer_twice_and_laid_back_where_it_is(monkeypatch, box):
    monkeypatch.setattr(subject_module, "AGREED", 1.0)
    eyes, picture = Eyes(monkeypatch), with_red(*box)
    share = find_subject(picture).share
    assert share.shape == (128, 128) and overlap(share, picture) > 0.93
    whole, close, square = (each[..., 0] > 150 for each in eyes.seen)
    assert whole.shape == (64, 64) and close.shape == square.shape == (128, 128)
    assert close.mean() > square.mean() and close.mean() > 1.3 * whole.mean()


def test_each_look_is_told_and_who_is_told_may_end_the_search(monkeypatch):
    monkeypatch.setattr(subject_module, "AGREED", 1.0)
    eyes, picture, told = Eyes(monkeypatch), with_red(120, 60, 180, 140), []
    found = find_subject(picture, lambda known: told.append((len(eyes.seen), known.share)))
    assert [looks for looks, _ in told] == [1, 2], "the last is what is found"
    assert (told[-1][1] != found.share).any()
    assert all(overlap(share, picture) > 0.85 for _, share in told)
    eyes.seen.clear()

    def stop(_):
        raise Cancelled

    with pytest.raises(Cancelled):
        find_subject(picture, stop)
    assert len(eyes.seen) == 1


@pytest.mark.parametrize("clear", [True, False])
def test_where_the_first_two_looks_agree_the_third_is_spared(monkeypatch, clear):
    eyes, picture = Eyes(monkeypatch), with_red(90, 0, 240, 200)
    if not clear:
        picture[40:160:8, 80:100] = (220, 40, 40)
        picture[44:160:8, 88:100] = 60
    share = find_subject(picture).share
    assert len(eyes.seen) == (2 if clear else 3)
    assert overlap(share, picture) > 0.95 and share.max() > 0.95


def test_in_a_true_square_nothing_is_stretched(monkeypatch):
    monkeypatch.setattr(subject_module, "AGREED", 1.0)
    eyes = Eyes(monkeypatch)
    find_subject(with_red(120, 60, 180, 140))
    rows, columns = (np.flatnonzero((eyes.seen[2][..., 0] > 150).any(axis=axis)).size for axis in (1, 0))
    assert columns / rows == pytest.approx(60 / 80, rel=0.05)


def test_what_two_of_three_looks_say_is_so(monkeypatch):
    picture = with_red(120, 60, 180, 140)
    for misses in (2, 3):
        Eyes(monkeypatch, misses)
        share = find_subject(picture).share
        assert overlap(share, picture) > 0.9 and share.max() > 0.95


def test_what_is_small_is_looked_for_finely_in_the_whole(monkeypatch):
    monkeypatch.setattr(subject_module, "AGREED", 1.0)
    eyes, picture = Eyes(monkeypatch), with_red(140, 90, 158, 108)
    assert overlap(find_subject(picture).share, picture) > 0.8
    assert [each.shape[0] for each in eyes.seen] == [64, 128, 128, 128]


def test_where_nothing_is_seen_nothing_is_found(monkeypatch):
    eyes = Eyes(monkeypatch)
    assert find_subject(np.full((200, 300, 3), 60, np.uint8)).share.max() == 0.0
    assert len(eyes.seen) == 2, "and nothing is looked at closer"
