"""The network: a small U-Net (Ronneberger, Fischer and Brox 2015) on a picture of half the size, four px at a time.

It needs TensorFlow, which Matiz itself does not.
"""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import onnx
import tensorflow as tf
from onnx import TensorProto, helper, numpy_helper

from matiz.masks.hints import COUNT

from .pictures import Sample

PLANES = 4 + COUNT
DOWN, MIDDLE = (32, 48, 64, 64), 64
"""Planes at each size on the way down, each half as large; and at the smallest."""
BATCH, FIRST_RATE, SECOND_RATE, LAST_RATE, WARM_STEPS = 6, 2e-3, 6e-4, 1e-5, 100
STEADY, EPSILON = 0.98, 1e-3
FAR, STEPS_TOO = 0.35, 0.5
"""How much px count that are wholly in or out, and how much the differences from px to px count."""
KEPT = 0.998
"""Of the mean of the weights over the last steps, from step to step."""

keras = tf.keras
layers = keras.layers


def network(is_settled: bool) -> Any:
    """is_settled: without what evens out the values while most of it is taught."""
    shape = x = layers.Input((None, None, PLANES))
    x = layers.Lambda(lambda planes: tf.nn.space_to_depth(planes, 2))(x)
    there = []
    for n, planes in enumerate(DOWN):
        x = _two(x, planes, f"down{n}", is_settled)
        there.append(x)
        x = layers.MaxPool2D()(x)
    x = _two(x, MIDDLE, "middle", is_settled)
    for n in reversed(range(len(DOWN))):
        x = layers.Concatenate()([layers.UpSampling2D(interpolation="bilinear")(x), there[n]])
        x = _two(x, DOWN[n], f"up{n}", is_settled)
    x = layers.Conv2D(4, 3, padding="same", name="last")(x)
    return keras.Model(shape, layers.Lambda(lambda planes: tf.nn.depth_to_space(planes, 2))(x))


def _two(x: Any, planes: int, name: str, is_settled: bool) -> Any:
    for part in "ab":
        x = layers.Conv2D(planes, 3, padding="same", use_bias=is_settled, kernel_initializer="he_normal",
                          name=f"{name}{part}")(x)  # fmt: skip
        if not is_settled:
            x = layers.BatchNormalization(momentum=STEADY, epsilon=EPSILON, name=f"{name}{part}_even")(x)
        x = layers.ReLU()(x)
    return x


def loss(told: Any, true: Any) -> Any:
    """Of what is told before it is bent to 0..1. Its cross entropy moves what is wrong and sure of it, which the plain
    difference does not: that alone is taught to give back the rough share."""
    unsure = tf.nn.max_pool2d(tf.cast((true > 0.01) & (true < 0.99), tf.float32), 5, 1, "SAME")
    weight = FAR + (1.0 - FAR) * unsure
    off = tf.sigmoid(told) - true
    down, across = off[:, 1:] - off[:, :-1], off[:, :, 1:] - off[:, :, :-1]
    entropy = tf.nn.sigmoid_cross_entropy_with_logits(true, told)
    return tf.reduce_mean(weight * (entropy + tf.abs(off))) + STEPS_TOO * (
        tf.reduce_mean(tf.abs(down)) + tf.reduce_mean(tf.abs(across))
    )


