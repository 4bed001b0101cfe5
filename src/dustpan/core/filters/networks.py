"""The trained networks of this folder, as onnxruntime runs them.

A network gives the same bits for what it is shown, whatever else it is shown with.
"""

from __future__ import annotations

from functools import cache
from importlib import resources
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import onnxruntime


@cache
def load_network(name: str) -> onnxruntime.InferenceSession:
    """Return the network of a name, ready to run."""
    return make_ready(resources.files(__package__).joinpath(f"{name}.onnx").read_bytes())


def make_ready(graph: bytes) -> onnxruntime.InferenceSession:
    """Return a network, ready to run: one thread a call, as each block of a picture has its own."""
    import onnxruntime

    options: Any = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.use_deterministic_compute = True
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(graph, options, providers=["CPUExecutionProvider"])
