"""Write the network of a state of `training.cleaning` as the program reads it.

    python -m training.cleaning_export STATE SAMPLES OUT

The layers at pixels of 4 and 8 px compute in bytes, whose scales are taken from samples: twice as fast, and as good. At
the finest pixels that would cost a fifth of the gain, so their weights are only kept as bytes.
"""

from __future__ import annotations

import io
import tempfile
from collections.abc import Iterator
from pathlib import Path

import click
import numpy as np
import onnx
import torch
from onnx import TensorProto, helper, numpy_helper
from onnxruntime.quantization import CalibrationDataReader, CalibrationMethod, QuantFormat, QuantType, quantize_static

from dustpan.core.filters.correction import PLANES
from dustpan.core.noise.facts import FACTS
from training.cleaning import Chunks, Corrector

_SIDE = 128  # px of the example that the graph is drawn from; other sides are free
_FEW = 256  # values from which a tensor is kept as bytes
_COARSE = ("/encode.1/", "/encode.2/", "/decode.1/", "/down.1/")  # parts of the network that compute in bytes
_COMPUTING = ("Conv", "Add", "Relu")
_BATCHES = 20  # of samples that tell how large a layer's values become
_LARGEST = 99.9  # per cent of a layer's values that its bytes reach


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
    return onnx.load_from_string(written.getvalue())


class _Samples(CalibrationDataReader):
    """What a network is shown to find the range of each layer's values."""

    def __init__(self, folder: Path) -> None:
        self._shown = self._read(folder)

    @staticmethod
    def _read(folder: Path) -> Iterator[dict[str, np.ndarray]]:
        chunks = Chunks(folder, np.random.default_rng(1))
        chunks.exchange()
        for _ in range(_BATCHES):
            planes, facts, *_ = chunks.batch()
            for one, told in zip(planes.contiguous().numpy(), facts.numpy(), strict=True):
                yield {"planes": one[None], "facts": told[None]}

    def get_next(self) -> dict[str, np.ndarray] | None:
        """Return the next input, or None after the last."""
        return next(self._shown, None)


def computing_in_bytes(model: onnx.ModelProto, samples: Path) -> onnx.ModelProto:
    """Return the graph with its coarse layers in bytes: one scale a layer for values, one a channel for weights.

    Weights have seven bits, so that sums stay exact on processors without instructions for bytes.
    """
    nodes = [node.name for node in model.graph.node if node.op_type in _COMPUTING and node.name.startswith(_COARSE)]
    with tempfile.TemporaryDirectory() as folder:
        whole, quantised = Path(folder, "whole.onnx"), Path(folder, "quantised.onnx")
        onnx.save(onnx.shape_inference.infer_shapes(model), whole)
        quantize_static(
            whole,
            quantised,
            _Samples(samples),
            quant_format=QuantFormat.QDQ,
            per_channel=True,
            reduce_range=True,
            activation_type=QuantType.QUInt8,
            weight_type=QuantType.QInt8,
            nodes_to_quantize=nodes,
            calibrate_method=CalibrationMethod.Percentile,
            extra_options={"CalibPercentile": _LARGEST},
        )
        return onnx.load(quantised)


def kept_in_bytes(model: onnx.ModelProto) -> onnx.ModelProto:
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
@click.argument("samples", type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.argument("out", type=click.Path(dir_okay=False, path_type=Path))
def main(state: Path, samples: Path, out: Path) -> None:
    """Write the running mean of the weights."""
    network = Corrector()
    network.load_state_dict(torch.load(state, weights_only=True)["mean"])
    model = kept_in_bytes(computing_in_bytes(exported(network), samples))
    out.write_bytes(model.SerializeToString())
    click.echo(f"{out}: {out.stat().st_size / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
