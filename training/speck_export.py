"""Write the networks whose weights `training.speck_networks` has fitted as the program reads them.

python -m training.speck_export WEIGHTS FOLDER
"""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

from dustpan.core.filters.speck_peaks import FACTS, NEAR
from dustpan.core.filters.speck_shapes import FIRST_FACTS, WIDE

STRIDES = (1, 1, 2)  # of the layers of kernels
_VERSIONS = {"opset_imports": [helper.make_opsetid("", 17)], "ir_version": 8}


class _Graph:
    """A graph under construction; weights are kept as half floats."""

    def __init__(self) -> None:
        self.nodes: list[onnx.NodeProto] = []
        self.kept: list[onnx.TensorProto] = []

    def add(self, kind: str, *inputs: str, **options) -> str:
        """Add a node and return its output."""
        output = f"{kind.lower()}{len(self.nodes)}"
        self.nodes.append(helper.make_node(kind, inputs, [output], **options))
        return output

    def keep(self, values: np.ndarray) -> str:
        """Keep weights and return what widens them."""
        name = f"weights{len(self.kept)}"
        self.kept.append(numpy_helper.from_array(np.ascontiguousarray(values, np.float16), name))
        return self.add("Cast", name, to=TensorProto.FLOAT)


def graph_of(weights: dict[str, np.ndarray], name: str) -> onnx.ModelProto:
    """Return a network: layers of kernels if it has some, then layers that take everything, and the facts too."""
    graph, layer, channels = _Graph(), 0, 3
    planes = graph.add("Transpose", "pixels", perm=[0, 3, 1, 2])
    while (key := f"{name}_kernel{layer}") in weights:
        kernels = weights[key].reshape(3, 3, channels, -1).transpose(3, 2, 0, 1)
        given = graph.keep(kernels), graph.keep(weights[f"{key}_bias"])
        planes = graph.add("Relu", graph.add("Conv", planes, *given, strides=[STRIDES[layer]] * 2))
        layer, channels = layer + 1, len(kernels)
    values = graph.add("Flatten", graph.add("Transpose", planes, perm=[0, 2, 3, 1]))
    values, layer = graph.add("Concat", values, "facts", axis=1), 0
    while (key := f"{name}{layer}") in weights:
        values = graph.add("Relu", values) if layer else values
        values = graph.add("Gemm", values, graph.keep(weights[key]), graph.keep(weights[f"{key}_bias"]))
        layer += 1
    return _model(graph, name, values, first=f"{name}_kernel0" not in weights)


def _model(graph: _Graph, name: str, output: str, *, first: bool) -> onnx.ModelProto:
    side, facts = (NEAR, FIRST_FACTS) if first else (WIDE, FACTS)
    shapes = {"pixels": ["n", side, side, 3], "facts": ["n", facts]}
    inputs = [helper.make_tensor_value_info(key, TensorProto.FLOAT, shape) for key, shape in shapes.items()]
    outputs = [helper.make_tensor_value_info(output, TensorProto.FLOAT, ["n", None])]
    model = helper.make_model(helper.make_graph(graph.nodes, name, inputs, outputs, graph.kept), **_VERSIONS)
    onnx.checker.check_model(model)
    return model


@click.command(help=__doc__.splitlines()[0])
@click.argument("weights", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.argument("folder", type=click.Path(exists=True, file_okay=False, path_type=Path))
def main(weights: Path, folder: Path) -> None:
    """Write a file for each network."""
    with np.load(weights) as stored:
        known = dict(stored)
    for name in ("first", "second", "added"):
        path = folder / f"specks_{name}.onnx"
        path.write_bytes(graph_of(known, name).SerializeToString())
        click.echo(f"{path}: {path.stat().st_size / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
