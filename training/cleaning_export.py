"""Write the network of a state of `training.cleaning` as the program reads it.

    python -m training.cleaning_export STATE OUT

Weights are kept as bytes, a quarter of the file, and widened when they are read.
"""

from __future__ import annotations

import io
from pathlib import Path

import click
import numpy as np
import onnx
import torch
from onnx import TensorProto, helper, numpy_helper

from dustpan.core.filters.correction import PLANES
from dustpan.core.noise.facts import FACTS
from training.cleaning import Corrector

_SIDE = 128  # px of the example that the graph is drawn from; other sides are free
_FEW = 256  # values from which a tensor is kept as bytes


def exported(network: Corrector) -> onnx.ModelProto:
    """Return a network as a graph with free height and width, multiples of 8."""
    written = io.BytesIO()
    free = {"planes": {2: "height", 3: "width"}, "correction": {2: "height", 3: "width"}}
    torch.onnx.export(
        network.eval(),
        (torch.zeros(1, PLANES, _SIDE, _SIDE), torch.zeros(1, FACTS)),
        written,
        input_names=["planes", "facts"],
        output_names=["correction"],
        dynamic_axes=free,
        opset_version=17,
        dynamo=False,
    )
    return in_bytes(onnx.load_from_string(written.getvalue()))


def in_bytes(model: onnx.ModelProto) -> onnx.ModelProto:
    """Return the graph with its larger tensors as signed bytes, each with a scale for every output channel.

    The program widens them when it reads them, so that it computes in floats. Results are as good as with half floats.
    """
    widened, kept = [], []
    transposed = {node.input[1] for node in model.graph.node if node.op_type == "ConvTranspose"}
    for tensor in model.graph.initializer:
        values = numpy_helper.to_array(tensor)
        if values.dtype != np.float32 or values.size < _FEW:
            kept.append(tensor)
            continue
        others = tuple(axis for axis in range(values.ndim) if axis != (tensor.name in transposed))
        scale = np.abs(values).max(axis=others, keepdims=True) / 127
        names = [f"{tensor.name}.{part}" for part in ("bytes", "scale", "wide")]
        kept.append(numpy_helper.from_array(np.rint(values / scale).astype(np.int8), names[0]))
        kept.append(numpy_helper.from_array(scale, names[1]))
        widened.append(helper.make_node("Cast", [names[0]], [names[2]], to=TensorProto.FLOAT))
        widened.append(helper.make_node("Mul", [names[2], names[1]], [tensor.name]))
    nodes = [*widened, *model.graph.node]
    del model.graph.initializer[:], model.graph.node[:]
    model.graph.initializer.extend(kept)
    model.graph.node.extend(nodes)
    onnx.checker.check_model(model)
    return model


@click.command(help=__doc__.splitlines()[0])
@click.argument("state", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.argument("out", type=click.Path(dir_okay=False, path_type=Path))
def main(state: Path, out: Path) -> None:
    """Write the running mean of the weights."""
    network = Corrector()
    network.load_state_dict(torch.load(state, weights_only=True)["mean"])
    out.write_bytes(exported(network).SerializeToString())
    click.echo(f"{out}: {out.stat().st_size / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
