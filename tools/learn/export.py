"""Writes the networks as ONNX files, which the application runs without what they were taught with."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

from tools.learn import lamp
from tools.learn.network import GIVEN, OF_PHOTO, TOLD, WIDTHS, Numbers

OPSET = 13

SHAPED = 256
"""Texels on the side of the picture that a file names. It takes others too, but where none is named OpenCV takes sides
of unknown length for sides of one texel, and refuses to add what is then not of one shape."""


class _Graph:
    """A network that is written down layer by layer, by the names of what goes from one to the next."""

    def __init__(self, numbers: Numbers) -> None:
        self.numbers, self.nodes, self.kept = numbers, list[Any](), list[Any]()

    def add(self, kind: str, given: list[str], told: str, **options: Any) -> str:
        self.nodes.append(helper.make_node(kind, given, [told], **options))
        return told

    def keep(self, name: str, values: np.ndarray) -> str:
        self.kept.append(numpy_helper.from_array(np.ascontiguousarray(values, np.float32), name))
        return name

    def convolve(self, field: str, name: str, step: int = 1) -> str:
        weights = np.asarray(self.numbers[name]["w"]).transpose(3, 2, 0, 1)
        given = [field, self.keep(f"{name}.w", weights), self.keep(f"{name}.b", np.asarray(self.numbers[name]["b"]))]
        side = weights.shape[-1]
        options = {"kernel_shape": [side, side], "strides": [step, step], "pads": [int(side > 1)] * 4}
        return self.add("Conv", given, name, **options)

    def rectify(self, field: str, name: str, step: int = 1) -> str:
        return self.add("Relu", [self.convolve(field, name, step)], f"{name}.on")

    def go_down(self, field: str, level: int) -> str:
        if level:
            field = self.add("AveragePool", [field], f"halved{level}", kernel_shape=[2, 2], strides=[2, 2])
        return self.rectify(self.rectify(field, f"down{level}a", 1 if level else 2), f"down{level}b")

    def save(self, path: Path, given: int, told: list[Any]) -> None:
        """Writes the network that is given so many channels and whose last layer is called `out`, and what is in the
        file among the sums beside it.
        """
        ends = [
            [helper.make_tensor_value_info(name, TensorProto.FLOAT, shape)]
            for name, shape in (("given", [1, given, SHAPED, SHAPED]), ("out", told))
        ]
        graph = helper.make_graph(self.nodes, path.stem, *ends, self.kept)
        model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", OPSET)])
        model.ir_version = 8
        onnx.checker.check_model(model)
        onnx.save(model, str(path))
        sums = path.with_name("SHA256SUMS")
        lines = sums.read_text().splitlines() if sums.exists() else []
        others = [line for line in lines if not line.endswith(f"  {path.name}")]
        digest = hashlib.sha256(path.read_bytes()).hexdigest()
        sums.write_text("\n".join(sorted([*others, f"{digest}  {path.name}"], key=lambda line: line[64:])) + "\n")


def export_relief(numbers: Numbers, path: Path) -> None:
    """Writes `network.run` but for its last steps: out come (photos, 4 x TOLD, rows / 2, columns / 2); the channels of
    a texel's four parts are to be laid side by side, row by row, and the linear method's slopes are to be added.
    """
    graph = _Graph(numbers)
    double = graph.keep("double", np.array([1, 1, 2, 2]))
    field, levels = "given", []
    for level in range(len(WIDTHS)):
        field = graph.go_down(field, level)
        levels.append(field)
    for level in reversed(range(len(WIDTHS) - 1)):
        options = {"mode": "nearest", "coordinate_transformation_mode": "asymmetric", "nearest_mode": "floor"}
        field = graph.add("Resize", [graph.convolve(field, f"up{level}"), "", double], f"doubled{level}", **options)
        field = graph.add("Add", [field, levels[level]], f"joined{level}")
        field = graph.rectify(graph.rectify(field, f"up{level}a"), f"up{level}b")
    graph.convolve(field, "out")
    graph.save(path, GIVEN, [1, 4 * TOLD, SHAPED // 2, SHAPED // 2])


def export_light(numbers: Numbers, path: Path) -> None:
    """Writes `lamp.run`: out come (photos, TOLD, 1, 1)."""
    graph, field = _Graph(numbers), "given"
    for level in range(lamp.LEVELS):
        field = graph.go_down(field, level)
    field = graph.rectify(graph.add("GlobalAveragePool", [field], "whole"), "mean")
    graph.convolve(field, "out")
    graph.save(path, OF_PHOTO, [1, lamp.TOLD, 1, 1])