def taught(shown: Iterator[Sample], steps: int, path: Path, goes_on: bool) -> None:
    """Teaches it, and writes it to `path` now and then. goes_on: from what is there, in smaller steps."""
    model = network(goes_on)
    if goes_on:
        _take(model, path)
    first = SECOND_RATE if goes_on else FIRST_RATE
    rate = keras.optimizers.schedules.CosineDecay(0.0, steps, LAST_RATE / first, warmup_target=first,
                                                  warmup_steps=WARM_STEPS)  # fmt: skip
    optimizer = keras.optimizers.Adam(rate, clipnorm=1.0)

    @tf.function
    def step(given: Any, true: Any) -> Any:
        with tf.GradientTape() as tape:
            off = loss(model(given, training=True), true)
        weights = model.trainable_variables
        optimizer.apply_gradients(zip(tape.gradient(off, weights), weights, strict=True))
        return off

    mean = [weights.numpy() for weights in model.weights]
    offs = []
    for n in range(1, steps + 1):
        given, trues = (np.stack(each) for each in zip(*(next(shown) for _ in range(BATCH)), strict=True))
        offs.append(float(step(given, trues[..., None])))
        kept = min(KEPT, 1.0 - 1.0 / (1.0 + 0.1 * n))
        now = [weights.numpy() for weights in model.weights]
        mean = [kept * old + (1.0 - kept) * new for old, new in zip(mean, now, strict=True)]
        if n % 250 == 0 or n == steps:
            print(f"{n}: {np.mean(offs[-250:]):.4f}", flush=True)
            names = [weights.path for weights in model.weights]
            path.write_bytes(exported(dict(zip(names, mean, strict=True))))


def _take(model: Any, path: Path) -> None:
    """The weights of a network that was written."""
    there = {each.name: numpy_helper.to_array(each) for each in onnx.load(path).graph.initializer}
    for layer in model.layers:
        if layer.get_weights():
            layer.set_weights([there[f"{layer.name}_w"].transpose(2, 3, 1, 0), there[f"{layer.name}_b"]])


def exported(weights: dict[str, Any]) -> bytes:
    """As an ONNX network: `picture` (1, PLANES, rows, columns), sides by 32; `share`
    (1, 1, rows, columns)."""
    nodes, constants = [], []

    def node(kind: str, inputs: list[str], output: str, **how: Any) -> str:
        nodes.append(helper.make_node(kind, inputs, [output], **how))
        return output

    def convolved(x: str, name: str, bent: bool) -> str:
        kernel, bias = weights[f"{name}/kernel"], weights.get(f"{name}/bias")
        if bias is None:
            # what evens out its values while it is taught is a factor and a constant afterwards
            gain, shift, middle, spread = (
                weights[f"{name}_even/{part}"] for part in ("gamma", "beta", "moving_mean", "moving_variance")
            )
            gain = gain / np.sqrt(spread + EPSILON)
            kernel, bias = kernel * gain, shift - middle * gain
        constants.append(numpy_helper.from_array(np.asarray(kernel.transpose(3, 2, 0, 1), np.float32), f"{name}_w"))
        constants.append(numpy_helper.from_array(np.asarray(bias, np.float32), f"{name}_b"))
        x = node("Conv", [x, f"{name}_w", f"{name}_b"], f"{name}_c", kernel_shape=[3, 3], pads=[1, 1, 1, 1])
        return node("Relu", [x], f"{name}_r") if bent else x

    constants.append(numpy_helper.from_array(np.array([1, 1, 2, 2], np.float32), "twice"))
    x = node("SpaceToDepth", ["picture"], "fours", blocksize=2)
    there = []
    for n in range(len(DOWN)):
        x = convolved(convolved(x, f"down{n}a", True), f"down{n}b", True)
        there.append(x)
        x = node("MaxPool", [x], f"pool{n}", kernel_shape=[2, 2], strides=[2, 2])
    x = convolved(convolved(x, "middlea", True), "middleb", True)
    for n in reversed(range(len(DOWN))):
        x = node("Resize", [x, "", "twice"], f"large{n}", mode="linear", coordinate_transformation_mode="half_pixel")
        x = node("Concat", [x, there[n]], f"both{n}", axis=1)
        x = convolved(convolved(x, f"up{n}a", True), f"up{n}b", True)
    x = node("DepthToSpace", [convolved(x, "last", False)], "whole", blocksize=2)
    node("Sigmoid", [x], "share")
    sides = ["rows", "columns"]
    graph = helper.make_graph(
        nodes, "edges", [helper.make_tensor_value_info("picture", TensorProto.FLOAT, [1, PLANES, *sides])],
        [helper.make_tensor_value_info("share", TensorProto.FLOAT, [1, 1, *sides])], constants,
    )  # fmt: skip
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 13)], ir_version=9)
    onnx.checker.check_model(model)
    return bytes(model.SerializeToString())
