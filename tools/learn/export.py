"""Writes the network as an ONNX file, which the application runs without what it was taught with."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

from tools.learn.network import GIVEN, TOLD, WIDTHS, Numbers

OPSET = 13


def export(numbers: Numbers, path: Path) -> None:
    """Writes `network.run` but for its last step: out come (1, 4 x TOLD, rows / 2, columns / 2), and the channels of a
    texel's four parts are to be laid side by side, row by row.
    """
    nodes: list[Any] = []
    kept: list[Any] = []

    def add(kind: str, given: list[str], told: str, **options: Any) -> str:
        nodes.append(helper.make_node(kind, given, [told], **options))
        return told

    def convolve(field: str, name: str, step: int = 1) -> str:
        weights = np.asarray(numbers[name]["w"], np.float32).transpose(3, 2, 0, 1)
        for key, value in (("w", weights), ("b", np.asarray(numbers[name]["b"], np.float32))):
            kept.append(numpy_helper.from_array(np.ascontiguousarray(value), f"{name}.{key}"))
        side = weights.shape[-1]
        options = {"kernel_shape": [side, side], "strides": [step, step], "pads": [1, 1, 1, 1]}
        return add("Conv", [field, f"{name}.w", f"{name}.b"], name, **options)

    def rectified(field: str, name: str, step: int = 1) -> str:
        return add("Relu", [convolve(field, name, step)], f"{name}.on")

    kept.append(numpy_helper.from_array(np.array([1, 1, 2, 2], np.float32), "double"))
    field, levels = "given", []
    for level in range(len(WIDTHS)):
        if level:
            field = add("AveragePool", [field], f"halved{level}", kernel_shape=[2, 2], strides=[2, 2])
        field = rectified(rectified(field, f"down{level}a", 1 if level else 2), f"down{level}b")
        levels.append(field)
    for level in reversed(range(len(WIDTHS) - 1)):
        options = {"mode": "nearest", "coordinate_transformation_mode": "asymmetric", "nearest_mode": "floor"}
        field = add("Resize", [field, "", "double"], f"doubled{level}", **options)
        field = add("Concat", [field, levels[level]], f"joined{level}", axis=1)
        field = rectified(rectified(field, f"up{level}a"), f"up{level}b")
    convolve(field, "out")
    ends = [
        [helper.make_tensor_value_info(name, TensorProto.FLOAT, [1, channels, rows, columns])]
        for name, channels, rows, columns in (("given", GIVEN, "rows", "columns"), ("out", 4 * TOLD, "half", "across"))
    ]
    graph = helper.make_graph(nodes, "one photo", *ends, kept)
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", OPSET)])
    model.ir_version = 8
    onnx.checker.check_model(model)
    onnx.save(model, str(path))
